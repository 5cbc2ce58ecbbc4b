using System.Globalization;
using System.Net;
using System.Text;

namespace Crumpet.Bench;

/// <summary>Tables of numbers as bars, side by side in panels, as SVG.</summary>
internal static class BarPlot
{
    private const int Row = 34, Top = 58, Names = 150, Panel = 230, Gap = 64, Thick = 10;

    /// <summary>Colour of what is beside ours.</summary>
    public const string Other = "#B8B09C";

    /// <summary>Colour of ours.</summary>
    public const string Ours = "#1D6B63";

    /// <summary>Colour of a third number.</summary>
    public const string Third = "#A86400";

    /// <summary>A bar of a row.</summary>
    /// <param name="Value">May be below 0.</param>
    /// <param name="Colour">Of the bar.</param>
    /// <param name="Name">What it is, the same in all rows.</param>
    public sealed record Bar(double Value, string Colour, string Name);

    /// <summary>A panel: the bars of each row.</summary>
    /// <param name="Title">What is drawn.</param>
    /// <param name="Rows">As many as there are names.</param>
    public sealed record Bars(string Title, IReadOnlyList<Bar[]> Rows);

    /// <summary>Writes the picture.</summary>
    /// <param name="picture">SVG to write.</param>
    /// <param name="names">A row each.</param>
    /// <param name="panels">From the left.</param>
    public static void Write(string picture, IReadOnlyList<string> names, params IReadOnlyList<Bars> panels)
    {
        int width = Names + panels.Count * (Panel + Gap), height = Top + names.Count * Row + 12;
        var svg = new StringBuilder();
        svg.AppendLine(CultureInfo.InvariantCulture, $"<svg xmlns=\"http://www.w3.org/2000/svg\" width=\"{width}\" height=\"{height}\" "
            + $"viewBox=\"0 0 {width} {height}\" font-family=\"sans-serif\" font-size=\"12\" fill=\"#20302F\">");
        svg.AppendLine(CultureInfo.InvariantCulture, $"<rect width=\"{width}\" height=\"{height}\" fill=\"#FFFDF7\"/>");
        for (int i = 0; i < names.Count; i++)
            Text(svg, Names - 10, Top + i * Row + 16, names[i], "end");
        for (int i = 0; i < panels.Count; i++)
            Draw(svg, Names + i * (Panel + Gap), panels[i]);
        svg.AppendLine("</svg>");
        File.WriteAllText(picture, svg.ToString());
    }

    /// <summary>Bars of one panel, by the square root so that small ones show beside large.</summary>
    private static void Draw(StringBuilder svg, double left, Bars bars)
    {
        double most = bars.Rows.SelectMany(r => r).Max(b => Math.Max(0, Length(b.Value))), least = bars.Rows.SelectMany(r => r).Min(b => Math.Min(0, Length(b.Value)));
        double scale = Panel / (most - least), zero = left - least * scale;
        Text(svg, left, 20, bars.Title, "start", "600");
        double at = left;
        foreach (var (_, colour, name) in bars.Rows[0])
        {
            Box(svg, at, 30, Thick, Thick, colour);
            Text(svg, at + Thick + 4, 39, name, "start");
            at += 30 + 6.6 * name.Length;
        }
        for (int i = 0; i < bars.Rows.Count; i++)
        {
            var here = bars.Rows[i];
            double thick = (Row - 8.0) / here.Length;
            for (int k = 0; k < here.Length; k++)
            {
                double length = Length(here[k].Value) * scale, y = Top + i * Row + k * thick;
                Box(svg, zero + Math.Min(0, length), y, Math.Abs(length), thick - 1, here[k].Colour);
                Text(svg, zero + Math.Max(0, length) + 4, y + thick - 2, here[k].Value.ToString("0.##", CultureInfo.InvariantCulture), "start", size: 9);
            }
        }
        if (least < 0)
            Box(svg, zero - 0.5, Top - 4, 1, bars.Rows.Count * Row, Other);
    }

    private static double Length(double value) => Math.Sign(value) * Math.Sqrt(Math.Abs(value));

    private static void Box(StringBuilder svg, double x, double y, double width, double height, string colour) => svg.AppendLine(
        CultureInfo.InvariantCulture, $"<rect x=\"{x:0.#}\" y=\"{y:0.#}\" width=\"{width:0.#}\" height=\"{height:0.#}\" fill=\"{colour}\"/>");

    private static void Text(StringBuilder svg, double x, double y, string text, string anchor, string weight = "400", int size = 12) => svg.AppendLine(
        CultureInfo.InvariantCulture, $"<text x=\"{x:0.#}\" y=\"{y:0.#}\" text-anchor=\"{anchor}\" font-weight=\"{weight}\" "
            + $"font-size=\"{size}\">{WebUtility.HtmlEncode(text)}</text>");
}
