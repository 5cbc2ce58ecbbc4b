using System.Buffers.Binary;
using System.Runtime.InteropServices;
using System.Runtime.Intrinsics;

namespace Crumpet.Core.Imaging.Blocks;

/// <summary>Decodes the one-channel blocks of BC4, which BC5 uses twice and BC3 for alpha.</summary>
/// <remarks>Source: Khronos Data Format Specification 1.3, "RGTC compressed texture image formats". Values between the ends are rounded to nearest where
/// they are read as bytes.</remarks>
internal static class Bc4Decoder
{
    // Places in a palette of four texels, a byte each, by twelve bits.
    private static readonly uint[] Four = [.. Enumerable.Range(0, 4096).Select(i => (uint)(i & 7 | (i >> 3 & 7) << 8 | (i >> 6 & 7) << 16 | i >> 9 << 24))];

    // Shares of the second end, in sevenths and in fifths, times 2¹⁶ and rounded up: whole numbers below 2¹¹ divided so are divided exactly.
    private const int Seventh = (1 << 16) / 7 + 1, Fifth = (1 << 16) / 5 + 1;

    /// <summary>Decodes 8 bytes into 16 values.</summary>
    public static void Decode(ReadOnlySpan<byte> block, Span<byte> values) => Decode(BinaryPrimitives.ReadUInt64LittleEndian(block)).CopyTo(values);

    /// <summary>Decodes the 8 bytes of a block into 16 values.</summary>
    public static Vector128<byte> Decode(ulong block)
    {
        var palette = Vector128.CreateScalar(Palette((int)block & 255, (int)(block >> 8) & 255)).AsByte();
        ulong bits = block >> 16;
        var places = Vector128.Create(Four[(int)bits & 4095], Four[(int)(bits >> 12) & 4095], Four[(int)(bits >> 24) & 4095], Four[(int)(bits >> 36)]).AsByte();
        return Vector128.ShuffleNative(palette, places);
    }

    /// <summary>Decodes blocks of signed values to the first channels of 16 RGBA texels, −1 to 1; the others are 0, alpha 1.</summary>
    public static void DecodeSigned(ReadOnlySpan<byte> blocks, Span<float> rgba, int channels)
    {
        rgba.Clear();
        for (int i = 0; i < 16; i++)
            rgba[4 * i + 3] = 1;
        Span<float> palette = stackalloc float[8];
        for (int c = 0; c < channels; c++)
        {
            var block = blocks.Slice(8 * c, 8);
            // −128 stands for −127: both are −1.
            int first = Math.Max((sbyte)block[0], (sbyte)-127), second = Math.Max((sbyte)block[1], (sbyte)-127);
            (palette[0], palette[1]) = (first / 127f, second / 127f);
            int steps = (sbyte)block[0] > (sbyte)block[1] ? 7 : 5;
            for (int i = 1; i < steps; i++)
                palette[i + 1] = ((steps - i) * first + i * second) / (127f * steps);
            if (steps == 5)
                (palette[6], palette[7]) = (-1, 1);
            ulong bits = BinaryPrimitives.ReadUInt64LittleEndian(block) >> 16;
            for (int i = 0; i < 16; i++)
                rgba[4 * i + c] = palette[(int)(bits >> (3 * i)) & 7];
        }
    }

    // Eight values, a byte each.
    private static ulong Palette(int first, int second)
    {
        ulong palette = (uint)(first | second << 8);
        if (first > second)
        {
            for (int i = 1; i < 7; i++)
                palette |= (ulong)(uint)(((7 - i) * first + i * second + 3) * Seventh >> 16) << (8 * i + 8);
            return palette;
        }
        for (int i = 1; i < 5; i++)
            palette |= (ulong)(uint)(((5 - i) * first + i * second + 2) * Fifth >> 16) << (8 * i + 8);
        return palette | 0xffUL << 56;
    }

    /// <summary>Decodes blocks of 8 bytes to the first channels of 16 RGBA texels; the others are 0, alpha 255.</summary>
    public static void DecodeChannels(ReadOnlySpan<byte> blocks, Span<byte> rgba, int channels)
    {
        var red = Decode(BinaryPrimitives.ReadUInt64LittleEndian(blocks));
        var green = channels > 1 ? Decode(BinaryPrimitives.ReadUInt64LittleEndian(blocks[8..])) : Vector128<byte>.Zero;
        var texels = MemoryMarshal.Cast<byte, uint>(rgba);
        var alpha = Vector128.Create(0xff000000u);
        var (r, r2) = Vector128.Widen(red);
        var (g, g2) = Vector128.Widen(green);
        var (first, second) = Vector128.Widen(r | g << 8);
        var (third, fourth) = Vector128.Widen(r2 | g2 << 8);
        (first | alpha).CopyTo(texels);
        (second | alpha).CopyTo(texels[4..]);
        (third | alpha).CopyTo(texels[8..]);
        (fourth | alpha).CopyTo(texels[12..]);
    }
}
