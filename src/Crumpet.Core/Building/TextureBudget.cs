using Crumpet.Core.Convert;
using Crumpet.Core.Imaging;
using Crumpet.Core.Pack;

namespace Crumpet.Core.Building;

/// <summary>One output as a budget sees it: its textures of all sheets are stored alike.</summary>
/// <param name="Output">Name of the output.</param>
/// <param name="Meaning">What its numbers mean.</param>
/// <param name="Now">How it is stored now; the error is as its choices say it.</param>
/// <param name="Texture">Ways it can be stored, over all sheets together.</param>
public sealed record BudgetOutput(string Output, ColourMeaning Meaning, TextureChoice Now, BudgetTexture Texture);

/// <summary>What meets a memory for an asset's textures.</summary>
/// <param name="Outputs">The outputs.</param>
/// <param name="Plan">How each is stored; null where nothing fits.</param>
/// <param name="Least">Bytes they take at least.</param>
public sealed record BudgetAnswer(IReadOnlyList<BudgetOutput> Outputs, BudgetPlan? Plan, long Least);

/// <summary>Meets a memory with what Convert measured.</summary>
public static class TextureBudget
{
    /// <summary>A mebibyte.</summary>
    public const double Mebibyte = 1 << 20;

    /// <summary>Least and most that can be asked for, MiB.</summary>
    public const double LeastMebibytes = 0.01, MostMebibytes = 65536;

    /// <summary>The way outputs are stored that fits with the least weighted error.</summary>
    /// <param name="report">What Convert gave.</param>
    /// <param name="mebibytes">Memory they may take together.</param>
    public static BudgetAnswer Meet(ConvertReport report, double mebibytes)
    {
        ArgumentOutOfRangeException.ThrowIfLessThan(mebibytes, LeastMebibytes);
        ArgumentOutOfRangeException.ThrowIfGreaterThan(mebibytes, MostMebibytes);
        BudgetOutput[] outputs = [.. report.Textures.Where(t => t.Choices is not null).GroupBy(t => t.Output).Select(Of)];
        return new BudgetAnswer(outputs, MemoryBudget.Meet([.. outputs.Select(o => o.Texture)], (long)(mebibytes * Mebibyte)),
            outputs.Sum(o => o.Texture.Choices.Min(c => c.Bytes)));
    }

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
        int? largest = divisor == 1 ? null : Math.Max(4, sides.Max() / divisor);
        return recipe with { Outputs = [.. recipe.Outputs.Select(o => o.Name == output ? o with { Format = format, Largest = largest } : o)] };
    }

    // Side of the picture: choices were measured for it, whatever size is stored now.
    private static int FullSide(ConvertedTexture texture) => texture.Choices is { } choices ? choices.Side : Math.Max(texture.Size, texture.Height);

    private static BudgetOutput Of(IGrouping<string, ConvertedTexture> textures)
    {
        var all = textures.ToArray();
        var first = all[0];
        long texels = all.Sum(t => (long)t.Choices!.Side * t.Choices.Side);
        // What every sheet could be stored as.
        TextureChoice[] choices = [.. first.Choices!.Choices
            .Where(c => all.All(t => t.Choices!.Choices.Any(o => Same(o, c))))
            .Select(c => Together([.. all.Select(t => (t.Choices!, t.Choices!.Choices.First(o => Same(o, c))))]))];
        var now = choices.FirstOrDefault(first.Is)
            ?? new TextureChoice(first.Format, first.Divisor, all.Sum(t => t.Memory), 0, first.Quality.Psnr, first.Quality.MeanAngleDegrees);
        return new BudgetOutput(textures.Key, first.Meaning, now, new BudgetTexture(choices, BudgetTexture.WeightOf(first.Meaning, texels)));
    }

    private static bool Same(TextureChoice a, TextureChoice b) => a.Format == b.Format && a.Divisor == b.Divisor;

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
