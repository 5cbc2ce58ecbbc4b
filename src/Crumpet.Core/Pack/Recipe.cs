using Crumpet.Core.Checking;
using Crumpet.Core.Imaging;

namespace Crumpet.Core.Pack;

/// <summary>The outputs made from a sheet.</summary>
/// <param name="Outputs">Pictures, in order.</param>
public sealed record Recipe([property: AtMost(Recipe.MostOutputs)] IReadOnlyList<RecipeOutput> Outputs) : IChecked
{
    /// <summary>Version of this record's meaning.</summary>
    public const int ThisVersion = 2;

    private const int MostOutputs = 64;

    /// <summary>Version of this record's meaning; part of every pack's key.</summary>
    [Within("The version", 1, 1000)]
    public int Version { get; init; } = ThisVersion;

    /// <summary>What people call it.</summary>
    [Words("The name of a recipe", 100)]
    public string Name { get; init; } = "colour, normal, masks";

    /// <summary>Base colour, normal, and occlusion, roughness, metalness in one.</summary>
    public static Recipe Default { get; } = new(
    [
        new RecipeOutput("colour", ColourMeaning.Srgb,
            [Feed.Of("colour", FeedChannel.R, 0.8), Feed.Of("colour", FeedChannel.G, 0.8), Feed.Of("colour", FeedChannel.B, 0.8)])
        {
            Format = TextureFormat.Bc7
        },
        new RecipeOutput("normal", ColourMeaning.Normal,
            [Feed.Of("normal", FeedChannel.R, 0.5), Feed.Of("normal", FeedChannel.G, 0.5), Feed.Of("normal", FeedChannel.B, 1)])
        {
            Format = TextureFormat.Bc5
        },
        new RecipeOutput("masks", ColourMeaning.Linear, [Feed.Of("ao", @else: 1), Feed.Of("roughness", @else: 0.6), Feed.Of("metalness")])
        {
            Format = TextureFormat.Bc7
        },
    ]);

    /// <summary>The outputs that are made.</summary>
    public IEnumerable<RecipeOutput> Made() => Outputs.Where(o => o.On);

    /// <summary>The recipe with an output in the place of another.</summary>
    /// <param name="was">Name of the other; an output it does not have comes last.</param>
    /// <param name="output">The output.</param>
    public Recipe With(string was, RecipeOutput output) => this with
    {
        Outputs = Outputs.Any(o => o.Name == was) ? [.. Outputs.Select(o => o.Name == was ? output : o)] : [.. Outputs, output],
    };

    /// <summary>The recipe without an output.</summary>
    public Recipe Without(string name) => this with { Outputs = [.. Outputs.Where(o => o.Name != name)] };

    /// <summary>The recipe with outputs more, under names that are free.</summary>
    public Recipe Added(IEnumerable<RecipeOutput> more) => more.Aggregate(this, (recipe, output) =>
        recipe with { Outputs = [.. recipe.Outputs, output with { Name = recipe.Free(output.Name) }] });

    private string Free(string wanted)
    {
        for (int number = 1; ; number++)
        {
            string name = number == 1 ? wanted : $"{wanted}_{number}";
            if (!Outputs.Any(o => string.Equals(o.Name, name, StringComparison.OrdinalIgnoreCase)))
                return name;
        }
    }

    /// <summary>What is wrong with this recipe, one sentence, or null when it can be used.</summary>
    public string? Problem() => FieldRules.Problem(this);

    /// <inheritdoc/>
    public string? ProblemTogether() => !Made().Any() ? "The recipe makes no output; add one, or switch one on."
        : Version > ThisVersion ? $"The recipe has version {Version}, this Crumpet reads versions up to {ThisVersion}; use a newer Crumpet."
        : Outputs.GroupBy(o => o.Name, StringComparer.OrdinalIgnoreCase).FirstOrDefault(g => g.Count() > 1) is { } twice
            ? $"The recipe has two outputs named {twice.Key}; rename one."
        : null;
}
