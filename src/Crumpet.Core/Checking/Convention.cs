using System.Text.RegularExpressions;

namespace Crumpet.Core.Checking;

/// <summary>A piece of a name as a pattern read it.</summary>
/// <param name="Field">Field it belongs to; empty for text that stands in the pattern itself.</param>
/// <param name="Start">First character.</param>
/// <param name="Length">Characters, without the separator that comes with an optional field.</param>
public readonly record struct NamePiece(string Field, int Start, int Length);

/// <summary>How a pattern reads a name, or where it cannot go on.</summary>
/// <param name="Pieces">Pieces from the first character to the last; empty where the name does not fit.</param>
/// <param name="BrokenAt">Number of the character, from 0, that the pattern cannot take; the name's length where something is missing at
/// its end; -1 where the name fits.</param>
/// <param name="Expected">What was expected there; empty where the name fits.</param>
public sealed record NameTrace(IReadOnlyList<NamePiece> Pieces, int BrokenAt, string Expected);

/// <summary>
/// Patterns with names in braces, such as <c>{part}_{side}</c>, by which names are read and written.
/// </summary>
/// <remarks>
/// A field takes one character or more. A separator may stand in its braces, before or after the name, and then comes with it:
/// <c>{_detail?}</c> is a piece that may be missing and holds no further separator, <c>{_detail*}</c> any number of pieces and
/// <c>{_detail+}</c> at least one. Several patterns stand side by side with a bar between them; the first that fits reads, and the first
/// of all writes. Of several ways to read a name, earlier fields take as much as they can,
/// but leave to an optional field right behind them what that can take.
/// </remarks>
public sealed partial class Convention
{
    /// <summary>Most characters of a pattern.</summary>
    public const int LongestPattern = 200;

    // Names longer than this are nobody's, and reading takes the square of their length.
    private const int LongestName = 500;

    private readonly IReadOnlyList<NamePattern> alternatives;

    private Convention(string pattern, IReadOnlyList<NamePattern> alternatives)
    {
        Pattern = pattern;
        this.alternatives = alternatives;
    }

    /// <summary>The pattern as written.</summary>
    public string Pattern { get; }

    /// <summary>Names of the fields that every name has a value for, in the order of the pattern that writes.</summary>
    public IReadOnlyList<string> Fields => alternatives[0].Fields;

    /// <summary>Reads a pattern.</summary>
    /// <param name="pattern">Text with fields in braces; every field once.</param>
    /// <param name="required">Fields it must have, and that may not be missing.</param>
    /// <param name="words">For a field that takes only certain words: those words.</param>
    /// <exception cref="FormatException">One sentence: what is wrong with the pattern.</exception>
    public static Convention Parse(string pattern, IReadOnlyList<string> required, IReadOnlyDictionary<string, IReadOnlyList<string>>? words = null) =>
        new(pattern, [.. pattern.Split(" | ", StringSplitOptions.TrimEntries).Select(p => ParseOne(p, required, words))]);

    /// <summary>The fields of a name, or null where it does not fit. Upper and lower case are told apart; a field that is missing is empty.</summary>
    public IReadOnlyDictionary<string, string>? Read(string name) => Read(name, StringComparison.Ordinal);

    /// <summary>The fields of a name when case is ignored, or null where it does not fit even then.</summary>
    public IReadOnlyDictionary<string, string>? ReadAnyCase(string name) => Read(name, StringComparison.OrdinalIgnoreCase);

    /// <summary>How a name is read, piece by piece, or which character breaks it.</summary>
    /// <param name="name">The name.</param>
    /// <param name="ignoreCase">Whether capitals are read as small letters.</param>
    public NameTrace Trace(string name, bool ignoreCase = false)
    {
        NameTrace? furthest = null;
        if (name.Length > LongestName)
            return new NameTrace([], LongestName, $"at most {LongestName} characters");
        foreach (var pattern in alternatives)
        {
            var trace = new NameMatch(pattern, name, ignoreCase ? StringComparison.OrdinalIgnoreCase : StringComparison.Ordinal).Trace();
            if (trace.BrokenAt < 0)
                return trace;
            if (furthest is null || trace.BrokenAt > furthest.BrokenAt)
                furthest = trace;
        }
        return furthest!;
    }

    /// <summary>The name that has these fields; those that may be missing can be left out or empty.</summary>
    public string Write(IReadOnlyDictionary<string, string> values) => alternatives[0].Write(values);

    /// <summary>The names that have these fields, one for each of the patterns side by side; a pattern that asks for another field gives none.</summary>
    public IEnumerable<string> WriteAll(IReadOnlyDictionary<string, string> values) =>
        alternatives.Where(a => a.Fields.All(values.ContainsKey)).Select(a => a.Write(values));

    private Dictionary<string, string>? Read(string name, StringComparison comparison)
    {
        if (name.Length > LongestName)
            return null;
        foreach (var pattern in alternatives)
        {
            var trace = new NameMatch(pattern, name, comparison).Trace();
            if (trace.BrokenAt >= 0)
                continue;
            var fields = pattern.Fields.ToDictionary(f => f, _ => "");
            foreach (var piece in trace.Pieces.Where(p => p.Field.Length > 0))
                fields[piece.Field] = name.Substring(piece.Start, piece.Length);
            return fields;
        }
        return null;
    }

    private static NamePattern ParseOne(string pattern, IReadOnlyList<string> required, IReadOnlyDictionary<string, IReadOnlyList<string>>? words)
    {
        var tokens = new List<NameToken>();
        int at = 0;
        foreach (Match match in Field().Matches(pattern))
        {
            if (match.Index > at)
                tokens.Add(new NameToken(pattern[at..match.Index], "", "", FieldCount.One, null));
            string name = match.Groups["name"].Value;
            if (tokens.Any(t => t.Field == name))
                throw new FormatException($"The pattern {pattern} has {{{name}}} twice; use each field once.");
            var count = match.Groups["count"].Value switch { "?" => FieldCount.Optional, "*" => FieldCount.Any, "+" => FieldCount.Some, _ => FieldCount.One };
            if (required.Contains(name) && count is FieldCount.Optional or FieldCount.Any)
                throw new FormatException($"The pattern {pattern} lets {{{name}}} be missing; write it without {match.Groups["count"].Value}.");
            tokens.Add(new NameToken(match.Groups["before"].Value, name, match.Groups["after"].Value, count, words?.GetValueOrDefault(name)));
            at = match.Index + match.Length;
        }
        if (at < pattern.Length)
            tokens.Add(new NameToken(pattern[at..], "", "", FieldCount.One, null));
        if (tokens.Any(t => t.Field.Length == 0 && t.Before.AsSpan().IndexOfAny('{', '}') >= 0))
            throw new FormatException($"The pattern {pattern} has a brace that does not hold a field; write fields as {{name}}.");
        foreach (string name in required)
            if (tokens.All(t => t.Field != name))
                throw new FormatException($"The pattern {pattern} lacks {{{name}}}; add it.");
        return new NamePattern([.. tokens]);
    }

    [GeneratedRegex(@"\{(?<before>[^a-z{}?*+]*)(?<name>[a-z]+)(?<after>[^a-z{}?*+]*)(?<count>[?*+]?)\}", RegexOptions.CultureInvariant)]
    private static partial Regex Field();
}
