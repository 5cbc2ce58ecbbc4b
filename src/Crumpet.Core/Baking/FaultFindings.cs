using Crumpet.Core.Pairing;

namespace Crumpet.Core.Baking;

/// <summary>Says in a sentence what the faults of a bake mean and what helps.</summary>
public static class FaultFindings
{
    // Fewer wrong texels than this of a part's cause are noise at silhouettes, not something to act on.
    private const int WorthSaying = 24;

    /// <summary>One finding for each part and cause (and neighbour), most texels first.</summary>
    /// <param name="faults">Regions of the bake.</param>
    /// <param name="coveredTexels">Texels of the whole sheet that were baked.</param>
    /// <param name="rows">Parts with their reaches.</param>
    /// <param name="trays">How parts were spread over trays.</param>
    public static IReadOnlyList<Finding> Explain(IReadOnlyList<FaultRegion> faults, int coveredTexels, IReadOnlyList<PartRow> rows, TrayMode trays)
    {
        var findings = faults.Where(f => f.Kind != FaultKind.Skew).GroupBy(f => (f.Kind, f.Part, f.Other)).Select(g => (g.Key, Texels: g.Sum(f => f.Texels), Places: g.Count()))
            .Where(g => g.Texels >= WorthSaying)
            .Select(g => new Finding(Severity.Warn, Code(g.Key.Kind), g.Key.Part, Sentence(g.Key.Kind, rows.First(r => r.Name == g.Key.Part), g.Key.Other, g.Texels, g.Places, trays), g.Texels)).ToList();
        int skewed = faults.Where(f => f.Kind == FaultKind.Skew).Sum(f => f.Texels);
        if (skewed >= WorthSaying)
        {
            var worst = faults.First(f => f.Kind == FaultKind.Skew);
            findings.Add(new Finding(
                Severity.Note, "skew", worst.Part,
                $"{skewed} texels ({100.0 * skewed / Math.Max(1, coveredTexels):0.0} %) see the high surface at more than 60° to their ray, most of them at rounded edges; the largest such place is on {worst.Part}, {worst.Texels} texels.", skewed));
        }
        return Finding.Sorted(findings);
    }

    private static string Code(FaultKind kind) => kind switch
    {
        FaultKind.Neighbour => "neighbour",
        FaultKind.BackFace => "back-face",
        FaultKind.Miss => "miss",
        FaultKind.Overlap => "uv-overlap",
        _ => "reach-exhausted",
    };

    private static string Sentence(FaultKind kind, PartRow row, string other, int texels, int places, TrayMode trays)
    {
        string part = row.Name, reach = $"{row.OutwardReachMetres * 1000:0.#} mm outward and {row.InwardReachMetres * 1000:0.#} mm inward reach";
        string where = places == 1 ? "in one place" : $"in {places} places";
        return kind switch
        {
            FaultKind.Neighbour when trays == TrayMode.One => $"{part} carries the surface of {other}: {texels} texels {where} hit it within the {reach}; plan the trays at Pairs.",
            FaultKind.Neighbour => $"{part} carries the surface of {other}: {texels} texels {where} hit it within the {reach}; put the two on different trays or shorten the reach.",
            FaultKind.BackFace => $"{part}: {texels} texels {where} meet only the back of the high surface; widen the outward reach or turn the faces round.",
            FaultKind.Miss => $"{part}: {texels} texels {where} find no high surface within the {reach}; they stay flat until the reach is widened.",
            FaultKind.Overlap => $"{part}: {texels} texels {where} are shared by UVs that overlap without lying exactly on each other; move the islands apart.",
            _ => $"{part}: {texels} texels {where} hit in the last 2 % of the reach; widen the inward reach above {row.InwardReachMetres * 1000:0.#} mm.",
        };
    }
}
