using System.Buffers.Binary;

namespace Crumpet.Core.Imaging;

/// <summary>Reads Truevision TGA of every kind and depth: mapped, true colour and grey, run-length coded or not.</summary>
/// <remarks>Source: Truevision TGA File Format Specification, version 2.0, 1991.</remarks>
public static class TgaReader
{
    private const int HeaderBytes = 18;

    /// <summary>Whether bytes begin as a TGA header may. The format has no mark, but no other picture's mark fits it.</summary>
    public static bool LooksLike(ReadOnlySpan<byte> bytes) =>
        bytes.Length > HeaderBytes && bytes[1] <= 1 && bytes[2] is 1 or 2 or 3 or 9 or 10 or 11 && bytes[16] is 8 or 15 or 16 or 24 or 32
            && (bytes[12] | bytes[13]) > 0 && (bytes[14] | bytes[15]) > 0;

    /// <summary>Reads a picture; 15 and 16 bits a pixel are widened to 8 a channel.</summary>
    /// <param name="bytes">The file.</param>
    /// <param name="fileName">Name for messages.</param>
    /// <exception cref="SourceFileException">The header cannot be, or the data is cut.</exception>
    public static Bitmap Read(byte[] bytes, string fileName)
    {
        if (bytes.Length < HeaderBytes)
            throw Wrong(fileName, "it is shorter than a header");
        int idLength = bytes[0], kind = bytes[2], mapStart = Word(bytes, 3), mapLength = Word(bytes, 5), mapBits = bytes[7];
        int width = Word(bytes, 12), height = Word(bytes, 14), bits = bytes[16], descriptor = bytes[17];
        if (kind is not (1 or 2 or 3 or 9 or 10 or 11) || bytes[1] > 1)
            throw Wrong(fileName, $"it is of image type {kind}, which TGA does not have");
        bool mapped = kind is 1 or 9, grey = kind is 3 or 11, packed = kind > 8;
        if (!(mapped ? bits is 8 or 16 : grey ? bits is 8 or 16 : bits is 15 or 16 or 24 or 32) || (mapped && bytes[1] == 0))
            throw Wrong(fileName, $"it has {bits} bits a pixel, which this kind of TGA does not have");
        ImageFile.CheckSize(fileName, width, height, 4);
        int mapEntry = (mapBits + 7) / 8, at = HeaderBytes + idLength;
        if (bytes[1] == 1 && mapBits is not (15 or 16 or 24 or 32))
            throw Wrong(fileName, $"its colour map has {mapBits} bits an entry");
        int mapAt = at;
        at += bytes[1] == 1 ? mapLength * mapEntry : 0;
        int pixelBytes = (bits + 7) / 8;
        long pixels = (long)width * height, least = packed ? (pixels + 127) / 128 * (1 + pixelBytes) : pixels * pixelBytes;
        if (at > bytes.Length || least > bytes.Length - at)
            throw Wrong(fileName, $"{width} × {height} px need {least} bytes at least, {Math.Max(0, bytes.Length - at)} are there");
        byte[] raw = packed ? Unpack(bytes, at, (int)pixels, pixelBytes, fileName) : bytes.AsSpan(at, (int)pixels * pixelBytes).ToArray();
        int colourBits = mapped ? mapBits : bits;
        // Only the attribute bits the header owns up to are alpha.
        bool alpha = (descriptor & 15) > 0 && (mapped || !grey ? colourBits is 16 or 32 : bits == 16);
        int channels = (grey ? 1 : 3) + (alpha ? 1 : 0);
        var picture = new Bitmap8(width, height, channels);
        bool fromTop = (descriptor & 0x20) != 0, fromRight = (descriptor & 0x10) != 0;
        for (int row = 0; row < height; row++)
        {
            int y = fromTop ? row : height - 1 - row;
            for (int column = 0; column < width; column++)
            {
                int x = fromRight ? width - 1 - column : column;
                var source = raw.AsSpan((row * width + column) * pixelBytes, pixelBytes);
                var target = picture.Pixels.AsSpan((y * width + x) * channels, channels);
                if (grey)
                {
                    source[..Math.Min(channels, source.Length)].CopyTo(target);
                    continue;
                }
                if (mapped)
                {
                    int entry = (pixelBytes == 1 ? source[0] : BinaryPrimitives.ReadUInt16LittleEndian(source)) - mapStart;
                    if (entry < 0 || entry >= mapLength)
                        throw Wrong(fileName, $"a pixel has colour {entry + mapStart}, which its colour map lacks");
                    source = bytes.AsSpan(mapAt + entry * mapEntry, mapEntry);
                }
                Colour(source, colourBits, target);
            }
        }
        return picture;
    }

    private static void Colour(ReadOnlySpan<byte> texel, int bits, Span<byte> target)
    {
        if (bits <= 16)
        {
            int value = BinaryPrimitives.ReadUInt16LittleEndian(texel);
            target[0] = Five(value >> 10);
            target[1] = Five(value >> 5);
            target[2] = Five(value);
            if (target.Length == 4)
                target[3] = (byte)((value & 0x8000) != 0 ? 255 : 0);
            return;
        }
        (target[0], target[1], target[2]) = (texel[2], texel[1], texel[0]);
        if (target.Length == 4)
            target[3] = texel[3];

        static byte Five(int value) => (byte)(((value & 31) << 3) | ((value & 31) >> 2));
    }

    private static byte[] Unpack(byte[] bytes, int at, int pixels, int pixelBytes, string fileName)
    {
        var raw = new byte[(long)pixels * pixelBytes];
        int put = 0;
        while (put < raw.Length)
        {
            if (at >= bytes.Length)
                throw Wrong(fileName, "its data ends before the last row");
            int head = bytes[at++], count = ((head & 127) + 1) * pixelBytes, source = (head & 128) != 0 ? pixelBytes : count;
            if (source > bytes.Length - at)
                throw Wrong(fileName, "its data ends in the middle of a run");
            count = Math.Min(count, raw.Length - put);
            if ((head & 128) == 0)
            {
                bytes.AsSpan(at, count).CopyTo(raw.AsSpan(put));
            }
            else
            {
                for (int i = 0; i < count; i++)
                    raw[put + i] = bytes[at + i % pixelBytes];
            }
            at += source;
            put += count;
        }
        return raw;
    }

    private static int Word(byte[] bytes, int at) => BinaryPrimitives.ReadUInt16LittleEndian(bytes.AsSpan(at));

    private static SourceFileException Wrong(string fileName, string what) => new(fileName, "", what, "Save it again, as TGA or as PNG");
}
