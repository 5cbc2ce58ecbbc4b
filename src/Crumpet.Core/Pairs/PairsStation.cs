using System.Numerics;
using Crumpet.Core.Geometry;
using Crumpet.Core.Intake;
using Crumpet.Core.Tracing;

namespace Crumpet.Core.Pairs;

/// <summary>What decides pairs and trays beside the meshes.</summary>
/// <param name="Match">Objects and how their names are read.</param>
/// <param name="Mode">How parts are spread over trays.</param>
/// <param name="Settings">What the artist decided about parts and trays.</param>
/// <param name="OutwardReachMetres">The asset's outward reach, metres; null for each part's as measured.</param>
/// <param name="InwardReachMetres">The asset's inward reach, metres; null for each part's as measured.</param>
public sealed record PairRules(MatchInput Match, TrayMode Mode, PairSettings Settings, float? OutwardReachMetres, float? InwardReachMetres)
{
    /// <summary>Reaches that were measured, by the names of parts.</summary>
    public IReadOnlyDictionary<string, ReachSettings> Fitted { get; init; } = new Dictionary<string, ReachSettings>();

    /// <summary>The wider of the asset's two reaches, metres; null where either is measured.</summary>
    public float? WidestReach => OutwardReachMetres is { } outward && InwardReachMetres is { } inward ? MathF.Max(outward, inward) : null;

    /// <summary>Whether maps are only made from maps, so that an asset without any high side is right as it is.</summary>
    public bool NeedsNoHigh { get; init; }
}

/// <summary>Everything pairing works on.</summary>
/// <param name="Match">Objects and how their names are read.</param>
/// <param name="Meshes">One an object.</param>
/// <param name="Mode">How parts are spread over trays.</param>
/// <param name="Settings">What the artist decided about parts and trays.</param>
/// <param name="OutwardReachMetres">The asset's outward reach, metres; null for each part's as measured.</param>
/// <param name="InwardReachMetres">The asset's inward reach, metres; null for each part's as measured.</param>
public sealed record PairInput(MatchInput Match, IReadOnlyList<Mesh> Meshes, TrayMode Mode, PairSettings Settings, float? OutwardReachMetres,
    float? InwardReachMetres)
{
    /// <summary>Threads to use, at least 1; the result does not depend on it.</summary>
    public int Threads { get; init; } = 1;

    internal PairRules Rules => new(Match, Mode, Settings, OutwardReachMetres, InwardReachMetres);
}

/// <summary>What decides where a part's rays come from, beside the meshes.</summary>
/// <param name="Kind">Where rays start.</param>
/// <param name="Direction">Where they come from over hard edges.</param>
/// <param name="Blend">Share of shading normals in blended directions.</param>
/// <param name="OutwardReachMetres">Outward reach, metres; null measures it.</param>
/// <param name="InwardReachMetres">Inward reach, metres; null measures it.</param>
/// <param name="MarginMetres">Margin of a fitted cage, metres.</param>
/// <param name="Strokes">Strokes of the brushes on it; their part has no name.</param>
public sealed record RaysSettings(CageKind Kind, RayDirection Direction, float Blend, float? OutwardReachMetres, float? InwardReachMetres, float MarginMetres,
    IReadOnlyList<BrushStroke> Strokes)
{
    /// <summary>What was decided for a row.</summary>
    public static RaysSettings Of(PartRow row, PairSettings settings)
    {
        var own = settings.Parts.GetValueOrDefault(row.Name);
        var kind = own?.Cage ?? settings.Cage;
        return new RaysSettings(
            kind, own?.Direction ?? settings.Direction, settings.Blend, row.OutwardIsFitted ? null : row.OutwardReachMetres,
                row.InwardIsFitted ? null : row.InwardReachMetres, kind == CageKind.Fitted ? settings.CageMarginMetres : 0,
            [.. settings.Strokes.Where(s => s.Part == row.Name).Select(s => s with { Part = "" })]);
    }
}

/// <summary>Where a part's rays come from.</summary>
/// <param name="Rays">One a low object.</param>
/// <param name="Report">What is known of the shell they start on.</param>
/// <param name="Outside">High vertices outside the shell, metres.</param>
public sealed record RaysAnswer(IReadOnlyList<LowRays> Rays, CageReport Report, Vector3[] Outside);

/// <summary>What pairing gives.</summary>
/// <param name="Report">Rows, contacts and trays.</param>
/// <param name="Rays">Where rays come from, by number of the low object.</param>
/// <param name="Outside">High vertices outside cages, by number of the row, metres.</param>
/// <param name="Findings">What was noticed.</param>
public sealed record PairResult(PairReport Report, IReadOnlyDictionary<int, LowRays> Rays, IReadOnlyDictionary<int, Vector3[]> Outside,
    IReadOnlyList<Finding> Findings);

/// <summary>Matches low with high objects, measures how they fit and what comes near what, and puts parts on trays.</summary>
public static class PairsStation
{
    /// <summary>Pairs the objects of an asset.</summary>
    public static PairResult Run(PairInput input, CancellationToken cancel = default)
    {
        var rows = PairPlanner.Rows(input.Rules);
        int[] paired = [.. Enumerable.Range(0, rows.Count).Where(i => rows[i].IsPaired)];
        var answers = new RaysAnswer?[rows.Count];
        var fits = new PartFit?[rows.Count];
        var parts = new List<ContactPart>();
        var fitted = new Dictionary<string, ReachSettings>(StringComparer.Ordinal);
        foreach (int i in paired)
        {
            var tree = SurfaceTree.Build(MeshesOf(rows[i].High));
            var settings = RaysSettings.Of(rows[i], input.Settings);
            answers[i] = PartRays.Build(settings, MeshesOf(rows[i].Low), tree, settings.Kind == CageKind.File ? MeshesOf(rows[i].CageObjects) : [],
                input.Threads, cancel);
            var reach = fitted[rows[i].Name] = answers[i]!.Report.Reach;
            var low = MeshesOf(rows[i].Low);
            fits[i] = FitMeasure.Of(low, tree, ReachFit.ForFit(reach, rows[i].OutwardIsFitted, low.Aggregate(Bounds.Empty, (b, m) => b.Including(m.Bounds()))));
            parts.Add(new ContactPart(low, MeshesOf(rows[i].High), reach.OutwardReachMetres, reach.InwardReachMetres)
            { Rays = answers[i]!.Rays, HighTree = tree });
        }
        var rules = input.Rules with { Fitted = fitted };
        rows = PairPlanner.Rows(rules);
        var contacts = ContactFinder.Find(parts, input.Threads, null, cancel).Select(c => c with { One = paired[c.One], Two = paired[c.Two] }).ToArray();
        var suggestions = Suggester.Suggest(input.Match, input.Meshes, rows, rules.WidestReach, input.Threads, cancel);
        var report = PairPlanner.Plan(rules, rows, fits, [.. answers.Select(a => a?.Report)], contacts, suggestions, cancel);
        var rays = paired.SelectMany(i => rows[i].Low.Zip(answers[i]!.Rays)).ToDictionary(p => p.First, p => p.Second);
        return new PairResult(report, rays, paired.ToDictionary(i => i, i => answers[i]!.Outside), Finding.Sorted(PairFindings.Of(rules, report)));

        IReadOnlyList<Mesh> MeshesOf(IReadOnlyList<int> numbers) => [.. numbers.Select(i => input.Meshes[i])];
    }
}
