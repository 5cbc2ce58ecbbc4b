using Crumpet.Core.Building;
using Crumpet.Core.Imaging;
using Crumpet.Core.Pack;
using Crumpet.Core.Targets;
using Xunit;

namespace Crumpet.Core.Tests.Pack;

/// <summary>Each thing that is told of outputs, made and then mended; and arrangements that are ready.</summary>
public sealed class PackFindingTests
{
    private static readonly Bitmap8 Ramp = new(16, 16, 1, [.. Enumerable.Range(0, 256).Select(i => (byte)i)]);
    private static readonly Bitmap8 Faint = new(16, 16, 1, [.. Enumerable.Range(0, 256).Select(i => (byte)(100 + i % 20))]);
    private static readonly Bitmap8 Colours = new(16, 16, 3, [.. Enumerable.Range(0, 768).Select(i => (byte)i)]);

    [Fact]
    public void What_is_missing_clipped_flat_twice_or_taken_for_something_else_is_told_and_gone_when_mended()
    {
        Told("map-missing", Output(Feed.Of("thickness")), Output(new Feed(["thickness", "ao"])));
        Told("values-clipped", Output(Feed.Of("ao") with { Range = [0.25, 0.75] }), Output(Feed.Of("ao")));
        Told("map-resized", Output(Feed.Of("cavity")), Output(Feed.Of("ao")));
        Told("colour-as-data", Output(Feed.Of("colour")), Output(Feed.Of("colour")) with { Meaning = ColourMeaning.Srgb });
        Told("data-as-colour", Output(Feed.Of("normal")) with { Meaning = ColourMeaning.Srgb },
            Output(Feed.Of("normal")) with { Meaning = ColourMeaning.Normal });
        Told("range-unused", Output(Feed.Of("roughness")), Output(Feed.Of("roughness") with { Range = [100 / 255.0, 119 / 255.0] }));
        Told("channel-constant", Output(Feed.Of("metalness")), Output(Feed.Of("ao")));
        Told("channel-twice", Output(Feed.Of("ao"), Feed.Of("ao"), Feed.Of("ao")), Output(Feed.Of("ao")));
        var coloured = Output(Feed.Of("colour"), Feed.Of("colour", FeedChannel.G), Feed.Of("colour", FeedChannel.B), Feed.Of("opacity")) with
        {
            Meaning = ColourMeaning.Srgb
        };
        Told("alpha-white", coloured, coloured with { Channels = [.. coloured.Channels.Take(3)] });
        Assert.Contains("128 texels", Findings(Output(Feed.Of("ao") with { Range = [0.25, 0.75] })).Single().Sentence, StringComparison.Ordinal);
        Assert.Contains("0.392 to 0.467", Findings(Output(Feed.Of("roughness"))).Single().Sentence, StringComparison.Ordinal);
        Assert.Empty(Findings(Output(new Feed([], Else: 0.5))));
    }

    [Fact]
    public void Every_arrangement_can_be_added_to_any_recipe_and_packed()
    {
        var recipe = Recipe.Default;
        foreach (var arrangement in Arrangement.Table.All)
            recipe = recipe.Added(arrangement.Outputs([new PackFeed("ao", FeedOrigin.Baked, 1), new PackFeed("normal", FeedOrigin.Baked, 3)]));
        Assert.Null(recipe.Problem());
        Assert.Contains(recipe.Outputs, o => o.Name == "normal_2");
        foreach (var output in recipe.Made())
            Assert.Equal(output.Channels.Count, Pack(output).Channels.Count);
        var gloss = Pack(recipe.Outputs.First(o => o.Name == "gloss"));
        Assert.Equal(Faint.Pixels.Select(p => (byte)(255 - p)), ((Bitmap8)gloss.Picture).Pixels);
        Assert.Equal(recipe.Outputs.Count - 1, recipe.Without("gloss").Outputs.Count);
    }

    [Fact]
    public void Memory_and_channels_are_those_of_the_textures()
    {
        var cost = RecipeCost.Of(Recipe.Default, new Target(), 1024, 1024);
        // BC7 and BC5 are a byte a texel, with a third more for mips; ao, roughness and metalness apart are half a byte each.
        double chain = 1024 * 1024 * 4 / 3.0;
        Assert.InRange(cost.Bytes, 3 * chain - 100, 3 * chain + 100);
        Assert.InRange(cost.BytesApart, 3.5 * chain - 100, 3.5 * chain + 100);
        Assert.Equal((9, 11), (cost.Used, cost.There));
    }

    private static void Told(string code, RecipeOutput wrong, RecipeOutput mended)
    {
        var found = Findings(wrong).First(f => f.Code == code);
        Assert.DoesNotContain(Findings(mended), f => f.Code == code);
        // What is offered cures it too; every mend survives its way through a page.
        foreach (var offer in found.Mends)
        {
            var read = Assert.IsAssignableFrom<OutputMend>(BuildJson.ReadMend(BuildJson.OfMend(offer.Mend)));
            Assert.Null(new Recipe([wrong]).Problem());
            var cured = read.Applied(new Recipe([wrong])).Made().FirstOrDefault();
            Assert.True(cured is null || Findings(cured).All(f => f.Code != code), $"{offer.Label} leaves {code}");
        }
        Assert.Equal(code is "map-resized", found.Mends.Count == 0);
    }

    private static RecipeOutput Output(params Feed[] channels) => ChannelTests.Output(8, channels);

    private static Finding[] Findings(RecipeOutput output) => [.. PackFindings.Of(output, Pack(output).Channels, PackContext.None)];

    private static PackedOutput Pack(RecipeOutput output) => ChannelTests.Pack(output, 16, 16, ("ao", Ramp), ("cavity", ChannelTests.Noise(8, 8, 1, 8, 1)),
        ("colour", Colours), ("normal", Colours), ("roughness", Faint), ("metalness", new Bitmap8(16, 16, 1)),
        ("opacity", new Bitmap8(16, 16, 1, [.. Enumerable.Repeat((byte)255, 256)])));
}
