using System.Text.Json;
using Crumpet.Core.Building;
using Crumpet.Core.Intake;
using Crumpet.Core.Layout;
using Microsoft.AspNetCore.Mvc;

namespace Crumpet.Web.Pages.Layout;

/// <summary>What becomes of the islands as a whole.</summary>
public enum IslandsChoice
{
    /// <summary>They stay where they came.</summary>
    Keep,

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

    /// <summary>Density, px/m; empty fills the tile.</summary>
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

    /// <summary>Whether hard edges become seams.</summary>
    public bool HardEdges { get; init; }

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

/// <summary>UV islands: unwrapped, brought to a density, packed, or kept as they came.</summary>
public sealed class IndexModel(Workbench workbench) : StationPage(workbench)
{
    private static readonly int[] ReadOutSizes = [1024, 2048, 4096];

    /// <inheritdoc/>
    public override Station Station => Station.Layout;

    /// <summary>What was measured, or null where it is out of date.</summary>
    public LayoutReport? Report => View.Report<LayoutReport>(Station.Layout);

    /// <summary>What the plan says of all islands.</summary>
    public IslandsChoice Choice => View.Plan.Layout switch
    {
        { Uvs: UvSource.Unwrap } => IslandsChoice.Unwrap,
        { Pack: true } => IslandsChoice.Pack,
        _ => IslandsChoice.Keep,
    };

    /// <summary>How many parts have a low side.</summary>
    public int PartCount => View.Intake?.Objects.Where(o => o.Side == Side.Low).Select(o => o.Part).Distinct(StringComparer.Ordinal).Count() ?? 0;

    /// <summary>What other sizes would give: density, and pixels of a hand's width of 0.10 m.</summary>
    public IEnumerable<(int Size, double Density)> ReadOut => Report is { } report ? ReadOutSizes.Select(size => (size, report.MedianDensity * size / report.Size)) : [];

    /// <summary>Records what is to be done, and does it.</summary>
    public Task<IActionResult> OnPostLayAsync(LayoutForm form) => ChangeAsync(plan => plan with
    {
        Bake = plan.Bake with { Size = form.Size },
        Layout = plan.Layout with
        {
            Uvs = form.Islands == IslandsChoice.Unwrap ? UvSource.Unwrap : UvSource.Keep,
            Pack = form.Islands != IslandsChoice.Keep,
            PixelsPerMetre = Number(form.Density, "The density", 0.001, 1e7),
            PaddingPixels = (int)(Number(form.Padding, "The padding", 0, 256) ?? 8),
            Rotation = form.Rotation,
            SlackPercent = Number(form.Slack, "The slack", 0, 90) ?? 0,
            StackEqual = form.Stack,
            Sheets = form.Sheets > 0 ? SheetRule.Together : SheetRule.Materials,
            SheetCount = Math.Max(1, form.Sheets),
            Unwrap = plan.Layout.Unwrap with
            {
                CutHardEdges = form.HardEdges,
                Straighten = form.Straighten,
                HideSeams = form.Hide,
                CutAngleDegrees = Number(form.Angle, "The angle of seams", 1, 180) ?? 75,
                ConeDegrees = Number(form.Cone, "The cone", 5, 180) ?? 100,
                StretchLimit = 1 + (Number(form.Stretch, "The stretch limit", 0.5, 900) ?? 25) / 100,
            },
        },
    });

    /// <summary>Does something to picked islands.</summary>
    /// <param name="what">unwrap, keep, lock or unlock.</param>
    /// <param name="spots">A place on each, as JSON.</param>
    public Task<IActionResult> OnPostIslandsAsync(string what, string? spots) => ChangeAsync(plan =>
    {
        SurfaceSpot[] picked;
        try
        {
            picked = JsonSerializer.Deserialize<SurfaceSpot[]>(spots ?? "", BuildJson.Options) ?? [];
        }
        catch (JsonException)
        {
            throw new FormatException("What was picked cannot be read; pick the islands again.");
        }
        var layout = plan.Layout;
        return plan with
        {
            Layout = what switch
            {
                "unwrap" => layout with { UnwrapAt = [.. layout.UnwrapAt.Union(picked)], Pack = true },
                "keep" => layout with { UnwrapAt = [.. layout.UnwrapAt.Except(picked)] },
                "lock" => layout with { LockedAt = [.. layout.LockedAt.Union(picked)] },
                "unlock" => layout with { LockedAt = [.. layout.LockedAt.Except(picked)] },
                _ => throw new FormatException("Nothing is known by that name; reload the page."),
            },
        };
    });

    /// <summary>Makes the parts of picked islands sharper or less sharp than the others, or puts them on a sheet.</summary>
    /// <param name="parts">Names of parts, one a line.</param>
    /// <param name="weight">Density against the others.</param>
    public Task<IActionResult> OnPostWeightAsync(string? parts, string? weight) => ChangeAsync(plan =>
    {
        float times = Number(weight, "The weight", 0.01, 100) ?? 1;
        var layout = plan.Layout;
        foreach (string part in (parts ?? "").Split('\n', StringSplitOptions.RemoveEmptyEntries | StringSplitOptions.TrimEntries))
            layout = layout.With(part, (layout.Parts.GetValueOrDefault(part) ?? new PartLayout()) with { Weight = times == 1 ? null : times });
        return plan with { Layout = layout };
    });
}
