using System.Text.Encodings.Web;
using Crumpet.Core.Intake;
using Microsoft.AspNetCore.Html;

namespace Crumpet.Web.Pages.Pairs;

/// <summary>A piece of a name as it is shown.</summary>
/// <param name="Text">Its characters.</param>
/// <param name="Field">Field it was read as; empty for what stands between fields; broken for the character that cannot be read.</param>
public sealed record ShownPiece(string Text, string Field);

/// <summary>One name and how it was read.</summary>
/// <param name="Name">The name.</param>
/// <param name="Side">Side it has, by its name or its file.</param>
/// <param name="Pieces">Its pieces from the first character to the last.</param>
/// <param name="Expected">What was expected where it broke; empty where it was read.</param>
public sealed record ShownName(string Name, string Side, IReadOnlyList<ShownPiece> Pieces, string Expected)
{
    /// <summary>The name with its pieces marked; nothing stands between them that is not in it.</summary>
    public IHtmlContent Html() => new HtmlString(string.Concat(Pieces.Select(p =>
        p.Field.Length > 0 ? $"<span class=\"piece piece-{p.Field}\">{HtmlEncoder.Default.Encode(p.Text)}</span>" : HtmlEncoder.Default.Encode(p.Text))));
}

/// <summary>How a pattern reads the names that are present.</summary>
/// <param name="Names">Those that cannot be read first.</param>
/// <param name="Problem">Why the pattern cannot be used, or null.</param>
public sealed record NameReadings(IReadOnlyList<ShownName> Names, string? Problem)
{
    /// <summary>How many names are read.</summary>
    public int Read => Names.Count(n => n.Expected.Length == 0);

    /// <summary>Tries a pattern.</summary>
    public static NameReadings Of(string pattern, IReadOnlyList<ObjectReport> objects, NameRules rules)
    {
        try
        {
            var reader = NameReader.Create(pattern, rules);
            return new NameReadings(
                [.. objects.Where(o => o.Side != Core.Intake.Side.Aside)
                .Select(o => Shown(o, reader)).OrderBy(n => n.Expected.Length == 0)
                .ThenBy(n => n.Name, StringComparer.Ordinal)], null);
        }
        catch (FormatException e)
        {
            return new NameReadings([], e.Message);
        }
    }

    private static ShownName Shown(ObjectReport o, NameReader reader)
    {
        var trace = reader.Trace(o.Name);
        if (reader.GoesByFile(o.Name, o.File))
            return new ShownName(o.Name, Sides.Word(o.Side), [new ShownPiece(o.Name, "")], "");
        string side = reader.Read(o.Name) is { } reading ? Sides.Word(reading.Side) : Sides.Word(o.Side);
        if (trace.BrokenAt < 0)
            return new ShownName(o.Name, side, [.. trace.Pieces.Select(p => new ShownPiece(o.Name.Substring(p.Start, p.Length), p.Field))], "");
        int at = Math.Min(trace.BrokenAt, o.Name.Length);
        ShownPiece[] pieces = [new(o.Name[..at], ""), new(at < o.Name.Length ? o.Name[at..(at + 1)] : "\u2423", "broken"),
            new(at < o.Name.Length ? o.Name[(at + 1)..] : "", "")];
        return new ShownName(o.Name, side, [.. pieces.Where(p => p.Text.Length > 0)], trace.Expected);
    }
}
