using System.Globalization;
using Crumpet.Core.Intake;
using Crumpet.Core.Pairs;

namespace Crumpet.Core.Bake;

/// <summary>What is known beside the faults themselves.</summary>
/// <param name="Sheet">Name of the sheet.</param>
/// <param name="CoveredTexels">Texels of the sheet that were baked.</param>
/// <param name="Rows">Parts with their reaches.</param>
/// <param name="Trays">How parts were spread over trays.</param>
/// <param name="Objects">What arrived, as the rows number it.</param>
/// <param name="Size">Side of the sheet, pixels.</param>
public sealed record FaultContext(string Sheet, int CoveredTexels, IReadOnlyList<PartRow> Rows, TrayMode Trays, IReadOnlyList<ObjectReport> Objects, int Size)
{
    /// <summary>How near parts in contact come to each other, metres, by their names.</summary>
    public IReadOnlyDictionary<(string One, string Two), float> Gaps { get; init; } = new Dictionary<(string, string), float>();

    /// <summary>How near two parts come, in words that follow their names; empty where that was not measured.</summary>
    internal string Contact(string one, string two) => Gaps.TryGetValue((one, two), out float gap) || Gaps.TryGetValue((two, one), out gap)
        ? gap <= 0 ? ", which it touches" : $", {Lengths.Millimetres(gap)} away"
        : "";
}

/// <summary>Says in a sentence what the faults of a bake mean, what helps, and offers it.</summary>
public static class FaultFindings
{
    // Fewer wrong texels than this of a part's cause are noise at silhouettes, not something to act on.
    private const int WorthSaying = 24;

    // More pairs of neighbours than this are told as one, with the worst of them.
    private const int PairsSaid = 5;
    private const double CutGapPixels = 8;
    private const float LeastShownMetres = 0.01f;

    // Detail that turns by this much within a texel is still drawn well.
    private const float DrawnDegrees = 14;

    /// <summary>
    /// One finding for each part and cause (and neighbour), most texels first; skew and coarse detail are told once a sheet, and many
    /// neighbours in one sentence for all, beside the worst of them.
    /// </summary>
    /// <param name="faults">Regions of the bake, most texels first.</param>
    /// <param name="context">What is known beside them.</param>
    public static IReadOnlyList<Finding> Explain(IReadOnlyList<FaultRegion> faults, FaultContext context)
    {
        var findings = new List<Finding>();
        var causes = faults.Where(f => f.Kind is not (FaultKind.Skew or FaultKind.Coarse)).GroupBy(f => (f.Kind, f.Part, f.Other))
            .Select(g => (Regions: g.ToArray(), Texels: g.Sum(f => f.Texels))).Where(g => g.Texels >= WorthSaying).ToArray();
        var neighbours = causes.Where(c => c.Regions[0].Kind == FaultKind.Neighbour).OrderByDescending(c => c.Texels).ToArray();
        if (neighbours.Length > PairsSaid)
        {
            findings.Add(OfNeighbours(neighbours.Length, [.. neighbours.SelectMany(n => n.Regions)], context));
            causes = [.. causes.Except(neighbours.Skip(PairsSaid))];
        }
        findings.AddRange(causes.Select(c => About(c.Regions, c.Texels, context)));
        var shared = new[] { FaultKind.Skew, FaultKind.Coarse }.Select(k => faults.Where(f => f.Kind == k).ToArray())
            .Where(r => r.Sum(f => f.Texels) >= WorthSaying);
        findings.AddRange(shared.Select(regions => OverSheet(regions, context)));
        return Finding.Sorted(findings);
    }

    private static Finding About(FaultRegion[] regions, int texels, FaultContext context)
    {
        var (kind, part, other) = (regions[0].Kind, regions[0].Part, regions[0].Other);
        var row = context.Rows.First(r => r.Name == part);
        var cage = row.Cage is { Kind: not CageKind.Reach } own ? own : null;
        string reach = cage is null
            ? $"{Lengths.Millimetres(row.OutwardReachMetres)} outward and {Lengths.Millimetres(row.InwardReachMetres)} inward reach"
            : $"cage, which goes up to {Lengths.Millimetres(cage.GreatestMetres)} outward and {Lengths.Millimetres(cage.InwardMetres)} inward";
        string where = regions.Length == 1 ? "in one place" : $"in {regions.Length} places";
        float outward = regions.Max(r => r.NeedsOutwardMetres), inward = regions.Max(r => r.NeedsInwardMetres);
        var worst = regions.MaxBy(r => r.NeedsOutwardMetres + r.NeedsInwardMetres)!;
        var trial = regions[0].Trial;
        // A cage says itself how far rays reach.
        var reachMend = cage is null && trial is not null and not { OutwardMetres: null, InwardMetres: null }
            ? Offer(new WidenReach(part, trial.OutwardMetres, trial.InwardMetres), trial) : null;
        var apart = kind == FaultKind.Neighbour ? FaultTrial.Sum(regions.Select(r => r.Trial).OfType<FaultTrial>()) : null;
        return kind switch
        {
            FaultKind.Neighbour => Say(
                "neighbour", context.Trays == TrayMode.One
                    ? $"{part} carries the surface of {other}{context.Contact(part, other)}: {texels} texels {where} hit it within the {reach}; plan the "
                        + $"trays, or put the two on separate ones."
                    : $"{part} carries the surface of {other}{context.Contact(part, other)}: {texels} texels {where} hit it within the {reach}; put the two "
                        + $"on separate trays or shorten the reach.",
                Offer(new SeparateTrays(part, other), apart), context.Trays == TrayMode.One ? Offer(new PlanTrays()) : null),
            FaultKind.BackFace => Say(
                "back-face", outward > 0
                    ? $"{part}: {texels} texels {where} start inside the high surface and meet only its back; it stands up to {Lengths.Millimetres(outward)} "
                        + (cage is null ? $"off, the outward reach is {Lengths.Millimetres(row.OutwardReachMetres)}."
                            : "off, outside the cage; raise it there.")
                    : $"{part}: {texels} texels {where} meet only the back of the high surface, and no front near it; "
                        + (trial is { Helps: false } ? "single faces look inwards there, among many that are right; turn those in the source."
                            : "its faces look inwards, turn them round."),
                outward > 0 ? reachMend : Offer(new TurnFaces { Objects = [.. row.High.Select(i => context.Objects[i].SourceName)] }, trial,
                    $"Turn the faces of {part} outward"), Fill()),
            FaultKind.Miss => Say(
                "miss", outward > 0
                    ? $"{part}: {texels} texels {where} find no high surface within the {reach}; it stands up to {Lengths.Millimetres(outward)} off, "
                        + (cage is null ? $"{Lengths.Millimetres(MathF.Max(0, outward - row.OutwardReachMetres))} beyond where their rays start."
                            : "outside the cage; raise it there.")
                    : inward > 0
                        ? $"{part}: {texels} texels {where} find no high surface within the {reach}; it lies up to {Lengths.Millimetres(inward)} deep, "
                            + (cage is null ? $"{Lengths.Millimetres(MathF.Max(0, inward - row.InwardReachMetres))} beyond where their rays end."
                                : "beyond where their rays end; give the cage more margin.")
                        : $"{part}: {texels} texels {where} find no high surface within the {reach}, nor near it on their rays; the high side has a "
                            + $"hole or ends there.",
                reachMend, Fill()),
            FaultKind.Filled => Say(
                "filled", $"{part}: {texels} texels {where} meet nothing and show the nearest high surface instead, up to "
                    + $"{Lengths.Millimetres(regions.Max(r => r.FilledFromMetres))} away."),
            FaultKind.Overlap => Say(
                "uv-overlap", other.Length > 0
                    ? $"{part}: {texels} texels {where} are shared with islands of {other} that lie on them without matching; move the islands apart."
                    : $"{part}: {texels} texels {where} are shared by UVs that overlap without lying exactly on each other; move the islands apart.",
                Offer(new PackIslands())),
            FaultKind.HardEdge => Say(
                "hard-edge", $"{part}: hard edges run {texels} texels within islands, where two tangent frames meet without a seam and a line shows when "
                    + $"lit; soften them or cut the UVs along them.",
                HardEdgeMends(row, context)),
            _ => Say(
                "reach-exhausted", $"{part}: {texels} texels {where} hit in the last 2 % of the {reach}; "
                    + (cage is null ? $"an inward reach of {Lengths.Millimetres(trial?.InwardMetres ?? row.InwardReachMetres)} would leave them room."
                        : "more margin would leave them room."),
                reachMend),
        };

        Finding Say(string code, string sentence, params MendOffer?[] mends) =>
            new(kind == FaultKind.Filled ? Severity.Note : Severity.Warn, code, part, sentence, texels)
            {
                Mends = [.. mends.OfType<MendOffer>()],
                Spot = SpotOf(worst),
                OnSheet = PlaceOf(worst, context.Sheet),
                SpoilsMaps = kind is FaultKind.Miss or FaultKind.BackFace,
            };
    }

    private static Finding OfNeighbours(int times, FaultRegion[] regions, FaultContext context)
    {
        var worst = regions.MaxBy(r => r.Texels)!;
        int texels = regions.Sum(r => r.Texels), parts = regions.Select(r => r.Part).Distinct().Count();
        string cure = context.Trays == TrayMode.One ? "all parts lie on one tray, so plan the trays" : "put them on separate trays, or shorten the reach";
        return new Finding(
            Severity.Warn, "neighbours", worst.Part,
            $"{parts} parts carry surfaces of others, {times} pairs with {texels} texels in all; {cure}. The worst {PairsSaid} are told one by one.", texels)
        {
            Mends = context.Trays == TrayMode.One ? [Offer(new PlanTrays())] : [],
            Spot = SpotOf(worst),
            OnSheet = PlaceOf(worst, context.Sheet),
        };
    }

    private static MendOffer?[] HardEdgeMends(PartRow row, FaultContext context)
    {
        string[] objects = [.. row.Low.Select(i => context.Objects[i].SourceName)];
        return
        [
            new MendOffer($"Soften the edges of {row.Name}", false, new SoftenEdges { Objects = objects }),
            new MendOffer("Cut the UVs there", false, new CutEdges(CutGapPixels, context.Size) { Objects = objects }),
        ];
    }

    /// <summary>What is told once for all parts of a sheet.</summary>
    private static Finding OverSheet(FaultRegion[] regions, FaultContext context)
    {
        int texels = regions.Sum(f => f.Texels);
        double percent = 100.0 * texels / Math.Max(1, context.CoveredTexels);
        string share = percent.ToString(percent < 0.1 ? "0.000" : "0.0", CultureInfo.InvariantCulture);
        var part = regions.GroupBy(r => r.Part).OrderByDescending(g => g.Sum(r => r.Texels)).ThenBy(g => g.Key, StringComparer.Ordinal).First();
        var largest = part.First();
        float degrees = part.Max(r => r.Degrees);
        if (regions[0].Kind == FaultKind.Skew)
        {
            // Only where it was tried and helps.
            FaultRegion[] mended = [.. part.Where(r => r is { Ray: not null, Trial.HelpsMost: true }).Take(FaultRegions.SpotsMended)];
            PartSpot[] spots = [.. mended.Select(r => new PartSpot(r.Ray!.Low[0], r.Ray.Low[1], r.Ray.Low[2], RadiusOf(r)))];
            return new Finding(
                Severity.Note, "skew", part.Key,
                $"{texels} texels ({share} %) see the high surface at more than 60° to their ray; most are on {part.Key}, {part.Sum(r => r.Texels)} texels, "
                    + $"up to {degrees:0}°.", texels)
            {
                Mends = spots.Length > 0
                    ? [Offer(new StraightenDetail(part.Key, spots), FaultTrial.Sum(mended.Select(r => r.Trial!)),
                        spots.Length == 1 ? $"Straighten {part.Key} here" : $"Straighten {part.Key} in {spots.Length} places")!] : [],
                Spot = SpotOf(largest),
                OnSheet = PlaceOf(largest, context.Sheet),
            };
        }
        float density = largest.PixelsPerMetre, asked = density * MathF.Max(1, degrees / DrawnDegrees);
        int size = context.Size * 2;
        return new Finding(
            Severity.Note, "coarse", part.Key,
            $"{texels} texels ({share} %) hold detail that turns by up to {degrees:0}° within one; most are on {part.Key}, which has {density:0} px/m there "
                + $"and would take {asked:0} px/m.", texels)
        {
            Mends = BakeSettings.Sizes.Contains(size) ? [Offer(new EnlargeSheet(context.Sheet, size))] : [],
            Spot = SpotOf(largest),
            OnSheet = PlaceOf(largest, context.Sheet),
        };
    }

    /// <summary>A mend that was tried and helps, with what it does; null where it does not help.</summary>
    private static MendOffer? Offer(Mend mend, FaultTrial? trial, string? label = null) =>
        trial is { Helps: false } ? null : new(label ?? mend.Words(), false, mend) { Effect = trial?.Words ?? "" };

    private static MendOffer Offer(BakeMend mend) => new(mend.Words(), false, mend);

    private static MendOffer Fill() => Offer(new FillMisses());

    private static float RadiusOf(FaultRegion region) =>
        region.PixelsPerMetre > 0 ? 0.75f * MathF.Max(region.Width, region.Height) / region.PixelsPerMetre : 0.01f;

    private static Spot? SpotOf(FaultRegion region)
    {
        if (region.Ray is not { } ray)
            return null;
        float length = MathF.Sqrt(Enumerable.Range(0, 3).Sum(i => (ray.To[i] - ray.From[i]) * (ray.To[i] - ray.From[i])));
        return new Spot(ray.Low[0], ray.Low[1], ray.Low[2], MathF.Max(LeastShownMetres, 3 * length))
        {
            Ray = [.. ray.From, .. ray.To],
        };
    }

    private static SheetPlace PlaceOf(FaultRegion region, string sheet) => new(sheet, region.X, region.Y, region.Width, region.Height);
}
