using Crumpet.Core.Building;
using Crumpet.Core.Imaging;
using Crumpet.Storage;
using Microsoft.Net.Http.Headers;

namespace Crumpet.Web;

/// <summary>Serves what stations made: pictures, textures, previews and packages.</summary>
internal static class ResultFiles
{
    public static void MapResultFiles(this WebApplication app)
    {
        app.MapGet("/assets/{id:int}/files/{station}/{name}", FileAsync);
        app.MapGet("/assets/{id:int}/thumbs/{station}/{name}", ThumbAsync);
        app.MapGet("/assets/{id:int}/arrived/{sha}", ArrivedAsync);
        app.MapGet("/stills/{sha:length(64)}", Still);
        app.MapGet("/assets/{id:int}/cages.{ending:regex(^(obj|glb)$)}", CagesAsync);
        app.MapGet("/assets/{id:int}/laid.{ending:regex(^(obj|glb)$)}", LaidAsync);
        app.MapGet("/deliveries/{id:int}", DeliveryAsync);
    }

    private static async Task<IResult> FileAsync(int id, string station, string name, Workbench workbench, FileStore store)
    {
        var file = await FindAsync(workbench, id, station, name);
        return file is null ? Results.NotFound() : Results.File(store.PathOf(file.Sha256), TypeOf(name), entityTag: Tag(file.Sha256));
    }

    private static async Task<IResult> ThumbAsync(int id, string station, string name, Workbench workbench, FileStore store, int size = 256)
    {
        var file = await FindAsync(workbench, id, station, name);
        if (file is null || size is < 16 or > 1024)
            return Results.NotFound();
        return Results.File(ImageFile.Thumbnail(store.Load(file.Sha256), name, size), "image/png", entityTag: Tag(file.Sha256));
    }

    /// <summary>A small picture of a texture as it arrived.</summary>
    private static async Task<IResult> ArrivedAsync(int id, string sha, Workbench workbench, FileStore store, int size = 96)
    {
        var source = (await workbench.AssetAsync(id))?.Asset.Sources.Find(s => s.Sha256 == sha);
        if (source is null || size is < 16 or > 1024)
            return Results.NotFound();
        return Results.File(ImageFile.Thumbnail(store.Load(sha), source.Name, size), "image/png", entityTag: Tag(sha));
    }

    /// <summary>A still by its content, so that a ledger that is being worked again keeps its pictures.</summary>
    private static IResult Still(string sha, FileStore store, HttpContext context)
    {
        if (!sha.All(char.IsAsciiHexDigitLower))
            return Results.NotFound();
        try
        {
            var still = Results.File(store.PathOf(sha), "image/png");
            context.Response.Headers.CacheControl = "public, max-age=31536000, immutable";
            return still;
        }
        catch (FileNotFoundException)
        {
            return Results.NotFound();
        }
    }

    /// <summary>The cages of all parts, to be worked on elsewhere.</summary>
    private static Task<IResult> CagesAsync(int id, string ending, Workbench workbench) => MeshFileAsync(id, "cage", ending, v => v.Cages(ending == "obj"), workbench);

    /// <summary>The low side with its new UVs, to be worked on elsewhere.</summary>
    private static Task<IResult> LaidAsync(int id, string ending, Workbench workbench) => MeshFileAsync(id, "low", ending, v => v.Laid(ending == "obj"), workbench);

    private static async Task<IResult> MeshFileAsync(int id, string what, string ending, Func<AssetView, byte[]?> bytesOf, Workbench workbench)
    {
        var view = await workbench.AssetAsync(id);
        return view is not null && bytesOf(view) is { } bytes ? Results.File(bytes, "application/octet-stream", $"{AssetBuild.FileNameOf(view.Asset.Name)}_{what}.{ending}") : Results.NotFound();
    }

    private static async Task<IResult> DeliveryAsync(int id, Workbench workbench, FileStore store)
    {
        var delivery = await workbench.DeliveryAsync(id);
        if (delivery is null)
            return Results.NotFound();
        string name = $"{Path.GetFileNameWithoutExtension(delivery.FileName)}_delivery_{delivery.Number}.zip";
        return Results.File(store.PathOf(delivery.Sha256), "application/zip", name);
    }

    private static async Task<StoredFile?> FindAsync(Workbench workbench, int id, string station, string name) =>
        Enum.TryParse<Station>(station, ignoreCase: true, out var parsed) ? (await workbench.AssetAsync(id))?.Shown(parsed)?.Files.FirstOrDefault(f => f.Name == name) : null;

    private static EntityTagHeaderValue Tag(string hash) => new($"\"{hash}\"");

    private static string TypeOf(string name) => Path.GetExtension(name) switch
    {
        ".png" => "image/png",
        ".zip" => "application/zip",
        _ => "application/octet-stream",
    };
}
