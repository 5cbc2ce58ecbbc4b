using System.ComponentModel;
using System.Text.Json.Serialization;
using Crumpet.Core.Checking;
using Crumpet.Core.Imaging;

namespace Crumpet.Core.Pack;

/// <summary>Outputs as they are usually arranged, ready to be added to a recipe. A new one is an entry here.</summary>
[JsonConverter(typeof(EntryJson<Arrangement>)), TypeConverter(typeof(EntryText<Arrangement>))]
public sealed class Arrangement : IEntry<Arrangement>
{
    private static readonly FeedChannel[] Colours = [FeedChannel.R, FeedChannel.G, FeedChannel.B];

    /// <inheritdoc/>
    public required string Word { get; init; }

    /// <summary>What it puts where, as a label.</summary>
    public required string Label { get; init; }

    /// <summary>The outputs for an asset that has some maps.</summary>
    public required Func<IReadOnlyList<PackFeed>, IReadOnlyList<RecipeOutput>> Outputs { get; init; }

    /// <summary>A picture a map.</summary>
    public static Arrangement Each { get; } = new()
    {
        Word = "each",
        Label = "One picture a map",
        Outputs = maps => [.. maps.Select(RecipeOutput.Of)],
    };

    /// <summary>Three grey maps in one.</summary>
    public static Arrangement Masks { get; } = new()
    {
        Word = "masks",
        Label = "Occlusion, roughness, metalness in one",
        Outputs = _ => [new RecipeOutput("occlusion_roughness_metalness", ColourMeaning.Linear,
            [Feed.Of("ao", @else: 1), Feed.Of("roughness", @else: 0.6), Feed.Of("metalness")])],
    };

    /// <summary>Roughness beside the normal.</summary>
    public static Arrangement NormalRoughness { get; } = new()
    {
        Word = "normal_roughness",
        Label = "Normal, roughness in its alpha",
        Outputs = _ => [new RecipeOutput("normal_roughness", ColourMeaning.Normal, [.. Three("normal"), Feed.Of("roughness", @else: 0.6)])],
    };

    /// <summary>Opacity beside the colour.</summary>
    public static Arrangement ColourOpacity { get; } = new()
    {
        Word = "colour_opacity",
        Label = "Colour, opacity in its alpha",
        Outputs = _ => [new RecipeOutput("colour_opacity", ColourMeaning.Srgb, [.. Three("colour"), Feed.Of("opacity", @else: 1)])
        {
            Alpha = AlphaUse.Opacity
        }],
    };

    /// <summary>Gloss is what roughness is not.</summary>
    public static Arrangement Gloss { get; } = new()
    {
        Word = "gloss",
        Label = "Gloss: roughness inverted",
        Outputs = _ => [new RecipeOutput("gloss", ColourMeaning.Linear, [new Feed(["roughness"], Invert: true, Else: 0.4)])],
    };

    /// <summary>Specular strength beside the normal.</summary>
    public static Arrangement NormalSpecular { get; } = new()
    {
        Word = "normal_specular",
        Label = "Normal, specular strength in its alpha",
        Outputs = _ => [new RecipeOutput("normal_specular", ColourMeaning.Normal, [.. Three("normal"), Feed.Of("specular", @else: 0.5)])],
    };

    /// <summary>Two masks where a normal's third component and alpha would be.</summary>
    public static Arrangement NormalMasks { get; } = new()
    {
        Word = "normal_masks",
        Label = "Normal in two channels, occlusion and roughness in the others",
        Outputs = _ => [new RecipeOutput("normal_occlusion_roughness", ColourMeaning.Linear,
            [Feed.Of("normal", FeedChannel.R, 0.5), Feed.Of("normal", FeedChannel.G, 0.5), Feed.Of("ao", @else: 1), Feed.Of("roughness", @else: 0.6)])],
    };

    /// <inheritdoc/>
    public static Table<Arrangement> Table { get; } =
        new("arrangement", Each, Masks, NormalRoughness, ColourOpacity, Gloss, NormalSpecular, NormalMasks);

    /// <inheritdoc/>
    public override string ToString() => Word;

    private static Feed[] Three(string map) =>
        [.. Colours.Select(c => Feed.Of(map, c, map == "normal" && c == FeedChannel.B ? 1 : map == "colour" ? 0.8 : 0.5))];
}
