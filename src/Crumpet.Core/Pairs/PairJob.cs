using Crumpet.Core.Geometry;
using Crumpet.Core.Intake;
using Crumpet.Core.Jobs;

namespace Crumpet.Core.Pairs;

/// <summary>What the ledger depends on beside what was measured.</summary>
/// <param name="Pattern">Pattern by which names are read.</param>
/// <param name="Names">How names say sides.</param>
/// <param name="Mode">How parts are spread over trays.</param>
/// <param name="Settings">What was decided about parts and trays, strokes left out.</param>
/// <param name="OutwardReachMetres">The asset's outward reach, metres; null for each part's as measured.</param>
/// <param name="InwardReachMetres">The asset's inward reach, metres; null for each part's as measured.</param>
public sealed record PairJobSettings(string Pattern, NameRules Names, TrayMode Mode, PairSettings Settings, float? OutwardReachMetres,
    float? InwardReachMetres);

/// <summary>
/// Plans the trays and makes the ledger: <c>objects</c>, for paired row P <c>fit/P</c> and <c>cage/P</c>, <c>contacts</c> and where
/// anything is unpaired <c>suggestions</c>, to its report.
/// </summary>
public sealed class PairJob() : JobKind<PairJobSettings>("pair", 2)
{
    /// <inheritdoc/>
    public override string Words => "ledgers to make";

    /// <inheritdoc/>
    protected override JobOutput Work(PairJobSettings settings, JobInputs inputs, JobContext context)
    {
        var match = new MatchInput(context.Read<ObjectReport[]>(inputs.Bytes("objects")), NameReader.Create(settings.Pattern, settings.Names));
        var rules = new PairRules(match, settings.Mode, settings.Settings, settings.OutwardReachMetres, settings.InwardReachMetres);
        var rows = PairPlanner.Rows(rules);
        int[] paired = [.. Enumerable.Range(0, rows.Count).Where(i => rows[i].IsPaired)];
        var fits = new PartFit?[rows.Count];
        var cages = new CageReport?[rows.Count];
        for (int p = 0; p < paired.Length; p++)
        {
            fits[paired[p]] = context.Read<PartFit>(inputs.Bytes($"fit/{p}"));
            cages[paired[p]] = context.Read<CageReport>(inputs.Bytes($"cage/{p}"));
        }
        rules = rules with
        {
            Fitted = paired.Where(i => cages[i] is not null).ToDictionary(i => rows[i].Name, i => cages[i]!.Reach, StringComparer.Ordinal),
        };
        rows = PairPlanner.Rows(rules);
        var contacts = paired.Length == 0 ? [] : context.Read<Contact[]>(inputs.Bytes("contacts"))
            .Select(c => c with { One = paired[c.One], Two = paired[c.Two] });
        var suggestions = inputs.Find("suggestions") is null ? [] : context.Read<Suggestion[]>(inputs.Bytes("suggestions"));
        return new JobOutput { Report = PairPlanner.Plan(rules, rows, fits, cages, [.. contacts], suggestions, context.Cancel) };
    }
}

/// <summary>A part whose cage is shown.</summary>
/// <param name="Name">Its name.</param>
/// <param name="OutwardReachMetres">How far outside the low surface its rays start, metres.</param>
public sealed record CagePart(string Name, float OutwardReachMetres);

/// <summary>What a preview of cages depends on beside shapes and rays.</summary>
/// <param name="Parts">Paired parts.</param>
public sealed record CageStageSettings(IReadOnlyList<CagePart> Parts);

/// <summary>
/// Prepares cages and ray directions for the 3D stage: for part P shapes <c>low/P/K</c>, <c>rays/P</c> and <c>outside/P</c> to
/// <c>preview</c>.
/// </summary>
public sealed class CageStageJob() : JobKind<CageStageSettings>("cage stage", 1)
{
    /// <inheritdoc/>
    public override string Words => "cages to show";

    /// <inheritdoc/>
    protected override double Cost(CageStageSettings settings, IReadOnlyList<StoredFile> inputs) => 0.1 + inputs.Megabytes();

    /// <inheritdoc/>
    protected override JobOutput Work(CageStageSettings settings, JobInputs inputs, JobContext context) => new JobOutput().With("preview", RaysPreview.Write(
        [.. settings.Parts.Select((part, p) => new PreviewedRays(
            part.Name, inputs.Shapes($"low/{p}"), RaysFile.InOrder(inputs.Value($"rays/{p}", RaysFile.Read)), part.OutwardReachMetres,
                RaysFile.ReadPoints(inputs.Bytes($"outside/{p}"))))]));
}
