using System.Net;
using Crumpet.Core.Building;
using Crumpet.Storage;
using Crumpet.Web.Hosting;
using Crumpet.Web.Pictures;
using Microsoft.AspNetCore.Hosting;
using Microsoft.EntityFrameworkCore;
using Microsoft.Extensions.Configuration;
using Xunit;

namespace Crumpet.Web.Tests;

/// <summary>Who is answered, what a start does with what an earlier process left, and what is private.</summary>
public sealed class HostingTests(SharedApp shared) : SharedAppTests(shared)
{
    [Theory]
    [InlineData("localhost", true)]
    [InlineData("LOCALHOST:5187", true)]
    [InlineData("127.0.0.1:5187", true)]
    [InlineData("127.9.9.9", true)]
    [InlineData("[::1]:5187", true)]
    [InlineData("evil.example", false)]
    [InlineData("localhost.evil.example", false)]
    [InlineData("127.0.0.1.evil.example", false)]
    [InlineData("10.0.0.1", false)]
    public async Task Only_names_of_this_machine_are_answered(string host, bool isOwn)
    {
        foreach (string path in (string[])["/kits", "/css/crumpet.css", "/nowhere"])
        {
            using var request = new HttpRequestMessage(HttpMethod.Get, path);
            request.Headers.Host = host;
            var answer = await Client.SendAsync(request);
            Assert.Equal(!isOwn, answer.StatusCode == HttpStatusCode.MisdirectedRequest);
            if (!isOwn)
                Assert.Contains("does not go by the name", await answer.Content.ReadAsStringAsync(), StringComparison.Ordinal);
        }
    }

    [Fact]
    public async Task Names_given_at_the_start_are_answered_and_may_change_things()
    {
        using var app = Start().WithWebHostBuilder(host => host.UseSetting("allowed-hosts", "crumpet.studio, other.studio"));
        using var client = app.CreateClient();
        string token = TokenOf(await client.GetStringAsync("/kits"));
        Assert.Equal(HttpStatusCode.OK, await MakeAsync("crumpet.studio", "https://crumpet.studio"));
        // A proxy in front may ask by another name than the page was opened by.
        Assert.Equal(HttpStatusCode.OK, await MakeAsync("localhost", "https://crumpet.studio"));
        foreach (string origin in (string[])["https://evil.example", "null", "http://localhost:3000", "https://crumpet.studio.evil.example"])
            Assert.Equal(HttpStatusCode.Forbidden, await MakeAsync("localhost", origin));
        Assert.Equal(HttpStatusCode.OK, await MakeAsync("localhost", null));

        async Task<HttpStatusCode> MakeAsync(string host, string? origin)
        {
            using var request = new HttpRequestMessage(HttpMethod.Post,
                "/kits?handler=Make")
            {
                Content = new FormUrlEncodedContent(
                new Dictionary<string, string> { ["name"] = "k", ["__RequestVerificationToken"] = token })
            };
            request.Headers.Host = host;
            if (origin is not null)
                request.Headers.Add("Origin", origin);
            var status = (await client.SendAsync(request)).StatusCode;
            return status is HttpStatusCode.Redirect ? HttpStatusCode.OK : status;
        }
    }

    [Theory]
    [InlineData("http://127.0.0.1:5187", false)]
    [InlineData("http://localhost:80;http://[::1]:81", false)]
    [InlineData("http://unix:/tmp/crumpet.sock", false)]
    [InlineData("http://0.0.0.0:5187", true)]
    [InlineData("http://*:5187", true)]
    [InlineData("http://127.0.0.1:1;http://+:2", true)]
    [InlineData("http://[::]:5187", true)]
    [InlineData("http://crumpet.studio", true)]
    [InlineData("http://10.1.2.3:80", true)]
    public void Addresses_that_others_reach_are_told_from_those_of_this_machine(string urls, bool isOpen) =>
        Assert.Equal(isOpen, Options("--urls", urls).OpenUrl is not null);

    [Fact]
    public void Switches_do_not_swallow_what_follows_them()
    {
        var options = Options("--no-resume", "--open-to-network", "--data", "/tmp/x", "--allowed-hosts", "a,b");
        Assert.Equal((false, true, "/tmp/x", 2), (options.Resumes, options.IsOpenToNetwork, options.DataFolder, options.AllowedHosts.Count));
        Assert.Equal((true, false), (Options().Resumes, Options().IsOpenToNetwork));
        Assert.Equal("http://0.0.0.0:9", Options("--Kestrel:Endpoints:x:Url", "http://0.0.0.0:9").OpenUrl);
    }

    [Theory]
    [InlineData(1, false, "Layout is done", RunState.Done)]
    [InlineData(2, false, "ended 2 times while this was at work", RunState.Failed)]
    [InlineData(1, true, "started with --no-resume", RunState.Cancelled)]
    public async Task A_run_that_was_at_work_when_the_process_ended_twice_is_told_as_failed(int starts, bool noResume, string said, RunState state)
    {
        using (var app = Start())
        {
            using var client = app.CreateClient();
            string asset = await DropAsync(client, ("a_low.obj", Low), ("a_high.obj", High));
            await UntilAsync(client, $"{asset}/layout", "laid.obj");
        }
        int id;
        await using (var db = new CrumpetDb(Database.Options(DataFolder)))
        {
            // Runs that come to an end, and processes that end in good order, count for nothing.
            Assert.All(await db.Runs.ToListAsync(), r => Assert.Equal(RunState.Done, r.State));
            var run = new Run
            {
                AssetId = 1,
                UpTo = Station.Layout,
                State = RunState.Running,
                QueuedAt = DateTime.UtcNow,
                StartedAt = DateTime.UtcNow,
                Starts = starts
            };
            db.Runs.Add(run);
            await db.SaveChangesAsync();
            id = run.Id;
        }
        using var again = noResume ? Start().WithWebHostBuilder(host => host.UseSetting("no-resume", "true")) : Start();
        using var later = again.CreateClient();
        await UntilAsync(later, "/runs", said);
        await using var after = new CrumpetDb(Database.Options(DataFolder));
        Assert.Equal(state, (await after.Runs.FirstAsync(r => r.Id == id)).State);
    }

    [Fact]
    public async Task What_is_kept_is_private_and_what_was_left_half_done_is_gone()
    {
        string left = Path.Combine(DataFolder, "store", FileStore.IncomingFolder, "left");
        Directory.CreateDirectory(Path.GetDirectoryName(left)!);
        await File.WriteAllTextAsync(left, "half");
        using var app = Start();
        using var client = app.CreateClient();
        await DropAsync(client, ("a_low.obj", Low));
        Assert.False(File.Exists(left));
        Assert.NotEmpty(Environment.GetEnvironmentVariable("ASPNETCORE_TEMP")!);
        const UnixFileMode others = UnixFileMode.GroupRead | UnixFileMode.GroupWrite | UnixFileMode.GroupExecute
            | UnixFileMode.OtherRead | UnixFileMode.OtherWrite | UnixFileMode.OtherExecute;
        foreach (string name in (string[])["crumpet.db", "store", "keys"])
        {
            if (!OperatingSystem.IsWindows())
                Assert.Equal(UnixFileMode.None, File.GetUnixFileMode(Path.Combine(DataFolder, name)) & others);
        }
    }

    [Fact]
    public void A_folder_that_another_process_has_is_not_opened()
    {
        using var app = Start();
        using var client = app.CreateClient();
        Assert.Null(Hosting.DataFolder.Take(DataFolder, out _));
    }

    [Fact]
    public async Task A_rule_of_the_kit_is_taken_away_for_good()
    {
        string asset = await DropAsync(Client, ("crate_low.obj", Low), ("crate_high.obj", High));
        await UntilAsync(Client, $"{asset}/layout", "laid.obj");
        await PostAsync(Client, $"{asset}/intake", "ByHand", new() { ["What"] = "upright" });
        await PostAsync(Client, $"{asset}/intake", "ForKit", new() { ["number"] = "0" });
        Assert.Contains("Turn Z up to Y up", await Client.GetStringAsync(Kit), StringComparison.Ordinal);
        string kit = await PostAsync(Client, Kit, "TakeAway", new() { ["number"] = "0" });
        Assert.DoesNotContain("Turn Z up to Y up", kit, StringComparison.Ordinal);
        // What is about one asset cannot become a rule.
        await PostAsync(Client, $"{asset}/intake", "ByHand", new() { ["What"] = "rename", ["Objects"] = "crate_low", ["Text"] = "box_low" });
        Assert.Contains("is about this asset alone", await PostAsync(Client, $"{asset}/intake", "ForKit", new() { ["number"] = "0" }),
            StringComparison.Ordinal);
    }

    [Fact]
    public async Task Room_for_pictures_is_given_in_turn_and_never_too_much()
    {
        var allowance = new PixelAllowance();
        var whole = await allowance.TakeAsync(long.MaxValue, default);
        var small = allowance.TakeAsync(1, default);
        using var impatient = new CancellationTokenSource();
        var gone = allowance.TakeAsync(1 << 20, impatient.Token);
        Assert.False(small.IsCompleted);
        await impatient.CancelAsync();
        await Assert.ThrowsAnyAsync<OperationCanceledException>(() => gone);
        whole.Dispose();
        whole.Dispose();
        (await small).Dispose();
        (await allowance.TakeAsync(2L << 30, default)).Dispose();
    }

    [Theory]
    [InlineData(0, null, -1, 1, 1)]
    [InlineData(200, null, -1, 1, 1)]
    [InlineData(201, 2, -1, 2, 2)]
    [InlineData(201, 99, -1, 2, 2)]
    [InlineData(1000, -7, -1, 1, 5)]
    [InlineData(1000, null, 999, 5, 5)]
    [InlineData(1000, 2, 999, 2, 5)]
    public void Long_lists_are_shown_a_page_at_a_time(int total, int? asked, int row, int number, int pages)
    {
        var rows = PagedRows.At(total, asked, row, "row", "show=x");
        Assert.Equal((number, pages), (rows.Number, rows.Pages));
        Assert.Equal(Enumerable.Range(0, total).Skip((number - 1) * PagedRows.Size).Take(PagedRows.Size), rows.Of([.. Enumerable.Range(0, total)]));
    }

    private static AppOptions Options(params string[] args) => AppOptions.From(new ConfigurationBuilder().AddCommandLine(AppOptions.Spelt(args)).Build());
}
