using System.Numerics;
using Crumpet.Core.Geometry;
using Crumpet.Core.Imaging;
using Crumpet.Core.Pack;
using Xunit;

namespace Crumpet.Core.Tests.Pack;

public sealed class ChannelTests
{
    [Fact]
    public void Channels_are_copied_inverted_filled_and_fall_back()
    {
        var output = new RecipeOutput("o", ColourMeaning.Linear, TextureFormat.Bc7,
            [new Feed("map", 1), new Feed("map", 0, Invert: true), new Feed("absent", Fallback: 0.5f), new Feed(null, Fallback: 1)]);
        var map = new Bitmap16(2, 2, 3);
        map.Pixels[0] = 65535;
        map.Pixels[1] = 257 * 80;
        var packed = ChannelPacker.Pack(output, new Dictionary<string, Bitmap> { ["map"] = map }, 2);
        Assert.Equal([80, 0, 128, 255, 0, 255, 128, 255], packed.Pixels[..8]);
    }

    [Fact]
    public void A_materials_colour_goes_out_as_srgb()
    {
        var maps = ChannelPacker.MaterialMaps(new Material("m", new Vector4(Srgb.ToLinear(200 / 255f), 0, 1, 1), 0.5f, 1))
            .ToDictionary(m => m.Key, m => (Bitmap)new Bitmap8(1, 1, m.Value.Length, [.. m.Value.Select(c => (byte)c)]));
        var packed = ChannelPacker.Pack(Recipe.Default.Outputs[0], maps, 4);
        Assert.Equal([200, 0, 255], packed.Pixels[..3]);
        Assert.Equal([255, 128, 255], ChannelPacker.Pack(Recipe.Default.Outputs[2], maps, 4).Pixels[..3]);
    }

    [Fact]
    public void Maps_of_another_size_and_missing_channels_are_refused()
    {
        var output = new RecipeOutput("o", ColourMeaning.Linear, TextureFormat.Bc7, [new Feed("map", 2), new Feed(null), new Feed(null)]);
        Assert.Throws<ArgumentException>(() => ChannelPacker.Pack(output, new Dictionary<string, Bitmap> { ["map"] = new Bitmap8(8, 8, 3) }, 4));
        Assert.Throws<ArgumentException>(() => ChannelPacker.Pack(output, new Dictionary<string, Bitmap> { ["map"] = new Bitmap8(4, 4, 2) }, 4));
    }

    [Fact]
    public void Recipes_that_cannot_work_say_why()
    {
        Assert.Null(Recipe.Default.Problem());
        Assert.NotNull(new Recipe([]).Problem());
        Assert.Contains("a/b", new Recipe([Recipe.Default.Outputs[0] with { Name = "a/b" }]).Problem()!, StringComparison.Ordinal);
        Assert.Contains("two outputs", new Recipe([Recipe.Default.Outputs[0], Recipe.Default.Outputs[0]]).Problem()!, StringComparison.Ordinal);
    }
}
