using System.Globalization;
using Crumpet.Core.Building;
using Crumpet.Core.Convert;
using Crumpet.Core.Imaging;
using Crumpet.Core.Pack;
using Microsoft.AspNetCore.Mvc;

namespace Crumpet.Web.Pages.Convert;

/// <summary>Textures beside the pictures they were made from, what else they could be, and what meets a memory.</summary>
public sealed class IndexModel(Workbench workbench) : StationPage(workbench)
{
    /// <inheritdoc/>
    public override Station Station => Station.Convert;

    /// <summary>Memory that is asked for, MiB; null where none is.</summary>
    [BindProperty(Name = "budget", SupportsGet = true)]
    public string? Budget { get; set; }

    /// <summary>What Convert gave last, or null.</summary>
    public ConvertReport? Report => View.Report<ConvertReport>(Station.Convert);

    /// <summary>What meets the memory that is asked for, or null.</summary>
    public BudgetAnswer? Answer => Report is { } report && Mebibytes is { } mebibytes ? TextureBudget.Meet(report, mebibytes) : null;

    /// <summary>The memory that is asked for, where it is a number within bounds.</summary>
    public double? Mebibytes => double.TryParse(Budget, NumberStyles.Float, CultureInfo.InvariantCulture, out double value)
        && value is >= TextureBudget.LeastMebibytes and <= TextureBudget.MostMebibytes ? value : null;

    /// <summary>Records each output's format and size and how all are compressed, and converts.</summary>
    public Task<IActionResult> OnPostConvertAsync(Dictionary<string, TextureFormat> formats,
        [FromForm(Name = "largest")] Dictionary<string, int?> largest, Effort? level, MipFilter? mips) =>
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
                    }),
                ],
            },
        });

    /// <summary>Stores one output as it was measured to be, and converts.</summary>
    /// <param name="take">Output, format and divisor, with bars between.</param>
    public async Task<IActionResult> OnPostTakeAsync(string take)
    {
        string[] parts = (take ?? "").Split('|');
        if (!await LoadAsync())
            return NotFound();
        if (Report is not { } report || parts.Length != 3 || TextureFormat.Table.Find(parts[1]) is not { } format || parts[2] is not ("1" or "2" or "4"))
            return await ShowAsync("That is no way to store a texture of this asset; look at the table again.");
        return await DecideAndRunAsync(plan => plan with
        {
            Recipe = TextureBudget.Stored(plan.Recipe, report, parts[0], format, int.Parse(parts[2], CultureInfo.InvariantCulture)),
        });
    }

    /// <summary>Stores all outputs so that they meet a memory, and converts.</summary>
    public async Task<IActionResult> OnPostBudgetAsync()
    {
        if (!await LoadAsync())
            return NotFound();
        if (Report is not { } report || Answer is not { } answer)
            return await ShowAsync(FormattableString.Invariant(
                $"The memory is '{Budget}'; it must be {TextureBudget.LeastMebibytes} to {TextureBudget.MostMebibytes:0} MiB, once textures are converted."));
        if (answer.Plan is not { } plan)
            return await ShowAsync(FormattableString.Invariant(
                $"{Mebibytes:0.##} MiB cannot be met: the textures take at least {answer.Least / TextureBudget.Mebibyte:0.##} MiB at a quarter of their size."));
        return await DecideAndRunAsync(decided => decided with
        {
            Recipe = answer.Outputs.Zip(plan.Chosen).Aggregate(decided.Recipe,
                (recipe, pair) => TextureBudget.Stored(recipe, report, pair.First.Output, pair.Second.Format, pair.Second.Divisor)),
        });
    }

    /// <summary>Names of sizes.</summary>
    public static string SizeWords(int divisor) => divisor switch { 1 => "full size", 2 => "½ size", _ => "¼ size" };

    /// <summary>How far a choice is from its picture, in words.</summary>
    public static string Loss(TextureChoice choice) => choice.MeanAngleDegrees is { } angle
        ? string.Create(CultureInfo.InvariantCulture, $"{angle:0.00}°") : choice.Psnr is { } db ? string.Create(CultureInfo.InvariantCulture, $"{db:0.0} dB") : "exact";
}
