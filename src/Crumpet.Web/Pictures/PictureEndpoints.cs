using System.Runtime.InteropServices;
using Crumpet.Core;
using Crumpet.Core.Building;
using Crumpet.Core.Imaging;
using Crumpet.Storage;

namespace Crumpet.Web.Pictures;

/// <summary>Serves pictures to the map viewer: by content, so that browsers may keep what they have for ever.</summary>
internal static class PictureEndpoints
{
    public const string ForEver = "public, max-age=31536000, immutable";
    private static readonly TimeSpan Patience = TimeSpan.FromMilliseconds(250);

    public static void MapPictures(this WebApplication app)
    {
        app.MapGet("/pictures/{sha}/{meaning}/{mip:int}",
            (string sha, string meaning, int mip, PictureService pictures, HttpContext context) => AnswerAsync(sha, meaning, mip, context, async key =>
        {
            if (await pictures.IndexAsync(key, Patience) is not { } index)
                return Results.Json(new { Share = pictures.ShareCut(key) }, BuildJson.Options, statusCode: StatusCodes.Status202Accepted);
            return Results.Json(
                new { index.Channels, index.Bits, TilePyramid.TileSide, Levels = index.Levels.Select(l => new { l.Width, l.Height }), index.Statistics },
                BuildJson.Options);
        }));
        app.MapGet("/pictures/{sha}/{meaning}/{mip:int}/{level:int}/{x:int}/{y:int}",
            (string sha, string meaning, int mip, int level, int x, int y, PictureService pictures, HttpContext context) =>
            AnswerAsync(sha, meaning, mip, context, async key =>
        {
            if (await pictures.TileAsync(key, level, x, y) is not { } tile)
                return Results.NotFound();
            context.Response.Headers.ContentEncoding = "gzip";
            return Results.Bytes(tile, "application/octet-stream");
        }));
        app.MapGet("/pictures/{sha}/{meaning}/{mip:int}/against/{sha2}/{meaning2}/{mip2:int}",
            (string sha, string meaning, int mip, string sha2, string meaning2, int mip2, PictureService pictures, HttpContext context) =>
            AnswerAsync(sha, meaning, mip, context, async key =>
            KeyOf(sha2, meaning2, mip2) is { } other ? Results.Json(await pictures.CompareAsync(key, other), BuildJson.Options) : Results.NotFound()));
    }

    /// <summary>Serves pictures that are not made for good: one level, one tile.</summary>
    public static void MapLive(this WebApplication app)
    {
        app.MapGet("/live/{token}/0", (string token, LivePictures live) => live.Find(token) is not { } picture ? Results.NotFound() : Results.Json(
            new
            {
                picture.Channels,
                picture.Bits,
                TileSide = LivePictures.Side,
                Levels = new[] { new { picture.Width, picture.Height } },
                Statistics = PictureStatistics.Of(picture),
            }, BuildJson.Options));
        app.MapGet("/live/{token}/0/0/0/0", (string token, LivePictures live) => live.Find(token) switch
        {
            Bitmap8 p => Results.Bytes(p.Pixels),
            Bitmap16 p => Results.Bytes(MemoryMarshal.AsBytes(p.Pixels.AsSpan()).ToArray()),
            Bitmap32 p => Results.Bytes(MemoryMarshal.AsBytes(p.Pixels.AsSpan()).ToArray()),
            _ => Results.NotFound(),
        });
        app.MapGet("/strips/{sha}/{channel:int}", async (string sha, int channel, StripService strips, HttpContext context) =>
        {
            if (!FileStore.IsHash(sha) || channel is < 0 or > 3)
                return Results.NotFound();
            try
            {
                byte[] png = await strips.MakeAsync(sha, channel, context.RequestAborted);
                context.Response.Headers.CacheControl = ForEver;
                return Results.Bytes(png, "image/png");
            }
            catch (Exception e) when (e is FileNotFoundException or SourceFileException)
            {
                return Results.NotFound();
            }
        });
    }

    private static async Task<IResult> AnswerAsync(string sha, string meaning, int mip, HttpContext context, Func<PictureKey, Task<IResult>> answer)
    {
        if (KeyOf(sha, meaning, mip) is not { } key)
            return Results.NotFound();
        try
        {
            var result = await answer(key);
            // How far a picture is cut must be asked anew.
            context.Response.Headers.CacheControl = result is IStatusCodeHttpResult { StatusCode: StatusCodes.Status202Accepted } ? "no-store" : ForEver;
            return result;
        }
        catch (FileNotFoundException)
        {
            return Results.NotFound();
        }
        catch (SourceFileException e)
        {
            return Results.Text(e.Message, statusCode: StatusCodes.Status422UnprocessableEntity);
        }
    }

    // A meaning may name a filter: normal-kaiser.
    private static PictureKey? KeyOf(string sha, string meaning, int mip)
    {
        var (before, after) = meaning.IndexOf('-', StringComparison.Ordinal) is var at and >= 0 ? (meaning[..at], meaning[(at + 1)..]) : (meaning, "");
        var filter = MipFilter.Box;
        return FileStore.IsHash(sha) && Known(before, out ColourMeaning parsed) && (after.Length == 0 || (Known(after, out filter) && filter != MipFilter.None))
            ? new PictureKey(sha, parsed, mip, filter) : null;
    }

    public static bool Known<T>(string word, out T value)
        where T : struct, Enum => Enum.TryParse(word, ignoreCase: true, out value) && Enum.IsDefined(value);
}
