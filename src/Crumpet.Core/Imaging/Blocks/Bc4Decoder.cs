using System.Buffers.Binary;
using System.Runtime.CompilerServices;
using System.Runtime.Intrinsics;
using System.Runtime.Intrinsics.X86;

namespace Crumpet.Core.Imaging.Blocks;

/// <summary>Decodes the one-channel blocks of BC4, which BC5 uses twice and BC3 for alpha.</summary>
/// <remarks>Source: Khronos Data Format Specification 1.3, "RGTC compressed texture image formats". Values between the ends are rounded to nearest where
/// they are read as bytes.</remarks>
internal static class Bc4Decoder
{
    // A byte that stands for 0 where 0 to 255 stand for −1 to 1.
    private const byte Middle = 128;

    // By whether there are four colours between the ends: shares of the first end, of the second, and what rounds.
    private static readonly Vector128<ushort>[] First = [Vector128.Create((ushort)7, 0, 6, 5, 4, 3, 2, 1), Vector128.Create((ushort)5, 0, 4, 3, 2, 1, 0, 0)];
    private static readonly Vector128<ushort>[] Second = [Vector128.Create((ushort)0, 7, 1, 2, 3, 4, 5, 6), Vector128.Create((ushort)0, 5, 1, 2, 3, 4, 0, 0)];
    private static readonly Vector128<ushort>[] Rounding = [Vector128.Create((ushort)3), Vector128.Create((ushort)2, 2, 2, 2, 2, 2, 0, 5 * 255)];

    // Shares of 2¹⁶, rounded up: whole numbers below 2¹¹ divided so are divided exactly.
    private const ushort Seventh = (1 << 16) / 7 + 1, Fifth = (1 << 16) / 5 + 1;

    /// <summary>Decodes the 8 bytes of a block into 16 values.</summary>
    public static Vector128<byte> Decode(ulong block)
    {
        ushort first = (byte)block, second = (byte)(block >> 8);
        int few = first > second ? 0 : 1;
        var sum = First[few] * first + Second[few] * second + Rounding[few];
        return Planes.Look(MultiplyHigh(sum, few == 0 ? Seventh : Fifth), Planes.Places(block >> 16));
    }

    /// <summary>Decodes blocks of 8 bytes to the first channels of 16 RGBA texels; the others are 0, alpha 255.</summary>
    public static void DecodeChannels(ReadOnlySpan<byte> blocks, Span<byte> rgba, int channels) => Planes.Write(
        Decode(BinaryPrimitives.ReadUInt64LittleEndian(blocks)),
        channels > 1 ? Decode(BinaryPrimitives.ReadUInt64LittleEndian(blocks[8..])) : Vector128<byte>.Zero,
        0,
        rgba);

    /// <summary>Decodes blocks of signed values to the first channels of 16 RGBA texels, −1 to 1; the others are 0, alpha 1.</summary>
    public static void DecodeSigned(ReadOnlySpan<byte> blocks, Span<float> rgba, int channels)
    {
        Planes.Empty(rgba);
        for (int c = 0; c < channels; c++)
        {
            ulong block = BinaryPrimitives.ReadUInt64LittleEndian(blocks[(8 * c)..]);
            Planes.Write(SignedPalette(block), Planes.Places(block >> 16), rgba, c);
        }
    }

    /// <summary>The same to bytes: −1 to 1 gives 0 to 255.</summary>
    public static void DecodeSignedBytes(ReadOnlySpan<byte> blocks, Span<byte> rgba, int channels) => Planes.Write(
        SignedBytes(BinaryPrimitives.ReadUInt64LittleEndian(blocks)),
        channels > 1 ? SignedBytes(BinaryPrimitives.ReadUInt64LittleEndian(blocks[8..])) : Vector128.Create(Middle),
        Middle,
        rgba);

    private static Vector128<byte> SignedBytes(ulong block) =>
        Planes.Look(Planes.ToBytes(SignedPalette(block), signed: true), Planes.Places(block >> 16));

    private static Vector256<float> SignedPalette(ulong block)
    {
        // −128 stands for −127: both are −1. Which palette it is, the numbers themselves say.
        int first = Math.Max((sbyte)block, (sbyte)-127), second = Math.Max((sbyte)(block >> 8), (sbyte)-127);
        int few = (sbyte)block > (sbyte)(block >> 8) ? 0 : 1;
        // At most 7 × 127, which sixteen bits hold with their sign.
        var sums = First[few].AsInt16() * (short)first + Second[few].AsInt16() * (short)second;
        var (low, high) = Vector128.Widen(sums);
        var palette = Vector256.ConvertToSingle(Vector256.Create(low, high)) / (127f * (few == 0 ? 7 : 5));
        return few == 0 ? palette : palette.WithElement(6, -1).WithElement(7, 1);
    }

    // The upper sixteen bits of the products.
    [MethodImpl(MethodImplOptions.AggressiveInlining)]
    private static Vector128<ushort> MultiplyHigh(Vector128<ushort> values, ushort by)
    {
        if (Sse2.IsSupported)
            return Sse2.MultiplyHigh(values, Vector128.Create(by));
        var (low, high) = Vector128.Widen(values);
        return Vector128.Narrow(low * by >>> 16, high * by >>> 16);
    }
}
