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
public sealed record PackedChannel(string? From, string? Mixed, double Least, double Most, long Clipped, int FromWidth = 0, int FromHeight = 0);

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
