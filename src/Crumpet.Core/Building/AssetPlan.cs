using System.Text.Json;
using System.Text.Json.Serialization;
using Crumpet.Core.Bake;
using Crumpet.Core.Bind;
using Crumpet.Core.Checking;
using Crumpet.Core.Intake;
using Crumpet.Core.Layout;
using Crumpet.Core.Pack;
using Crumpet.Core.Pairs;
using Crumpet.Core.Targets;

namespace Crumpet.Core.Building;

/// <summary>Everything the artist decided for one asset.</summary>
public sealed record AssetPlan : IChecked
{
    /// <summary>Version of this record's meaning.</summary>
    [Within("The version", 1, 1000)]
    public int Version { get; init; } = 1;

    /// <summary>Pattern by which object names are read.</summary>
    [Words("The pattern of names", Convention.LongestPattern)]
    public string NamePattern { get; init; } = Sides.DefaultPattern;

    /// <summary>Mends of what arrived, in the order they are applied.</summary>
    [AtMost(2000)]
    public IReadOnlyList<Mend> Mends { get; init; } = [];

    /// <summary>How parts are spread over trays.</summary>
    [Called("Parts on trays")]
    public TrayMode Trays { get; init; } = TrayMode.Planned;

    /// <summary>What was decided about single parts and trays.</summary>
    public PairSettings Pairs { get; init; } = new();

    /// <summary>What was decided about UVs.</summary>
    public LayoutSettings Layout { get; init; } = new();

    /// <summary>Bake settings.</summary>
    public BakeSettings Bake { get; init; } = new();

    /// <summary>What the engine wants.</summary>
    public Target Target { get; init; } = new();

    /// <summary>Outputs.</summary>
    public Recipe Recipe { get; init; } = Recipe.Default;

    /// <summary>A kit's recipes beside its usual one, by their names; an asset's recipe follows the one whose name it has.</summary>
    [AtMost(200)]
    public IReadOnlyList<Recipe> Recipes { get; init; } = [];

    /// <summary>Pattern by which output names are written and bound.</summary>
    [Words("The pattern of outputs", Convention.LongestPattern)]
    public string BindPattern { get; init; } = Binder.DefaultPattern;

    /// <summary>What was decided about single materials, by their names.</summary>
    [AtMost(1000)]
    public IReadOnlyDictionary<string, MaterialPlan> Materials { get; init; } = new Dictionary<string, MaterialPlan>();

    /// <summary>This plan with the recipe of a name in place of its usual one; as it is where there is none of that name.</summary>
    public AssetPlan Following(string recipe) =>
        recipe != Recipe.Name && Recipes.FirstOrDefault(r => r.Name == recipe) is { } own ? this with { Recipe = own } : this;

    /// <summary>This kit with a recipe of its own, in place of the one of its name.</summary>
    public AssetPlan Keeping(Recipe recipe) => recipe.Name == Recipe.Name ? this with { Recipe = recipe }
        : this with { Recipes = [.. Recipes.Where(r => r.Name != recipe.Name), recipe] };

    /// <summary>This kit with another usual recipe; the one before stays among the others.</summary>
    public AssetPlan Using(Recipe recipe) => recipe.Name == Recipe.Name ? this with { Recipe = recipe }
        : this with { Recipe = recipe, Recipes = [.. Recipes.Where(r => r.Name != recipe.Name && r.Name != Recipe.Name), Recipe] };

    /// <summary>Names of the kit's assets whose textures an asset's materials take.</summary>
    /// <param name="self">Name of the asset; its own textures are not another's.</param>
    public IReadOnlyList<string> SharedBy(string self) =>
        [.. Materials.Values.Select(m => m.TexturesOf).OfType<string>().Where(n => n != self).Distinct(StringComparer.Ordinal).Order(StringComparer.Ordinal)];

    /// <summary>Side of the sheets that islands are laid for, pixels.</summary>
    [JsonIgnore]
    public int LaidSize => Layout.SizePixels ?? Bake.Size;

    /// <summary>How coarse a draft of a station's result this plan asks for; 0 for the full result.</summary>
    public int DraftOf(Station station) => station.Drafts?.Of(this) ?? 0;

    /// <summary>The same for a draft of a station's result; stations that have none stay as they are.</summary>
    public AssetPlan Drafted(Station station, int draft) => station.Drafts?.At(this, draft) ?? this;

    /// <summary>The same with islands laid, and sheets baked, at a size.</summary>
    /// <param name="size">Pixels.</param>
    public AssetPlan LaidFor(int size) => this with { Bake = Bake with { Size = size }, Layout = Layout with { SizePixels = size, Held = [] } };

    /// <summary>
    /// The same with islands where they lay: sheets that are baked at another size move none, and surfaces that change move none but their
    /// own, until islands are laid out anew or by other rules.
    /// </summary>
    /// <param name="before">The plan this was made from.</param>
    /// <param name="places">Where islands lay; asked only where surfaces may have changed.</param>
    public AssetPlan KeepingIslands(AssetPlan before, Func<IReadOnlyList<LaidIsland>>? places = null)
    {
        var layout = Layout;
        if (Bake.Size != before.Bake.Size && layout.SizePixels is null)
            layout = layout with { SizePixels = before.Bake.Size };
        if (Rules(this with { Layout = layout }) != Rules(before))
            layout = layout.Held.Count == before.Layout.Held.Count ? layout with { Held = [] } : layout;
        else if (places is not null && (NamePattern != before.NamePattern || !Mends.Select(BuildJson.OfMend)
            .SequenceEqual(before.Mends.Select(BuildJson.OfMend))))
            layout = layout.Holding(places());
        return ReferenceEquals(layout, Layout) ? this : this with { Layout = layout };
    }

    /// <summary>What islands are laid by.</summary>
    private static string Rules(AssetPlan plan) => JsonSerializer.Serialize(plan.Layout with { Held = [], SizePixels = plan.LaidSize }, BuildJson.Options);

    /// <summary>What is wrong with this plan, one sentence, or null when it can be used.</summary>
    public string? Problem() => FieldRules.Problem(this);

    /// <inheritdoc/>
    public string? ProblemTogether()
    {
        if (Recipes.GroupBy(r => r.Name, StringComparer.OrdinalIgnoreCase).FirstOrDefault(g => g.Count() > 1) is { } twice)
            return $"The kit has two recipes named {twice.Key}; rename one.";
        try
        {
            NameReader.Create(NamePattern, new NameRules());
            Convention.Parse(BindPattern, ["asset", "map"]);
            return null;
        }
        catch (FormatException e)
        {
            return e.Message;
        }
    }
}
