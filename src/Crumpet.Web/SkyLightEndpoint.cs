using Crumpet.Core.Imaging;
using Microsoft.Net.Http.Headers;

namespace Crumpet.Web;

/// <summary>Serves the light of the 3D stage; made once, in the background, as it never changes.</summary>
internal static class SkyLightEndpoint
{
    private static readonly Task<byte[]> Bytes = Task.Run(() => SkyLight.Write(Environment.ProcessorCount));
    private static readonly EntityTagHeaderValue Tag = new($"\"{typeof(SkyLight).Assembly.ManifestModule.ModuleVersionId:N}\"");

    public static void MapSkyLight(this WebApplication app) =>
        app.MapGet("/light", async () => Results.Bytes(await Bytes, "application/octet-stream", entityTag: Tag));
}
