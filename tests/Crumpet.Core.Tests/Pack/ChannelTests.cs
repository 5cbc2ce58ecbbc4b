using System.Numerics;
using Crumpet.Core.Geometry;
using Crumpet.Core.Imaging;
using Crumpet.Core.Pack;
using Xunit;

namespace Crumpet.Core.Tests.Pack;

/// <summary>What channels are fed with: against closed forms, and against what must hold for any picture.</summary>
public sealed class ChannelTests
{
    [Fact]
    public void Channels_are_copied_inverted_filled_and_fall_back()
    {
        var map = new Bitmap16(2, 2, 3);
        map.Pixels[0] = 65535;
        map.Pixels[1] = 257 * 80;
        var packed = Pack(Output(8, Feed.Of("map", FeedChannel.G), new Feed(["absent", "map"], FeedChannel.R, Invert: true), Feed.Of("absent", @else: 0.5),
            new Feed([], Else: 1)), 2, 2, ("map", map));
        Assert.Equal([80, 0, 128, 255, 0, 255, 128, 255], ((Bitmap8)packed.Picture).Pixels[..8]);
        Assert.Equal(["map", "map", null, null], packed.Channels.Select(c => c.From));
    }

    [Fact]
    public void A_materials_colour_goes_out_as_srgb()
    {
        var maps = ChannelPacker.MaterialMaps(new Material("m", new Vector4(Srgb.ToLinear(200 / 255f), 0, 1, 1), 0.5f, 1))
            .Select(m => (m.Key, (Bitmap)new Bitmap8(1, 1, m.Value.Length, [.. m.Value.Select(c => (byte)c)]))).ToArray();
        Assert.Equal([200, 0, 255], ((Bitmap8)Pack(Recipe.Default.Outputs[0], 4, 4, maps).Picture).Pixels[..3]);
        Assert.Equal([255, 128, 255], ((Bitmap8)Pack(Recipe.Default.Outputs[2], 4, 4, maps).Picture).Pixels[..3]);
    }

    [Theory]
    [InlineData(8, 8)]
    [InlineData(16, 16)]
    [InlineData(8, 16)]
    [InlineData(16, 8)]
    public void What_is_packed_and_unpacked_is_what_it_was_to_half_a_step(int sourceBits, int bits)
    {
        var source = Noise(37, 23, 4, sourceBits, 5);
        FeedChannel[] order = [FeedChannel.B, FeedChannel.A, FeedChannel.R, FeedChannel.G];
        var packed = Pack(Output(bits, [.. order.Select(c => Feed.Of("map", c))]), 37, 23, ("map", source)).Picture;
        double step = sourceBits <= bits ? 1e-6 : 0.5 / 255 + 1e-6;
        for (int c = 0; c < 4; c++)
        {
            var back = Pack(Output(sourceBits, Feed.Of("packed", (FeedChannel)c)), 37, 23, ("packed", packed)).Picture;
            for (int i = 0; i < 37 * 23; i++)
                Assert.Equal(source.Unit(i % 37, i / 37, (int)order[c]), back.Unit(i % 37, i / 37, 0), step);
            if (sourceBits == bits)
                Assert.Equal(Channel(source, (int)order[c]), Channel(back, 0));
        }
    }

    [Theory]
    [InlineData(8)]
    [InlineData(16)]
    public void Inverted_twice_is_nothing_and_a_mirrored_range_is_an_inversion(int bits)
    {
        var source = Noise(16, 16, 1, bits, 9);
        var once = Pack(Output(bits, new Feed(["map"], Invert: true)), 16, 16, ("map", source)).Picture;
        var twice = Pack(Output(bits, new Feed(["map"], Invert: true)), 16, 16, ("map", once)).Picture;
        Assert.Equal(Channel(source, 0), Channel(twice, 0));
        Assert.Equal(Channel(once, 0), Channel(Pack(Output(bits, Feed.Of("map") with { Range = [1, 0] }), 16, 16, ("map", source)).Picture, 0));
    }

    [Theory]
    [InlineData(0.2, 0.7, 1, false)]
    [InlineData(0, 1, 2.2, false)]
    [InlineData(0.1, 0.9, 0.5, true)]
    public void Range_exponent_and_inversion_are_what_they_say(double from, double to, double exponent, bool invert)
    {
        var source = new Bitmap16(256, 1, 1, [.. Enumerable.Range(0, 256).Select(i => (ushort)(257 * i))]);
        var feed = new Feed(["map"], Invert: invert) { Range = [from, to], Exponent = exponent };
        var packed = Pack(Output(16, feed), 256, 1, ("map", source));
        int clipped = 0;
        for (int x = 0; x < 256; x++)
        {
            double share = (x / 255.0 - from) / (to - from), value = Math.Pow(Math.Clamp(share, 0, 1), exponent);
            clipped += share is < -1e-6 or > 1 + 1e-6 ? 1 : 0;
            Assert.Equal(invert ? 1 - value : value, packed.Picture.Unit(x, 0, 0), 1.0 / 65535);
        }
        // An exponent holds back what lies outside by itself; a plain range cuts it off.
        Assert.Equal(exponent == 1 ? clipped : 0, packed.Channels[0].Clipped);
    }

    [Theory]
    [InlineData(MixHow.Multiply)]
    [InlineData(MixHow.Lighten)]
    [InlineData(MixHow.Darken)]
    [InlineData(MixHow.Add)]
    [InlineData(MixHow.Mask)]
    public void Mixes_are_what_they_say(MixHow how)
    {
        var (a, b, m) = (Noise(32, 8, 1, 8, 1), Noise(32, 8, 1, 8, 2), Noise(32, 8, 1, 8, 3));
        var mix = new Mix(how, ["absent", "b"], Invert: true, Amount: 0.75, By: ["m"]);
        foreach (var meaning in new[] { ColourMeaning.Linear, ColourMeaning.Srgb })
        {
            var packed = Pack(Output(16, Feed.Of("a") with { Mix = mix }) with { Meaning = meaning }, 32, 8, ("a", a), ("b", b), ("m", m));
            Assert.Equal("b", packed.Channels[0].Mixed);
            for (int i = 0; i < 256; i++)
            {
                double x = a.Unit(i % 32, i / 32, 0), y = 1 - b.Unit(i % 32, i / 32, 0), by = 0.75 * m.Unit(i % 32, i / 32, 0);
                // Colour is mixed in linear light; what is data is data.
                x = meaning == ColourMeaning.Srgb ? Srgb.ToLinear((float)x) : x;
                double mixed = how switch
                {
                    MixHow.Multiply => x * y,
                    MixHow.Lighten => Math.Max(x, y),
                    MixHow.Darken => Math.Min(x, y),
                    MixHow.Add => x + y,
                    _ => y
                };
                double expected = Math.Clamp(x + by * (mixed - x), 0, 1);
                expected = meaning == ColourMeaning.Srgb ? Srgb.FromLinear((float)expected) : expected;
                Assert.Equal(expected, packed.Picture.Unit(i % 32, i / 32, 0), 2.0 / 65535);
            }
        }
    }

    [Fact]
    public void A_mix_whose_map_or_mask_is_absent_mixes_nothing()
    {
        var a = Noise(8, 8, 1, 8, 1);
        foreach (var mix in new[] { new Mix(MixHow.Multiply, ["absent"]), new Mix(MixHow.Mask, ["a"], Invert: true, By: ["absent"]) })
        {
            var packed = Pack(Output(8, Feed.Of("a") with { Mix = mix }), 8, 8, ("a", a));
            Assert.Equal(Channel(a, 0), Channel(packed.Picture, 0));
            Assert.Null(packed.Channels[0].Mixed);
        }
    }

    [Fact]
    public void Dither_keeps_the_mean_of_every_sixteen_texels_square_and_is_the_same_each_time()
    {
        // A slow ramp in floating point, two steps of 8 bits from side to side.
        var source = new Bitmap32(128, 64, 1, [.. Enumerable.Range(0, 128 * 64).Select(i => (100 + i % 128 / 64f) / 255)]);
        var output = Output(8, Feed.Of("map"), Feed.Of("map"), Feed.Of("map")) with { Dither = true };
        var dithered = (Bitmap8)Pack(output, 128, 64, ("map", source)).Picture;
        Assert.Equal(dithered.Pixels, ((Bitmap8)Pack(output, 128, 64, ("map", source)).Picture).Pixels);
        for (int block = 0; block < 32; block++)
        {
            for (int c = 0; c < 3; c++)
            {
                double meant = 0, is8 = 0;
                for (int i = 0; i < 256; i++)
                {
                    int x = block % 8 * 16 + i % 16, y = block / 8 * 16 + i / 16;
                    meant += 255 * source.Unit(x, y, 0) / 256;
                    is8 += dithered.Pixels[3 * (y * 128 + x) + c] / 256.0;
                }
                Assert.Equal(meant, is8, 0.1);
            }
        }
        // What 8 bits hold exactly stays as it is.
        var exact = Noise(64, 64, 1, 8, 4);
        Assert.Equal(Channel(exact, 0), Channel(Pack(Output(8, Feed.Of("map")) with { Dither = true }, 64, 64, ("map", exact)).Picture, 0));
    }

    [Fact]
    public void Floating_point_is_taken_as_it_is_and_shown_by_its_scale_in_whole_numbers()
    {
        var height = new Bitmap32(4, 1, 1, [-0.5f, 0, 0.25f, 0.5f]);
        var source = new PackSource(height, ColourMeaning.Linear) { Shown = (v, _) => v + 0.5f };
        var sources = PackSources.Of(new Dictionary<string, PackSource> { ["height"] = source });
        var half = Output(16, Feed.Of("height")) with { Picture = PictureFormat.Exr };
        Assert.Equal(height.Pixels, ((Bitmap32)ChannelPacker.Pack(half, sources, 4, 1).Picture).Pixels);
        Assert.Equal([0, 32768, 49151, 65535], ((Bitmap16)ChannelPacker.Pack(Output(16, Feed.Of("height")), sources, 4, 1).Picture).Pixels.Select(p => (int)p));
        // Colour in floating point is linear light.
        var colour = Output(32, Feed.Of("c"), Feed.Of("c"), Feed.Of("c")) with { Meaning = ColourMeaning.Srgb, Picture = PictureFormat.Exr };
        var grey = new PackSource(new Bitmap8(2, 1, 1, [128, 255]), ColourMeaning.Srgb);
        var greys = PackSources.Of(new Dictionary<string, PackSource> { ["c"] = grey });
        Assert.Equal([Srgb.ToLinear(128), 1], Channel(ChannelPacker.Pack(colour, greys, 2, 1).Picture, 1));
    }

    [Fact]
    public void Maps_of_another_size_are_brought_to_the_outputs_and_that_is_told()
    {
        var flat = new Bitmap8(8, 4, 3, [.. Enumerable.Range(0, 96).Select(i => (byte)(i % 3 == 2 ? 255 : 128))]);
        var packed = Pack(Output(8, Feed.Of("normal"), Feed.Of("normal", FeedChannel.G), Feed.Of("normal", FeedChannel.B)) with
        {
            Meaning = ColourMeaning.Normal
        }, 16, 8, ("normal", flat));
        Assert.Equal((16, 8), (packed.Picture.Width, packed.Picture.Height));
        Assert.All(packed.Channels, c => Assert.Equal((8, 4), (c.FromWidth, c.FromHeight)));
        Assert.Equal([128, 128, 255], ((Bitmap8)packed.Picture).Pixels[..3]);
    }

    [Theory]
    [InlineData("same", 2048, 1024, 2048, 1024)]
    [InlineData("half", 2048, 1024, 1024, 512)]
    [InlineData("quarter", 2, 2, 1, 1)]
    [InlineData("512", 2048, 1024, 512, 256)]
    [InlineData("most 1024", 4096, 2048, 1024, 512)]
    [InlineData("most 1024", 512, 256, 512, 256)]
    public void Sizes_go_by_the_longest_side(string size, int width, int height, int newWidth, int newHeight) =>
        Assert.Equal((newWidth, newHeight), OutputSize.Of(size)!.Value.For(width, height));

    [Theory]
    [InlineData("")]
    [InlineData("0")]
    [InlineData("-4")]
    [InlineData("most")]
    [InlineData("16385")]
    [InlineData("1024.5")]
    [InlineData("HALF")]
    public void What_is_no_size_is_none(string size) => Assert.Null(OutputSize.Of(size));

    [Fact]
    public void Colour_under_transparent_texels_is_that_of_the_nearest_that_is_not()
    {
        var colour = Noise(29, 17, 3, 8, 6);
        var opacity = new Bitmap8(29, 17, 1, [.. Enumerable.Range(0, 29 * 17).Select(i => (byte)(Hash.Mix((uint)i) % 9 == 0 ? 255 : 0))]);
        var output = Output(8, Feed.Of("c"), Feed.Of("c", FeedChannel.G), Feed.Of("c", FeedChannel.B), Feed.Of("o"));
        var packed = (Bitmap8)Pack(output with { Meaning = ColourMeaning.Srgb, Alpha = AlphaUse.Opacity }, 29, 17, ("c", colour), ("o", opacity)).Picture;
        Assert.Equal(Channel(opacity, 0), Channel(packed, 3));
        int[] solid = [.. Enumerable.Range(0, 29 * 17).Where(i => opacity.Pixels[i] > 0)];
        for (int i = 0; i < 29 * 17; i++)
        {
            int Far(int j) => (j % 29 - i % 29) * (j % 29 - i % 29) + (j / 29 - i / 29) * (j / 29 - i / 29);
            int nearest = solid.Min(Far);
            Assert.Contains(solid.Where(j => Far(j) == nearest), j =>
                Enumerable.Range(0, 3).All(c => packed.Pixels[4 * i + c] == colour.Unit(j % 29, j / 29, c) * 255));
        }
    }

    [Fact]
    public void The_texels_do_not_depend_on_threads()
    {
        var (a, b) = (Noise(200, 150, 3, 8, 1), Noise(64, 64, 1, 16, 2));
        var output = Output(8, Feed.Of("a") with { Mix = new Mix(MixHow.Multiply, ["b"]) }, Feed.Of("b"), Feed.Of("a", FeedChannel.G)) with { Dither = true };
        var sources = Sources(("a", a), ("b", b));
        Assert.Equal(((Bitmap8)ChannelPacker.Pack(output, sources, 200, 150, 1).Picture).Pixels,
            ((Bitmap8)ChannelPacker.Pack(output, sources, 200, 150, 7).Picture).Pixels);
    }

    [Fact]
    public void A_channel_a_picture_lacks_is_its_only_one_or_full_alpha()
    {
        var grey = Noise(4, 4, 1, 8, 1);
        Assert.Equal(Channel(grey, 0), Channel(Pack(Output(8, Feed.Of("map", FeedChannel.B)), 4, 4, ("map", grey)).Picture, 0));
        Assert.All(Channel(Pack(Output(8, Feed.Of("map", FeedChannel.A)), 4, 4, ("map", Noise(4, 4, 3, 8, 1))).Picture, 0), v => Assert.Equal(1, v));
    }

    internal static RecipeOutput Output(int bits, params Feed[] channels) => new("o", ColourMeaning.Linear, channels) { Bits = bits };

    internal static PackedOutput Pack(RecipeOutput output, int width, int height, params (string Name, Bitmap Picture)[] maps) =>
        ChannelPacker.Pack(output, Sources(maps), width, height, 2);

    internal static PackSources Sources(params (string Name, Bitmap Picture)[] maps) =>
        PackSources.Of(maps.ToDictionary(m => m.Name, m => new PackSource(m.Picture, OutputJob.MeaningOf(m.Name))));

    internal static Bitmap Noise(int width, int height, int channels, int bits, uint seed) => PictureOps.FromUnits(width, height, channels, bits,
        [.. Enumerable.Range(0, width * height * channels).Select(i => Hash.ToUnit(Hash.Mix((uint)i + 100_003 * seed)))]);

    private static float[] Channel(Bitmap picture, int channel) =>
        [.. Enumerable.Range(0, picture.Width * picture.Height).Select(i => picture.Unit(i % picture.Width, i / picture.Width, channel))];
}
