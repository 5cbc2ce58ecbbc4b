using Crumpet.Core.Intake;
using Crumpet.Storage;
using Crumpet.Web;
using Crumpet.Web.Hosting;
using Crumpet.Web.Pictures;
using Crumpet.Web.Runs;
using Microsoft.AspNetCore.DataProtection;
using Microsoft.AspNetCore.Http.Features;
using Microsoft.EntityFrameworkCore;
using Serilog;

var builder = WebApplication.CreateBuilder(
    new WebApplicationOptions { Args = AppOptions.Spelt(args), ContentRootPath = AppContext.BaseDirectory, WebRootPath = WebRoot.Find() });
var options = AppOptions.From(builder.Configuration);
if (options.OpenUrl is { } open && !options.IsOpenToNetwork)
    return Refuse($"{open} can be reached from other machines, where anybody could read and change everything here; start with --open-to-network if that "
        + $"is meant.");
using var folder = DataFolder.Take(options.DataFolder, out string owner);
if (folder is null)
    return Refuse($"The data in {options.DataFolder} is in use by {owner}; close that, or start this one with another --data folder.");
builder.Host.UseSerilog((_, log) => log.MinimumLevel.Information()
    .MinimumLevel.Override("Microsoft", Serilog.Events.LogEventLevel.Warning)
    // Keys guard forms against forgery on this machine alone; they need no encryption of their own.
    .MinimumLevel.Override("Microsoft.AspNetCore.DataProtection", Serilog.Events.LogEventLevel.Error)
    .WriteTo.Console(formatProvider: System.Globalization.CultureInfo.InvariantCulture));
if (builder.Configuration["urls"] is null)
    builder.WebHost.UseUrls(AppOptions.DefaultUrl);
builder.WebHost.ConfigureKestrel(kestrel => kestrel.Limits.MaxRequestBodySize = AppOptions.LargestUpload);
builder.Services.Configure<FormOptions>(form =>
{
    form.MultipartBodyLengthLimit = AppOptions.LargestUpload;
    form.ValueCountLimit = AppOptions.MostFiles;
});
builder.Services.AddSingleton(options);
builder.Services.AddSingleton(new ClientFiles(builder.Environment.WebRootPath));
builder.Services.AddSingleton(new FileStore(Path.Combine(options.DataFolder, "store")));
builder.Services.AddSingleton(services => new StoreRoom(options.DataFolder, services.GetRequiredService<FileStore>()));
builder.Services.AddHostedService<RoomKeeper>();
builder.Services.AddDbContext<CrumpetDb>(db => Database.Configure(db, options.DataFolder));
builder.Services.AddSingleton<PixelAllowance>();
builder.Services.AddSingleton<PictureService>();
builder.Services.AddSingleton<SightService>();
builder.Services.AddSingleton<ThumbnailService>();
builder.Services.AddSingleton<LivePictures>();
builder.Services.AddSingleton<PackPreview>();
builder.Services.AddSingleton<StripService>();
builder.Services.AddSingleton<RunFeed>();
builder.Services.AddSingleton<RunService>();
builder.Services.AddHostedService<RunWorker>();
builder.Services.AddSingleton<IntakeService>();
builder.Services.AddSingleton<ChangeOrder>();
builder.Services.AddScoped<Workbench>();
builder.Services.AddScoped<KitService>();
builder.Services.AddScoped<Finder>();
builder.Services.AddDataProtection().PersistKeysToFileSystem(new DirectoryInfo(Path.Combine(options.DataFolder, "keys")));
builder.Services.AddRazorPages().AddMvcOptions(mvc =>
{
    mvc.Filters.Add<OddRequests>();
    mvc.MaxModelBindingCollectionSize = AppOptions.MostFiles;
});
builder.Services.AddAntiforgery(antiforgery => antiforgery.HeaderName = "RequestVerificationToken");

// A bake keeps every processor busy; pages must not wait for the pool to grow.
ThreadPool.SetMinThreads(4 * Environment.ProcessorCount + 8, 8);
bool isNew = Database.Prepare(options.DataFolder);
var app = builder.Build();
using (var scope = app.Services.CreateScope())
{
    await RunService.TakeUpAsync(scope.ServiceProvider.GetRequiredService<CrumpetDb>(), options.Resumes);
    if (isNew && options.WithDemo)
        await scope.ServiceProvider.GetRequiredService<KitService>().AddDemoKitAsync(options.IsDemoCoarse);
}
app.UseExceptionHandler(new ExceptionHandlerOptions { ExceptionHandlingPath = "/error", StatusCodeSelector = RequestGate.StatusOf });
app.UseStatusCodePagesWithReExecute("/error");
app.Use(SecurityHeaders.Add);
app.Use(new HostGate(options.Urls, options.AllowedHosts).CheckAsync);
app.UseStaticFiles(app.Services.GetRequiredService<ClientFiles>().Serving());
app.UseRouting();
app.Use(RequestGate.CheckAsync);
app.MapRazorPages();
app.MapResultFiles();
app.MapPictures();
app.MapSights();
app.MapLive();
app.MapSkyLight();
app.MapGet("/runs/feed", (RunFeed feed, HttpContext context, int? asset, int? kit) => TypedResults.ServerSentEvents(
    feed.ListenAsync(new FeedScope(asset, kit), context.RequestAborted)));
app.Lifetime.ApplicationStarted.Register(() =>
{
    Log.Information("Crumpet is open on {Urls}; its data is in {Folder}", string.Join(' ', app.Urls), options.DataFolder);
    if (ExchangeFiles.Reader is null)
        Log.Information("{Sentence}", ExchangeFiles.HowToInstall);
    if (options.OpenUrl is { } reached)
        Log.Warning("Open to the network on {Url}: everybody who can reach this machine can read and change everything here, as there are no accounts",
            reached);
});
await app.RunAsync();
return 0;

static int Refuse(string sentence)
{
    Console.Error.WriteLine(sentence);
    return 2;
}

/// <summary>The web application; named so that tests can start it.</summary>
public partial class Program;
