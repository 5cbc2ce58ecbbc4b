using System.Globalization;
using System.Text;
using System.Text.RegularExpressions;

namespace Crumpet.Bench;

/// <summary><c>plot</c>: draws the table of docs/layout.md, so that the two never differ.</summary>
internal static partial class LayoutPlot
{
    private const int Row = 34, Top = 58, Names = 150, Panel = 230, Gap = 64, Thick = 10;
    private const string Before = "#B8B09C", Now = "#1D6B63", Seen = "#A86400";

    /// <summary>A row of the table: what was and is of islands, metres of seams and seen ones, and seconds.</summary>
    private sealed record Shape(string Name, double[] Islands, double[] Seams, double[] SeenSeams, double[] Seconds);

    /// <param name="document">Markdown with the table.</param>
    /// <param name="picture">SVG to write.</param>
    public static void Write(string document, string picture)
    {
        Shape[] shapes = [.. File.ReadLines(document).Select(ShapeOf).OfType<Shape>()];
        if (shapes.Length == 0)
            throw new InvalidDataException($"{document} has no table of layouts.");
        int width = Names + 3 * (Panel + Gap), height = Top + shapes.Length * Row + 12;
        var svg = new StringBuilder();
        svg.AppendLine(CultureInfo.InvariantCulture, $"<svg xmlns=\"http://www.w3.org/2000/svg\" width=\"{width}\" height=\"{height}\" "
            + $"viewBox=\"0 0 {width} {height}\" font-family=\"sans-serif\" font-size=\"12\" fill=\"#20302F\">");
        svg.AppendLine(CultureInfo.InvariantCulture, $"<rect width=\"{width}\" height=\"{height}\" fill=\"#FFFDF7\"/>");
        for (int i = 0; i < shapes.Length; i++)
            Text(svg, Names - 10, Top + i * Row + 16, shapes[i].Name, "end");
        Bars(svg, 0, "islands", shapes, s => [(s.Islands[0], Before, "before"), (s.Islands[^1], Now, "now")]);
        Bars(svg, 1, "seams, m", shapes, s => [(s.Seams[0], Before, "before"), (s.Seams[^1], Now, "now"), (s.SeenSeams[^1], Seen, "of it seen")]);
        Bars(svg, 2, "seconds to", shapes,
            s => [(s.Seconds[0], Seen, "the first"), (s.Seconds[1], Now, "within 3 points"), (s.Seconds[2], Before, "the best")]);
        svg.AppendLine("</svg>");
        File.WriteAllText(picture, svg.ToString());
    }

    /// <summary>Bars of one panel, by the square root so that small ones show beside large.</summary>
    private static void Bars(StringBuilder svg, int panel, string title, Shape[] shapes, Func<Shape, (double Value, string Colour, string Name)[]> bars)
    {
        double left = Names + panel * (Panel + Gap), most = shapes.SelectMany(bars).Max(b => b.Value);
        Text(svg, left, 20, title, "start", "600");
        double at = left;
        foreach (var (_, colour, name) in bars(shapes[0]))
        {
            Box(svg, at, 30, Thick, Thick, colour);
            Text(svg, at + Thick + 4, 39, name, "start");
            at += 30 + 6.6 * name.Length;
        }
        for (int i = 0; i < shapes.Length; i++)
        {
            var here = bars(shapes[i]);
            double thick = (Row - 8.0) / here.Length;
            for (int k = 0; k < here.Length; k++)
            {
                double length = Panel * Math.Sqrt(here[k].Value / most), y = Top + i * Row + k * thick;
                Box(svg, left, y, length, thick - 1, here[k].Colour);
                Text(svg, left + length + 4, y + thick - 2, here[k].Value.ToString("0.#", CultureInfo.InvariantCulture), "start", size: 9);
            }
        }
    }

    private static void Box(StringBuilder svg, double x, double y, double width, double height, string colour) => svg.AppendLine(
        CultureInfo.InvariantCulture, $"<rect x=\"{x:0.#}\" y=\"{y:0.#}\" width=\"{width:0.#}\" height=\"{height:0.#}\" fill=\"{colour}\"/>");

    private static void Text(StringBuilder svg, double x, double y, string text, string anchor, string weight = "400", int size = 12) => svg.AppendLine(
        CultureInfo.InvariantCulture, $"<text x=\"{x:0.#}\" y=\"{y:0.#}\" text-anchor=\"{anchor}\" font-weight=\"{weight}\" "
            + $"font-size=\"{size}\">{text}</text>");

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
