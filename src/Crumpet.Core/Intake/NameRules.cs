namespace Crumpet.Core.Intake;

/// <summary>How a kit's names say sides.</summary>
public sealed record NameRules
{
    /// <summary>Words for the low side; the first is written.</summary>
    public IReadOnlyList<string> Low { get; init; } = ["low"];

    /// <summary>Words for the high side; the first is written.</summary>
    public IReadOnlyList<string> High { get; init; } = ["high"];

    /// <summary>Words for cages; the first is written.</summary>
    public IReadOnlyList<string> Cage { get; init; } = ["cage"];

    /// <summary>Whether capitals are read as small letters.</summary>
    public bool IgnoresCase { get; init; }

    /// <summary>Beginnings of names that say nothing and are read over.</summary>
    public IReadOnlyList<string> IgnoredPrefixes { get; init; } = [];

    /// <summary>What is wrong with the rules, one sentence, or null.</summary>
    public string? Problem()
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
    public bool Equals(NameRules? other) => other is not null && IgnoresCase == other.IgnoresCase && Low.SequenceEqual(other.Low)
        && High.SequenceEqual(other.High) && Cage.SequenceEqual(other.Cage) && IgnoredPrefixes.SequenceEqual(other.IgnoredPrefixes);

    /// <inheritdoc/>
    public override int GetHashCode() => HashCode.Combine(IgnoresCase, Low.Count, High.Count, Cage.Count, IgnoredPrefixes.Count);
}
