using System.Numerics;
using System.Runtime.CompilerServices;
using System.Runtime.InteropServices;
using System.Runtime.Intrinsics;

namespace Crumpet.Core.Layout;

/// <summary>
/// Which cells of a square sheet are taken, and where a mask still fits. For every row it also keeps where runs of 2, 4, 8 …
/// cells would meet something, so that a run of any length is tested at all places of a row with two shifted reads.
/// </summary>
internal sealed class PackGrid
{
    // Reads go past the end of a line by a vector and a shifted word.
    private const int Spare = 6;
    private readonly int stride;
    private readonly ulong[] blocked;
    private readonly byte[] free;
    private ulong[] taken;
    private int levels = 1;

    /// <summary>An empty sheet.</summary>
    /// <param name="side">Cells a side.</param>
    public PackGrid(int side)
    {
        Side = side;
        stride = (side + 63) / 64 + Spare;
        taken = new ulong[(long)side * stride];
        blocked = new ulong[stride];
        // Room for the last vector that is compared.
        free = new byte[side + Vector256<byte>.Count];
        Clear();
    }

    public int Side { get; }

    /// <summary>The lowest place of a mask, and there the leftmost or rightmost; y is -1 where it fits nowhere.</summary>
    /// <param name="mask">Mask.</param>
    /// <param name="toRight">Whether the rightmost is wanted.</param>
    /// <param name="fromY">Rows below need not be tried.</param>
    /// <param name="toY">Rows from here on need not be tried.</param>
    /// <param name="fromX">Columns before are not wanted.</param>
    /// <param name="toX">Columns from here on are not wanted.</param>
    public (int X, int Y) Find(ShapeMask mask, bool toRight, int fromY, int toY, int fromX = 0, int toX = int.MaxValue)
    {
        int places = Math.Min(Side - mask.Width + 1, toX);
        toY = Math.Min(toY, Side - mask.Height + 1);
        if (places <= fromX)
            return (0, -1);
        AddLevels(mask.MostLevel + 1);
        int words = (places + 63) / 64, vectors = (words + 3) / 4;
        ref ulong all = ref MemoryMarshal.GetArrayDataReference(taken);
        ref ulong stop = ref MemoryMarshal.GetArrayDataReference(blocked);
        for (int y = fromY; y < toY; y++)
        {
            if (!HasRoom(mask, y))
                continue;
            blocked.AsSpan(0, fromX / 64).Fill(ulong.MaxValue);
            blocked.AsSpan(fromX / 64, words - fromX / 64).Clear();
            blocked[fromX / 64] = (1ul << (fromX % 64)) - 1;
            blocked.AsSpan(words).Fill(ulong.MaxValue);
            if (places % 64 != 0)
                blocked[words - 1] |= ulong.MaxValue << (places % 64);
            bool isFull = false;
            foreach (int row in mask.CheckOrder)
            {
                for (int r = mask.Starts[row]; r < mask.Starts[row + 1]; r += 2)
                {
                    int from = mask.Runs[r], length = mask.Runs[r + 1] - from, level = BitOperations.Log2((uint)length);
                    ref ulong line = ref Unsafe.Add(ref all, ((nint)level * Side + y + row) * stride);
                    isFull = Block(ref stop, ref line, from, from + length - (1 << level), vectors);
                    if (isFull)
                        break;
                }
                if (isFull)
                    break;
            }
            if (isFull)
                continue;
            for (int w = toRight ? words - 1 : 0; w >= 0 && w < words; w += toRight ? -1 : 1)
            {
                if (blocked[w] != ulong.MaxValue)
                    return (64 * w + (toRight ? 63 - BitOperations.LeadingZeroCount(~blocked[w]) : BitOperations.TrailingZeroCount(~blocked[w])), y);
            }
        }
        return (0, -1);
    }

    /// <summary>Whether every row has somewhere a run free that is about as long as the mask's there.</summary>
    private bool HasRoom(ShapeMask mask, int y)
    {
        ref byte have = ref Unsafe.Add(ref MemoryMarshal.GetArrayDataReference(free), y);
        ref byte need = ref MemoryMarshal.GetArrayDataReference(mask.RowLevels);
        for (int row = 0; row < mask.Height; row += Vector256<byte>.Count)
        {
            // Past the mask's last row nothing is needed.
            if (Vector256.LessThanAny(Vector256.LoadUnsafe(ref have, (nuint)row), Vector256.LoadUnsafe(ref need, (nuint)row)))
                return false;
        }
        return true;
    }

    /// <summary>Blocks the places at which either of two runs would meet something; whether none is left.</summary>
    private static bool Block(ref ulong stop, ref ulong line, int one, int two, int vectors)
    {
        nint q1 = one >> 6, q2 = two >> 6;
        int s1 = one & 63, s2 = two & 63;
        var full = Vector256<ulong>.AllBitsSet;
        for (nint i = 0; i < vectors; i++)
        {
            nint at = 4 * i;
            var now = Vector256.LoadUnsafe(ref Unsafe.Add(ref stop, at))
                | Shifted(ref Unsafe.Add(ref line, at + q1), s1)
                | Shifted(ref Unsafe.Add(ref line, at + q2), s2);
            now.StoreUnsafe(ref Unsafe.Add(ref stop, at));
            full &= now;
        }
        return full == Vector256<ulong>.AllBitsSet;
    }

    [MethodImpl(MethodImplOptions.AggressiveInlining)]
    private static Vector256<ulong> Shifted(ref ulong line, int shift)
    {
        var low = Vector256.LoadUnsafe(ref line);
        return shift == 0 ? low : (low >>> shift) | (Vector256.LoadUnsafe(ref Unsafe.Add(ref line, 1)) << (64 - shift));
    }

    /// <summary>Takes a mask's cells.</summary>
    /// <param name="mask">Mask.</param>
    /// <param name="x">Cell of its left column; the mask may reach over the sheet's edges.</param>
    /// <param name="y">Cell of its bottom row.</param>
    public void Take(ShapeMask mask, int x, int y)
    {
        int first = Math.Clamp(x, 0, Side - 1), last = Math.Clamp(x + mask.Width - 1, 0, Side - 1);
        for (int row = Math.Max(0, -y); row < mask.Height && y + row < Side; row++)
        {
            var line = Line(0, y + row);
            for (int r = mask.Starts[row]; r < mask.Starts[row + 1]; r += 2)
                SetRun(line, Math.Max(0, x + mask.Runs[r]), Math.Min(Side, x + mask.Runs[r + 1]));
            for (int level = 1; level < levels; level++)
                Raise(level, y + row, Math.Max(0, first - (1 << level)) >> 6, last >> 6);
            FindFree(y + row);
        }
    }

    /// <summary>Frees all cells.</summary>
    public void Clear()
    {
        Array.Clear(taken);
        Array.Fill(free, (byte)BitOperations.Log2((uint)Side), 0, Side);
    }

    /// <summary>Keeps runs of so many lengths from now on.</summary>
    private void AddLevels(int wanted)
    {
        if (wanted <= levels)
            return;
        Array.Resize(ref taken, wanted * Side * stride);
        int former = levels;
        levels = wanted;
        for (int y = 0; y < Side; y++)
        {
            for (int level = former; level < wanted; level++)
                Raise(level, y, 0, stride - 1);
            FindFree(y);
        }
    }

    /// <summary>Finds where runs of a level meet something, from the level below, in some words of a row.</summary>
    private void Raise(int level, int y, int firstWord, int lastWord)
    {
        Span<ulong> below = Line(level - 1, y), into = Line(level, y);
        int words = (1 << (level - 1)) >> 6, bits = (1 << (level - 1)) & 63;
        for (int w = firstWord; w <= lastWord; w++)
        {
            ulong shifted = w + words < stride ? below[w + words] >> bits : 0;
            if (bits > 0 && w + words + 1 < stride)
                shifted |= below[w + words + 1] << (64 - bits);
            into[w] = below[w] | shifted;
        }
    }

    /// <summary>Finds the longest runs of a row that are free somewhere; those longer than are kept count as free while they were.</summary>
    private void FindFree(int y)
    {
        for (int level = Math.Min((int)free[y], levels - 1); level >= 0; level--)
        {
            int places = Side - (1 << level) + 1;
            var line = Line(level, y);
            bool isFree = false;
            for (int w = 0; w < places >> 6 && !isFree; w++)
                isFree = line[w] != ulong.MaxValue;
            isFree = isFree || ((places & 63) != 0 && (line[places >> 6] | (ulong.MaxValue << (places & 63))) != ulong.MaxValue);
            if (isFree)
            {
                // Of longer ones nothing is known but what was.
                if (level < levels - 1)
                    free[y] = (byte)level;
                return;
            }
        }
        free[y] = 0;
    }

    private Span<ulong> Line(int level, int y) => taken.AsSpan((level * Side + y) * stride, stride);

    private static void SetRun(Span<ulong> line, int from, int to)
    {
        if (from >= to)
            return;
        int first = from >> 6, last = (to - 1) >> 6;
        ulong head = ulong.MaxValue << (from & 63), tail = ulong.MaxValue >> (63 - ((to - 1) & 63));
        if (first == last)
        {
            line[first] |= head & tail;
            return;
        }
        line[first] |= head;
        for (int w = first + 1; w < last; w++)
            line[w] = ulong.MaxValue;
        line[last] |= tail;
    }
}
