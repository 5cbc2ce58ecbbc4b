using System.Globalization;
using Crumpet.Core.Building;
using Crumpet.Core.Convert;
using Crumpet.Core.Imaging;
using Crumpet.Core.Pack;
using Crumpet.Web.Pictures;
using Microsoft.AspNetCore.Mvc;

namespace Crumpet.Web.Pages.Convert;

/// <summary>Textures beside the pictures they were made from, what else they could be, and what meets a memory.</summary>
public sealed class IndexModel(Workbench workbench, SightService sights) : StationPage(workbench)
{
    /// <inheritdoc/>
    public override Station Station => Station.Convert;

    /// <summary>Memory that is asked for, MiB; null where none is.</summary>
    [BindProperty(Name = "budget", SupportsGet = true)]
    public string? Budget { get; set; }

    /// <summary>What Convert gave last, or null.</summary>
    public ConvertReport? Report => View.Report<ConvertReport>(Station.Convert);

    /// <summary>What meets the memory that is asked for, or null.</summary>
    public BudgetAnswer? Answer => Report is { } report && Mebibytes is { } mebibytes ? TextureBudget.Meet([(View.Asset.Name, report)], mebibytes) : null;

    /// <summary>The memory that is asked for, where it is a number within bounds.</summary>
    public double? Mebibytes => TextureBudget.Read(Budget);

    /// <summary>Records each output's format and size and how all are compressed, and converts.</summary>
    public Task<IActionResult> OnPostConvertAsync(Dictionary<string, TextureFormat> formats,
        [FromForm(Name = "largest")] Dictionary<string, int?> largest, Effort? level, MipFilter? mips, SideRule? sides) =>
        DecideAndRunAsync(plan => plan with
        {
            Recipe = plan.Recipe with
            {
                Outputs =
                [
                    .. plan.Recipe.Outputs.Select(o => o with
                    {
                        Format = formats.TryGetValue(o.Name, out var format) ? format : o.Format,
                        Largest = largest.TryGetValue(o.Name, out int? side) ? side : o.Largest,
                        Level = level ?? o.Level,
                        Mips = mips ?? o.Mips,
                        Sides = sides ?? o.Sides,
                    }),
                ],
            },
        });

    /// <summary>Stores one output as it was measured to be, and converts.</summary>
    /// <param name="take">Output, format and divisor, with bars between.</param>
    public async Task<IActionResult> OnPostTakeAsync(string? take)
    {
        if (!await LoadAsync())
            return NotFound();
        if (Way(take) is not { } way)
            return await ShowAsync("That is no way to store a texture of this asset; look at the table again.");
        return await DecideAndRunAsync(plan => plan with { Recipe = TextureBudget.Stored(plan.Recipe, Report!, way.Texture.Output, way.Format, way.Divisor) });
    }

    /// <summary>Converts an output another way, to be looked at beside how it is stored now.</summary>
    /// <param name="way">Output, format and divisor, with bars between.</param>
    public async Task<IActionResult> OnGetWouldBeAsync(string? way)
    {
        if (!await LoadAsync() || Way(way) is not var (texture, format, divisor) || View.Shown(Station.Pack) is not { } packed)
            return NotFound();
        if (packed.Files.FirstOrDefault(f => f.Name == texture.Picture) is not { } picture)
            return NotFound();
        // As it would be taken: by the recipe that would say so.
        var output = TextureBudget.Stored(View.Plan.Recipe, Report!, texture.Output, format, divisor).Outputs.First(o => o.Name == texture.Output);
        var (sha, width, height, levels) = await sights.WouldBeAsync(picture.Sha256, ConvertSettings.For(output, View.Plan.Target, SideOf(texture.Picture)));
        var made = texture with { Format = format, Size = width, Height = height, Mips = levels, Filter = output.Mips };
        string label = $"{texture.Output} as {format.Label}{(divisor > 1 ? $", {Show.SizeOf(divisor)}" : "")}";
        return new JsonResult(
            new
            {
                Now = $"{Station.Word}/{texture.File}",
                WouldBe = new MapChoice("As it would be", "live-would-be", label, MapModel.AddressOf(sha, texture.Meaning),
                    texture.Meaning == ColourMeaning.Normal, levels, texture.Sheet)
                { Texture = TextureLook.Of(sha, picture.Sha256, made) },
            }, BuildJson.Options);
    }

    private int SideOf(string picture) =>
        View.Report<PackReport>(Station.Pack)?.Pictures.FirstOrDefault(p => p.File == picture) is { } packed ? Math.Max(packed.Width, packed.Height) : int.MaxValue;

    private (ConvertedTexture Texture, TextureFormat Format, int Divisor)? Way(string? said)
    {
        string[] parts = (said ?? "").Split('|');
        return parts.Length == 3 && Report?.Textures.FirstOrDefault(t => t.Output == parts[0] && t.Choices is not null) is { } texture
            && TextureFormat.Table.Find(parts[1]) is { } format && int.TryParse(parts[2], NumberStyles.None, CultureInfo.InvariantCulture, out int divisor)
            && texture.Choices!.Choices.Any(c => c.Format == format && c.Divisor == divisor) ? (texture, format, divisor) : null;
    }

    /// <summary>Stores all outputs so that they meet a memory, and converts.</summary>
    public async Task<IActionResult> OnPostBudgetAsync()
    {
        if (!await LoadAsync())
            return NotFound();
        if (Report is not { } report)
            return await ShowAsync("Nothing is converted yet; convert first, then say what it may take.");
        if (Answer is not { } answer)
            return await ShowAsync(TextureBudget.Bounds);
        if (answer.Plan is null)
            return await ShowAsync(answer.Refusal(Mebibytes!.Value));
        return await DecideAndRunAsync(decided => decided with { Recipe = TextureBudget.Stored(decided.Recipe, report, answer, View.Asset.Name) });
    }
}
