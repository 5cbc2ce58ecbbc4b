using System.Numerics;
using Crumpet.Core.Geometry;
using Crumpet.Core.Intake;
using Crumpet.Core.Tracing;

namespace Crumpet.Core.Pairing;

/// <summary>Everything pairing works on.</summary>
/// <param name="Match">Objects and how their names are read.</param>
/// <param name="Meshes">One an object.</param>
/// <param name="Mode">How parts are spread over trays.</param>
/// <param name="Settings">What the artist decided about parts and trays.</param>
/// <param name="OutwardReachMetres">The asset's outward reach, metres.</param>
/// <param name="InwardReachMetres">The asset's inward reach, metres.</param>
public sealed record PairInput(MatchInput Match, IReadOnlyList<Mesh> Meshes, TrayMode Mode, PairSettings Settings, float OutwardReachMetres, float InwardReachMetres)
{
    /// <summary>Threads to use, at least 1; the result does not depend on it.</summary>
    public int Threads { get; init; } = 1;

    /// <summary>Whether maps are only made from maps, so that an asset without any high side is right as it is.</summary>
    public bool NeedsNoHigh { get; init; }

    /// <summary>Gives what was measured before for the same question, or measures; where not given, it is always measured.</summary>
    public Func<PairQuestion, Func<PairMeasures>, PairMeasures>? RememberMeasures { get; init; }

    /// <summary>The same for where a part's rays come from.</summary>
    public Func<RaysQuestion, Func<RaysAnswer>, RaysAnswer>? RememberRays { get; init; }
}

/// <summary>What decides where a part's rays come from, beside the meshes.</summary>
/// <param name="Low">Numbers of its low objects.</param>
/// <param name="High">Numbers of its high objects.</param>
/// <param name="CageObjects">Numbers of its cage objects, where they are used.</param>
/// <param name="Kind">Where rays start.</param>
/// <param name="Direction">Where they come from over hard edges.</param>
/// <param name="Blend">Share of shading normals in blended directions.</param>
/// <param name="OutwardReachMetres">Outward reach, metres.</param>
/// <param name="InwardReachMetres">Inward reach, metres.</param>
/// <param name="MarginMetres">Margin of a fitted cage, metres.</param>
/// <param name="Strokes">Strokes of the brushes on it.</param>
public sealed record RaysQuestion(
    IReadOnlyList<int> Low, IReadOnlyList<int> High, IReadOnlyList<int> CageObjects, CageKind Kind, RayDirection Direction, float Blend, float OutwardReachMetres, float InwardReachMetres,
    float MarginMetres, IReadOnlyList<BrushStroke> Strokes);

/// <summary>Where a part's rays come from.</summary>
/// <param name="Rays">One a low object.</param>
/// <param name="Report">What is known of the shell they start on.</param>
/// <param name="Outside">High vertices outside the shell, metres.</param>
public sealed record RaysAnswer(IReadOnlyList<LowRays> Rays, CageReport Report, Vector3[] Outside);

/// <summary>What a measurement depends on beside the meshes.</summary>
/// <param name="Rows">One a row; names do not matter but for suggestions.</param>
public sealed record PairQuestion(IReadOnlyList<RaysQuestion> Rows);

/// <summary>What is measured on the meshes, for rows in their order.</summary>
/// <param name="Fits">One a row; null where a side is missing.</param>
/// <param name="Contacts">Rows that come near each other.</param>
/// <param name="Suggestions">Other sides for what has none.</param>
public sealed record PairMeasures(IReadOnlyList<PartFit?> Fits, IReadOnlyList<Contact> Contacts, IReadOnlyList<Suggestion> Suggestions);

/// <summary>What pairing gives.</summary>
/// <param name="Report">Rows, contacts and trays.</param>
/// <param name="Rays">Where rays come from, by number of the low object.</param>
/// <param name="Outside">High vertices outside cages, by number of the row, metres.</param>
/// <param name="Findings">What was noticed.</param>
public sealed record PairResult(PairReport Report, IReadOnlyDictionary<int, LowRays> Rays, IReadOnlyDictionary<int, Vector3[]> Outside, IReadOnlyList<Finding> Findings);

/// <summary>Matches low with high objects, measures how they fit and what comes near what, and puts parts on trays.</summary>
public static class PairingStation
{
    /// <summary>Pairs the objects of an asset.</summary>
    public static PairResult Run(PairInput input, IProgress<Progress>? progress = null, CancellationToken cancel = default)
    {
        progress?.Report(new Progress(0, "reading names"));
        // A tray chosen by hand is known before the plan.
        var rows = Matching.Rows(input.Match).Select(r => WithReach(r, input.Settings.TrayByHand.GetValueOrDefault(r.Name, -1), input)).ToArray();
        var questions = rows.Select(r => QuestionOf(r, input.Settings)).ToArray();
        int[] paired = [.. Enumerable.Range(0, rows.Length).Where(i => rows[i].IsPaired)];
        var trees = new SurfaceTree?[rows.Length];
        var answers = new RaysAnswer?[rows.Length];
        foreach (int i in paired)
        {
            answers[i] = input.RememberRays is { } remember ? remember(questions[i], () => RaysOf(questions[i])) : RaysOf(questions[i]);
            progress?.Report(new Progress(0.4 * (Array.IndexOf(paired, i) + 1) / paired.Length, "shaping cages"));

            RaysAnswer RaysOf(RaysQuestion q)
            {
                trees[i] ??= SurfaceTree.Build(MeshesOf(q.High));
                return PartRays.Build(new PartRaysInput(MeshesOf(q.Low), trees[i]!, MeshesOf(q.CageObjects), q.Kind, q.Direction, q.Blend, q.OutwardReachMetres, q.InwardReachMetres, q.MarginMetres, q.Strokes), input.Threads, cancel);
            }
        }
        var measures = input.RememberMeasures is { } rememberMeasures ? rememberMeasures(new PairQuestion(questions), Measure) : Measure();
        progress?.Report(new Progress(0.95, "planning trays"));
        var (trays, count, proof) = Spread(input, rows, paired, measures.Contacts, cancel);
        for (int i = 0; i < rows.Length; i++)
        {
            rows[i] = OnTray(rows[i] with
            {
                Fit = measures.Fits[i],
                Tray = trays[i],
                Cage = answers[i]?.Report,
                IsByHand = rows[i].IsPaired && input.Mode == TrayMode.Planned && input.Settings.TrayByHand.ContainsKey(rows[i].Name),
            }, input);
        }
        var report = new PairReport(rows, count) { Contacts = measures.Contacts, Proof = proof, Suggestions = measures.Suggestions };
        var rays = paired.SelectMany(i => rows[i].Low.Zip(answers[i]!.Rays)).ToDictionary(p => p.First, p => p.Second);
        return new PairResult(report, rays, paired.ToDictionary(i => i, i => answers[i]!.Outside), Finding.Sorted(PairFindings.Of(input, report)));

        PairMeasures Measure()
        {
            var fits = new PartFit?[rows.Length];
            var options = new ParallelOptions { MaxDegreeOfParallelism = input.Threads, CancellationToken = cancel };
            int done = 0;
            Parallel.ForEach(paired, options, i =>
            {
                trees[i] ??= SurfaceTree.Build(MeshesOf(rows[i].High));
                fits[i] = FitMeasure.Of(MeshesOf(rows[i].Low), trees[i]!, rows[i].OutwardReachMetres, rows[i].InwardReachMetres);
                progress?.Report(new Progress(0.4 + 0.1 * Interlocked.Increment(ref done) / paired.Length, "measuring how sides fit"));
            });
            var parts = paired.Select(i => new ContactPart(MeshesOf(rows[i].Low), MeshesOf(rows[i].High), rows[i].OutwardReachMetres, rows[i].InwardReachMetres) { Rays = answers[i]!.Rays, HighTree = trees[i] }).ToArray();
            var contacts = ContactFinder.Find(parts, input.Threads, progress is null ? null : new Later(progress), cancel);
            progress?.Report(new Progress(0.85, "looking for other sides"));
            var suggestions = Suggester.Suggest(input.Match, input.Meshes, rows, MathF.Max(input.OutwardReachMetres, input.InwardReachMetres), input.Threads, cancel);
            return new PairMeasures(fits, [.. contacts.Select(c => c with { One = paired[c.One], Two = paired[c.Two] })], suggestions);
        }

        IReadOnlyList<Mesh> MeshesOf(IReadOnlyList<int> numbers) => [.. numbers.Select(i => input.Meshes[i])];
    }

    private static RaysQuestion QuestionOf(PartRow row, PairSettings settings)
    {
        var own = settings.Parts.GetValueOrDefault(row.Name);
        var kind = own?.Cage ?? settings.Cage;
        return new RaysQuestion(
            row.Low, row.High, kind == CageKind.File ? row.CageObjects : [], kind, own?.Direction ?? settings.Direction, settings.Blend, row.OutwardReachMetres, row.InwardReachMetres,
            kind == CageKind.Fitted ? settings.CageMarginMetres : 0, [.. settings.Strokes.Where(s => s.Part == row.Name)]);
    }

    /// <summary>The row with the reaches that hold on a tray; -1 where its tray is not known yet.</summary>
    private static PartRow WithReach(PartRow row, int onTray, PairInput input)
    {
        var own = input.Settings.Parts.GetValueOrDefault(row.Name);
        var tray = input.Settings.Trays.GetValueOrDefault(onTray);
        return row with
        {
            OutwardReachMetres = own?.OutwardReachMetres ?? tray?.OutwardReachMetres ?? input.OutwardReachMetres,
            InwardReachMetres = own?.InwardReachMetres ?? tray?.InwardReachMetres ?? input.InwardReachMetres,
        };
    }

    private static PartRow OnTray(PartRow row, PairInput input)
    {
        if (!row.IsPaired)
            return row;
        var own = input.Settings.Parts.GetValueOrDefault(row.Name);
        var tray = input.Settings.Trays.GetValueOrDefault(row.Tray);
        return WithReach(row, row.Tray, input) with
        {
            Sees = own?.Sees ?? (tray?.OthersOcclude is { } others ? others ? Occluders.Asset : Occluders.Tray : null),
        };
    }

    private static (int[] Trays, int Count, TrayProof? Proof) Spread(PairInput input, PartRow[] rows, int[] paired, IReadOnlyList<Contact> contacts, CancellationToken cancel)
    {
        var trays = Enumerable.Repeat(-1, rows.Length).ToArray();
        if (paired.Length == 0)
            return (trays, 0, null);
        if (input.Mode != TrayMode.Planned)
        {
            for (int k = 0; k < paired.Length; k++)
                trays[paired[k]] = input.Mode == TrayMode.One ? 0 : k;
            return (trays, input.Mode == TrayMode.One ? 1 : paired.Length, null);
        }
        var place = paired.Select((row, k) => (row, k)).ToDictionary(p => p.row, p => p.k);
        var plan = TrayPlanner.Plan(
            [.. paired.Select(i => new TrayPart(rows[i].Name, rows[i].High.Sum(o => input.Match.Objects[o].Triangles)))],
            [.. contacts.Where(c => c.Touches).Select(c => (place[c.One], place[c.Two]))], input.Settings, cancel);
        for (int k = 0; k < paired.Length; k++)
            trays[paired[k]] = plan.Trays[k];
        return (trays, plan.Count, plan.Proof with { Because = [.. plan.Proof.Because.Select(k => paired[k])] });
    }

    private sealed class Later(IProgress<Progress> to) : IProgress<Progress>
    {
        public void Report(Progress value) => to.Report(new Progress(0.5 + 0.35 * value.Fraction, value.Doing));
    }
}
