using System.IO.Compression;
using Crumpet.Core;
using Crumpet.Core.Building;
using Crumpet.Core.Jobs;
using Crumpet.Storage;
using Crumpet.Web.Pictures;
using Microsoft.Net.Http.Headers;

namespace Crumpet.Web;

/// <summary>Serves what stations made: pictures, textures, previews and packages.</summary>
internal static class ResultFiles
{
    public static void MapResultFiles(this WebApplication app)
    {
        app.MapGet("/assets/{id:int}/files/{station}/{name}", FileAsync);
        app.MapGet("/assets/{id:int}/thumbs/{station}/{**name}", ThumbAsync);
        app.MapGet("/assets/{id:int}/arrived/{sha}", ArrivedAsync);
        app.MapGet("/thumbnails/{sha:length(64)}", Thumbnail);
        app.MapGet("/assets/{id:int}/cages.{ending:regex(^(obj|glb)$)}", CagesAsync);
        app.MapGet("/assets/{id:int}/laid.{ending:regex(^(obj|glb)$)}", LaidAsync);
        app.MapGet("/deliveries/{id:int}", DeliveryAsync);
        app.MapGet("/kits/{id:int}/folder.zip", KitFolderAsync);
    }

    private static async Task<IResult> FileAsync(int id, string station, string name, Workbench workbench, FileStore store)
    {
        var file = await FindAsync(workbench, id, station, name);
        return file is null ? Results.NotFound() : Results.File(store.PathOf(file.Sha256), TypeOf(name), entityTag: Tag(file.Sha256));
    }

    private static async Task<IResult> ThumbAsync(int id, string station, string name, Workbench workbench, ThumbnailService thumbnails, HttpContext context,
        int size = 256, string? of = null)
    {
        // What a page was made of is there also after it was decided otherwise.
        if (of is not null && FileStore.IsHash(of) && ThumbnailService.IsSide(size))
            return await ThumbOfAsync(of, name, size, thumbnails, context);
        var file = await FindAsync(workbench, id, station, name);
        return file is null || !ThumbnailService.IsSide(size) ? Results.NotFound() : await ThumbOfAsync(file.Sha256, name, size, thumbnails, context);
    }

    /// <summary>A small picture of a texture as it arrived.</summary>
    private static async Task<IResult> ArrivedAsync(int id, string sha, Workbench workbench, ThumbnailService thumbnails, HttpContext context, int size = 96) =>
        !ThumbnailService.IsSide(size) || await workbench.SourceNameAsync(id, sha) is not { } name ? Results.NotFound()
            : await ThumbOfAsync(sha, name, size, thumbnails, context);

    private static async Task<IResult> ThumbOfAsync(string sha256, string name, int size, ThumbnailService thumbnails, HttpContext context)
    {
        try
        {
            return Results.File(await thumbnails.MakeAsync(sha256, name, size, context.RequestAborted), "image/png", entityTag: new($"\"{sha256}-{size}\""));
        }
        catch (SourceFileException e)
        {
            Pages.ErrorModel.Say(context, StatusCodes.Status422UnprocessableEntity, e.Message);
            return Results.Empty;
        }
        catch (FileNotFoundException)
        {
            return Results.NotFound();
        }
    }

    /// <summary>A thumbnail by its content, so that a ledger that is being worked again keeps its pictures.</summary>
    private static IResult Thumbnail(string sha, FileStore store, HttpContext context)
    {
        if (!FileStore.IsHash(sha))
            return Results.NotFound();
        try
        {
            var picture = Results.File(store.PathOf(sha), "image/png");
            context.Response.Headers.CacheControl = "public, max-age=31536000, immutable";
            return picture;
        }
        catch (FileNotFoundException)
        {
            return Results.NotFound();
        }
    }

    /// <summary>The cages of all parts, to be worked on elsewhere.</summary>
    private static Task<IResult> CagesAsync(int id, string ending, Workbench workbench) =>
        MeshFileAsync(id, "cage", ending, v => v.Cages(ending == "obj"), workbench);

    /// <summary>The low side with its new UVs, to be worked on elsewhere.</summary>
    private static Task<IResult> LaidAsync(int id, string ending, Workbench workbench) =>
        MeshFileAsync(id, "low", ending, v => v.Laid(ending == "obj"), workbench);

    private static async Task<IResult> MeshFileAsync(int id, string what, string ending, Func<AssetView, byte[]?> bytesOf, Workbench workbench)
    {
        var view = await workbench.AssetAsync(id);
        return view is not null && bytesOf(view) is { } bytes
            ? Results.File(bytes, "application/octet-stream", $"{AssetBuild.FileNameOf(view.Asset.Name)}_{what}.{ending}") : Results.NotFound();
    }

    /// <summary>A delivery, proved before it leaves: its bytes are those that were delivered, or are made again until they are.</summary>
    private static async Task<IResult> DeliveryAsync(int id, Workbench workbench, FileStore store, HttpContext context)
    {
        var delivery = await workbench.DeliveryAsync(id);
        if (delivery is null)
            return Results.NotFound();
        if (!await Task.Run(() => StoreCheck.Prove(store, delivery.Sha256, context.RequestAborted), context.RequestAborted))
        {
            Pages.ErrorModel.Say(
                context, StatusCodes.Status410Gone,
                $"Delivery {delivery.Number} was damaged on the disk, and what it was made of is no longer kept, so it cannot be made again as it was. "
                    + $"Deliver the asset again; crumpet check says what else is damaged.");
            return Results.Empty;
        }
        string name = $"{Path.GetFileNameWithoutExtension(delivery.FileName)}_delivery_{delivery.Number}.zip";
        return Results.File(store.PathOf(delivery.Sha256), "application/zip", name);
    }

    /// <summary>A whole kit as a zipped folder, the same bytes for the same kit.</summary>
    private static async Task<IResult> KitFolderAsync(int id, KitService kits, FileStore store, CancellationToken cancel)
    {
        if (await kits.FolderAsync(id) is not { } kit)
            return Results.NotFound();
        // Written aside first: a source that is gone is told before anything was sent.
        var aside = store.Aside();
        await using (var zip = await ZipArchive.CreateAsync(aside, ZipArchiveMode.Create, leaveOpen: true, entryNameEncoding: null, cancel))
        {
            foreach (var (path, bytes) in kit.Folder.Documents())
            {
                await using var entry = await EntryOf(zip, path).OpenAsync(cancel);
                await entry.WriteAsync(bytes, cancel);
            }
            foreach (var (path, sha256) in kit.Sources)
            {
                await using var entry = await EntryOf(zip, path).OpenAsync(cancel);
                await using var source = store.Open(sha256);
                await source.CopyToAsync(entry, cancel);
            }
        }
        aside.Position = 0;
        return Results.File(aside, "application/zip", $"{AssetBuild.FileNameOf(kit.Folder.Name)}_kit.zip");
    }

    private static ZipArchiveEntry EntryOf(ZipArchive zip, string path)
    {
        var entry = zip.CreateEntry(path, CompressionLevel.Fastest);
        entry.LastWriteTime = new DateTimeOffset(1980, 1, 1, 0, 0, 0, TimeSpan.Zero);
        return entry;
    }

    private static async Task<StoredFile?> FindAsync(Workbench workbench, int id, string station, string name) =>
        Station.Table.Find(station) is { } known && await workbench.BuildAsync(id) is { } build
            ? (build.ResultOf(known) ?? build.DraftOf(known)?.Result)?.Files.FirstOrDefault(f => f.Name == name)
            : null;

    private static EntityTagHeaderValue Tag(string hash) => new($"\"{hash}\"");

    private static string TypeOf(string name) => Path.GetExtension(name) switch
    {
        ".png" => "image/png",
        ".zip" => "application/zip",
        _ => "application/octet-stream",
    };
}
