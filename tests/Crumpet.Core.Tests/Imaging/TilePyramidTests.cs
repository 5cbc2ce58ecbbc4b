using System.IO.Compression;
using Crumpet.Core.Imaging;
using Xunit;

namespace Crumpet.Core.Tests.Imaging;

/// <summary>Tiles as a browser takes them.</summary>
public sealed class TilePyramidTests
{
    [Theory]
    [InlineData(1)]
    [InlineData(3)]
    [InlineData(4)]
    public void Tiles_put_together_are_the_picture_to_the_bit_at_every_depth(int channels)
    {
        const int width = 613, height = 300;
        var narrow = new Bitmap8(width, height, channels);
        var wide = new Bitmap16(width, height, channels);
        var real = new Bitmap32(width, height, channels);
        for (int i = 0; i < narrow.Pixels.Length; i++)
        {
            narrow.Pixels[i] = (byte)(Shapes.Unit((uint)i) * 255);
            wide.Pixels[i] = (ushort)(Shapes.Unit((uint)i + 7) * 65535);
            real.Pixels[i] = Shapes.Unit((uint)i + 77) * 40 - 3;
        }
        foreach (var picture in (Bitmap[])[narrow, wide, real])
        {
            using var file = new MemoryStream();
            var index = TilePyramid.Write(picture, srgb: false, file, threads: 2, null, CancellationToken.None);
            Assert.Equal((3, 2), (index.Levels[0].Across, index.Levels[0].Down));
            for (int y = 0; y < height; y += 7)
                for (int x = 0; x < width; x++)
                    for (int c = 0; c < channels; c++)
                        Assert.Equal(picture.Unit(x, y, c), Value(file, index, 0, x, y, c));
        }
    }

    [Fact]
    public void Each_level_is_half_the_one_before_down_to_one_tile_and_keeps_the_mean()
    {
        var picture = new Bitmap16(1024, 512, 1);
        for (int i = 0; i < picture.Pixels.Length; i++)
            picture.Pixels[i] = (ushort)(Shapes.Unit((uint)i) * 65535);
        using var file = new MemoryStream();
        var index = TilePyramid.Write(picture, srgb: false, file, 1, null, CancellationToken.None);
        Assert.Equal([(1024, 512), (512, 256), (256, 128)], index.Levels.Select(l => (l.Width, l.Height)));
        Assert.Equal(picture.Pixels.Average(p => p / 65535.0), Mean(2), 1e-4);

        double Mean(int level) => Enumerable.Range(0, index.Levels[level].Width * index.Levels[level].Height)
            .Average(i => (double)Value(file, index, level, i % index.Levels[level].Width, i / index.Levels[level].Width, 0));
    }

    [Fact]
    public void Colours_are_averaged_as_light_and_alpha_as_numbers()
    {
        var board = new Bitmap8(512, 512, 4);
        for (int i = 0; i < 512 * 512; i++)
            board.Pixels.AsSpan(4 * i, 4).Fill((byte)((i + i / 512) % 2 * 255));
        using var light = new MemoryStream();
        using var plain = new MemoryStream();
        var lit = TilePyramid.Write(board, srgb: true, light, 1, null, CancellationToken.None);
        var flat = TilePyramid.Write(board, srgb: false, plain, 1, null, CancellationToken.None);
        // Half of full light is 188 in sRGB, half of full scale is 128.
        Assert.Equal(188 / 255f, Value(light, lit, 1, 3, 3, 0));
        Assert.Equal(128 / 255f, Value(light, lit, 1, 3, 3, 3));
        Assert.Equal(128 / 255f, Value(plain, flat, 1, 3, 3, 0));
    }

    [Fact]
    public void One_colour_stays_itself_at_every_level_in_light_and_in_numbers()
    {
        for (int value = 0; value < 256; value += 5)
        {
            var picture = new Bitmap8(300, 10, 1, [.. Enumerable.Repeat((byte)value, 3000)]);
            using var file = new MemoryStream();
            var index = TilePyramid.Write(picture, srgb: true, file, 1, null, CancellationToken.None);
            Assert.Equal(value / 255f, Value(file, index, 1, 100, 2, 0));
        }
    }

    [Fact]
    public void The_index_is_read_back_and_a_cut_file_has_none()
    {
        using var file = new MemoryStream();
        var written = TilePyramid.Write(new Bitmap8(300, 300, 3), srgb: false, file, 1, null, CancellationToken.None);
        var read = TilePyramid.ReadIndex(file)!;
        Assert.Equal((3, 8, 2), (read.Channels, read.Bits, read.Levels.Count));
        Assert.Equal(written.Levels[0].Offsets, read.Levels[0].Offsets);
        using var cut = new MemoryStream(file.ToArray()[..^20]);
        Assert.Null(TilePyramid.ReadIndex(cut));
        using var nothing = new MemoryStream();
        Assert.Null(TilePyramid.ReadIndex(nothing));
    }

    [Fact]
    public void Threads_change_no_byte()
    {
        var picture = new Bitmap8(700, 600, 3, [.. Enumerable.Range(0, 700 * 600 * 3).Select(i => (byte)(Shapes.Unit((uint)i) * 255))]);
        using var one = new MemoryStream();
        using var four = new MemoryStream();
        TilePyramid.Write(picture, true, one, 1, null, CancellationToken.None);
        TilePyramid.Write(picture, true, four, 4, null, CancellationToken.None);
        Assert.Equal(one.ToArray(), four.ToArray());
    }

    private static float Value(MemoryStream file, TileIndex index, int level, int x, int y, int channel)
    {
        var l = index.Levels[level];
        int tx = x / TilePyramid.TileSide, ty = y / TilePyramid.TileSide, number = ty * l.Across + tx;
        if (!cache.TryGetValue((file, level, number), out byte[]? raw))
        {
            using var zip = new GZipStream(new MemoryStream(file.ToArray(), (int)l.Offsets[number], (int)(l.Offsets[number + 1] - l.Offsets[number])),
                CompressionMode.Decompress);
            using var whole = new MemoryStream();
            zip.CopyTo(whole);
            cache[(file, level, number)] = raw = whole.ToArray();
        }
        int at = ((y - ty * TilePyramid.TileSide) * Math.Min(TilePyramid.TileSide, l.Width - tx * TilePyramid.TileSide)
            + x - tx * TilePyramid.TileSide) * index.Channels + channel;
        return index.Bits == 8 ? raw[at] / 255f : index.Bits == 16 ? BitConverter.ToUInt16(raw, 2 * at) / 65535f : BitConverter.ToSingle(raw, 4 * at);
    }

    [ThreadStatic]
    private static Dictionary<(MemoryStream, int, int), byte[]>? tiles;

    private static Dictionary<(MemoryStream, int, int), byte[]> cache => tiles ??= [];
}
