using System.Globalization;
using Crumpet.Core.Bake;
using Crumpet.Core.Building;
using Crumpet.Core.Intake;
using Crumpet.Core.Pairs;
using Crumpet.Storage;
using Microsoft.AspNetCore.Mvc;

namespace Crumpet.Web.Pages.Pairs;

/// <summary>Low and high matched into a ledger, parts on trays, cages around them.</summary>
public sealed class IndexModel(Workbench workbench) : StationPage(workbench)
{
    /// <inheritdoc/>
    public override Station Station => Station.Pairs;

    /// <summary>Which shelf is shown: parts, trays, names or cage.</summary>
    [BindProperty(SupportsGet = true)]
    public string? Show { get; set; }

    /// <summary>Part whose card is shown.</summary>
    [BindProperty(SupportsGet = true)]
    public string? Part { get; set; }

    /// <summary>The shelf.</summary>
    public string Shelf => Show is "trays" or "names" or "cage" ? Show : "parts";

    /// <summary>What is known of the parts: of the fresh result, or of the last one where it is about the present objects.</summary>
    public PairReport? Report => Shown is { } shown ? shown.As<PairReport>() : null;

    /// <summary>The result that is shown.</summary>
    public StationResult? Shown => View.Result(Station.Pairs)
        ?? (View.LastResult(Station.Pairs) is { } last && IsOfPresentObjects(last.As<PairReport>()) ? last : null);

    /// <summary>Whether what is shown is being worked again, or has to be.</summary>
    public bool IsStale => View.Result(Station.Pairs) is null;

    /// <summary>Objects of the asset.</summary>
    public IReadOnlyList<ObjectReport> Objects => View.Intake?.Objects ?? [];

    /// <summary>How many parts have both sides by the names as they are read now.</summary>
    public int PairCount => View.Intake is { } intake ? Matching.Rows(Match).Count(r => r.IsPaired) : 0;

    /// <summary>The part whose card is shown, or null.</summary>
    public PartRow? Picked => Report?.Parts.FirstOrDefault(p => p.Name == Part);

    /// <summary>New names that would follow the convention.</summary>
    public IReadOnlyList<(ObjectReport Object, string NewName)> Renames =>
        Report is { } report && View.Intake is { } intake
            ? [.. Matching.ToConvention(Match, report.Parts).Select(r => (intake.Objects[r.Object], r.NewName))]
            : [];

    /// <summary>Suggestions that are clear and above the bar, each object in one at most.</summary>
    /// <param name="bar">Least score, 0 to 1.</param>
    public IReadOnlyList<Suggestion> Clear(double bar) => Report?.ClearSuggestions(bar) ?? [];

    /// <summary>How a pattern reads the names that are present.</summary>
    public NameReadings Readings(string pattern) => NameReadings.Of(pattern, Objects, View.Asset.Kit!.Rules().Names);

    /// <summary>How a pattern that is being typed reads the names.</summary>
    public async Task<IActionResult> OnGetTryAsync(string? pattern) => await LoadAsync()
        ? Partial("_Readings", NameReadings.Of((pattern ?? "").Trim(), Objects, View.Asset.Kit!.Rules().Names with { FindsWords = false })) : NotFound();

    /// <summary>Records how trays are made and the reaches, and pairs.</summary>
    public Task<IActionResult> OnPostPairAsync(TrayMode trays, string? outward, string? inward) => ChangeAsync(plan =>
    {
        var (o, i) = Reaches(outward, inward);
        return plan with { Trays = trays, Bake = plan.Bake with { OutwardReachMetres = o, InwardReachMetres = i } };
    });

    /// <summary>Records the pattern, and pairs.</summary>
    public Task<IActionResult> OnPostPatternAsync(string? pattern) => ChangeAsync(plan => plan with { NamePattern = (pattern ?? "").Trim() });

    /// <summary>Records where rays start and come from, for all parts.</summary>
    public Task<IActionResult> OnPostCageAsync(CageKind kind, string? margin, RayDirection direction, string? blend, string? outward, string? inward) =>
        ChangeAsync(plan => plan with
        {
            Pairs = plan.Pairs with
            {
                Cage = kind,
                CageMarginMetres = (float)(FormNumber.ReadIfAny<PairSettings>(nameof(PairSettings.CageMarginMetres), margin) ?? 0),
                Direction = direction,
                Blend = (float)(FormNumber.ReadIfAny<PairSettings>(nameof(PairSettings.Blend), blend) ?? 0.5)
            },
            Bake = plan.Bake with
            {
                OutwardReachMetres = Reaches(outward, inward).Outward,
                InwardReachMetres = Reaches(outward, inward).Inward
            },
        });

    /// <summary>Puts parts on a tray by hand, or leaves them to the plan.</summary>
    /// <param name="part">Name of the part.</param>
    /// <param name="tray">Number from 0; -1 for the plan.</param>
    public Task<IActionResult> OnPostTrayAsync(string part, int tray) => ChangeAsync(plan => plan.OnTray(part, tray >= 0 ? tray : null));

    /// <summary>Records what holds for one part.</summary>
    public Task<IActionResult> OnPostPartAsync(string part, int tray, string? outward, string? inward, Occluders? sees, CageKind? cage,
        RayDirection? direction) => ChangeAsync(plan =>
    {
        var own = new PartSettings
        {
            OutwardReachMetres = Reaches(outward, inward).Outward,
            InwardReachMetres = Reaches(outward, inward).Inward,
            Sees = sees,
            Cage = cage,
            Direction = direction
        };
        return (plan with { Pairs = plan.Pairs.With(part, own) }).OnTray(part, tray >= 0 ? tray : null);
    });

    /// <summary>Keeps two parts together or apart.</summary>
    public Task<IActionResult> OnPostTieAsync(string part, string? other, bool together) => ChangeAsync(plan => string.IsNullOrEmpty(other)
        ? throw new FormatException("Choose the other part.")
        : plan.Tied(new PartTie(part, other, together)));

    /// <summary>Takes a tie away.</summary>
    public Task<IActionResult> OnPostUntieAsync(string part, string other) => ChangeAsync(plan => plan with { Pairs = plan.Pairs.WithoutTie(part, other) });

    /// <summary>Records what holds for one tray.</summary>
    public Task<IActionResult> OnPostTraySettingsAsync(int tray, string? outward, string? inward, bool? others) => ChangeAsync(plan =>
    {
        var own = new TraySettings
        {
            OutwardReachMetres = Reaches(outward, inward).Outward,
            InwardReachMetres = Reaches(outward, inward).Inward,
            OthersOcclude = others
        };
        return plan with { Pairs = plan.Pairs.With(tray, own) };
    });

    /// <summary>Makes a high object the other side of a low one, or a low one of a high one: the dragged one takes the name.</summary>
    /// <param name="dragged">Number of the object that takes a new name.</param>
    /// <param name="onto">Number of the object whose part it joins.</param>
    public async Task<IActionResult> OnPostJoinAsync(int dragged, int onto)
    {
        if (!await LoadAsync())
            return NotFound();
        if (View.Intake is null || Report is null)
            Problem = "The files are being read again; drag the name once that is done.";
        else if (dragged < 0 || onto < 0 || dragged >= Objects.Count || onto >= Objects.Count || Objects[dragged].Side == Objects[onto].Side)
            Problem = "Drag a high object onto a low one, or a low one onto a high one.";
        else if (Match.FreeName(Objects[onto].Part, Objects[dragged].Side, Objects[dragged].Detail) is not null)
            Problem = await Workbench.MendAsync(Id, [Report.Pairing(Objects, Objects[onto].Part, dragged, Objects[dragged].Detail, onto)]);
        else
            Problem = $"{Objects[onto].Part} has a {Sides.Word(Objects[dragged].Side)} object already, and the pattern cannot tell two apart; add "
                + $"{{_detail*}} to it under names.";
        return Problem is null ? Again() : Page();
    }

    /// <summary>Takes all suggestions that are clear and above the bar.</summary>
    /// <param name="bar">Least score, percent.</param>
    public async Task<IActionResult> OnPostAcceptAllAsync(string? bar)
    {
        if (!await LoadAsync())
            return NotFound();
        if (!float.TryParse(bar, NumberStyles.Float, CultureInfo.InvariantCulture, out float least))
            Problem = $"The least score is '{bar}'; it must be a number of percent.";
        else if (Clear(least / 100) is { Count: > 0 } clear)
            Problem = await Workbench.MendAsync(Id, [.. clear.Select(s => Report!.MendOf(s, Objects))]);
        else
            Problem = $"No suggestion is clear at {bar} %; take a lower score, or accept them one by one.";
        return Problem is null ? Again() : Page();
    }

    /// <summary>Gives every object of a pair the name the convention writes.</summary>
    public async Task<IActionResult> OnPostRenameAllAsync()
    {
        if (!await LoadAsync())
            return NotFound();
        Problem = await Workbench.MendAsync(Id, [new RenameEach([.. Renames.Select(r => new NewName(r.Object.File, r.Object.SourceName, r.NewName))])]);
        return Problem is null ? Again() : Page();
    }

    /// <summary>Records a stroke of a brush.</summary>
    /// <param name="kind">What it changes.</param>
    /// <param name="part">Part it is on.</param>
    /// <param name="points">Numbers in metres with spaces between them.</param>
    /// <param name="radius">Millimetres.</param>
    /// <param name="amount">Millimetres for the cage, percent for directions.</param>
    public Task<IActionResult> OnPostStrokeAsync(BrushKind kind, string part, string? points, string? radius, string? amount) => ChangeAsync(plan =>
    {
        float[] numbers = [.. (points ?? "").Split(' ', StringSplitOptions.RemoveEmptyEntries).Take(BrushStroke.MostNumbers)
            .Select(p => (float)FormNumber.Read<BrushStroke>(nameof(BrushStroke.Points), p))];
        float strength = (float)(FormNumber.ReadIfAny<BrushStroke>(nameof(BrushStroke.Amount), amount) ?? 0);
        var stroke = new BrushStroke(kind, part, numbers, (float)(FormNumber.ReadIfAny<BrushStroke>(nameof(BrushStroke.RadiusMetres), radius) ?? 0),
            kind == BrushKind.Cage ? strength / 1000 : strength / 100);
        return plan with { Pairs = plan.Pairs with { Strokes = [.. plan.Pairs.Strokes, stroke] } };
    });

    /// <summary>Takes all strokes on a part away.</summary>
    public Task<IActionResult> OnPostClearStrokesAsync(string part) =>
        ChangeAsync(plan => plan with { Pairs = plan.Pairs with { Strokes = [.. plan.Pairs.Strokes.Where(s => s.Part != part)] } });

    private bool IsOfPresentObjects(PairReport report)
    {
        var comparer = StringComparer.OrdinalIgnoreCase;
        return View.Intake is not null && report.Parts.All(p => p.Low.Concat(p.High).All(i => i < Objects.Count)
            && p.Low.All(i => Objects[i].Side == Side.Low && comparer.Equals(Objects[i].Part, p.Name)) && p.High.All(i => Objects[i].Side == Side.High));
    }

    private MatchInput Match => new(Objects, NameReader.Create(View.Plan.NamePattern, View.Asset.Kit!.Rules().Names));

    private static (float? Outward, float? Inward) Reaches(string? outward, string? inward) => (
        (float?)FormNumber.ReadIfAny<BakeSettings>(nameof(BakeSettings.OutwardReachMetres), outward),
            (float?)FormNumber.ReadIfAny<BakeSettings>(nameof(BakeSettings.InwardReachMetres), inward));
}
