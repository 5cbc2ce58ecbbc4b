using System.Text.Json;
using Crumpet.Core.Imaging;

namespace Crumpet.Core.Bake;

/// <summary>Writes maps as the files asked for.</summary>
public static class MapFiles
{
    /// <summary>The file that says what full scale of a sheet's maps stands for.</summary>
    /// <param name="sheet">Name of the sheet.</param>
    public static string ScalesOf(string sheet) => $"{sheet}_{Scales}.json";

    internal const string Scales = "scales";

    /// <summary>How the name of a map's file ends.</summary>
    public static string EndingOf(MapFile file) => file switch { MapFile.Exr => ".exr", MapFile.Tga => ".tga", _ => ".png" };

    /// <summary>The bytes of a map's file, and how its name ends.</summary>
    /// <param name="map">A bitmap of the depth the file holds, as a bake gives it.</param>
    /// <param name="file">How it is written.</param>
    /// <param name="threads">Threads to use; the bytes do not depend on them.</param>
    /// <param name="done">Told the share that is written, 0 to 1.</param>
    /// <param name="cancel">Ends the work early.</param>
    public static (string Ending, byte[] Bytes) Write(Bitmap map, MapFile file, int threads, Action<double>? done = null, CancellationToken cancel = default) =>
        file switch
        {
            MapFile.Exr => (".exr", ExrWriter.Write((Bitmap32)map, threads, cancel: cancel)),
            // TGA has no grey with alpha.
            MapFile.Tga => (".tga", ImageFile.WriteTga(map.Channels == 2 ? Spread((Bitmap8)map) : (Bitmap8)map)),
            _ => (".png", ImageFile.WritePng(map, done: done, cancel: cancel)),
        };

    /// <summary>A map as 8-bit numbers a browser can show, where its file is not such a picture.</summary>
    /// <param name="map">Which.</param>
    /// <param name="bitmap">The map as a bake gave it.</param>
    /// <param name="scale">What its full scale stands for; null where it is plain.</param>
    public static Bitmap8 Shown(BakeMap map, Bitmap bitmap, MapScale? scale)
    {
        if (bitmap is not Bitmap32 real)
            return (Bitmap8)bitmap;
        int channels = map.Channels;
        var share = ShareOf(map, scale);
        var shown = new Bitmap8(real.Width, real.Height, channels);
        for (int i = 0; i < shown.Pixels.Length; i++)
            shown.Pixels[i] = (byte)(Math.Clamp(share(real.Pixels[i / channels * real.Channels + i % channels], i % channels), 0, 1) * 255 + 0.5f);
        return shown;
    }

    /// <summary>A map's scale as bytes, beside the map; null where it is plain.</summary>
    public static byte[] WriteScale(MapScale? scale) => JsonSerializer.SerializeToUtf8Bytes(scale, JsonSerializerOptions.Web);

    /// <summary>The scale <see cref="WriteScale"/> wrote.</summary>
    public static MapScale? ReadScale(byte[] bytes) => JsonSerializer.Deserialize<MapScale>(bytes, JsonSerializerOptions.Web);

    /// <summary>What a floating-point value of a channel is shown as, 0 to 1.</summary>
    /// <param name="map">Which.</param>
    /// <param name="scale">What its full scale stands for; null where it is plain.</param>
    public static Func<float, int, float> ShareOf(BakeMap map, MapScale? scale) =>
        scale is not null ? (value, channel) => (value - scale.From[channel]) / MathF.Max(scale.To[channel] - scale.From[channel], 1e-30f)
        : map.Values == MapValues.Vector ? (value, _) => value * 0.5f + 0.5f
        : map.Meaning == ColourMeaning.Srgb ? (value, _) => Srgb.FromLinear(value)
        : (value, _) => value;

    private static Bitmap8 Spread(Bitmap8 grey)
    {
        var result = new Bitmap8(grey.Width, grey.Height, 4);
        for (int i = 0; i < grey.Pixels.Length / 2; i++)
        {
            result.Pixels.AsSpan(4 * i, 3).Fill(grey.Pixels[2 * i]);
            result.Pixels[4 * i + 3] = grey.Pixels[2 * i + 1];
        }
        return result;
    }
}
