using System.Runtime.CompilerServices;
using System.Runtime.Intrinsics;

namespace Crumpet.Core.Imaging.Blocks;

/// <summary>Decodes BC6H blocks of all fourteen modes.</summary>
/// <remarks>Source: Khronos Data Format Specification 1.3, "BPTC compressed texture image formats".</remarks>
internal static class Bc6Decoder
{
    // Where the indices begin, and before them the number of a partition.
    private const int FirstOfOne = 65, FirstOfTwo = 82, PartitionBits = 5;

    // What is read, by the number of the mode.
    private static readonly Layout[] Layouts = [.. Bc6Tables.Modes.Select(m => new Layout(m))];

    // Indices of a partition of two lines; of one line.
    private static readonly Bc7Decoder.Indices[] Two = [.. Enumerable.Range(0, 32).Select(p => new Bc7Decoder.Indices(FirstOfTwo, 2, p, 3))];
    private static readonly Bc7Decoder.Indices One = new(FirstOfOne, 1, 0, 4);

    private static readonly BitField Partition = new(FirstOfTwo - PartitionBits, PartitionBits);

    /// <summary>Decodes 16 bytes into 16 RGBA texels; alpha is 1. A block of a reserved mode is black.</summary>
    [SkipLocalsInit]
    public static void Decode(ReadOnlySpan<byte> block, Span<float> rgba, bool signed)
    {
        block = block[..16];
        rgba = rgba[..64];
        int number = Bc6Tables.NumberOf(block[0]);
        if (number < 0)
        {
            Planes.Empty(rgba);
            return;
        }
        var layout = Layouts[number];
        Span<Vector128<int>> ends = stackalloc Vector128<int>[4];
        layout.ReadEnds(block, ends, signed);
        bool isTwo = layout.Mode.Lines == 2;
        int partition = isTwo ? (int)Partition.Read(block) : 0, second = isTwo ? Bc7Tables.TwoSubsets[partition] : 0;
        Span<byte> weights = stackalloc byte[16];
        (isTwo ? Two[partition] : One).Weights(block).CopyTo(weights);
        // 64 times the first end, and a half of what is divided by in the end.
        Vector128<int> half = Vector128.Create(32), start = (ends[0] << 6) + half, way = ends[1] - ends[0], start2 = start, way2 = way;
        if (isTwo)
            (start2, way2) = ((ends[2] << 6) + half, ends[3] - ends[2]);
        for (int i = 0; i < 16; i++)
        {
            var value = (second >> i & 1) == 0 ? start + way * weights[i] : start2 + way2 * weights[i];
            Finish(value >> 6, signed).WithElement(3, 1).CopyTo(rgba[(4 * i)..]);
        }
    }

    // To the bits of a half, and those to a number: its exponent is 112 less, which a product sets right for what is not normal too.
    private static Vector128<float> Finish(Vector128<int> value, bool signed)
    {
        var scale = Vector128.Create((254 - 15) << 23).AsSingle();
        if (!signed)
            return (value * 31 >> 6 << 13).AsSingle() * scale;
        var below = Vector128.LessThan(value, Vector128<int>.Zero) & Vector128.Create(int.MinValue);
        return (Vector128.Abs(value) * 31 >> 5 << 13).AsSingle() * scale | below.AsSingle();
    }

    private sealed class Layout
    {
        // The highest bit of each channel of the other ends, where they are stored as differences or are signed.
        private readonly Vector128<int> highest, mask;

        // Bits that lie in one order: where, which number of the sixteen, and how far up; those of numbers above ten may lie turned.
        private readonly (BitField Field, int Number, int Bit, int Turned)[] pieces;

        public Layout(Bc6Mode mode)
        {
            Mode = mode;
            highest = Vector128.Create(1 << (mode.Red - 1), 1 << (mode.Green - 1), 1 << (mode.Blue - 1), 0);
            mask = Vector128.Create((1 << mode.Bits) - 1);
            int at = mode.CodeBits;
            pieces = [.. mode.Pieces.Select(p => (BitField.Next(ref at, p.Count), 4 * p.End + p.Channel, p.Bit, p.IsTurned ? p.Count : 0))];
        }

        public Bc6Mode Mode { get; }

        public void ReadEnds(ReadOnlySpan<byte> block, Span<Vector128<int>> ends, bool signed)
        {
            Span<int> codes = stackalloc int[16];
            codes.Clear();
            foreach (var (field, number, bit, turned) in pieces)
            {
                int piece = (int)field.Read(block);
                codes[number] |= (turned > 0 ? Turn(piece, turned) : piece) << bit;
            }
            ends[0] = Vector128.Create<int>(codes);
            for (int end = 1; end < 2 * Mode.Lines; end++)
            {
                var code = Vector128.Create<int>(codes[(4 * end)..]);
                ends[end] = Mode.HasDifferences ? ends[0] + Extend(code, highest) & mask : code;
            }
            for (int end = 0; end < 2 * Mode.Lines; end++)
                ends[end] = signed ? WidenSigned(Extend(ends[end], Vector128.Create(1 << (Mode.Bits - 1)))) : Widen(ends[end]);
        }

        private static Vector128<int> Extend(Vector128<int> code, Vector128<int> highest) => (code ^ highest) - highest;

        private static int Turn(int bits, int count)
        {
            int turned = 0;
            for (; count > 0; count--, bits >>= 1)
                turned = turned << 1 | bits & 1;
            return turned;
        }

        private Vector128<int> Widen(Vector128<int> code)
        {
            if (Mode.Bits >= 15)
                return code;
            var wide = (code << 16) + Vector128.Create(0x8000) >>> Mode.Bits;
            wide = Vector128.ConditionalSelect(Vector128.Equals(code, mask), Vector128.Create(0xffff), wide);
            return Vector128.AndNot(wide, Vector128.Equals(code, Vector128<int>.Zero));
        }

        private Vector128<int> WidenSigned(Vector128<int> code)
        {
            if (Mode.Bits >= 16)
                return code;
            var size = Vector128.Abs(code);
            var wide = (size << 15) + Vector128.Create(0x4000) >> (Mode.Bits - 1);
            var most = Vector128.Create((1 << (Mode.Bits - 1)) - 1);
            wide = Vector128.ConditionalSelect(Vector128.GreaterThanOrEqual(size, most), Vector128.Create(0x7fff), wide);
            wide = Vector128.AndNot(wide, Vector128.Equals(size, Vector128<int>.Zero));
            return Vector128.ConditionalSelect(Vector128.LessThan(code, Vector128<int>.Zero), -wide, wide);
        }
    }
}
