using Crumpet.Core.Convert;
using Crumpet.Core.Imaging;
using Xunit;

namespace Crumpet.Core.Tests.Convert;

public sealed class CompressionTests
{
    public static TheoryData<string> All => [.. TextureFormat.Table.All.Select(f => f.Word)];

    [Theory]
    [InlineData(300, 200, null, SideRule.Any, 300, 200)]
    [InlineData(300, 200, null, SideRule.PowersDown, 256, 128)]
    [InlineData(300, 200, null, SideRule.PowersUp, 512, 256)]
    [InlineData(512, 64, null, SideRule.PowersUp, 512, 64)]
    [InlineData(300, 200, 150, SideRule.Any, 150, 100)]
    [InlineData(300, 200, 150, SideRule.PowersUp, 128, 128)]
    [InlineData(300, 200, 256, SideRule.PowersDown, 256, 128)]
    [InlineData(16384, 9000, null, SideRule.PowersUp, 16384, 16384)]
    [InlineData(12000, 1, null, SideRule.PowersUp, 16384, 1)]
    public void Sides_become_powers_of_two_and_never_longer_than_they_may_be(int width, int height, int? largest, SideRule sides, int wide, int high) =>
        Assert.Equal((wide, high), TextureConverter.SizeFor(width, height, largest, sides));

    [Fact]
    public void A_picture_that_is_brought_up_is_told_and_keeps_its_values()
    {
        var plain = new Bitmap8(48, 20, 3);
        plain.Pixels.AsSpan().Fill(123);
        var texture = TextureConverter.Convert(plain, new ConvertSettings(TextureFormat.Rgba8, ColourMeaning.Srgb) { Sides = SideRule.PowersUp }, 1);
        Assert.Equal((64, 32), (texture.Width, texture.Height));
        Assert.Equal(7, texture.Levels.Count);
        Assert.All(texture.Levels.SelectMany(l => l.Where((_, i) => i % 4 < 3)), v => Assert.Equal(123, v));
        Assert.Contains("filtered to 64 × 32 px", Assert.Single(ConvertFindings.Resized(plain, texture, "p")).Sentence, StringComparison.Ordinal);
    }

    [Fact]
    public void Scalar_blocks_are_within_a_tenth_of_a_decibel_of_trying_every_pair_of_ends()
    {
        double ours = 0, best = 0;
        for (uint block = 0; block < 96; block++)
        {
            var rgba = new Bitmap8(4, 4, 4);
            uint start = block * 64;
            int low = (int)(Shapes.Unit(start) * 200), spread = 1 + (int)(Shapes.Unit(start + 1) * (255 - low));
            for (int i = 0; i < 16; i++)
                rgba.Pixels[4 * i] = (byte)(low + Shapes.Unit(start + 2 + (uint)i) * spread);
            var decoded = BlockCodec.Decode(BlockCodec.Encode(rgba, TextureFormat.Bc4), 4, 4, TextureFormat.Bc4);
            ours += Enumerable.Range(0, 16).Sum(i => Math.Pow(rgba.Pixels[4 * i] - decoded.Pixels[4 * i], 2));
            best += Exhaustive(rgba);
        }
        Assert.True(10 * Math.Log10(ours / best) <= 0.1, $"{10 * Math.Log10(ours / best):0.000} dB");
    }

    [Theory]
    [MemberData(nameof(All))]
    public void Every_solid_colour_comes_back_as_the_format_can_hold_it(string word)
    {
        var format = TextureFormat.Table.Of(word);
        for (int v = 0; v < 256; v++)
        {
            var rgba = Fill(8, (_, _) => ((byte)v, (byte)(255 - v), (byte)(v * 7), 255));
            var back = BlockCodec.Decode(BlockCodec.Encode(rgba, format), 8, 8, format);
            // Five and six bits an end; logarithms of high range.
            int slack = word is "bc1" or "bc1a" or "bc3" or "etc2" or "etc2a1" or "etc2a" ? 3 : word.StartsWith("bc6", StringComparison.Ordinal) ? 1 : 0;
            for (int c = 0; c < format.Channels; c++)
                Assert.InRange(back.Pixels[c] - rgba.Pixels[c], -slack, slack);
            Assert.Equal(255, back.Pixels[3]);
        }
    }

    [Theory]
    [InlineData("bc1", 33.5)]
    [InlineData("bc4", 48)]
    [InlineData("bc5", 48)]
    [InlineData("bc7", 45)]
    public void A_picture_with_edges_and_gradients_keeps_its_quality(string word, double leastPsnr)
    {
        var format = TextureFormat.Table.Of(word);
        var picture = Picture(256);
        var texture = TextureConverter.Convert(picture, new ConvertSettings(format, ColourMeaning.Linear, MipFilter.None), 2);
        Assert.True(TextureQuality.Measure(picture, texture, ColourMeaning.Linear).Psnr >= leastPsnr,
            $"{TextureQuality.Measure(picture, texture, ColourMeaning.Linear).Psnr}");
    }

    [Fact]
    public void Bc7_keeps_alpha_and_uses_more_than_one_mode()
    {
        var picture = Fill(128, (x, y) => ((byte)(2 * x), (byte)(255 - y), (byte)((x ^ y) * 2), (byte)(x + y)));
        byte[] blocks = BlockCodec.Encode(picture, TextureFormat.Bc7, threads: 2);
        var back = BlockCodec.Decode(blocks, 128, 128, TextureFormat.Bc7);
        double alpha = Enumerable.Range(0, 128 * 128).Average(i => Math.Pow(picture.Pixels[4 * i + 3] - back.Pixels[4 * i + 3], 2));
        Assert.True(alpha < 4);
        var opaque = BlockCodec.Encode(TextureConverter.ToRgba(Picture(256)), TextureFormat.Bc7, threads: 2);
        var modes = Enumerable.Range(0, opaque.Length / 16).Select(i => System.Numerics.BitOperations.TrailingZeroCount(opaque[16 * i])).ToHashSet();
        Assert.Superset(new HashSet<int> { 1, 3, 5, 6 }, modes.Union([4]).ToHashSet());
    }

    [Theory]
    [MemberData(nameof(All))]
    public void One_and_two_threads_give_the_same_bytes(string word)
    {
        var format = TextureFormat.Table.Of(word);
        var picture = TextureConverter.ToRgba(Picture(64));
        Assert.Equal(BlockCodec.Encode(picture, format, threads: 1), BlockCodec.Encode(picture, format, threads: 2));
    }

    [Fact]
    public void A_chain_goes_down_to_one_texel_and_averages_in_linear_light()
    {
        var chess = Fill(32, (x, y) => (x + y) % 2 == 0 ? ((byte)255, (byte)255, (byte)255, (byte)255) : ((byte)0, (byte)0, (byte)0, (byte)255));
        var srgb = MipChain.Build(chess, ColourMeaning.Srgb);
        Assert.Equal([32, 16, 8, 4, 2, 1], srgb.Select(l => l.Width));
        // Half the light of white is 188 in sRGB, 128 in plain numbers.
        Assert.All(srgb.Skip(1), l => Assert.Equal(188, l.Pixels[0]));
        Assert.All(MipChain.Build(chess, ColourMeaning.Linear).Skip(1), l => Assert.Equal(128, l.Pixels[0]));
    }

    [Fact]
    public void Odd_sizes_keep_their_mean()
    {
        var picture = new Bitmap8(13, 7, 4);
        for (int i = 0; i < picture.Pixels.Length; i++)
            picture.Pixels[i] = (byte)(Shapes.Unit((uint)i) * 255);
        var chain = MipChain.Build(picture, ColourMeaning.Linear);
        Assert.Equal([(13, 7), (6, 3), (3, 1), (1, 1)], chain.Select(l => (l.Width, l.Height)));
        double mean = Enumerable.Range(0, 13 * 7).Average(i => (double)picture.Pixels[4 * i]);
        Assert.InRange(chain[^1].Pixels[0], mean - 1, mean + 1);
    }

    [Fact]
    public void Normals_are_averaged_as_vectors_and_made_unit_again()
    {
        var picture = Fill(2, (x, _) => (x == 0 ? (byte)218 : (byte)37, (byte)128, (byte)218, (byte)255));
        var top = MipChain.Build(picture, ColourMeaning.Normal)[1];
        Assert.InRange(top.Pixels[0], 127, 128);
        Assert.Equal(255, top.Pixels[2]);
    }

    [Theory]
    [MemberData(nameof(All))]
    public void Dds_files_are_read_back_whole_and_refused_when_cut(string word)
    {
        var format = TextureFormat.Table.Of(word);
        foreach (var meaning in (ColourMeaning[])[ColourMeaning.Srgb, ColourMeaning.Linear])
        {
            if (!TextureContainer.Dds.Holds(format))
                continue;
            if (meaning == ColourMeaning.Srgb && format.DxgiSrgb is null)
                continue;
            var texture = TextureConverter.Convert(Picture(36), new ConvertSettings(format, meaning), 1);
            byte[] bytes = DdsFile.Write(texture);
            var back = DdsFile.Read(bytes, "t.dds");
            // Without a hole nothing tells the one from the other.
            var told = format == TextureFormat.Bc1Holes ? TextureFormat.Bc1 : format;
            Assert.Equal((36, 36, told, meaning == ColourMeaning.Srgb, 6), (back.Width, back.Height, back.Format, back.Srgb, back.Levels.Count));
            Assert.Equal(texture.Levels, back.Levels);
            foreach (int length in (int[])[0, 3, 100, 130, bytes.Length - 1])
                Assert.StartsWith("t.dds", Assert.Throws<SourceFileException>(() => DdsFile.Read(bytes[..length], "t.dds")).Message, StringComparison.Ordinal);
        }
    }

    [Theory]
    [MemberData(nameof(All))]
    public void Ktx_files_are_read_back_whole_packed_or_not_and_refused_when_cut(string word)
    {
        var format = TextureFormat.Table.Of(word);
        var meaning = format.VkSrgb is null ? ColourMeaning.Linear : ColourMeaning.Srgb;
        var texture = TextureConverter.Convert(Picture(36), new ConvertSettings(format, meaning), 1);
        foreach (bool packed in (bool[])[false, true])
        {
            byte[] bytes = KtxFile.Write(texture, packed);
            var back = KtxFile.Read(bytes, "t.ktx2");
            Assert.Equal((36, 36, format, texture.Srgb, 6), (back.Width, back.Height, back.Format, back.Srgb, back.Levels.Count));
            Assert.Equal(texture.Levels, back.Levels);
            foreach (int length in (int[])[0, 3, 79, 90, bytes.Length - 1])
                Assert.StartsWith("t.ktx2", Assert.Throws<SourceFileException>(() => KtxFile.Read(bytes[..length], "t.ktx2")).Message,
                    StringComparison.Ordinal);
        }
    }

    [Fact]
    public void Holes_are_told_from_closed_colour_when_a_file_is_read()
    {
        var picture = Fill(16, (x, y) => ((byte)(9 * x), (byte)(9 * y), 90, (byte)(x + y > 15 ? 255 : 0)));
        var texture = TextureConverter.Convert(picture, new ConvertSettings(TextureFormat.Bc1Holes, ColourMeaning.Srgb), 1);
        var back = DdsFile.Read(DdsFile.Write(texture), "t.dds");
        Assert.Equal(TextureFormat.Bc1Holes, back.Format);
        var decoded = BlockCodec.Decode(back.Levels[0], 16, 16, back.Format);
        Assert.All(Enumerable.Range(0, 256), i => Assert.Equal(picture.Pixels[4 * i + 3], decoded.Pixels[4 * i + 3]));
    }

    [Fact]
    public void Sides_of_a_cube_are_kept_apart()
    {
        byte[][] levels = [[.. Enumerable.Range(0, 6 * 4 * 4 * 4).Select(i => (byte)(i / 64))],
            [.. Enumerable.Range(0, 6 * 2 * 2 * 4).Select(i => (byte)(i / 16))],
            [.. Enumerable.Range(0, 6 * 4).Select(i => (byte)(i / 4))]];
        var cube = new Texture(4, 4, TextureFormat.Rgba8, false, levels) { Sides = 6 };
        foreach (var back in (Texture[])[DdsFile.Read(DdsFile.Write(cube), "c.dds"), KtxFile.Read(KtxFile.Write(cube, true), "c.ktx2")])
        {
            Assert.Equal(6, back.Sides);
            for (int side = 0; side < 6; side++)
                Assert.All(BlockCodec.Decode(back.Level(1, side), 2, 2, back.Format).Pixels, p => Assert.Equal(side, p));
        }
    }

    [Fact]
    public void Equal_pictures_have_no_decibels_and_normals_have_degrees()
    {
        var flat = Fill(16, (_, _) => (128, 128, 255, 255));
        var texture = TextureConverter.Convert(flat, new ConvertSettings(TextureFormat.Bc5, ColourMeaning.Normal), 1);
        var quality = TextureQuality.Measure(flat, texture, ColourMeaning.Normal);
        Assert.Null(quality.Psnr);
        Assert.InRange(quality.MeanAngleDegrees!.Value, 0, 0.01);
    }

    private static double Exhaustive(Bitmap8 rgba)
    {
        double best = double.PositiveInfinity;
        for (int a = 0; a < 256; a++)
        {
            for (int b = 0; b < 256; b++)
            {
                int[] palette = a > b
                    ? [a, b, .. Enumerable.Range(1, 6).Select(i => ((7 - i) * a + i * b + 3) / 7)]
                    : [a, b, .. Enumerable.Range(1, 4).Select(i => ((5 - i) * a + i * b + 2) / 5), 0, 255];
                double sum = 0;
                for (int i = 0; i < 16 && sum < best; i++)
                {
                    int nearest = int.MaxValue;
                    foreach (int p in palette)
                        nearest = Math.Min(nearest, Math.Abs(p - rgba.Pixels[4 * i]));
                    sum += nearest * nearest;
                }
                best = Math.Min(best, sum);
            }
        }
        return best;
    }

    private static Bitmap8 Picture(int size)
    {
        var picture = new Bitmap8(size, size, 3);
        for (int i = 0; i < size * size; i++)
        {
            double u = (double)(i % size) / size, v = (double)(i / size) / size;
            double edge = (int)(u * 7 + v * 5) % 2 * 60;
            picture.Pixels[3 * i] = (byte)(40 + 150 * u + edge);
            picture.Pixels[3 * i + 1] = (byte)(60 + 120 * v + 30 * Math.Sin(u * 20));
            picture.Pixels[3 * i + 2] = (byte)(200 - 90 * u * v - edge);
        }
        return picture;
    }

    private static Bitmap8 Fill(int size, Func<int, int, (byte R, byte G, byte B, byte A)> colour)
    {
        var picture = new Bitmap8(size, size, 4);
        for (int i = 0; i < size * size; i++)
            (picture.Pixels[4 * i], picture.Pixels[4 * i + 1], picture.Pixels[4 * i + 2], picture.Pixels[4 * i + 3]) = colour(i % size, i / size);
        return picture;
    }
}
