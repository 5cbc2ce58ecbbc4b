using System.Buffers.Binary;

namespace Crumpet.Core.Imaging.Blocks;

/// <summary>Reads whole numbers of one range as ASTC stores them: several at a time, their digits by a table.</summary>
/// <remarks>Source: Khronos Data Format Specification 1.3, "ASTC compressed texture image formats", integer sequence encoding.</remarks>
internal sealed class AstcNumbers
{
    // Bytes that are written beyond the last number.
    private const int Beyond = 7;

    // Digits of each code, a byte each.
    private static readonly ulong[] Trits = [.. AstcTables.Trits.Select(Packed)], Quints = [.. AstcTables.Quints.Select(Packed)];
    private static readonly AstcNumbers[] Colours = [.. AstcTables.ColourRanges.Select(r => new AstcNumbers(r, AstcTables.ColourValues(r)))];
    private static readonly AstcNumbers?[][] Finests = [.. Enumerable.Range(0, MostEnds / 2 + 1).Select(half => Enumerable.Range(0, 129).Select(bits =>
        Array.FindLast(Colours, n => n.range.BitsOf(2 * half) <= bits)).ToArray())];

    private readonly AstcRange range;
    private readonly byte[] meanings;
    private readonly ulong[]? digits;
    private readonly ulong spread, digitMask, bitMask;
    private readonly int group;

    /// <param name="range">Their range.</param>
    /// <param name="meanings">What each number stands for.</param>
    public AstcNumbers(AstcRange range, byte[] meanings)
    {
        (this.range, this.meanings) = (range, meanings);
        (group, digits) = range.Base switch { 3 => (5, Trits), 5 => (3, Quints), _ => (8, null) };
        spread = BlockReader.Bytes(range.Bits, group);
        // Bits of a digit that follow each number of a group.
        int[] behind = range.Base switch { 3 => [2, 2, 1, 2, 1], 5 => [3, 2, 2], _ => [] };
        int at = 0;
        foreach (int digit in behind)
        {
            bitMask |= ((1UL << range.Bits) - 1) << at;
            digitMask |= ((1UL << digit) - 1) << (at + range.Bits);
            at += range.Bits + digit;
        }
    }

    /// <summary>Most numbers that ends are made of.</summary>
    public const int MostEnds = 18;

    /// <summary>Most numbers that are read at once.</summary>
    public const int Most = 64;

    /// <summary>Room that <see cref="Read"/> needs.</summary>
    public const int Room = Most + Beyond;

    /// <summary>Bits of so many numbers.</summary>
    public int BitsOf(int count) => range.BitsOf(count);

    /// <summary>The finest range of ends of which so many numbers fit into so many bits; null where none does.</summary>
    /// <param name="count">Numbers, an even one up to <see cref="MostEnds"/>.</param>
    /// <param name="bits">Up to 128.</param>
    public static AstcNumbers? Finest(int count, int bits) => bits < 0 ? null : Finests[count / 2][bits];

    /// <summary>Reads numbers and tells what they stand for.</summary>
    /// <param name="bits">Where they begin.</param>
    /// <param name="count">How many, at most <see cref="Most"/>.</param>
    /// <param name="values">Room of at least <paramref name="count"/> and seven more.</param>
    public void Read(BlockReader bits, int count, Span<byte> values)
    {
        ArgumentOutOfRangeException.ThrowIfGreaterThan(count + Beyond, values.Length);
        for (int at = 0; at < count; at += group)
        {
            int now = Math.Min(group, count - at);
            ulong word = bits.TakeLong(range.BitsOf(now));
            ulong numbers = digits is null ? BlockReader.Spread(word, spread)
                : BlockReader.Spread(BlockReader.Gather(word, bitMask), spread) | digits[BlockReader.Gather(word, digitMask)] << range.Bits;
            BinaryPrimitives.WriteUInt64LittleEndian(values[at..], numbers);
        }
        for (int i = 0; i < count; i++)
            values[i] = meanings[values[i]];
    }

    private static ulong Packed(byte[] digits)
    {
        ulong packed = 0;
        for (int i = 0; i < digits.Length; i++)
            packed |= (ulong)digits[i] << (8 * i);
        return packed;
    }
}
