using System.Globalization;
using System.Numerics;
using Crumpet.Core;
using Crumpet.Core.Building;
using Crumpet.Core.Checking;
using Crumpet.Core.Intake;
using Crumpet.Core.Layout;
using Crumpet.Storage;
using Microsoft.AspNetCore.Mvc;

namespace Crumpet.Web.Pages.Layout;

/// <summary>What becomes of the islands as a whole.</summary>
public enum IslandsChoice
{
    /// <summary>They stay where they came.</summary>
    Keep,

    /// <summary>They stay where they came, and what came without UVs is fitted in between.</summary>
    FitIn,

    /// <summary>They keep their shapes and are packed anew.</summary>
    Pack,

    /// <summary>Surfaces are unwrapped and packed.</summary>
    Unwrap,
}

/// <summary>What the ticket's form asks for.</summary>
public sealed record LayoutForm
{
    /// <summary>What becomes of the islands.</summary>
    public IslandsChoice Islands { get; init; }

    /// <summary>Side of the sheet, pixels.</summary>
    public int Size { get; init; } = 2048;

    /// <summary>Density, px/m; empty takes the kit's, <c>fill</c> fills the tile.</summary>
    public string? Density { get; init; }

    /// <summary>Padding, pixels.</summary>
    public string? Padding { get; init; }

    /// <summary>How islands may be turned.</summary>
    public PackRotation Rotation { get; init; }

    /// <summary>Slack, percent.</summary>
    public string? Slack { get; init; }

    /// <summary>Whether equal islands are stacked.</summary>
    public bool Stack { get; init; }

    /// <summary>How many sheets all parts share; 0 for one a material.</summary>
    public int Sheets { get; init; }

    /// <summary>What hard edges are to seams.</summary>
    public HardEdgeRule HardEdges { get; init; }

    /// <summary>Whether large islands are cut for room.</summary>
    public bool ForRoom { get; init; }

    /// <summary>Whether edges between materials become seams.</summary>
    public bool Materials { get; init; }

    /// <summary>Whether grids are straightened.</summary>
    public bool Straighten { get; init; }

    /// <summary>Whether seams hide.</summary>
    public bool Hide { get; init; }

    /// <summary>Angle of seams, degrees.</summary>
    public string? Angle { get; init; }

    /// <summary>Cone of charts, degrees.</summary>
    public string? Cone { get; init; }

    /// <summary>Stretch limit, percent.</summary>
    public string? Stretch { get; init; }
}

/// <summary>What is asked of edges.</summary>
public sealed record EdgeQuestion
{
    /// <summary>Corner of the islands' view at which the pressed edge begins, or null.</summary>
    public int? Corner { get; init; }

    /// <summary>Object that was pressed, where no corner is given.</summary>
    public string? On { get; init; }

    /// <summary>Where it was pressed: three numbers, metres.</summary>
    public string? At { get; init; }

    /// <summary>How far to go on.</summary>
    public EdgeReach Reach { get; init; }

    /// <summary>Where a path begins: three numbers, metres.</summary>
    public string? Since { get; init; }

    /// <summary>The place as the core knows it.</summary>
    public LowPlace Place => new(Corner, On, Vector(At));

    /// <summary>Where a path begins.</summary>
    public Vector3? From => Vector(Since);

    private static Vector3? Vector(string? text)
    {
        float[] numbers = [.. (text ?? "").Split(',')
            .Select(n => float.TryParse(n, NumberStyles.Float, CultureInfo.InvariantCulture, out float read) ? read : float.NaN)];
        return numbers.Length == 3 && float.IsFinite(numbers.Sum()) ? new Vector3(numbers) : null;
    }
}

/// <summary>UV islands: unwrapped, brought to a density, packed, or kept as they came.</summary>
public sealed class IndexModel(Workbench workbench) : StationPage(workbench)
{
    private static readonly int[] ReadOutSizes = [1024, 2048, 4096];

    /// <inheritdoc/>
    public override Station Station => Station.Layout;

    /// <summary>What was measured, or null where it is out of date.</summary>
    public LayoutReport? Report => View.Shown(Station.Layout)?.As<LayoutReport>();

    /// <summary>What the plan says of all islands.</summary>
    public IslandsChoice Choice => View.Plan.Layout switch
    {
        { Uvs: UvSource.Unwrap } => IslandsChoice.Unwrap,
        { Pack: true } => IslandsChoice.Pack,
        { KeepsPlaces: true } => IslandsChoice.FitIn,
        _ => IslandsChoice.Keep,
    };

    /// <summary>How many parts have a low side.</summary>
    public int PartCount => View.Intake?.Objects.Where(o => o.Side == Side.Low).Select(o => o.Part).Distinct(StringComparer.Ordinal).Count() ?? 0;

    /// <summary>Density the kit says, px/m, or null.</summary>
    public double? KitDensity => View.Asset.Kit!.Rules().PixelsPerMetre;

    /// <summary>Median densities of the kit's other assets, px/m, to be matched.</summary>
    public IReadOnlyList<(string Asset, double Density)> OtherDensities { get; private set; } = [];

    /// <summary>What sharing sheets costs, either way; null before Intake.</summary>
    public (SheetCost Apart, SheetCost Together)? Costs => View.Intake is { } intake && PartCount > 0
        ? SheetCost.Of(intake.Objects, View.Plan.Layout.Sheets == SheetRule.Together ? Report?.Sheets.Count ?? 1 : 1, View.Plan)
        : null;

    /// <summary>What other sizes would give.</summary>
    public IEnumerable<(int Size, double Density)> ReadOut => Report is { } report ? ReadOutSizes.Select(size => (size, report.DensityAt(size))) : [];

    /// <inheritdoc/>
    protected override async Task LoadMoreAsync()
    {
        OtherDensities = await Workbench.DensitiesAsync(View.Asset.KitId, Id);
    }

    /// <summary>Records what is to be done, and does it.</summary>
    public Task<IActionResult> OnPostLayAsync(LayoutForm form) => ChangeAsync(plan => plan.LaidFor(form.Size) with
    {
        Layout = plan.LaidFor(form.Size).Layout with
        {
            Uvs = form.Islands == IslandsChoice.Unwrap ? UvSource.Unwrap : UvSource.Keep,
            Pack = form.Islands is IslandsChoice.Pack or IslandsChoice.Unwrap,
            KeepsPlaces = form.Islands == IslandsChoice.FitIn,
            PixelsPerMetre = Fills(form.Density) ? null : FormNumber.ReadIfAny<LayoutSettings>(nameof(LayoutSettings.PixelsPerMetre), form.Density),
            FillsTile = Fills(form.Density),
            PaddingPixels = (int)(FormNumber.ReadIfAny<LayoutSettings>(nameof(LayoutSettings.PaddingPixels), form.Padding) ?? 8),
            Rotation = form.Rotation,
            SlackPercent = (float)(FormNumber.ReadIfAny<LayoutSettings>(nameof(LayoutSettings.SlackPercent), form.Slack) ?? 0),
            StackEqual = form.Stack,
            Sheets = form.Sheets > 0 ? SheetRule.Together : SheetRule.Materials,
            SheetCount = Math.Max(1, form.Sheets),
            Unwrap = UnwrapOf(form, plan.Layout.Unwrap),
            Draft = 0,
        },
    });

    /// <summary>Leaves what came with UVs where it came, and fits the others in between.</summary>
    public Task<IActionResult> OnPostFitInAsync() => ChangeAsync(plan => plan with
    {
        Layout = plan.Layout with { Uvs = UvSource.Keep, Pack = false, KeepsPlaces = true, Draft = 0 },
    });

    private static readonly UnwrapSettings Usual = new();

    /// <summary>How surfaces are cut, as a form says.</summary>
    private static UnwrapSettings UnwrapOf(LayoutForm form, UnwrapSettings before) => before with
    {
        HardEdges = form.HardEdges,
        CutMaterials = form.Materials,
        Straighten = form.Straighten,
        HideSeams = form.Hide,
        CutForRoom = form.ForRoom,
        CutAngleDegrees = (float)(FormNumber.ReadIfAny<UnwrapSettings>(nameof(UnwrapSettings.CutAngleDegrees), form.Angle) ?? Usual.CutAngleDegrees),
        ConeDegrees = (float)(FormNumber.ReadIfAny<UnwrapSettings>(nameof(UnwrapSettings.ConeDegrees), form.Cone) ?? Usual.ConeDegrees),
        StretchLimit = (float)(FormNumber.ReadIfAny<UnwrapSettings>(nameof(UnwrapSettings.StretchLimit), form.Stretch) ?? Usual.StretchLimit),
    };

    /// <summary>What the surfaces come to when they are cut as the form says, without packing them: numbers, and seams to draw.</summary>
    public async Task<IActionResult> OnGetSeamsAsync(LayoutForm form, CancellationToken cancel)
    {
        if (!await LoadAsync())
            return NotFound();
        UnwrapSettings unwrap;
        try
        {
            unwrap = UnwrapOf(form, View.Plan.Layout.Unwrap);
        }
        catch (FormatException e)
        {
            return BadRequest(e.Message);
        }
        if (FieldRules.Problem(unwrap) is { } problem)
            return BadRequest(problem);
        if (await Task.Run(() => View.Outlook(unwrap, Environment.ProcessorCount, cancel), cancel) is not { } seams)
            return NotFound();
        return new JsonResult(new
        {
            Said = FormattableString.Invariant($"{Show.Many(seams.Islands, "island")}, {Lengths.Of(seams.SeamMetres)} of seams, ")
                + FormattableString.Invariant($"{Lengths.Of(seams.SeenSeamMetres)} seen · angle stretch {(seams.AngleStretch.Mean - 1) * 100:0.0} % mean, ")
                + FormattableString.Invariant($"{(seams.AngleStretch.Most - 1) * 100:0.0} % for 95 %"),
            seams.Ends,
        }, BuildJson.Options);
    }

    /// <summary>Does something to picked islands.</summary>
    /// <param name="what">What.</param>
    /// <param name="spots">A place on each, as JSON.</param>
    public Task<IActionResult> OnPostIslandsAsync(IslandAct what, string? spots) => ChangeLayoutAsync(layout => layout.Do(what, Picked<SurfaceSpot[]>(spots)));

    /// <summary>Locks picked islands where they lie, or packs them with the others again.</summary>
    /// <param name="locks">Whether they are locked.</param>
    /// <param name="spots">A place on each, as JSON.</param>
    public async Task<IActionResult> OnPostLockAsync(bool locks, string? spots)
    {
        if (await Workbench.AssetAsync(Id) is not { } asset)
            return NotFound();
        return await ChangeLayoutAsync(layout => asset.IslandsAt(Picked<SurfaceSpot[]>(spots)) is var islands && locks ? layout.Locked(islands)
            : layout.Unlocked(islands));
    }

    /// <summary>Makes the parts of picked islands sharper or less sharp than the others.</summary>
    /// <param name="parts">Names of parts, one a line.</param>
    /// <param name="weight">Density against the others.</param>
    public Task<IActionResult> OnPostWeightAsync(string? parts, string? weight) =>
        ChangeLayoutAsync(layout => layout.Weighted(Lines(parts), (float?)FormNumber.ReadIfAny<PartLayout>(nameof(PartLayout.Weight), weight)));

    /// <summary>Puts the parts of picked islands on a sheet.</summary>
    /// <param name="parts">Names of parts, one a line.</param>
    /// <param name="sheet">Number from 1; 0 leaves it to the packer.</param>
    public Task<IActionResult> OnPostSheetAsync(string? parts, int sheet) =>
        ChangeLayoutAsync(layout => layout.OnSheet(Lines(parts), sheet > 0 ? sheet - 1 : null));

    /// <summary>Cuts picked edges, sews them up, or leaves them to the rules.</summary>
    /// <param name="how">cut, sew or rules.</param>
    /// <param name="edges">The edges, as JSON.</param>
    public Task<IActionResult> OnPostSeamsAsync(string how, string? edges) =>
        ChangeLayoutAsync(layout => layout.WithSeams(Picked<SeamEdge[]>(edges), how switch { "cut" => true, "sew" => false, _ => null }));

    /// <summary>Sets pins, or takes those of objects out.</summary>
    /// <param name="pins">Corners of the islands' view and where they are held: three numbers each, as JSON.</param>
    /// <param name="gone">Names of objects whose pins are taken out, one a line.</param>
    public async Task<IActionResult> OnPostPinsAsync(string? pins, string? gone)
    {
        if (await Workbench.AssetAsync(Id) is not { } asset)
            return NotFound();
        return await ChangeLayoutAsync(layout => layout.WithoutPins(Lines(gone)).WithPins(
            asset.PinsAt(Picked<double[][]>(string.IsNullOrEmpty(pins) ? "[]" : pins).Where(p => p.Length == 3 && p[0] is >= 0 and < int.MaxValue)
            .Select(p => ((int)p[0], (float)p[1], (float)p[2])))));
    }

    /// <summary>Edges to cut or sew up, from one that was pressed on the canvas or the stage.</summary>
    public async Task<IActionResult> OnGetEdgesAsync(EdgeQuestion question)
    {
        if ((await Workbench.AssetAsync(Id))?.PickEdges(question.Place, question.Reach, question.From) is not { } picked)
            return NotFound();
        return new JsonResult(new { picked.Edges, picked.HalfEdges, picked.Metres, end = (float[])[picked.End.X, picked.End.Y, picked.End.Z] },
            BuildJson.Options);
    }

    private Task<IActionResult> ChangeLayoutAsync(Func<LayoutSettings, LayoutSettings> change) =>
        ChangeAsync(plan => plan with { Layout = change(plan.Layout) });

    private static string[] Lines(string? text) => (text ?? "").Split('\n', StringSplitOptions.RemoveEmptyEntries | StringSplitOptions.TrimEntries);

    private static bool Fills(string? density) => string.Equals(density?.Trim(), "fill", StringComparison.OrdinalIgnoreCase);

    private static T Picked<T>(string? json)
        where T : class => BuildJson.Read<T>(json, "What was picked cannot be read; pick it again.");
}
