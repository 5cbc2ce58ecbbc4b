using System.Buffers.Binary;
using System.Text;
using Crumpet.Core.Imaging;
using Xunit;

namespace Crumpet.Core.Tests.Imaging;

/// <summary>Picture files against pictures that other programs wrote by a formula that is known here.</summary>
public sealed class PictureFileTests
{
    [Theory]
    [InlineData("none")]
    [InlineData("rle")]
    [InlineData("zips")]
    [InlineData("zip")]
    [InlineData("piz")]
    public void OpenEXR_of_every_compression_is_read_exactly(string compression)
    {
        foreach (string type in (string[])["half", "float"])
        {
            var picture = (Bitmap32)ImageFile.Read(Fixture($"{compression}_{type}.exr"), "x.exr");
            Assert.Equal((37, 41, type == "half" ? 4 : 3), (picture.Width, picture.Height, picture.Channels));
            for (int y = 0; y < 41; y++)
            {
                for (int x = 0; x < 37; x++)
                {
                    for (int c = 0; c < picture.Channels; c++)
                    {
                        float value = (x * 7 + y * 13 + c * 29) % 64 / 8f + (x * y % 5 == 0 ? 100 : 0);
                        Assert.Equal(type == "float" && c == 1 ? value + 1e-3f * x : value, picture.Unit(x, y, c));
                    }
                }
            }
        }
    }

    [Theory]
    [InlineData("rgb.tga", 3, true)]
    [InlineData("rgb_rle.tga", 3, true)]
    [InlineData("rgba.tga", 4, true)]
    [InlineData("rgba_rle.tga", 4, true)]
    [InlineData("grey.tga", 1, true)]
    [InlineData("grey_rle.tga", 1, true)]
    [InlineData("top.tga", 3, false)]
    [InlineData("ff_rle.tga", 3, false)]
    public void TGA_of_every_depth_is_read(string file, int channels, bool fromBottom)
    {
        var picture = ImageFile.Read(Fixture(file), file);
        Assert.Equal((31, 23, channels), (picture.Width, picture.Height, picture.Channels));
        for (int y = 0; y < 23; y++)
        {
            for (int x = 0; x < 31; x++)
            {
                for (int c = 0; c < channels; c++)
                    Assert.InRange(picture.Unit(x, fromBottom ? 22 - y : y, c) * 255 - (x < 20 ? (x * 8 + y * 3 + c * 50) % 256 : 200 - c * 40), -0.01f, 0.01f);
            }
        }
    }

    [Fact]
    public void TGA_with_a_colour_map_is_read_by_its_content_alone()
    {
        byte[] file = [0, 1, 1, 0, 0, 2, 0, 24, 0, 0, 0, 0, 2, 0, 1, 0, 8, 0, /* map */ 3, 2, 1, 30, 20, 10, /* pixels */ 1, 0];
        var picture = ImageFile.Read(file, "no ending");
        Assert.Equal([10, 20, 30, 1, 2, 3], ((Bitmap8)picture).Pixels);
    }

    [Fact]
    public void TGA_of_sixteen_bits_has_five_bits_a_colour_and_one_of_alpha()
    {
        byte[] file = [0, 0, 2, 0, 0, 0, 0, 0, 0, 0, 0, 0, 2, 0, 1, 0, 16, 0x21, /* red, opaque */ 0x00, 0xfc, /* half green, clear */ 0x00, 0x02];
        Assert.Equal([255, 0, 0, 255, 0, 132, 0, 0], ((Bitmap8)ImageFile.Read(file, "x.tga")).Pixels);
    }

    [Fact]
    public void Radiance_pictures_are_read_in_linear_light()
    {
        var picture = ImageFile.Read(Fixture("flat.hdr"), "flat.hdr");
        Assert.Equal((31, 23, 3, 32), (picture.Width, picture.Height, picture.Channels, picture.Bits));
        for (int x = 0; x < 31; x++)
            Assert.Equal((x < 20 ? (x * 8 + 30) % 256 : 200) / 255f, picture.Unit(x, 10, 0), 0.012f);
    }

    [Fact]
    public void Radiance_rows_without_channel_runs_repeat_pixels()
    {
        byte[] file = [.. "#?RGBE\n\n-Y 1 +X 5\n"u8, 128, 64, 32, 129, 1, 1, 1, 3, 0, 0, 0, 0];
        var picture = ImageFile.Read(file, "x.hdr");
        Assert.Equal([1, 1, 1, 1, 0], Enumerable.Range(0, 5).Select(x => picture.Unit(x, 0, 0)));
    }

    [Fact]
    public void Floats_survive_a_TIFF()
    {
        var picture = new Bitmap32(5, 4, 3, [.. Enumerable.Range(0, 60).Select(i => i * 0.37f - 4)]);
        Assert.Equal(picture.Pixels, ((Bitmap32)ImageFile.Read(ImageFile.WriteTiff(picture), "x.tif")).Pixels);
    }

    [Fact]
    public void Headers_of_a_hundred_thousand_pixels_are_refused_at_once()
    {
        byte[] png = ImageFile.WritePng(new Bitmap8(4, 4, 3));
        BinaryPrimitives.WriteInt32BigEndian(png.AsSpan(16), 100_000);
        BinaryPrimitives.WriteInt32BigEndian(png.AsSpan(20), 100_000);
        // The header's checksum is right, so only the size speaks against it.
        BinaryPrimitives.WriteUInt32BigEndian(png.AsSpan(29), Crc(png.AsSpan(12, 17)));
        byte[] exr = Fixture("zip_half.exr");
        int window = exr.AsSpan().IndexOf("dataWindow\0box2i\0"u8) + 17 + 4;
        BinaryPrimitives.WriteInt32LittleEndian(exr.AsSpan(window + 8), 99_999);
        BinaryPrimitives.WriteInt32LittleEndian(exr.AsSpan(window + 12), 99_999);
        byte[] tga = Fixture("rgb.tga");
        BinaryPrimitives.WriteUInt16LittleEndian(tga.AsSpan(12), 65535);
        BinaryPrimitives.WriteUInt16LittleEndian(tga.AsSpan(14), 65535);
        byte[] hdr = Encoding.ASCII.GetBytes("#?RADIANCE\n\n-Y 100000 +X 100000\n");
        foreach (var (file, name) in new[] { (png, "x.png"), (exr, "x.exr"), (tga, "x.tga"), (hdr, "x.hdr") })
        {
            long before = GC.GetAllocatedBytesForCurrentThread();
            var e = Assert.Throws<SourceFileException>(() => ImageFile.Read(file, name));
            Assert.Contains("px", e.What, StringComparison.Ordinal);
            Assert.True(GC.GetAllocatedBytesForCurrentThread() - before < 1 << 22);
        }
    }

    [Theory]
    [InlineData("piz_half.exr")]
    [InlineData("zip_half.exr")]
    [InlineData("rle_float.exr")]
    [InlineData("rgb_rle.tga")]
    [InlineData("flat.hdr")]
    public void A_file_cut_anywhere_is_refused(string file)
    {
        byte[] whole = Fixture(file);
        for (int length = 0; length < whole.Length - 1; length += 1 + whole.Length / 60)
            Assert.NotEmpty(Assert.Throws<SourceFileException>(() => ImageFile.Read(whole[..length], file)).WhatToDo);
    }

    /// <summary>The checksum of PNG chunks, ISO 3309.</summary>
    private static uint Crc(ReadOnlySpan<byte> bytes)
    {
        uint crc = 0xffffffff;
        foreach (byte b in bytes)
        {
            crc ^= b;
            for (int i = 0; i < 8; i++)
                crc = (crc >> 1) ^ ((crc & 1) != 0 ? 0xedb88320 : 0);
        }
        return ~crc;
    }

    private static byte[] Fixture(string name) => File.ReadAllBytes(Path.Combine(ArchitectureTests.Root, "tests/Crumpet.Core.Tests/Fixtures", name));
}
