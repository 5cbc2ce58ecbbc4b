using System.Buffers.Binary;
using System.Text;
using Crumpet.Core.Imaging.Blocks;

namespace Crumpet.Core.Imaging;

/// <summary>Reads and writes DDS.</summary>
/// <remarks>Source: the published DDS_HEADER and DDS_HEADER_DXT10 structures and DXGI format numbers.</remarks>
public static class DdsFile
{
    private const int Magic = 0x20534444;
    private const int HeaderBytes = 128;

    private const int MiscCube = 4, CapsCube = 0x200, AllSides = 0xfc00;

    /// <summary>Whether a file begins like one.</summary>
    public static bool Is(ReadOnlySpan<byte> bytes) => bytes.StartsWith("DDS "u8);

    /// <summary>
    /// The bytes of a DDS file. What old readers know keeps their short header, unless the file has to say that its colours carry the sRGB transfer.
    /// </summary>
    /// <exception cref="ArgumentException">DDS has no number for the format.</exception>
    public static byte[] Write(Texture texture)
    {
        var format = texture.Format;
        if (format.Dxgi is not { } number)
            throw new ArgumentException($"DDS cannot hold {format.Label}.", nameof(texture));
        bool extended = !format.WritesShort || texture.Srgb, blocks = format.HasBlocks, mips = texture.Levels.Count > 1, cube = texture.Sides == 6;
        int header = extended ? HeaderBytes + 20 : HeaderBytes;
        var bytes = new byte[header + texture.Bytes];
        Put(0, Magic);
        Put(4, 124);
        // Caps, height, width, pixel format; mip count; linear size or pitch.
        Put(8, 0x1007 | (mips ? 0x20000 : 0) | (blocks ? 0x80000 : 0x8));
        Put(12, texture.Height);
        Put(16, texture.Width);
        Put(20, blocks ? texture.Levels[0].Length / texture.Sides : texture.Width * format.UnitBytes);
        Put(28, texture.Levels.Count);
        Put(76, 32);
        Put(80, 4);
        Encoding.ASCII.GetBytes(extended ? "DX10" : format.ShortCodes[0], bytes.AsSpan(84));
        Put(108, 0x1000 | (mips ? 0x400008 : cube ? 8 : 0));
        Put(112, cube ? AllSides | CapsCube : 0);
        if (extended)
        {
            Put(128, texture.Srgb ? format.DxgiSrgb ?? number : number);
            Put(132, 3);
            Put(136, cube ? MiscCube : 0);
            Put(140, 1);
        }
        int at = header;
        for (int side = 0; side < texture.Sides; side++)
        {
            for (int level = 0; level < texture.Levels.Count; level++)
            {
                var data = texture.Level(level, side).Span;
                data.CopyTo(bytes.AsSpan(at));
                at += data.Length;
            }
        }
        return bytes;

        void Put(int offset, int value) => BinaryPrimitives.WriteInt32LittleEndian(bytes.AsSpan(offset), value);
    }

    /// <summary>Reads a DDS file of one of the formats Crumpet writes, flat or a cube.</summary>
    /// <param name="bytes">The file.</param>
    /// <param name="fileName">Name for messages.</param>
    /// <exception cref="SourceFileException">It is no DDS, is cut, or is of another format.</exception>
    public static Texture Read(byte[] bytes, string fileName)
    {
        if (bytes.Length < HeaderBytes || Get(0) != Magic)
            throw new SourceFileException(fileName, "", "it is not a DDS file", "Choose a .dds file");
        int height = Get(12), width = Get(16), count = Math.Max(1, Get(28));
        if (width is < 1 or > Texture.LargestSide || height is < 1 or > Texture.LargestSide || count > MipChain.Count(width, height))
            throw new SourceFileException(fileName, "header", $"{width} × {height} px with {count} levels cannot be", "Convert the picture again");
        string name = Encoding.ASCII.GetString(bytes, 84, 4);
        bool extended = name == "DX10";
        if (extended && bytes.Length < HeaderBytes + 20)
            throw new SourceFileException(fileName, "header", "it is cut", "Copy the file again");
        var (format, srgb) = extended ? FromDxgi(Get(128), fileName)
            : TextureFormat.Table.All.FirstOrDefault(f => f.ShortCodes.Contains(name)) is { } old ? (old, false)
            : throw new SourceFileException(fileName, "header", $"its format is not one of {TextureFormat.Labels}", "Convert the picture again");
        int caps = Get(112), sides = extended ? (Get(136) & MiscCube) != 0 ? 6 : 1 : (caps & CapsCube) != 0 ? 6 : 1;
        if (extended && (Get(132) != 3 || Get(140) > 1) || !extended && sides == 6 && (caps & AllSides) != AllSides || (caps & 0x200000) != 0)
            throw new SourceFileException(fileName, "header", "it is an array, a volume or part of a cube", "Give it as one flat picture or a whole cube");
        int at = extended ? HeaderBytes + 20 : HeaderBytes;
        long[] sizes = [.. Enumerable.Range(0, count).Select(l => sides * format.LongLevelBytes(Math.Max(1, width >> l), Math.Max(1, height >> l)))];
        long wanted = sizes.Sum();
        if (wanted > bytes.Length - at)
            throw new SourceFileException(fileName, "levels", $"it is cut, {wanted} bytes were expected and {bytes.Length - at} are there", "Copy the file again");
        byte[][] data = [.. sizes.Select(size => new byte[size])];
        for (int side = 0; side < sides; side++)
        {
            foreach (byte[] level in data)
            {
                int size = level.Length / sides;
                bytes.AsSpan(at, size).CopyTo(level.AsSpan(side * size));
                at += size;
            }
        }
        // DDS has one number for both: only the blocks tell.
        if (format == TextureFormat.Bc1 && Bc1Decoder.HasHole(data[0]))
            format = TextureFormat.Bc1Holes;
        return new Texture(width, height, format, srgb, data) { Sides = sides };

        int Get(int offset) => BinaryPrimitives.ReadInt32LittleEndian(bytes.AsSpan(offset));
    }

    private static (TextureFormat, bool) FromDxgi(int number, string fileName) =>
        TextureFormat.Table.All.FirstOrDefault(f => f.Dxgi == number || f.DxgiSrgb == number) is { } format ? (format, format.DxgiSrgb == number)
            : throw new SourceFileException(fileName, "header", $"DXGI format {number} is not one of {TextureFormat.Labels}", "Convert the picture again");
}
