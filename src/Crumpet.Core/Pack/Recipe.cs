using System.Buffers;
using Crumpet.Core.Checking;
using Crumpet.Core.Imaging;

namespace Crumpet.Core.Pack;

/// <summary>What feeds one channel of an output.</summary>
/// <param name="Map">Name of a map of the sheet, such as <c>normal</c>; null for the fixed value alone.</param>
/// <param name="Channel">Which of the map's channels: 0 to 3 for R, G, B, A.</param>
/// <param name="Invert">Whether full and empty are exchanged.</param>
/// <param name="Fallback">Value 0 to 1 where there is no such map.</param>
public sealed record Feed(
    [property: Words("The map of a feed", FieldRules.LongestName)] string? Map,
    [property: Within("The channel of a feed", 0, 3)] int Channel = 0,
    bool Invert = false,
    [property: Within("The fallback of a feed", 0, 1)] float Fallback = 0)
{
    /// <summary>What feeds the channel, in words.</summary>
    /// <param name="maps">How many channels each map has that is there.</param>
    public string InWords(IReadOnlyDictionary<string, int> maps)
    {
        if (Map is null || !maps.TryGetValue(Map, out int channels))
            return FormattableString.Invariant($"{Fallback:0.##}");
        string from = channels == 1 ? Map : $"{Map} {"RGBA"[Channel]}";
        return Invert ? $"{from}, inverted" : from;
    }
}

/// <summary>One picture a recipe makes.</summary>
/// <param name="Name">What stands for <c>{map}</c> in file names.</param>
/// <param name="Meaning">What its numbers mean.</param>
/// <param name="Format">How it is stored for the engine.</param>
/// <param name="Channels">Three or four feeds.</param>
public sealed record RecipeOutput(
    [property: Words("The name of an output", RecipeOutput.LongestName)] string Name,
    ColourMeaning Meaning,
    TextureFormat Format,
    [property: AtMost(4)] IReadOnlyList<Feed> Channels) : IChecked
{
    private const int LongestName = 60;
    private static readonly SearchValues<char> Forbidden = SearchValues.Create("/\\:*?\"<>|");

    /// <inheritdoc/>
    public string? ProblemTogether() => Name.AsSpan().ContainsAny(Forbidden) ? $"The recipe has an output named '{Name}', which cannot be part of a file name."
        : Channels.Count is not (3 or 4) ? $"Output {Name} has {Channels.Count} channels; give it three or four."
        : null;
}

/// <summary>The outputs made from a sheet.</summary>
/// <param name="Outputs">Pictures, in order.</param>
public sealed record Recipe([property: AtMost(Recipe.MostOutputs)] IReadOnlyList<RecipeOutput> Outputs) : IChecked
{
    private const int MostOutputs = 64;

    /// <summary>Version of this record's meaning; part of every pack's key.</summary>
    [Within("The version", 1, 1000)]
    public int Version { get; init; } = 1;

    /// <summary>Base colour, normal, and occlusion, roughness, metalness in one.</summary>
    public static Recipe Default { get; } = new(
    [
        new RecipeOutput("colour", ColourMeaning.Srgb, TextureFormat.Bc7,
            [new("colour", 0, false, 0.8f), new("colour", 1, false, 0.8f), new("colour", 2, false, 0.8f)]),
        new RecipeOutput("normal", ColourMeaning.Normal, TextureFormat.Bc5,
            [new("normal", 0, false, 0.5f), new("normal", 1, false, 0.5f), new("normal", 2, false, 1)]),
        new RecipeOutput("masks", ColourMeaning.Linear, TextureFormat.Bc7, [new("ao", 0, false, 1), new("roughness", 0, false, 0.6f), new("metalness")]),
    ]);

    /// <summary>What is wrong with this recipe, one sentence, or null when it can be used.</summary>
    public string? Problem() => FieldRules.Problem(this);

    /// <inheritdoc/>
    public string? ProblemTogether() => Outputs.Count == 0 ? "The recipe has no outputs; add at least one."
        : Outputs.GroupBy(o => o.Name, StringComparer.OrdinalIgnoreCase).FirstOrDefault(g => g.Count() > 1) is { } twice
            ? $"The recipe has two outputs named {twice.Key}; rename one."
        : null;
}
