using System.Globalization;
using Crumpet.Core;
using Crumpet.Core.Pairs;

namespace Crumpet.Web.Pages.Pairs;

/// <summary>A part on the map.</summary>
/// <param name="Row">Its row.</param>
/// <param name="X">Place along its tray.</param>
/// <param name="Y">Height of its tray.</param>
public sealed record MapStop(PartRow Row, double X, double Y);

/// <summary>A contact on the map.</summary>
/// <param name="Contact">The contact.</param>
/// <param name="Path">Its line, as the drawing takes it.</param>
/// <param name="IsBad">Whether both parts lie on one tray.</param>
/// <param name="Words">Both parts and how far they are apart.</param>
public sealed record MapLink(Contact Contact, string Path, bool IsBad, string Words);

/// <summary>Where parts and contacts are drawn: every tray is a line, its parts are stops on it, and contacts run between the lines.</summary>
/// <param name="Width">Width of the drawing.</param>
/// <param name="Height">Height of the drawing.</param>
/// <param name="Trays">Number, height and parts of each tray.</param>
/// <param name="Stops">One a paired part.</param>
/// <param name="Links">One a contact.</param>
public sealed record ContactMap(double Width, double Height, IReadOnlyList<(int Tray, double Y, IReadOnlyList<PartRow> Parts)> Trays,
    IReadOnlyList<MapStop> Stops, IReadOnlyList<MapLink> Links)
{
    private const double Margin = 22, Right = 56, Top = 30, LeastWidth = 540, Step = 15, Labels = 84;
    private const int Sweeps = 16;

    /// <summary>Most parts that are drawn; with more no line can be followed.</summary>
    public const int MostParts = 400;

    /// <summary>How many parts are not drawn.</summary>
    public int Left { get; private init; }

    /// <summary>Places parts so that those in contact stand near each other.</summary>
    public static ContactMap Of(PairReport report)
    {
        var paired = Enumerable.Range(0, report.Parts.Count).Where(i => report.Parts[i].IsPaired).ToArray();
        var touches = report.Contacts.Where(c => c.Touches).SelectMany(c => new[] { c.One, c.Two }).CountBy(i => i).ToDictionary();
        // Those in contact are what the map is for.
        var numbers = paired.Length <= MostParts ? paired : [.. paired.OrderByDescending(i => touches.GetValueOrDefault(i)).Take(MostParts).Order()];
        var drawn = numbers.ToHashSet();
        var touching = report.Contacts.Where(c => c.Touches && drawn.Contains(c.One) && drawn.Contains(c.Two)).ToArray();
        var neighbours = touching.SelectMany(c => new[] { (c.One, c.Two), (One: c.Two, Two: c.One) }).ToLookup(p => p.One, p => p.Two);
        var lines = numbers.GroupBy(i => report.Parts[i].Tray).OrderBy(g => g.Key).Select(g => (Tray: g.Key, Parts: g.ToList())).ToArray();
        double width = Math.Max(LeastWidth, Margin + Right + Step * lines.Select(l => l.Parts.Count).DefaultIfEmpty(0).Max());
        var x = new Dictionary<int, double>();
        foreach (var line in lines)
            Spread(line.Parts);
        // Each part goes where its contacts are on average, several times over. Source: K. Sugiyama and others, "Methods for visual
        // understanding of hierarchical system structures", 1981.
        for (int sweep = 0; sweep < Sweeps; sweep++)
        {
            foreach (var line in sweep % 2 == 0 ? lines : lines.Reverse())
            {
                var wanted = line.Parts.ToDictionary(i => i, i => neighbours[i].Any() ? neighbours[i].Average(n => x[n]) : x[i]);
                line.Parts.Sort((a, b) => wanted[a] != wanted[b] ? wanted[a].CompareTo(wanted[b])
                    : string.CompareOrdinal(report.Parts[a].Name, report.Parts[b].Name));
                Spread(line.Parts);
            }
        }
        double height = Top;
        var trays = new List<(int, double, IReadOnlyList<PartRow>)>();
        var y = new Dictionary<int, double>();
        foreach (var line in lines)
        {
            trays.Add((line.Tray, height, [.. line.Parts.Select(i => report.Parts[i])]));
            foreach (int i in line.Parts)
                y[i] = height;
            height += Labels + 62;
        }
        var stops = numbers.Select(i => new MapStop(report.Parts[i], x[i], y[i])).ToArray();
        var links = touching.Select(c => new MapLink(c, Path(x[c.One], y[c.One], x[c.Two], y[c.Two]), y[c.One] == y[c.Two], string.Create(
            CultureInfo.InvariantCulture, $"{report.Parts[c.One].Name} and {report.Parts[c.Two].Name}, {Lengths.Millimetres(c.GapMetres)} apart"))).ToArray();
        return new ContactMap(width, Math.Max(height - 62 + 8, Top), trays, stops, links) { Left = paired.Length - numbers.Length };

        void Spread(List<int> parts)
        {
            double step = (width - Margin - Right) / Math.Max(1, parts.Count);
            for (int k = 0; k < parts.Count; k++)
                x[parts[k]] = Margin + step * (k + 0.5);
        }
    }

    private static string Path(double x1, double y1, double x2, double y2)
    {
        double bend = y1 == y2 ? -26 : (y2 - y1) / 2;
        return y1 == y2
            ? string.Create(CultureInfo.InvariantCulture, $"M{x1:0.#} {y1:0.#}C{x1:0.#} {y1 + bend:0.#} {x2:0.#} {y2 + bend:0.#} {x2:0.#} {y2:0.#}")
            : string.Create(CultureInfo.InvariantCulture, $"M{x1:0.#} {y1:0.#}C{x1:0.#} {y1 + bend:0.#} {x2:0.#} {y2 - bend:0.#} {x2:0.#} {y2:0.#}");
    }
}
