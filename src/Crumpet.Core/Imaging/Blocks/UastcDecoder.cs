using System.Buffers.Binary;
using System.Numerics;
using System.Runtime.CompilerServices;
using System.Runtime.InteropServices;
using System.Runtime.Intrinsics;

namespace Crumpet.Core.Imaging.Blocks;

/// <summary>Decodes UASTC blocks. What is reserved is magenta.</summary>
/// <remarks>Source: Khronos Data Format Specification 1.4, "UASTC texture data format".</remarks>
internal static class UastcDecoder
{
    private const uint Magenta = 0xffff00ff;
    private const int MostValues = 18, Beyond = 7;

    private static readonly BitField SolidColour = new(UastcTables.Modes[UastcTables.Solid].CodeBits, 32);

    // What is read, by the number of the mode; of the one of one colour nothing but that.
    private static readonly Layout[] Layouts = [.. UastcTables.Modes.Select(m => m.Number == UastcTables.Solid ? null! : new Layout(m))];

    /// <summary>Decodes 16 bytes into 16 RGBA texels.</summary>
    [SkipLocalsInit]
    public static void Decode(ReadOnlySpan<byte> block, Span<byte> rgba)
    {
        block = block[..16];
        rgba = rgba[..64];
        if (UastcTables.Of(block[0]) is not { } mode)
        {
            MemoryMarshal.Cast<byte, uint>(rgba).Fill(Magenta);
            return;
        }
        if (mode.Number == UastcTables.Solid)
        {
            MemoryMarshal.Cast<byte, uint>(rgba).Fill((uint)SolidColour.Read(block));
            return;
        }
        var layout = Layouts[mode.Number];
        int pattern = (int)layout.PatternOf.Read(block);
        if (pattern >= layout.Patterns.Length)
        {
            MemoryMarshal.Cast<byte, uint>(rgba).Fill(Magenta);
            return;
        }
        var first = layout.Ends(block, out var second);
        var weights = layout.Patterns[pattern].Weights(block, layout.Meanings, out var other);
        int apart = mode.NamesChannel ? (int)layout.Apart.Read(block) : 3;
        byte[] controls = layout.Patterns[pattern].Controls;
        var own = Vector128.Create(mode.Planes == 2 ? 0xffu << (8 * apart) : 0).AsByte();
        for (int row = 0; row < 4; row += 2)
        {
            Vector128<byte> one = Row(row), two = Row(row + 1);
            LineMix.Mix(first, second, controls.AsSpan(16 * row), one, two, isWide: true).CopyTo(rgba[(16 * row)..]);
        }

        Vector128<byte> Row(int row) => Vector128.ConditionalSelect(own, LineMix.Row(other, row), LineMix.Row(weights, row));
    }

    /// <summary>What is read of a mode.</summary>
    private sealed class Layout
    {
        private readonly AstcRange range;
        private readonly byte[] meanings;

        // Several digits that are stored as one: where, and the first of their numbers; then each number's bits.
        private readonly (BitField Field, int First)[] groups;
        private readonly BitField[] numbers;
        private readonly ulong[] digits;
        private readonly Vector128<byte> firstPlaces, secondPlaces, open;

        public Layout(UastcMode mode)
        {
            int at = mode.CodeBits + mode.HintBits;
            int count = 2 * mode.Channels * mode.Parts;
            range = mode.Colours;
            PatternOf = Next(mode.PatternBits);
            Apart = Next(mode.NamesChannel ? 2 : 0);
            var (group, lengths) = range.Base switch { 3 => (5, (int[])[0, 2, 4, 5, 7, 8]), 5 => (3, [0, 3, 5, 7]), _ => (MostValues, []) };
            digits = lengths.Length == 0 ? [] : [.. Enumerable.Range(0, 1 << lengths[^1]).Select(code => DigitsOf(code, range.Base, group))];
            groups = lengths.Length == 0 ? [] : [.. Enumerable.Range(0, (count + group - 1) / group).Select(g => g * group)
                .Select(from => (Next(lengths[Math.Min(group, count - from)]), from))];
            numbers = [.. Enumerable.Range(0, count).Select(_ => Next(range.Bits))];
            meanings = AstcTables.ColourValues(range);
            Patterns = [.. Enumerable.Range(0, mode.Parts == 1 ? 1 : mode.Seeds.Count).Select(p => new Pattern(mode, p, at))];
            byte[] weights = AstcTables.WeightValues(mode.Weights);
            Meanings = (Vector128.Create([.. weights, .. new byte[16]]), Vector128.Create(weights.Length > 16 ? weights[16..] : new byte[16]));
            (firstPlaces, secondPlaces) = (PlacesOf(mode, 0), PlacesOf(mode, 1));
            open = Vector128.Create(mode.Channels == 3 ? 0xff000000 : 0).AsByte();

            BitField Next(int bits) => BitField.Next(ref at, bits);
        }

        /// <summary>Which partition.</summary>
        public BitField PatternOf { get; }

        /// <summary>Which channel has weights of its own.</summary>
        public BitField Apart { get; }

        public Pattern[] Patterns { get; }

        /// <summary>Weights of the first sixteen indices, and of the others.</summary>
        public (Vector128<byte> Few, Vector128<byte> Many) Meanings { get; }

        /// <summary>RGBA of the first and of the second end of each part.</summary>
        public Vector128<byte> Ends(ReadOnlySpan<byte> block, out Vector128<byte> second)
        {
            Span<byte> values = stackalloc byte[MostValues + Beyond];
            values.Clear();
            // Trits or quints of all numbers come first, several in one; then the bits below them.
            foreach (var (field, from) in groups)
                BinaryPrimitives.WriteUInt64LittleEndian(values[from..], digits[field.Read(block)] << range.Bits);
            for (int i = 0; i < numbers.Length; i++)
                values[i] = meanings[values[i] | (int)numbers[i].Read(block)];
            // At most eighteen numbers, of which the last two are those of blue of the third part.
            Vector128<byte> low = Vector128.Create<byte>(values), high = Vector128.CreateScalar((ushort)(values[16] | values[17] << 8)).AsByte();
            second = Look(low, high, secondPlaces) | open;
            return Look(low, high, firstPlaces) | open;
        }

        private static Vector128<byte> Look(Vector128<byte> low, Vector128<byte> high, Vector128<byte> places) =>
            Vector128.Shuffle(low, places) | Vector128.Shuffle(high, places - Vector128.Create((byte)16));

        // Where a channel of an end lies among the numbers; 255 for none.
        private static Vector128<byte> PlacesOf(UastcMode mode, int end) => Vector128.Create([.. Enumerable.Range(0, 16).Select(i =>
        {
            int part = i / 4, channel = i % 4, own = mode.Channels == 2 ? channel == 3 ? 1 : 0 : channel;
            return part < mode.Parts && own < mode.Channels ? (byte)(2 * (mode.Channels * part + own) + end) : (byte)255;
        })]);

        private static ulong DigitsOf(int code, int radix, int count)
        {
            ulong all = 0;
            for (int i = 0; i < count; i++, code /= radix)
                all |= (ulong)(code % radix) << (8 * i);
            return all;
        }
    }

    /// <summary>Which part texels are of, and where their weights lie: the first of each part lacks its highest bit, which is 0.</summary>
    private sealed class Pattern
    {
        private readonly ulong[] masks;
        private readonly BitField[] fields;

        public Pattern(UastcMode mode, int number, int at)
        {
            Span<int> parts = stackalloc int[16];
            UastcTables.Parts(mode, number, parts);
            masks = new ulong[2 * mode.Planes];
            for (int i = 0, known = 0; i < 16; known |= 1 << parts[i], i++)
            {
                int width = mode.WeightBits - ((known >> parts[i] & 1) == 0 ? 1 : 0);
                for (int weight = mode.Planes * i; weight < mode.Planes * (i + 1); weight++)
                    masks[weight / 8] |= (ulong)((1 << width) - 1) << (weight % 8 * 8);
            }
            fields = [.. masks.Select(mask => BitField.Next(ref at, BitOperations.PopCount(mask)))];
            int[] all = parts.ToArray();
            Controls = LineMix.Controls(16, i => all[i]);
        }

        public byte[] Controls { get; }

        /// <summary>The weights of all texels, and those of the channel that has its own.</summary>
        public Vector128<byte> Weights(ReadOnlySpan<byte> block, (Vector128<byte> Few, Vector128<byte> Many) meanings, out Vector128<byte> other)
        {
            var first = Sixteen(block, 0);
            if (masks.Length == 2)
                return other = Mean(first, meanings);
            // Both planes by turns.
            var second = Sixteen(block, 2);
            other = Mean(Join(first, second, 1), meanings);
            return Mean(Join(first, second, 0), meanings);
        }

        // Every second byte of both.
        private static Vector128<byte> Join(Vector128<byte> first, Vector128<byte> second, int plane)
        {
            var every = Vector128.Create((ushort)0x00ff);
            return Vector128.Narrow(first.AsUInt16() >>> (8 * plane) & every, second.AsUInt16() >>> (8 * plane) & every);
        }

        private Vector128<byte> Sixteen(ReadOnlySpan<byte> block, int first)
        {
            ulong low = BlockReader.Spread(fields[first].Read(block), masks[first]);
            return Vector128.Create(low, BlockReader.Spread(fields[first + 1].Read(block), masks[first + 1])).AsByte();
        }

        private static Vector128<byte> Mean(Vector128<byte> indices, (Vector128<byte> Few, Vector128<byte> Many) meanings)
        {
            var fifteen = Vector128.Create((byte)15);
            var below = indices & fifteen;
            return Vector128.ConditionalSelect(Vector128.GreaterThan(indices, fifteen), Vector128.ShuffleNative(meanings.Many, below),
                Vector128.ShuffleNative(meanings.Few, below));
        }
    }
}
