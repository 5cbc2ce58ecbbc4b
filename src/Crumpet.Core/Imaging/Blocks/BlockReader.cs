using System.Buffers.Binary;
using System.Numerics;
using System.Runtime.CompilerServices;
using System.Runtime.Intrinsics.X86;

namespace Crumpet.Core.Imaging.Blocks;

/// <summary>The 128 bits of a block, taken from the lowest on.</summary>
/// <param name="low">Bits 0 to 63.</param>
/// <param name="high">Bits 64 to 127.</param>
internal struct BlockReader(ulong low, ulong high)
{
    private ulong low = low, high = high;

    /// <summary>The bits of 16 bytes.</summary>
    public BlockReader(ReadOnlySpan<byte> block)
        : this(BinaryPrimitives.ReadUInt64LittleEndian(block), BinaryPrimitives.ReadUInt64LittleEndian(block[8..]))
    {
    }

    /// <summary>Takes 0 to 31 bits.</summary>
    [MethodImpl(MethodImplOptions.AggressiveInlining)]
    public uint Take(int count)
    {
        uint value = (uint)low & ((1u << count) - 1);
        // Twice, because a shift by 64 would be none.
        low = low >> count | high << 1 << (63 - count);
        high >>= count;
        return value;
    }

    /// <summary>Takes 1 to 64 bits.</summary>
    [MethodImpl(MethodImplOptions.AggressiveInlining)]
    public ulong TakeLong(int count)
    {
        ulong value = low & ulong.MaxValue >> (64 - count);
        // Twice as well.
        low = low >> 1 >> (count - 1) | high << (64 - count);
        high = high >> 1 >> (count - 1);
        return value;
    }

    /// <summary>A part of the bits, without taking them: at most 31 from bit 0 to 127 on.</summary>
    [MethodImpl(MethodImplOptions.AggressiveInlining)]
    public readonly uint At(int first, int count) =>
        (uint)(first >= 64 ? high >> first : low >> first | high << 1 << (63 - first)) & ((1u << count) - 1);

    /// <summary>The same bits from the last to the first.</summary>
    public readonly BlockReader Turned() => new(Turn(high), Turn(low));

    /// <summary>Puts the lowest bits where a mask has ones.</summary>
    [MethodImpl(MethodImplOptions.AggressiveInlining)]
    public static ulong Spread(ulong bits, ulong mask) => Bmi2.X64.IsSupported ? Bmi2.X64.ParallelBitDeposit(bits, mask) : SpreadSlowly(bits, mask);

    /// <summary>Moves the bits where a mask has ones together.</summary>
    [MethodImpl(MethodImplOptions.AggressiveInlining)]
    public static ulong Gather(ulong bits, ulong mask) => Bmi2.X64.IsSupported ? Bmi2.X64.ParallelBitExtract(bits, mask) : GatherSlowly(bits, mask);

    /// <summary>A byte of so many ones in each of the lowest bytes.</summary>
    /// <param name="bits">Ones a byte, 0 to 8.</param>
    /// <param name="count">Bytes, 0 to 8.</param>
    public static ulong Bytes(int bits, int count)
    {
        ulong all = 0;
        for (int i = 0; i < count; i++)
            all |= (ulong)((1 << bits) - 1) << (8 * i);
        return all;
    }

    /// <summary><see cref="Spread"/> where the machine has no instruction for it.</summary>
    internal static ulong SpreadSlowly(ulong bits, ulong mask)
    {
        ulong spread = 0;
        for (; mask != 0; mask &= mask - 1, bits >>= 1)
            spread |= (bits & 1) << BitOperations.TrailingZeroCount(mask);
        return spread;
    }

    /// <summary><see cref="Gather"/> where the machine has no instruction for it.</summary>
    internal static ulong GatherSlowly(ulong bits, ulong mask)
    {
        ulong gathered = 0;
        for (int at = 0; mask != 0; mask &= mask - 1, at++)
            gathered |= (bits >> BitOperations.TrailingZeroCount(mask) & 1) << at;
        return gathered;
    }

    /// <summary>128 bits from the last to the first.</summary>
    public static UInt128 Turn(UInt128 bits) => new(Turn((ulong)bits), Turn((ulong)(bits >> 64)));

    private static ulong Turn(ulong bits)
    {
        bits = (bits >> 1 & 0x5555555555555555) | (bits & 0x5555555555555555) << 1;
        bits = (bits >> 2 & 0x3333333333333333) | (bits & 0x3333333333333333) << 2;
        bits = (bits >> 4 & 0x0f0f0f0f0f0f0f0f) | (bits & 0x0f0f0f0f0f0f0f0f) << 4;
        return BinaryPrimitives.ReverseEndianness(bits);
    }
}

/// <summary>Bits of a block that always lie in one place; they are read without those before them.</summary>
internal readonly struct BitField
{
    private readonly int offset, shift;
    private readonly ulong mask;

    /// <param name="first">Where they begin, 0 to 127.</param>
    /// <param name="count">How many, 0 to 57, and to 64 where they begin with a byte.</param>
    public BitField(int first, int count)
    {
        // Eight bytes that hold them, within the block.
        offset = Math.Min(first / 8, 8);
        shift = count == 0 ? 0 : first - 8 * offset;
        mask = count == 0 ? 0 : ulong.MaxValue >> (64 - count);
    }

    /// <summary>The field that comes next.</summary>
    /// <param name="at">Where it begins; then where it ends.</param>
    /// <param name="count">Its bits.</param>
    public static BitField Next(ref int at, int count)
    {
        at += count;
        return new BitField(at - count, count);
    }

    /// <summary>Reads them.</summary>
    /// <param name="block">16 bytes.</param>
    [MethodImpl(MethodImplOptions.AggressiveInlining)]
    public ulong Read(ReadOnlySpan<byte> block) => BinaryPrimitives.ReadUInt64LittleEndian(block[offset..]) >> shift & mask;
}
