using System.Globalization;

namespace Crumpet.Bench;

/// <summary>Draws the table of docs/convert.md beside its yardsticks, so that the two never differ.</summary>
internal static class CompressPlot
{
    private const string First = "| picture | BC1 normal |", NotMeasured = "–";

    /// <summary>Draws it; false where the document has no such table.</summary>
    /// <param name="document">Markdown.</param>
    /// <param name="picture">SVG to write.</param>
    public static bool Write(string document, string picture)
    {
        string[] lines = [.. File.ReadLines(document).SkipWhile(l => !l.StartsWith(First, StringComparison.Ordinal)).TakeWhile(l => l.StartsWith('|'))];
        if (lines.Length < 3)
            return false;
        string[][] rows = [.. lines.Select(l => l.Split('|', StringSplitOptions.TrimEntries)[1..^1])];
        // Pictures that a yardstick cannot say are left out.
        var pictures = rows[2..].Where(r => !r.Contains(NotMeasured)).ToArray();
        int fast = Column("astcenc 4×4 -fast"), bc7 = Column("BC7 normal"), astc = Column("ASTC 4×4 normal"), bc1 = Column("BC1 normal");
        int squish = Column("libsquish, iterative, one thread");
        BarPlot.Write(
            picture, [.. pictures.Select(r => r[0])],
            new("dB above astcenc 4×4 -fast", [.. pictures.Select(r => new BarPlot.Bar[]
            {
                new(Decibels(r[bc7]) - Decibels(r[fast]), BarPlot.Ours, "BC7"), new(Decibels(r[bc7 + 1]) - Decibels(r[fast]), BarPlot.Third, "BC7 best"),
                new(Decibels(r[astc]) - Decibels(r[fast]), BarPlot.Other, "ASTC"),
            })]),
            new("times its speed", [.. pictures.Select(r => new BarPlot.Bar[]
            {
                new(Speed(r[bc7]) / Speed(r[fast]), BarPlot.Ours, "BC7"), new(Speed(r[astc]) / Speed(r[fast]), BarPlot.Other, "ASTC"),
            })]),
            new("BC1: dB above libsquish", [.. pictures.Select(r => new BarPlot.Bar[]
            {
                new(Decibels(r[bc1]) - Decibels(r[squish]), BarPlot.Ours, "normal"), new(Decibels(r[bc1 + 1]) - Decibels(r[squish]), BarPlot.Third, "best"),
            })]));
        return true;

        int Column(string name) => Array.IndexOf(rows[0], name) is var at and >= 0 ? at : throw new InvalidDataException($"{document} has no column “{name}”.");
    }

    private static double Decibels(string cell) => double.Parse(cell.Split(' ')[0], CultureInfo.InvariantCulture);

    private static double Speed(string cell) => double.Parse(cell.Split(' ')[^1], CultureInfo.InvariantCulture);
}
