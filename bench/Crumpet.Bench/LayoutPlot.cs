using System.Globalization;
using System.Text.RegularExpressions;

namespace Crumpet.Bench;

/// <summary>Draws the table of docs/layout.md, so that the two never differ.</summary>
internal static partial class LayoutPlot
{
    /// <summary>A row of the table: what was and is of islands, metres of seams and seen ones, and seconds.</summary>
    private sealed record Shape(string Name, double[] Islands, double[] Seams, double[] SeenSeams, double[] Seconds);

    /// <summary>Draws it; false where the document has no such table.</summary>
    /// <param name="document">Markdown.</param>
    /// <param name="picture">SVG to write.</param>
    public static bool Write(string document, string picture)
    {
        Shape[] shapes = [.. File.ReadLines(document).Select(ShapeOf).OfType<Shape>()];
        if (shapes.Length == 0)
            return false;
        BarPlot.Write(
            picture, [.. shapes.Select(s => s.Name)],
            new("islands", [.. shapes.Select(s => Both(s.Islands))]),
            new("seams, m", [.. shapes.Select(s => Both(s.Seams).Append(new(s.SeenSeams[^1], BarPlot.Third, "of it seen")).ToArray())]),
            new("seconds to", [.. shapes.Select(s => new BarPlot.Bar[]
            {
                new(s.Seconds[0], BarPlot.Third, "the first"), new(s.Seconds[1], BarPlot.Ours, "within 3 points"), new(s.Seconds[2], BarPlot.Other, "the best"),
            })]));
        return true;

        static BarPlot.Bar[] Both(double[] numbers) => [new(numbers[0], BarPlot.Other, "before"), new(numbers[^1], BarPlot.Ours, "now")];
    }

    /// <summary>The row of a shape; null for any other line.</summary>
    private static Shape? ShapeOf(string line)
    {
        string[] cells = [.. line.Split('|', StringSplitOptions.TrimEntries)];
        return cells.Length == 12 && NumbersOf(cells[2]) is [double triangles] && triangles > 0
            ? new Shape($"{cells[1]} ({cells[2]})", NumbersOf(WithoutCuts(cells[3])), NumbersOf(cells[4]), NumbersOf(cells[5]),
                [.. cells[7..10].Select(c => NumbersOf(c)[0])]) : null;
    }

    /// <summary>What is said before the cuts for room.</summary>
    private static string WithoutCuts(string cell) => cell.Split(',')[0];

    private static double[] NumbersOf(string cell) =>
        [.. Number().Matches(cell.Replace(" ", "", StringComparison.Ordinal)).Select(m => double.Parse(m.Value, CultureInfo.InvariantCulture))];

    [GeneratedRegex(@"\d+(\.\d+)?")]
    private static partial Regex Number();
}
