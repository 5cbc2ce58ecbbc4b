using Crumpet.Core.Checking;

namespace Crumpet.Core.Pack;

/// <summary>A channel of a picture.</summary>
public enum FeedChannel
{
    /// <summary>Red, or the only one.</summary>
    R,

    /// <summary>Green.</summary>
    G,

    /// <summary>Blue.</summary>
    B,

    /// <summary>Alpha; full where a picture has none.</summary>
    A,
}

/// <summary>How two values become one.</summary>
public enum MixHow
{
    /// <summary>Both multiplied; colours in linear light.</summary>
    Multiply,

    /// <summary>The greater.</summary>
    Lighten,

    /// <summary>The lesser.</summary>
    Darken,

    /// <summary>Both together.</summary>
    Add,

    /// <summary>The second in place of the first, as far as the mask says.</summary>
    Mask,
}

/// <summary>A second feed of a channel, and how it is mixed into the first.</summary>
/// <param name="How">How.</param>
/// <param name="From">Maps; the first that exists is used. Where none does, nothing is mixed in.</param>
/// <param name="Channel">Channel of that map.</param>
/// <param name="Invert">Whether full and empty are exchanged.</param>
/// <param name="Amount">How much of the mix is taken, 0 to 1.</param>
/// <param name="By">Maps of which the first that exists says how much, texel by texel; empty for the amount alone.</param>
/// <param name="ByChannel">Channel of that map.</param>
public sealed record Mix(
    MixHow How,
    [property: Words("The map of a mix", FieldRules.LongestName), AtMost(Feed.MostSources)] IReadOnlyList<string> From,
    FeedChannel Channel = FeedChannel.R,
    bool Invert = false,
    [property: Within("The amount of a mix", 0, 1)] double Amount = 1,
    [property: Words("The mask of a mix", FieldRules.LongestName), AtMost(Feed.MostSources)] IReadOnlyList<string>? By = null,
    FeedChannel ByChannel = FeedChannel.R) : IChecked
{
    /// <inheritdoc/>
    public string? ProblemTogether() => From.Count == 0 ? "A mix names no map; name one, or take the mix away."
        : How == MixHow.Mask && By is not { Count: > 0 } ? $"The mix with {From[0]} goes by a mask and names none; name a map that says how much."
        : null;

    /// <inheritdoc/>
    public bool Equals(Mix? other) => other is not null && (How, Channel, Invert, Amount, ByChannel)
        == (other.How, other.Channel, other.Invert, other.Amount, other.ByChannel)
        && From.SequenceEqual(other.From) && (By ?? []).SequenceEqual(other.By ?? []);

    /// <inheritdoc/>
    public override int GetHashCode() => HashCode.Combine(How, Channel, Amount, From.Count);
}

/// <summary>What feeds one channel of an output.</summary>
/// <remarks>
/// A value is first brought from the range to 0 to 1, then raised to the exponent, then inverted, then mixed. What lies outside the range
/// becomes 0 or 1, except in floating-point outputs with exponent 1.
/// </remarks>
/// <param name="From">Maps; the first that exists is used. None for the fixed value alone.</param>
/// <param name="Channel">Channel of that map.</param>
/// <param name="Invert">Whether full and empty are exchanged.</param>
/// <param name="Else">Value 0 to 1 where none of the maps exists; it is written as it is.</param>
public sealed record Feed(
    [property: Words("The map of a feed", FieldRules.LongestName), AtMost(Feed.MostSources)] IReadOnlyList<string> From,
    FeedChannel Channel = FeedChannel.R,
    bool Invert = false,
    [property: Within("The value that stands in for a feed", 0, 1)] double Else = 0) : IChecked
{
    /// <summary>What the name of a feed begins with that takes what the material says, textures or not.</summary>
    public const string OfMaterial = "material ";

    /// <summary>The map a name of a feed is about: itself, or what the material says of it.</summary>
    public static string MapOf(string name) => name.StartsWith(OfMaterial, StringComparison.Ordinal) ? name[OfMaterial.Length..] : name;

    internal const int MostSources = 16;
    private const double LeastRange = 1e-6;

    /// <summary>Which values become 0 and 1.</summary>
    [Within("The range of a feed", -1e6, 1e6), AtMost(2)]
    public IReadOnlyList<double> Range { get; init; } = [0, 1];

    /// <summary>What values are raised to once they lie between 0 and 1.</summary>
    [Within("The exponent of a feed", 0.01, 100)]
    public double Exponent { get; init; } = 1;

    /// <summary>What is mixed in; null for nothing.</summary>
    public Mix? Mix { get; init; }

    /// <summary>A feed from one map.</summary>
    public static Feed Of(string map, FeedChannel channel = FeedChannel.R, double @else = 0) => new([map], channel, false, @else);

    /// <summary>All maps it may ask for.</summary>
    public IEnumerable<string> Maps() => From.Concat(Mix?.From ?? []).Concat(Mix?.By ?? []);

    /// <inheritdoc/>
    public string? ProblemTogether() => Range.Count != 2 ? $"A range has {Range.Count} numbers; give it two, such as [0, 1]."
        : Math.Abs(Range[1] - Range[0]) < LeastRange ? $"The range of a feed goes from {Range[0]} to {Range[1]}; its ends must differ."
        : From.Count == 0 && Mix is not null ? "A feed without a map has a mix; name the map it is mixed into."
        : null;

    /// <inheritdoc/>
    public bool Equals(Feed? other) => other is not null && (Channel, Invert, Else, Exponent, Mix)
        == (other.Channel, other.Invert, other.Else, other.Exponent, other.Mix) && From.SequenceEqual(other.From) && Range.SequenceEqual(other.Range);

    /// <inheritdoc/>
    public override int GetHashCode() => HashCode.Combine(Channel, Invert, Else, Exponent, From.Count);

    /// <summary>What feeds the channel, in words.</summary>
    /// <param name="maps">How many channels each map has that is there.</param>
    public string InWords(IReadOnlyDictionary<string, int> maps)
    {
        if (From.FirstOrDefault(maps.ContainsKey) is not { } map)
            return FormattableString.Invariant($"{Else:0.##}");
        var words = new List<string> { maps[map] == 1 ? map : $"{map} {Channel}" };
        if (Range[0] != 0 || Range[1] != 1)
            words.Add(FormattableString.Invariant($"{Range[0]:0.###} to {Range[1]:0.###}"));
        if (Exponent != 1)
            words.Add(FormattableString.Invariant($"to the power {Exponent:0.###}"));
        if (Invert)
            words.Add("inverted");
        if (Mix?.From.FirstOrDefault(maps.ContainsKey) is { } second)
            words.Add(Mix.How switch
            {
                MixHow.Multiply => $"times {second}",
                MixHow.Lighten => $"or {second} where greater",
                MixHow.Darken => $"or {second} where less",
                MixHow.Add => $"plus {second}",
                _ => $"{second} where the mask is",
            });
        return string.Join(", ", words);
    }
}
