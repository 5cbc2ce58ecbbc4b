using Crumpet.Core.Geometry;
using Crumpet.Core.Imaging;

namespace Crumpet.Core.Pack;

/// <summary>Puts channels of maps together into the outputs of a recipe.</summary>
public static class ChannelPacker
{
    /// <summary>Makes one output.</summary>
    /// <param name="output">What to make.</param>
    /// <param name="maps">Maps by name; a map of 1 × 1 stands for one value everywhere.</param>
    /// <param name="size">Side of the output, pixels; maps of another size are refused.</param>
    /// <param name="cancel">Ends the work early.</param>
    /// <exception cref="ArgumentException">A map is neither 1 × 1 nor of the output's size, or lacks the channel.</exception>
    public static Bitmap8 Pack(RecipeOutput output, IReadOnlyDictionary<string, Bitmap> maps, int size, CancellationToken cancel = default)
    {
        var result = new Bitmap8(size, size, output.Channels.Count);
        for (int channel = 0; channel < output.Channels.Count; channel++)
        {
            var feed = output.Channels[channel];
            Bitmap? map = null;
            if (feed.Map is not null)
                maps.TryGetValue(feed.Map, out map);
            if (map is null)
            {
                Fill(result, channel, feed.Fallback, feed.Invert);
                continue;
            }
            int from = map.Channels == 1 ? 0 : feed.Channel;
            if (from >= map.Channels)
                throw new ArgumentException($"Output {output.Name} asks for channel {"RGBA"[from]} of {feed.Map}, which has {map.Channels} channels.");
            if (map.Width == 1 && map.Height == 1)
                Fill(result, channel, map.Unit(0, 0, from), feed.Invert);
            else if (map.Width == size && map.Height == size)
                Copy(map, from, result, channel, feed.Invert, cancel);
            else
                throw new ArgumentException(
                    $"{feed.Map} is {map.Width} × {map.Height} px and output {output.Name} is {size} × {size} px; make them the same size.");
        }
        return result;
    }

    /// <summary>What a material says without textures: codes of 0 to 255 a channel, by the map's name.</summary>
    public static Dictionary<string, int[]> MaterialMaps(Material material)
    {
        var c = material.BaseColour;
        return new Dictionary<string, int[]>
        {
            ["colour"] = [Code(Srgb.FromLinear(c.X)), Code(Srgb.FromLinear(c.Y)), Code(Srgb.FromLinear(c.Z)), Code(c.W)],
            ["metalness"] = [Code(material.Metalness)],
            ["roughness"] = [Code(material.Roughness)],
        };
    }

    private static void Fill(Bitmap8 result, int channel, float value, bool invert)
    {
        byte code = Code(invert ? 1 - value : value);
        for (int i = channel; i < result.Pixels.Length; i += result.Channels)
            result.Pixels[i] = code;
    }

    private static void Copy(Bitmap map, int from, Bitmap8 result, int channel, bool invert, CancellationToken cancel)
    {
        int at = channel;
        for (int y = 0; y < map.Height; y++)
        {
            cancel.ThrowIfCancellationRequested();
            for (int x = 0; x < map.Width; x++, at += result.Channels)
            {
                float value = map.Unit(x, y, from);
                result.Pixels[at] = Code(invert ? 1 - value : value);
            }
        }
    }

    private static byte Code(float value) => (byte)Math.Clamp((int)(value * 255 + 0.5f), 0, 255);
}
