using Crumpet.Core.Intake;

namespace Crumpet.Core.Pairing;

/// <summary>How parts are spread over trays.</summary>
public enum TrayMode
{
    /// <summary>All parts on one tray: they see each other.</summary>
    One,

    /// <summary>Each part on its own.</summary>
    Parts,
}

/// <summary>One row of the ledger.</summary>
/// <param name="Name">Name of the part.</param>
/// <param name="Low">Numbers of its low objects.</param>
/// <param name="High">Numbers of its high objects.</param>
/// <param name="Tray">Number of its tray from 0; -1 where it is not paired.</param>
public sealed record PartRow(string Name, IReadOnlyList<int> Low, IReadOnlyList<int> High, int Tray)
{
    /// <summary>Whether both sides are there.</summary>
    public bool IsPaired => Low.Count > 0 && High.Count > 0;
}

/// <summary>Who bakes onto whom.</summary>
/// <param name="Parts">Unpaired rows first, then by name.</param>
/// <param name="TrayCount">How many trays there are.</param>
public sealed record PairReport(IReadOnlyList<PartRow> Parts, int TrayCount)
{
    /// <summary>Rows with both sides.</summary>
    public IEnumerable<PartRow> Paired => Parts.Where(p => p.IsPaired);
}

/// <summary>Matches low with high objects by name and puts parts on trays.</summary>
public static class PairingStation
{
    /// <summary>Pairs the objects of an asset.</summary>
    /// <param name="objects">Objects as intake describes them.</param>
    /// <param name="pattern">Naming pattern.</param>
    /// <param name="trays">How parts are spread over trays.</param>
    public static (PairReport Report, IReadOnlyList<Finding> Findings) Run(IReadOnlyList<ObjectReport> objects, string pattern, TrayMode trays)
    {
        var findings = new List<Finding>();
        var low = Numbers(objects, Side.Low);
        var high = Numbers(objects, Side.High);
        var rows = new List<PartRow>();
        if (low.Count == 1 && high.Count == 1)
            rows.Add(new PartRow(objects[low[0]].Part, low, high, 0));
        else
            rows.AddRange(ByName(objects, low, high));
        findings.AddRange(Unpaired(objects, rows, Sides.Convention(pattern)));
        if (rows.Count == 0)
            findings.Add(new Finding(Severity.Stop, "nothing-to-pair", "", "There is no low and no high object; drop meshes at Intake."));
        else if (!rows.Any(r => r.IsPaired))
            findings.Add(new Finding(Severity.Stop, "no-pair", "", $"No low object has a high one of the same part; name them by {pattern}."));
        int tray = 0;
        var placed = rows.OrderBy(r => r.IsPaired).ThenBy(r => r.Name, StringComparer.Ordinal)
            .Select(r => r.IsPaired ? r with { Tray = trays == TrayMode.One ? 0 : tray++ } : r with { Tray = -1 }).ToArray();
        int count = placed.Any(p => p.IsPaired) ? placed.Max(p => p.Tray) + 1 : 0;
        return (new PairReport(placed, count), Finding.Sorted(findings));
    }

    private static List<int> Numbers(IReadOnlyList<ObjectReport> objects, Side side) =>
        [.. Enumerable.Range(0, objects.Count).Where(i => objects[i].Side == side)];

    private static IEnumerable<PartRow> ByName(IReadOnlyList<ObjectReport> objects, List<int> low, List<int> high)
    {
        var lowOf = low.ToLookup(i => objects[i].Part, StringComparer.Ordinal);
        var highOf = high.ToLookup(i => objects[i].Part, StringComparer.Ordinal);
        return low.Concat(high).Select(i => objects[i].Part).Distinct(StringComparer.Ordinal)
            .Select(part => new PartRow(part, [.. lowOf[part]], [.. highOf[part]], -1));
    }

    private static IEnumerable<Finding> Unpaired(IReadOnlyList<ObjectReport> objects, List<PartRow> rows, Convention convention)
    {
        foreach (var row in rows.Where(r => !r.IsPaired))
        {
            bool isLow = row.Low.Count > 0;
            string name = objects[isLow ? row.Low[0] : row.High[0]].Name;
            string has = isLow ? "low" : "high", lacks = isLow ? "high" : "low";
            var twin = rows.Find(r => r != row && (isLow ? r.High : r.Low).Count > 0 && string.Equals(r.Name, row.Name, StringComparison.OrdinalIgnoreCase));
            if (twin is not null)
            {
                // Told once, from the low side.
                string other = objects[isLow ? twin.High[0] : twin.Low[0]].Name;
                if (isLow || twin.IsPaired)
                    yield return new Finding(Severity.Stop, "case-only", name, $"{name} and {other} differ only in upper and lower case, so they are not paired; rename one of them.", 2);
                continue;
            }
            yield return new Finding(Severity.Stop, $"{has}-without-{lacks}", name, $"{name} has no {lacks} side; add an object {Expected(convention, row.Name, lacks)} or leave {name} out.");
        }
        foreach (var o in objects.Where(o => convention.Read(o.Name) is null && convention.ReadAnyCase(o.Name) is not null))
            yield return new Finding(Severity.Warn, "case-only", o.Name, $"{o.Name} would fit {convention.Pattern} if its side were written in lower case; rename it.");
    }

    private static string Expected(Convention convention, string part, string side) =>
        convention.Write(new Dictionary<string, string> { ["part"] = part, ["side"] = side });
}
