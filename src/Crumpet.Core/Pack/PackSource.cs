using Crumpet.Core.Imaging;

namespace Crumpet.Core.Pack;

/// <summary>A map that feeds channels.</summary>
/// <param name="Picture">Its texels; one of 1 × 1 stands for one value everywhere.</param>
/// <param name="Meaning">What its numbers mean: how it is brought to another size, and mixed.</param>
public sealed record PackSource(Bitmap Picture, ColourMeaning Meaning)
{
    /// <summary>
    /// Brings a floating-point value of a channel to 0 to 1 for outputs of whole numbers; null where it is that already. Floating-point
    /// outputs take values as they are.
    /// </summary>
    public Func<float, int, float>? Shown { get; init; }

    /// <summary>One value everywhere.</summary>
    /// <param name="codes">Codes of 0 to 255, one a channel.</param>
    /// <param name="meaning">What they mean.</param>
    public static PackSource Of(int[] codes, ColourMeaning meaning) => new(new Bitmap8(1, 1, codes.Length, [.. codes.Select(c => (byte)c)]), meaning);

    /// <summary>One channel of a picture, or all, as it is or its opposite.</summary>
    /// <param name="picture">The picture.</param>
    /// <param name="channel">Number of the channel; null for all. One the picture does not have is its last.</param>
    /// <param name="invert">Whether full and empty are exchanged.</param>
    public static Bitmap Picked(Bitmap picture, int? channel, bool invert)
    {
        if (channel is null && !invert)
            return picture;
        int from = channel is { } c ? Math.Min(c, picture.Channels - 1) : 0, step = picture.Channels, channels = channel is null ? step : 1;
        return picture switch
        {
            Bitmap8 p => new Bitmap8(p.Width, p.Height, channels, Pick(p.Pixels, v => (byte)(byte.MaxValue - v))),
            Bitmap16 p => new Bitmap16(p.Width, p.Height, channels, Pick(p.Pixels, v => (ushort)(ushort.MaxValue - v))),
            Bitmap32 p => new Bitmap32(p.Width, p.Height, channels, Pick(p.Pixels, v => 1 - v)),
            _ => throw new ArgumentException("There is no such depth.", nameof(picture)),
        };

        T[] Pick<T>(T[] pixels, Func<T, T> opposite)
        {
            var picked = new T[pixels.Length / step * channels];
            for (int i = 0; i < picked.Length; i++)
            {
                var value = channels == 1 ? pixels[i * step + from] : pixels[i];
                picked[i] = invert ? opposite(value) : value;
            }
            return picked;
        }
    }

    /// <summary>Whether it is one value everywhere.</summary>
    public bool IsOneValue => Picture.Width == 1 && Picture.Height == 1;
}

/// <summary>What became of one channel.</summary>
/// <param name="From">The map that was used; null where the fixed value stands.</param>
/// <param name="Mixed">The map that was mixed in; null for none.</param>
/// <param name="Least">Least value that was written, 0 to 1 in whole numbers.</param>
/// <param name="Most">Greatest value that was written.</param>
/// <param name="Clipped">Texels whose value lay outside what can be written.</param>
/// <param name="FromWidth">Width of the map before it was brought to another size; 0 where it had the output's.</param>
/// <param name="FromHeight">Its height.</param>
public sealed record PackedChannel(string? From, string? Mixed, double Least, double Most, long Clipped, int FromWidth = 0, int FromHeight = 0)
{
    /// <summary>Mean of what was written; null in floating point.</summary>
    public double? Mean { get; init; }
}

/// <summary>An output that was packed.</summary>
/// <param name="Picture">Its texels.</param>
/// <param name="Channels">What became of each channel.</param>
public sealed record PackedOutput(Bitmap Picture, IReadOnlyList<PackedChannel> Channels);

/// <summary>The maps there are to feed channels.</summary>
/// <param name="Names">Their names.</param>
/// <param name="Load">Reads one; asked once for each that is used, and let go when no channel needs it any more.</param>
public sealed record PackSources(IReadOnlySet<string> Names, Func<string, PackSource> Load)
{
    /// <summary>The first of some maps that exists, or null.</summary>
    public string? First(IEnumerable<string>? maps) => maps?.FirstOrDefault(Names.Contains);

    /// <summary>Maps that are in memory already.</summary>
    public static PackSources Of(IReadOnlyDictionary<string, PackSource> maps) => new(maps.Keys.ToHashSet(StringComparer.Ordinal), name => maps[name]);
}
