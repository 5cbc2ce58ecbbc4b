using System.Buffers.Binary;
using System.Text;

namespace Crumpet.Core.Imaging;

/// <summary>A texture with its mip chain.</summary>
/// <param name="Width">Texels of level 0.</param>
/// <param name="Height">Texels of level 0.</param>
/// <param name="Format">How texels are stored.</param>
/// <param name="Srgb">Whether the file says its colours carry the sRGB transfer.</param>
/// <param name="Levels">Data of each level, largest first.</param>
public sealed record Texture(int Width, int Height, TextureFormat Format, bool Srgb, IReadOnlyList<byte[]> Levels)
{
    /// <summary>Size of a level, texels.</summary>
    public (int Width, int Height) LevelSize(int level) => (Math.Max(1, Width >> level), Math.Max(1, Height >> level));
}

/// <summary>Reads and writes DDS.</summary>
/// <remarks>Source: the published DDS_HEADER and DDS_HEADER_DXT10 structures and DXGI format numbers.</remarks>
public static class DdsFile
{
    private const int Magic = 0x20534444;
    private const int HeaderBytes = 128;

    /// <summary>The bytes of a DDS file. Linear BC1 keeps the short header that old readers know; all else has the DX10 header.</summary>
    public static byte[] Write(Texture texture)
    {
        bool extended = texture.Format.ShortCode is null || texture.Srgb;
        int header = extended ? HeaderBytes + 20 : HeaderBytes;
        var bytes = new byte[header + texture.Levels.Sum(l => l.Length)];
        bool blocks = texture.Format.HasBlocks, mips = texture.Levels.Count > 1;
        Put(0, Magic);
        Put(4, 124);
        // Caps, height, width, pixel format; mip count; linear size or pitch.
        Put(8, 0x1007 | (mips ? 0x20000 : 0) | (blocks ? 0x80000 : 0x8));
        Put(12, texture.Height);
        Put(16, texture.Width);
        Put(20, blocks ? texture.Levels[0].Length : texture.Width * texture.Format.UnitBytes);
        Put(28, texture.Levels.Count);
        Put(76, 32);
        Put(80, 4);
        Encoding.ASCII.GetBytes(extended ? "DX10" : texture.Format.ShortCode!, bytes.AsSpan(84));
        Put(108, 0x1000 | (mips ? 0x400008 : 0));
        if (extended)
        {
            Put(128, texture.Srgb ? texture.Format.DxgiSrgb ?? texture.Format.Dxgi : texture.Format.Dxgi);
            Put(132, 3);
            Put(140, 1);
        }
        int at = header;
        foreach (var level in texture.Levels)
        {
            level.CopyTo(bytes, at);
            at += level.Length;
        }
        return bytes;

        void Put(int offset, int value) => BinaryPrimitives.WriteInt32LittleEndian(bytes.AsSpan(offset), value);
    }

    /// <summary>Reads a DDS file of one of the formats Crumpet writes.</summary>
    /// <param name="bytes">The file.</param>
    /// <param name="fileName">Name for messages.</param>
    /// <exception cref="SourceFileException">It is no DDS, is cut, or is of another format.</exception>
    public static Texture Read(byte[] bytes, string fileName)
    {
        if (bytes.Length < HeaderBytes || Get(0) != Magic)
            throw new SourceFileException(fileName, "", "it is not a DDS file", "Choose a .dds file");
        int height = Get(12), width = Get(16), levels = Math.Max(1, Get(28));
        if (width is < 1 or > 16384 || height is < 1 or > 16384 || levels > MipChain.Count(width, height))
            throw new SourceFileException(fileName, "header", $"{width} × {height} px with {levels} levels cannot be", "Convert the picture again");
        string name = Encoding.ASCII.GetString(bytes, 84, 4);
        bool extended = name == "DX10";
        if (extended && bytes.Length < HeaderBytes + 20)
            throw new SourceFileException(fileName, "header", "it is cut", "Copy the file again");
        var (format, srgb) = extended ? FromDxgi(Get(128), fileName)
            : TextureFormat.Table.All.FirstOrDefault(f => f.ShortCode is { } known && known == name) is { } old ? (old, false)
            : throw new SourceFileException(fileName, "header", $"its format is not one of {TextureFormat.Labels}", "Convert the picture again");
        int at = extended ? HeaderBytes + 20 : HeaderBytes;
        var data = new byte[levels][];
        for (int level = 0; level < levels; level++)
        {
            int size = format.LevelBytes(Math.Max(1, width >> level), Math.Max(1, height >> level));
            if (at + size > bytes.Length)
                throw new SourceFileException(fileName, $"mip {level}", $"it is cut, {size} bytes were expected and {bytes.Length - at} are there",
                    "Copy the file again");
            data[level] = bytes.AsSpan(at, size).ToArray();
            at += size;
        }
        return new Texture(width, height, format, srgb, data);

        int Get(int offset) => BinaryPrimitives.ReadInt32LittleEndian(bytes.AsSpan(offset));
    }

    private static (TextureFormat, bool) FromDxgi(int number, string fileName) =>
        TextureFormat.Table.All.FirstOrDefault(f => f.Dxgi == number || f.DxgiSrgb == number) is { } format ? (format, format.DxgiSrgb == number)
            : throw new SourceFileException(fileName, "header", $"DXGI format {number} is not one of {TextureFormat.Labels}", "Convert the picture again");
}
