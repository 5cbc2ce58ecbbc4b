using Crumpet.Core.Checking;

namespace Crumpet.Core.Intake;

/// <summary>How a kit's names say sides.</summary>
public sealed record NameRules : IChecked
{
    /// <summary>Most characters of a word.</summary>
    public const int LongestWord = 60;

    /// <summary>Most words for one thing.</summary>
    public const int MostWords = 40;

    /// <summary>Words for the low side, read in any case; the first is written.</summary>
    [Words("A word for the low side", LongestWord), AtMost(MostWords)]
    public IReadOnlyList<string> Low { get; init; } = ["low", "lo", "lp", "lowpoly", "game"];

    /// <summary>Words for the high side, read in any case; the first is written.</summary>
    [Words("A word for the high side", LongestWord), AtMost(MostWords)]
    public IReadOnlyList<string> High { get; init; } = ["high", "hi", "hp", "highpoly", "sculpt"];

    /// <summary>Words for cages, read in any case; the first is written.</summary>
    [Words("A word for cages", LongestWord), AtMost(MostWords)]
    public IReadOnlyList<string> Cage { get; init; } = ["cage"];

    /// <summary>Whether parts whose names differ in capitals alone are one; they are written in small letters.</summary>
    public bool IgnoresCase { get; init; }

    /// <summary>
    /// Whether a word is also found where a name does not fit the pattern: at its end, at its beginning, or between separators; and whether
    /// a file's only object goes by its file's name where its own says nothing.
    /// </summary>
    public bool FindsWords { get; init; } = true;

    /// <summary>Beginnings of names that say nothing and are read over.</summary>
    [Words("A prefix that is read over", LongestWord), AtMost(MostWords)]
    public IReadOnlyList<string> IgnoredPrefixes { get; init; } = [];

    /// <inheritdoc/>
    public string? ProblemTogether()
    {
        string[] words = [.. Low, .. High, .. Cage];
        if (Low.Count == 0 || High.Count == 0 || Cage.Count == 0)
            return "Every side needs at least one word.";
        if (words.FirstOrDefault(w => string.IsNullOrWhiteSpace(w) || w.AsSpan().IndexOfAny('{', '}') >= 0) is { } odd)
            return $"'{odd}' cannot be a word for a side; use letters and digits.";
        return words.GroupBy(w => w, StringComparer.OrdinalIgnoreCase).FirstOrDefault(g => g.Count() > 1) is { } twice
            ? $"'{twice.Key}' stands for two sides; give each its own words."
            : null;
    }

    /// <summary>Same rules, same words.</summary>
    public bool Equals(NameRules? other) => other is not null && IgnoresCase == other.IgnoresCase
        && FindsWords == other.FindsWords && Low.SequenceEqual(other.Low) && High.SequenceEqual(other.High)
        && Cage.SequenceEqual(other.Cage) && IgnoredPrefixes.SequenceEqual(other.IgnoredPrefixes);

    /// <inheritdoc/>
    public override int GetHashCode() => HashCode.Combine(IgnoresCase, FindsWords, Low.Count, High.Count, Cage.Count, IgnoredPrefixes.Count);
}
