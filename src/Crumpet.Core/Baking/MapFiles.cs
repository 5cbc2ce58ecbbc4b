using Crumpet.Core.Imaging;

namespace Crumpet.Core.Baking;

/// <summary>Writes maps as the files asked for.</summary>
public static class MapFiles
{
    /// <summary>The bytes of a map's file, and how its name ends.</summary>
    /// <param name="map">A bitmap of the depth the file holds, as a bake gives it.</param>
    /// <param name="file">How it is written.</param>
    /// <param name="threads">Threads to use; the bytes do not depend on them.</param>
    public static (string Ending, byte[] Bytes) Write(Bitmap map, MapFile file, int threads) => file switch
    {
        MapFile.Exr => (".exr", ExrWriter.Write((Bitmap32)map, threads)),
        // TGA has no grey with alpha.
        MapFile.Tga => (".tga", ImageFile.WriteTga(map.Channels == 2 ? Spread((Bitmap8)map) : (Bitmap8)map)),
        _ => (".png", ImageFile.WritePng(map)),
    };

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
