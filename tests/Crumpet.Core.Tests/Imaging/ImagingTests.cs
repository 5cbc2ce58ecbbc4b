using System.Numerics;
using Crumpet.Core.Imaging;
using Xunit;

namespace Crumpet.Core.Tests.Imaging;

public sealed class ImagingTests
{
    [Fact]
    public void The_srgb_transfer_is_its_own_inverse_and_meets_the_standards_points()
    {
        for (int i = 0; i <= 1000; i++)
            Assert.Equal(i / 1000f, Srgb.FromLinear(Srgb.ToLinear(i / 1000f)), 5);
        Assert.Equal(0.2140f, Srgb.ToLinear(0.5f), 4);
        Assert.Equal(0.04045f / 12.92f, Srgb.ToLinear(0.04045f), 6);
    }

    [Theory]
    [InlineData(1)]
    [InlineData(3)]
    [InlineData(4)]
    public void Pngs_are_read_back_to_the_bit_at_both_depths(int channels)
    {
        var narrow = new Bitmap8(37, 23, channels);
        var wide = new Bitmap16(37, 23, channels);
        for (int i = 0; i < narrow.Pixels.Length; i++)
        {
            narrow.Pixels[i] = (byte)(Shapes.Unit((uint)i) * 255);
            wide.Pixels[i] = (ushort)(Shapes.Unit((uint)i + 9999) * 65535);
        }
        var back8 = Assert.IsType<Bitmap8>(ImageFile.Read(ImageFile.WritePng(narrow), "a.png"));
        var back16 = Assert.IsType<Bitmap16>(ImageFile.Read(ImageFile.WritePng(wide), "b.png"));
        Assert.Equal(narrow.Pixels, back8.Pixels);
        Assert.Equal(wide.Pixels, back16.Pixels);
        Assert.Equal((37, 23, channels), (back16.Width, back16.Height, back16.Channels));
    }

    [Fact]
    public void Floating_point_pictures_are_read_as_they_are_and_not_written_as_png()
    {
        // A TIFF of two texels, little-endian, one 32-bit float a texel, written by hand after TIFF 6.0.
        using var file = new MemoryStream();
        using var writer = new BinaryWriter(file);
        (ushort Tag, ushort Type, int Value)[] entries = [(256, 3, 2), (257, 3, 1), (258, 3, 32), (259, 3, 1), (262, 3, 1), (273, 4, 8), (277, 3, 1),
            (278, 3, 1), (279, 4, 8), (339, 3, 3)];
        writer.Write("II*\0"u8);
        writer.Write(16);
        writer.Write(-1.5f);
        writer.Write(1000.25f);
        writer.Write((ushort)entries.Length);
        foreach (var (tag, type, value) in entries)
        {
            writer.Write(tag);
            writer.Write(type);
            writer.Write(1);
            writer.Write(value);
        }
        writer.Write(0);
        var picture = Assert.IsType<Bitmap32>(ImageFile.Read(file.ToArray(), "heights.tif"));
        Assert.Equal([-1.5f, 1000.25f], picture.Pixels);
        Assert.Equal((2, 1, 1, 32), (picture.Width, picture.Height, picture.Channels, picture.Bits));
        Assert.Throws<ArgumentException>(() => ImageFile.WritePng(picture));
    }

    [Fact]
    public void A_text_named_png_and_a_cut_png_are_refused_with_their_name()
    {
        byte[] png = ImageFile.WritePng(new Bitmap8(64, 64, 3));
        foreach (byte[] bytes in (byte[][])["this is no picture"u8.ToArray(), png[..40]])
            Assert.StartsWith("map.png", Assert.Throws<SourceFileException>(() => ImageFile.Read(bytes, "map.png")).Message, StringComparison.Ordinal);
    }

    [Fact]
    public void Every_power_of_two_of_sobol_points_fills_every_elementary_cell_once()
    {
        foreach (uint seed in (uint[])[0, 7, 12345])
        {
            for (int log = 0; log <= 6; log++)
            {
                // 64 points: one in each of the 2^log × 2^(6 - log) cells.
                var cells = Enumerable.Range(0, 64).Select(i => SobolSequence.Point((uint)i, seed))
                    .Select(p => ((int)(p.X * (1 << log)), (int)(p.Y * (1 << (6 - log))))).ToHashSet();
                Assert.Equal(64, cells.Count);
            }
        }
    }

    [Fact]
    public void Eight_points_and_directions_at_once_are_those_one_by_one()
    {
        foreach (uint seed in (uint[])[0, 7, 12345])
        {
            var points = new SobolSequence.Points(seed);
            for (uint first = 0; first < 200; first += 5)
            {
                var (x, y) = points.Eight(first);
                for (int i = 0; i < 8; i++)
                    Assert.Equal(points.Point(first + (uint)i), new Vector2(x[i], y[i]));
            }
        }
        var normal = Vector3.Normalize(new Vector3(-1, 2, -3));
        for (int i = 0; i <= 1000; i++)
        {
            // By the definition: up along the normal, round it by the second number of turns.
            var direction = new Hemisphere(normal).Direction(new Vector2(0.36f, i / 1000f));
            Assert.Equal(0.8f, Vector3.Dot(direction, normal), 1e-6f);
            Assert.Equal(1, direction.Length(), 1e-6f);
            var across = new Hemisphere(Vector3.UnitZ).Direction(new Vector2(0.36f, i / 1000f));
            Assert.Equal(0.6 * Math.Cos(i * Math.PI / 500), across.X, 1e-6);
            Assert.Equal(0.6 * Math.Sin(i * Math.PI / 500), across.Y, 1e-6);
        }
    }

    [Fact]
    public void Cosine_directions_average_to_two_thirds_of_the_normal()
    {
        foreach (var normal in (Vector3[])[Vector3.UnitZ, -Vector3.UnitZ, Vector3.Normalize(new Vector3(1, -2, 0.5f))])
        {
            var sum = Vector3.Zero;
            for (uint i = 0; i < 4096; i++)
                sum += new Hemisphere(normal).Direction(SobolSequence.Point(i, 3));
            Assert.True(Vector3.Distance(sum / 4096, normal * (2 / 3f)) < 0.005f);
        }
    }

    [Fact]
    public void Blue_noise_has_every_threshold_once_and_no_low_frequencies()
    {
        var values = Enumerable.Range(0, 4096).Select(i => BlueNoise.Offset(i % 64, i / 64, 0)).ToArray();
        Assert.Equal(4096, values.Distinct().Count());
        Assert.InRange(values.Average(), -1e-4, 1e-4);
        // White noise would leave 8 × 8 means with a deviation of 0.289 / 8 = 0.036.
        var means = Enumerable.Range(0, 64).Select(b => Enumerable.Range(0, 64).Average(i => values[((b / 8 * 8) + i / 8) * 64 + (b % 8 * 8) + i % 8]))
            .ToArray();
        Assert.True(Math.Sqrt(means.Average(m => m * m)) < 0.012);
    }
}
