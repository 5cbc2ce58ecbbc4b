using System.Buffers.Binary;
using System.Text;
using ZstdSharp;

namespace Crumpet.Core.Imaging;

/// <summary>Reads and writes KTX2.</summary>
/// <remarks>Source: Khronos KTX File Format Specification 2.0; Khronos Data Format Specification 1.3, "Khronos Basic Data Format Descriptor Block".</remarks>
public static class KtxFile
{
    private const int HeaderBytes = 80, LevelBytes = 24, NoPacking = 0, Zstandard = 2;
    private const int ZstdEffort = 9;
    private static readonly byte[] Magic = [0xab, 0x4b, 0x54, 0x58, 0x20, 0x32, 0x30, 0xbb, 0x0d, 0x0a, 0x1a, 0x0a];

    /// <summary>Whether a file begins like one.</summary>
    public static bool Is(ReadOnlySpan<byte> bytes) => bytes.StartsWith(Magic);

    /// <summary>The bytes of a KTX2 file.</summary>
    /// <param name="texture">The texture.</param>
    /// <param name="isPacked">Whether levels are compressed once more, with zstd.</param>
    public static byte[] Write(Texture texture, bool isPacked)
    {
        var format = texture.Format;
        byte[][] levels = [.. texture.Levels.Select(l => isPacked ? Pack(l) : l)];
        byte[] descriptor = Descriptor(format, texture.Srgb, isPacked), words = Words();
        int count = levels.Length, at = HeaderBytes + count * LevelBytes, keysAt = at + descriptor.Length;
        // Levels lie smallest first, each on a multiple of its unit.
        int align = isPacked ? 1 : Lcm(format.UnitBytes, 4);
        long place = keysAt + words.Length;
        var offsets = new long[count];
        for (int level = count - 1; level >= 0; level--)
        {
            place = (place + align - 1) / align * align;
            offsets[level] = place;
            place += levels[level].Length;
        }
        var bytes = new byte[place];
        Magic.CopyTo(bytes, 0);
        Put(12, (uint)(texture.Srgb ? format.VkSrgb ?? format.Vk : format.Vk));
        Put(16, TypeSize(format));
        Put(20, (uint)texture.Width);
        Put(24, (uint)texture.Height);
        Put(36, (uint)texture.Sides);
        Put(40, (uint)count);
        Put(44, isPacked ? Zstandard : (uint)NoPacking);
        Put(48, (uint)at);
        Put(52, (uint)descriptor.Length);
        Put(56, (uint)keysAt);
        Put(60, (uint)words.Length);
        for (int level = 0; level < count; level++)
        {
            var index = bytes.AsSpan(HeaderBytes + level * LevelBytes);
            BinaryPrimitives.WriteInt64LittleEndian(index, offsets[level]);
            BinaryPrimitives.WriteInt64LittleEndian(index[8..], levels[level].Length);
            BinaryPrimitives.WriteInt64LittleEndian(index[16..], texture.Levels[level].Length);
            levels[level].CopyTo(bytes, offsets[level]);
        }
        descriptor.CopyTo(bytes, at);
        words.CopyTo(bytes, keysAt);
        return bytes;

        void Put(int offset, uint value) => BinaryPrimitives.WriteUInt32LittleEndian(bytes.AsSpan(offset), value);
    }

    /// <summary>Reads a KTX2 file of one of the formats Crumpet writes.</summary>
    /// <param name="bytes">The file.</param>
    /// <param name="fileName">Name for messages.</param>
    /// <exception cref="SourceFileException">It is no KTX2, is cut, or is of another format.</exception>
    public static Texture Read(byte[] bytes, string fileName)
    {
        if (bytes.Length < HeaderBytes || !Is(bytes))
            throw new SourceFileException(fileName, "", "it is not a KTX2 file", "Choose a .ktx2 file");
        uint width = Get(20), height = Get(24), depth = Get(28), layers = Get(32), sides = Get(36), count = Math.Max(1, Get(40)), packing = Get(44);
        if (width is 0 or > Texture.LargestSide || height is 0 or > Texture.LargestSide || depth > 0 || layers > 1 || sides is not (1 or 6)
            || count > MipChain.Count((int)width, (int)height))
            throw new SourceFileException(fileName, "header",
                $"{width} × {height} px in {count} levels, {depth} deep, {layers} layers and {sides} sides is none that is read",
                "Give it as one flat picture or a cube");
        if (packing is not (NoPacking or Zstandard))
            throw new SourceFileException(fileName, "header", $"its levels are compressed by scheme {packing}", "Store them plainly or with zstd (scheme 2)");
        var (format, srgb) = FormatOf(fileName);
        if (HeaderBytes + count * LevelBytes > bytes.Length)
            throw new SourceFileException(fileName, "level index", "it is cut", "Copy the file again");
        var levels = new byte[count][];
        for (int level = 0; level < count; level++)
        {
            long expected = sides * format.LongLevelBytes(Math.Max(1, (int)width >> level), Math.Max(1, (int)height >> level));
            if (expected > Texture.MostBytes)
                throw new SourceFileException(fileName, $"mip {level}", $"it would take {expected} bytes", "Give it at a smaller size");
            var index = bytes.AsSpan(HeaderBytes + level * LevelBytes);
            long from = BinaryPrimitives.ReadInt64LittleEndian(index), length = BinaryPrimitives.ReadInt64LittleEndian(index[8..]);
            if (from < 0 || length < 0 || from > bytes.Length || length > bytes.Length - from)
                throw new SourceFileException(fileName, $"mip {level}", "it lies beyond the end of the file", "Copy the file again");
            var data = bytes.AsSpan((int)from, (int)length);
            levels[level] = packing == Zstandard ? Unpack(data, expected, fileName, level) : data.ToArray();
            if (levels[level].Length != expected)
                throw new SourceFileException(fileName, $"mip {level}", $"{expected} bytes were expected and {levels[level].Length} are there",
                    "Convert the picture again");
        }
        return new Texture((int)width, (int)height, format, srgb, levels) { Sides = (int)sides };

        uint Get(int offset) => BinaryPrimitives.ReadUInt32LittleEndian(bytes.AsSpan(offset));

        (TextureFormat, bool) FormatOf(string name)
        {
            uint number = Get(12);
            if (number == 0)
            {
                // The descriptor alone says what it is: its colour model, and in the byte after the next its transfer.
                uint at = Get(48);
                if (at <= bytes.Length - 16 && TextureFormat.Table.All.FirstOrDefault(f => f.Vk == 0 && f.Described.Model == bytes[(int)at + 12]) is { } told)
                    return (told, bytes[(int)at + 14] == 2);
            }
            return number > 0 && TextureFormat.Table.All.FirstOrDefault(f => f.Vk == number || f.VkSrgb == number) is { } format
                ? (format, format.VkSrgb == number)
                : throw new SourceFileException(name, "header", $"its format, number {number} of Vulkan's, is not one of {TextureFormat.Labels}",
                    "Convert the picture again");
        }
    }

    private static byte[] Pack(byte[] level)
    {
        using var packer = new Compressor(ZstdEffort);
        return packer.Wrap(level).ToArray();
    }

    private static byte[] Unpack(ReadOnlySpan<byte> data, long expected, string fileName, int level)
    {
        try
        {
            var result = new byte[expected];
            using var unpacker = new Decompressor();
            return unpacker.TryUnwrap(data, result, out int written) && written == expected ? result
                : throw new SourceFileException(fileName, $"mip {level}", $"it does not unpack to {expected} bytes", "Copy the file again");
        }
        catch (ZstdException)
        {
            throw new SourceFileException(fileName, $"mip {level}", "its compression is damaged", "Copy the file again");
        }
    }

    private static uint TypeSize(TextureFormat format) => format.HasBlocks ? 1u
        : format.Described.Samples.Any(s => s.Bits % 8 != 0) ? 4u : (uint)format.Described.Samples[0].Bits / 8;

    private static byte[] Descriptor(TextureFormat format, bool srgb, bool isPacked)
    {
        var samples = format.Described.Samples;
        int size = 24 + 16 * samples.Count;
        var bytes = new byte[4 + size];
        Put(0, (uint)bytes.Length);
        Put(8, 2 | (uint)size << 16);
        bytes[12] = format.Described.Model;
        // Primaries of BT.709, transfer sRGB or none, straight alpha.
        bytes[13] = 1;
        bytes[14] = (byte)(srgb ? 2 : 1);
        bytes[16] = (byte)(format.BlockWidth - 1);
        bytes[17] = (byte)(format.BlockHeight - 1);
        bytes[20] = (byte)(isPacked ? 0 : format.UnitBytes);
        for (int i = 0; i < samples.Count; i++)
        {
            var sample = samples[i];
            // Alpha never carries the transfer.
            int qualifiers = sample.Qualifiers & (srgb ? 0xf0 : 0xe0);
            Put(28 + 16 * i, (uint)(sample.Offset | (sample.Bits - 1) << 16) | (uint)(sample.Channel | qualifiers) << 24);
            Put(36 + 16 * i, sample.Lower);
            Put(40 + 16 * i, sample.Upper);
        }
        return bytes;

        void Put(int offset, uint value) => BinaryPrimitives.WriteUInt32LittleEndian(bytes.AsSpan(offset), value);
    }

    // Rows run downwards, and who wrote it.
    private static byte[] Words()
    {
        using var stream = new MemoryStream();
        foreach (string pair in (string[])["KTXorientation\0rd\0", "KTXwriter\0Crumpet\0"])
        {
            byte[] text = Encoding.UTF8.GetBytes(pair);
            stream.Write(BitConverter.GetBytes(text.Length));
            stream.Write(text);
            while (stream.Length % 4 != 0)
                stream.WriteByte(0);
        }
        return stream.ToArray();
    }

    private static int Lcm(int a, int b)
    {
        int multiple = a;
        while (multiple % b != 0)
            multiple += a;
        return multiple;
    }
}
