using System.Globalization;
using Crumpet.Core.Convert;
using Crumpet.Core.Imaging;
using Crumpet.Core.Pack;

namespace Crumpet.Core.Building;

/// <summary>One output as a budget sees it: its textures of all sheets are stored alike.</summary>
/// <param name="Asset">Name of the asset it is of.</param>
/// <param name="Output">Name of the output.</param>
/// <param name="Meaning">What its numbers mean.</param>
/// <param name="Now">How it is stored now; the error is as its choices say it.</param>
/// <param name="Texture">Ways it can be stored, over all sheets together.</param>
public sealed record BudgetOutput(string Asset, string Output, ColourMeaning Meaning, TextureChoice Now, BudgetTexture Texture);

/// <summary>What meets a memory for the textures of one asset or many.</summary>
/// <param name="Outputs">The outputs.</param>
/// <param name="Plan">How each is stored; null where nothing fits.</param>
/// <param name="Least">Bytes they take at least.</param>
public sealed record BudgetAnswer(IReadOnlyList<BudgetOutput> Outputs, BudgetPlan? Plan, long Least)
{
    /// <summary>Each output and how it is stored; empty where nothing fits.</summary>
    public IEnumerable<(BudgetOutput Output, TextureChoice Choice)> Chosen => Outputs.Zip(Plan?.Chosen ?? []);

    /// <summary>Why a memory cannot be met, one sentence.</summary>
    /// <param name="mebibytes">The memory that was asked for.</param>
    public string Refusal(double mebibytes)
    {
        double least = Math.Ceiling(Least / TextureBudget.Mebibyte * 100) / 100;
        return FormattableString.Invariant($"{mebibytes:0.##} MiB cannot be met: the textures take at least {least:0.##} MiB, at a quarter of their size.");
    }
}

/// <summary>Meets a memory with what Convert measured.</summary>
public static class TextureBudget
{
    /// <summary>A mebibyte.</summary>
    public const double Mebibyte = 1 << 20;

    /// <summary>Least and most that can be asked for, MiB.</summary>
    public const double LeastMebibytes = 0.01, MostMebibytes = 65536;

    /// <summary>The memory a text asks for, MiB; null where it is none within bounds.</summary>
    public static double? Read(string? text) => double.TryParse(text, NumberStyles.Float, CultureInfo.InvariantCulture, out double value)
        && value is >= LeastMebibytes and <= MostMebibytes ? value : null;

    /// <summary>What a memory must be, one sentence.</summary>
    public static string Bounds => FormattableString.Invariant($"The memory must be {LeastMebibytes} to {MostMebibytes:0} MiB.");

    /// <summary>The way outputs are stored that fits with the least weighted error.</summary>
    /// <param name="assets">Names of assets, no two alike, and what Convert gave of each.</param>
    /// <param name="mebibytes">Memory they may take together.</param>
    public static BudgetAnswer Meet(IEnumerable<(string Asset, ConvertReport Report)> assets, double mebibytes)
    {
        ArgumentOutOfRangeException.ThrowIfLessThan(mebibytes, LeastMebibytes);
        ArgumentOutOfRangeException.ThrowIfGreaterThan(mebibytes, MostMebibytes);
        BudgetOutput[] outputs =
            [.. assets.SelectMany(a => a.Report.Textures.Where(t => t.Choices is not null).GroupBy(t => t.Output).Select(t => Of(a.Asset, t)))];
        return new BudgetAnswer(outputs, MemoryBudget.Meet([.. outputs.Select(o => o.Texture)], (long)(mebibytes * Mebibyte)),
            outputs.Sum(o => o.Texture.Choices.Min(c => c.Bytes)));
    }

    /// <summary>An asset's recipe with all outputs stored as an answer says.</summary>
    /// <param name="recipe">The recipe.</param>
    /// <param name="report">What Convert gave of the asset.</param>
    /// <param name="answer">The answer.</param>
    /// <param name="asset">Name of the asset.</param>
    public static Recipe Stored(Recipe recipe, ConvertReport report, BudgetAnswer answer, string asset) =>
        answer.Chosen.Where(c => c.Output.Asset == asset)
            .Aggregate(recipe, (r, c) => Stored(r, report, c.Output.Output, c.Choice.Format, c.Choice.Divisor));

    /// <summary>The recipe with an output stored as a choice says.</summary>
    /// <param name="recipe">The recipe.</param>
    /// <param name="report">What Convert gave.</param>
    /// <param name="output">Name of the output.</param>
    /// <param name="format">How texels are stored.</param>
    /// <param name="divisor">1, 2 or 4.</param>
    /// <exception cref="FormatException">There is no such output.</exception>
    public static Recipe Stored(Recipe recipe, ConvertReport report, string output, TextureFormat format, int divisor)
    {
        int[] sides = [.. report.Textures.Where(t => t.Output == output).Select(FullSide)];
        if (sides.Length == 0 || recipe.Outputs.All(o => o.Name != output))
            throw new FormatException($"There is no output {output}.");
        int? largest = TextureChoices.HeldTo(sides.Max(), divisor);
        return recipe with { Outputs = [.. recipe.Outputs.Select(o => o.Name == output ? o with { Format = format, Largest = largest } : o)] };
    }

    // Side of the picture: choices were measured for it, whatever size is stored now.
    private static int FullSide(ConvertedTexture texture) => texture.Choices is { } choices ? choices.Side : Math.Max(texture.Size, texture.Height);

    private static BudgetOutput Of(string asset, IGrouping<string, ConvertedTexture> textures)
    {
        // The largest sheet is held to the size of a choice, and smaller ones where they are larger than that.
        var all = textures.OrderByDescending(FullSide).ToArray();
        var first = all[0];
        long texels = all.Sum(t => (long)t.Choices!.Side * t.Choices.Side);
        TextureChoice[] choices = [.. first.Choices!.Choices
            .Where(c => all.All(t => Held(t, c, FullSide(first)) is not null))
            .Select(c => Together([.. all.Select(t => (t.Choices!, Held(t, c, FullSide(first))!))]))];
        var now = choices.FirstOrDefault(first.Is)
            ?? new TextureChoice(first.Format, first.Divisor, all.Sum(t => t.Memory), 0, first.Quality.Psnr, first.Quality.MeanAngleDegrees);
        return new BudgetOutput(asset, textures.Key, first.Meaning, now, new BudgetTexture(choices, BudgetTexture.WeightOf(first.Meaning, texels)));
    }

    // What of a sheet becomes of a choice made for the largest one: not as much smaller, where the sheet is small already.
    private static TextureChoice? Held(ConvertedTexture sheet, TextureChoice choice, int largest) => sheet.Choices!.Choices
        .Where(c => c.Format == choice.Format && (long)c.Divisor * largest <= Math.Max(largest, (long)choice.Divisor * sheet.Choices.Side))
        .MaxBy(c => c.Divisor);

    private static TextureChoice Together((ChoicesReport Report, TextureChoice Choice)[] all)
    {
        double texels = all.Sum(t => (double)t.Report.Side * t.Report.Side), error = all.Sum(t => t.Choice.Error * t.Report.Side * t.Report.Side) / texels;
        var first = all[0].Choice;
        return first with
        {
            Bytes = all.Sum(t => t.Choice.Bytes),
            Error = error,
            Psnr = error > 0 ? 10 * Math.Log10(255 * 255 / error) : null,
            MeanAngleDegrees = first.MeanAngleDegrees is null ? null : all.Sum(t => t.Choice.MeanAngleDegrees * t.Report.Side * t.Report.Side) / texels,
        };
    }
}
