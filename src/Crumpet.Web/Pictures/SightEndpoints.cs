using Crumpet.Core;
using Crumpet.Core.Building;
using Crumpet.Core.Convert;
using Crumpet.Core.Imaging;
using Crumpet.Storage;

namespace Crumpet.Web.Pictures;

/// <summary>Serves textures to the map viewer as cards take them, and how far they are from their pictures.</summary>
internal static class SightEndpoints
{
    public static void MapSights(this WebApplication app)
    {
        app.MapGet("/textures/{sha}/blocks/{level:int}", (string sha, int level, SightService sights, HttpContext context) => AnswerAsync(context,
            () => Task.FromResult(!FileStore.IsHash(sha) || sights.Blocks(sha, level) is not { } blocks ? Results.NotFound()
                : Results.Bytes(blocks, "application/octet-stream"))));
        app.MapGet("/textures/{sha}/stage/{meaning}", (string sha, string meaning, SightService sights, HttpContext context) =>
            AnswerAsync(context, async () => !FileStore.IsHash(sha) || !PictureEndpoints.Known(meaning, out ColourMeaning parsed) ? Results.NotFound()
                : Results.Bytes(await sights.ForStageAsync(sha, parsed), "application/octet-stream")));
        var pair = app.MapGroup("/textures/{sha}/of/{picture}/{meaning}/{filter}");
        pair.MapGet("/levels", (string sha, string picture, string meaning, string filter, SightService sights, HttpContext context) =>
            AnswerAsync(context, async () =>
        {
            if (KeyOf(sha, picture, meaning, filter) is not { } key)
                return Results.NotFound();
            var levels = await sights.LevelsAsync(key);
            return Results.Json(new { Levels = levels, Said = LevelQuality.Said(levels) }, BuildJson.Options);
        }));
        pair.MapGet("/errors/{level:int}/{way:regex(^(stored|soft)$)}",
            (string sha, string picture, string meaning, string filter, int level, string way, SightService sights, HttpContext context) =>
            AnswerAsync(context, async () =>
        {
            if (KeyOf(sha, picture, meaning, filter) is not { } key)
                return Results.NotFound();
            var found = await sights.ErrorsAsync(key, level, way == "soft");
            return Results.Json(
                new { found.Across, found.Down, found.BlockWidth, found.BlockHeight, found.IsAngle, found.Most, found.Worst, Shades = Shades(found) },
                BuildJson.Options);
        }));
    }

    /// <summary>Errors as shades: 0 none, 255 what 99 of 100 blocks stay below, and all above.</summary>
    private static byte[] Shades(LevelErrors found) =>
        [.. found.Errors.Select(e => (byte)(found.Most > 0 ? Math.Min(255, 255 * e / found.Most + 0.5f) : e > 0 ? 255 : 0))];

    private static SightKey? KeyOf(string sha, string picture, string meaning, string filter) =>
        FileStore.IsHash(sha) && FileStore.IsHash(picture) && PictureEndpoints.Known(meaning, out ColourMeaning parsed)
            && PictureEndpoints.Known(filter, out MipFilter kind) ? new SightKey(sha, picture, parsed, kind) : null;

    private static async Task<IResult> AnswerAsync(HttpContext context, Func<Task<IResult>> answer)
    {
        try
        {
            var result = await answer();
            if (result is not IStatusCodeHttpResult { StatusCode: StatusCodes.Status404NotFound })
                context.Response.Headers.CacheControl = PictureEndpoints.ForEver;
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
        catch (ArgumentException)
        {
            // No such level, or more of them than its filter gives.
            return Results.Text("The texture has other levels than that; reload the page.", statusCode: StatusCodes.Status422UnprocessableEntity);
        }
    }
}
