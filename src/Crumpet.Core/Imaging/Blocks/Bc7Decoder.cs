namespace Crumpet.Core.Imaging.Blocks;

/// <summary>Decodes BC7 blocks of all eight modes.</summary>
/// <remarks>Source: Khronos Data Format Specification 1.3, "BPTC compressed texture image formats".</remarks>
internal static class Bc7Decoder
{
    /// <summary>Decodes 16 bytes into 16 RGBA texels. A block with no mode bit is transparent black.</summary>
    public static void Decode(ReadOnlySpan<byte> block, Span<byte> rgba)
    {
        var bits = new BitReader(block);
        int number = 0;
        while (number < 8 && bits.Read(1) == 0)
            number++;
        if (number == 8)
        {
            rgba.Clear();
            return;
        }
        var mode = Bc7Tables.Modes[number];
        int partition = bits.Read(mode.PartitionBits), rotation = bits.Read(mode.RotationBits), selection = bits.Read(mode.IndexSelectionBits);
        Span<int> ends = stackalloc int[6 * 4];
        ReadEnds(ref bits, mode, ends);
        Span<int> first = stackalloc int[16], second = stackalloc int[16];
        ReadIndices(ref bits, mode.Subsets, partition, mode.IndexBits, first);
        if (mode.SecondIndexBits > 0)
            ReadIndices(ref bits, 1, 0, mode.SecondIndexBits, second);
        else
            first.CopyTo(second);
        int secondBits = mode.SecondIndexBits > 0 ? mode.SecondIndexBits : mode.IndexBits;
        bool swapped = selection == 1;
        var colourWeights = Bc7Tables.Weights(swapped ? secondBits : mode.IndexBits);
        var alphaWeights = Bc7Tables.Weights(swapped ? mode.IndexBits : secondBits);
        for (int i = 0; i < 16; i++)
        {
            int at = 8 * Bc7Tables.Subset(mode.Subsets, partition, i);
            for (int c = 0; c < 4; c++)
            {
                int weight = c < 3 ? colourWeights[swapped ? second[i] : first[i]] : alphaWeights[swapped ? first[i] : second[i]];
                rgba[4 * i + c] = (byte)(((64 - weight) * ends[at + c] + weight * ends[at + 4 + c] + 32) >> 6);
            }
            if (rotation > 0)
                (rgba[4 * i + rotation - 1], rgba[4 * i + 3]) = (rgba[4 * i + 3], rgba[4 * i + rotation - 1]);
        }
    }

    private static void ReadEnds(ref BitReader bits, Bc7Mode mode, scoped Span<int> ends)
    {
        int count = 2 * mode.Subsets;
        for (int c = 0; c < 4; c++)
        {
            int width = c < 3 ? mode.ColourBits : mode.AlphaBits;
            for (int end = 0; end < count; end++)
                ends[4 * end + c] = width == 0 ? 255 : bits.Read(width);
        }
        if (mode.HasParity)
        {
            int parity = 0;
            for (int end = 0; end < count; end++)
            {
                if (mode.OwnParity || end % 2 == 0)
                    parity = bits.Read(1);
                for (int c = 0; c < (mode.AlphaBits > 0 ? 4 : 3); c++)
                    ends[4 * end + c] = ends[4 * end + c] << 1 | parity;
            }
        }
        int extra = mode.HasParity ? 1 : 0;
        for (int end = 0; end < count; end++)
            for (int c = 0; c < (mode.AlphaBits > 0 ? 4 : 3); c++)
                ends[4 * end + c] = Bc7Tables.Widen(ends[4 * end + c], (c < 3 ? mode.ColourBits : mode.AlphaBits) + extra);
    }

    private static void ReadIndices(ref BitReader bits, int subsets, int partition, int width, scoped Span<int> indices)
    {
        for (int i = 0; i < 16; i++)
        {
            bool anchor = i == Bc7Tables.Anchor(subsets, partition, Bc7Tables.Subset(subsets, partition, i));
            indices[i] = bits.Read(anchor ? width - 1 : width);
        }
    }

    private ref struct BitReader(ReadOnlySpan<byte> bytes)
    {
        private readonly ReadOnlySpan<byte> bytes = bytes;
        private int at;

        public int Read(int count)
        {
            int value = 0;
            for (int i = 0; i < count; i++, at++)
                value |= (bytes[at >> 3] >> (at & 7) & 1) << i;
            return value;
        }
    }
}
