using System.Globalization;
using Crumpet.Core;
using Crumpet.Core.Bake;
using Crumpet.Core.Building;
using Crumpet.Core.Geometry;
using Crumpet.Core.Imaging;
using Crumpet.Core.Intake;
using Crumpet.Core.Pairs;
using Microsoft.AspNetCore.Mvc;

namespace Crumpet.Web.Pages.Bake;

/// <summary>Maps in 2D and on the mesh in 3D.</summary>
public sealed class IndexModel(Workbench workbench) : StationPage(workbench)
{
    /// <inheritdoc/>
    public override Station Station => Station.Bake;

    /// <summary>Names of the sheets, where there are several or one was given a size of its own.</summary>
    public IReadOnlyList<string> Sheets => View.ShownBake is { } report && (report.Sheets.Count > 1 || View.Plan.Bake.SheetSizes.Count > 0)
        ? [.. report.Sheets.Select(s => s.Sheet)]
        : [.. View.Plan.Bake.SheetSizes.Keys.Order(StringComparer.Ordinal)];

    /// <summary>Textures that arrived and that maps can be made from.</summary>
    public IReadOnlyList<TextureReport> Textures => [.. (View.Intake?.Textures ?? []).Where(t => t.Kind is TextureKind.Height or TextureKind.Normal)];

    /// <summary>How large the high side of each part is, metres; nothing before parts are paired.</summary>
    public IEnumerable<float> HighSizes => View.Report<PairReport>(Station.Pairs) is { } pairs && View.Intake is { } intake
        ? pairs.Paired.Where(r => r.High.All(i => i < intake.Objects.Count))
            .Select(r => r.High.Aggregate(Bounds.Empty, (b, i) => b.Including(intake.Objects[i].Bounds())).Size.Length())
        : [];

    /// <summary>What white of the first of some maps that was baked stands for, in its unit.</summary>
    public IEnumerable<float> ScalesOf(params BakeMap[] maps) =>
        (View.ShownBake?.Sheets ?? []).SelectMany(s => s.Scales).Where(s => maps.Contains(s.Map)).Select(s => s.To[0]);

    /// <summary>What full scale of a map stands for, in words.</summary>
    public string Scale(MapScale scale)
    {
        string name = scale.Map.Label;
        if (scale.From.Count == 1)
            return string.Create(CultureInfo.InvariantCulture,
                $"{name}: black is {Number(scale.From[0], scale.Unit)}, white {Number(scale.To[0], scale.Unit)}");
        string from = string.Join(", ", scale.From.Select(v => v.ToString("0.###", CultureInfo.InvariantCulture))),
            to = string.Join(", ", scale.To.Select(v => v.ToString("0.###", CultureInfo.InvariantCulture)));
        return $"{name}: black is {from} m, white {to} m";
    }

    /// <summary>Records the settings and bakes.</summary>
    public async Task<IActionResult> OnPostBakeAsync(BakeForm form)
    {
        try
        {
            Problem = await Workbench.DecideAsync(Id, plan => plan with { Bake = form.Into(plan.Bake), Target = plan.Target with { Green = form.Green } },
                AsOf);
        }
        catch (FormatException e)
        {
            Problem = e.Message;
        }
        if (Problem is null)
            return await OnPostRunAsync();
        return await LoadAsync() ? Page() : NotFound();
    }

    /// <summary>Adds a map that is made from a texture, and makes it.</summary>
    public async Task<IActionResult> OnPostMakeAsync(string file, BakeMap to, string? strength, string? radius, bool wrap)
    {
        if (!await LoadAsync())
            return NotFound();
        bool isNormal = Textures.FirstOrDefault(t => t.File == file)?.Kind == TextureKind.Normal;
        return await ChangeAsync(plan =>
        {
            var made = new MadeMap(file, isNormal ? MadeOf.Normal : MadeOf.Height, to) { Wrap = wrap };
            return plan.Making(made with
            {
                Strength = (float?)FormNumber.ReadIfAny<MadeMap>(nameof(MadeMap.Strength), strength) ?? made.Strength,
                RadiusPixels = (int?)FormNumber.ReadIfAny<MadeMap>(nameof(MadeMap.RadiusPixels), radius) ?? made.RadiusPixels,
            });
        });
    }

    /// <summary>Leaves a map out that was made from a texture.</summary>
    public Task<IActionResult> OnPostUnmakeAsync(int number) =>
        ChangeAsync(plan => plan with { Bake = plan.Bake with { Made = [.. plan.Bake.Made.Where((_, i) => i != number)] } });

    private static string Number(float value, string unit) => unit == "m"
        ? Lengths.Millimetres(value)
        : value.ToString("0.##", CultureInfo.InvariantCulture) + " " + unit;
}
