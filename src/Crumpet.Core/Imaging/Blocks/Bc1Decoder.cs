using System.Buffers.Binary;

namespace Crumpet.Core.Imaging.Blocks;

/// <summary>Decodes the colour block of BC1, BC2 and BC3.</summary>
/// <remarks>Source: Khronos Data Format Specification 1.3, "S3TC compressed texture image formats".</remarks>
internal static class Bc1Decoder
{
    /// <summary>Decodes 8 bytes into 16 RGBA texels, the three-colour form with its transparent black included.</summary>
    public static void Decode(ReadOnlySpan<byte> block, Span<byte> rgba) => Decode(block, rgba, fourOnly: false);

    /// <summary>Whether any block has a texel that is seen through.</summary>
    public static bool HasHole(ReadOnlySpan<byte> blocks)
    {
        for (; blocks.Length >= 8; blocks = blocks[8..])
        {
            uint indices = BinaryPrimitives.ReadUInt32LittleEndian(blocks[4..]);
            if (BinaryPrimitives.ReadUInt16LittleEndian(blocks) <= BinaryPrimitives.ReadUInt16LittleEndian(blocks[2..])
                && (indices & indices >> 1 & 0x55555555) != 0)
                return true;
        }
        return false;
    }

    /// <summary>Decodes the colours of BC3, which always has four of them, beside its alpha.</summary>
    public static void DecodeWithAlpha(ReadOnlySpan<byte> block, Span<byte> rgba)
    {
        Decode(block[8..], rgba, fourOnly: true);
        Span<byte> alpha = stackalloc byte[16];
        Bc4Decoder.Decode(block, alpha);
        for (int i = 0; i < 16; i++)
            rgba[4 * i + 3] = alpha[i];
    }

    private static void Decode(ReadOnlySpan<byte> block, Span<byte> rgba, bool fourOnly)
    {
        ushort first = BinaryPrimitives.ReadUInt16LittleEndian(block), second = BinaryPrimitives.ReadUInt16LittleEndian(block[2..]);
        uint indices = BinaryPrimitives.ReadUInt32LittleEndian(block[4..]);
        bool four = fourOnly || first > second;
        Span<byte> palette = stackalloc byte[16];
        for (int c = 0; c < 3; c++)
        {
            int a = Expand(first, c), b = Expand(second, c);
            palette[c] = (byte)a;
            palette[4 + c] = (byte)b;
            palette[8 + c] = (byte)(four ? (2 * a + b + 1) / 3 : (a + b + 1) / 2);
            palette[12 + c] = (byte)(four ? (a + 2 * b + 1) / 3 : 0);
        }
        palette[3] = palette[7] = palette[11] = 255;
        palette[15] = (byte)(four ? 255 : 0);
        for (int i = 0; i < 16; i++)
            palette.Slice((int)(indices >> (2 * i) & 3) * 4, 4).CopyTo(rgba[(4 * i)..]);
    }

    private static int Expand(int packed, int channel)
    {
        int five = channel == 0 ? packed >> 11 : packed & 31, six = packed >> 5 & 63;
        return channel == 1 ? six << 2 | six >> 4 : five << 3 | five >> 2;
    }
}
