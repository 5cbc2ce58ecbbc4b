using System.Numerics;
using System.Runtime.Intrinsics;

namespace Crumpet.Core.Imaging.Blocks;

/// <summary>Decodes BC7 blocks of all eight modes: ends and weights are spread over bytes, and eight texels are mixed at a time.</summary>
/// <remarks>Source: Khronos Data Format Specification 1.3, "BPTC compressed texture image formats".</remarks>
internal static class Bc7Decoder
{
    // What is read, by the number of the mode.
    private static readonly Layout[] Layouts = [.. Bc7Tables.Modes.Select((mode, number) => new Layout(mode, number))];

    // Of each partition, by the number of parts.
    private static readonly byte[][][] Controls = [.. Enumerable.Range(0, 4).Select(subsets => Enumerable.Range(0, subsets == 0 ? 0 : 64)
        .Select(p => LineMix.Controls(16, i => Bc7Tables.Subset(subsets, p, i))).ToArray())];

    // Where the channels of a texel come from, by the channel that alpha was exchanged with: none, red, green, blue.
    private static readonly Vector128<byte>[] Rotations = [.. Enumerable.Range(0, 4).Select(rotation =>
        Vector128.Create([.. Enumerable.Range(0, 16).Select(i => (byte)(i / 4 * 4 + From(i % 4, rotation)))]))];

    /// <summary>Decodes 16 bytes into 16 RGBA texels. A block with no mode bit is transparent black.</summary>
    public static void Decode(ReadOnlySpan<byte> block, Span<byte> rgba)
    {
        block = block[..16];
        rgba = rgba[..64];
        if (block[0] == 0)
        {
            rgba.Clear();
            return;
        }
        var layout = Layouts[BitOperations.TrailingZeroCount((uint)block[0])];
        int partition = (int)layout.Partition.Read(block);
        var first = layout.Ends(block, out var second);
        var weights = layout.First[partition].Weights(block);
        byte[] controls = Controls[layout.Subsets][partition];
        if (layout.Second is not { } other)
        {
            LineMix.Mix(first, second, controls, LineMix.Row(weights, 0), LineMix.Row(weights, 1)).CopyTo(rgba);
            LineMix.Mix(first, second, controls.AsSpan(32), LineMix.Row(weights, 2), LineMix.Row(weights, 3)).CopyTo(rgba[32..]);
            return;
        }
        var alpha = other.Weights(block);
        int rotation = (int)layout.Rotation.Read(block);
        if (layout.Selection.Read(block) == 1)
            (weights, alpha) = (alpha, weights);
        var turned = Rotations[rotation];
        for (int row = 0; row < 4; row += 2)
        {
            var both = LineMix.Mix(first, second, controls.AsSpan(16 * row), Apart(weights, alpha, row), Apart(weights, alpha, row + 1));
            Vector128.ShuffleNative(both.GetLower(), turned).CopyTo(rgba[(16 * row)..]);
            Vector128.ShuffleNative(both.GetUpper(), turned).CopyTo(rgba[(16 * row + 16)..]);
        }
    }

    private static int From(int channel, int rotation) =>
        rotation == 0 ? channel : channel == 3 ? rotation - 1 : channel == rotation - 1 ? 3 : channel;

    private static Vector128<byte> Apart(Vector128<byte> colour, Vector128<byte> alpha, int row) =>
        Vector128.ConditionalSelect(Vector128.Create(0xff000000u).AsByte(), LineMix.Row(alpha, row), LineMix.Row(colour, row));

    /// <summary>Where the indices of sixteen texels lie; those of anchors lack their highest bit.</summary>
    internal sealed class Indices
    {
        private readonly Vector128<byte> meanings;
        private readonly BitField lower, upper;
        private readonly ulong low, high;

        /// <param name="at">Where they begin in a block.</param>
        /// <param name="subsets">Parts of the block.</param>
        /// <param name="partition">Which partition.</param>
        /// <param name="width">Bits of an index.</param>
        public Indices(int at, int subsets, int partition, int width)
        {
            meanings = Vector128.Create([.. Bc7Tables.Weights(width), .. new byte[16 - (1 << width)]]);
            low = high = BlockReader.Bytes(width, 8);
            for (int subset = 0; subset < subsets; subset++)
            {
                int anchor = Bc7Tables.Anchor(subsets, partition, subset);
                ulong highest = 1UL << (8 * (anchor & 7) + width - 1);
                if (anchor < 8)
                    low &= ~highest;
                else
                    high &= ~highest;
            }
            (lower, upper) = (BitField.Next(ref at, BitOperations.PopCount(low)), BitField.Next(ref at, BitOperations.PopCount(high)));
            End = at;
        }

        /// <summary>Where what follows begins.</summary>
        public int End { get; }

        /// <summary>Weights of sixteen texels, 0 to 64.</summary>
        public Vector128<byte> Weights(ReadOnlySpan<byte> block) => Vector128.ShuffleNative(
            meanings, Vector128.Create(BlockReader.Spread(lower.Read(block), low), BlockReader.Spread(upper.Read(block), high)).AsByte());
    }

    private sealed class Layout
    {
        private readonly BitField red, green, blue, alpha, parity;
        private readonly ulong colours, alphas, parities, parityTwice, below, alphaBelow, alphaFull;
        private readonly int more, alphaMore, up, down, alphaUp, alphaDown;

        public Layout(Bc7Mode mode, int number)
        {
            int count = 2 * mode.Subsets, at = number + 1, colourBits = count * mode.ColourBits;
            Subsets = mode.Subsets;
            Partition = Next(mode.PartitionBits);
            Rotation = Next(mode.RotationBits);
            Selection = Next(mode.IndexSelectionBits);
            (red, green, blue, alpha) = (Next(colourBits), Next(colourBits), Next(colourBits), Next(count * mode.AlphaBits));
            parity = Next(mode.OwnParity ? count : mode.SharedParity ? mode.Subsets : 0);
            (colours, alphas) = (BlockReader.Bytes(mode.ColourBits, count), BlockReader.Bytes(mode.AlphaBits, count));
            more = mode.HasParity ? 1 : 0;
            // One for each end, or one for two.
            parities = mode.OwnParity ? 0x0101010101010101ul : 0x0001000100010001;
            parityTwice = mode.SharedParity ? 0x101ul : 1;
            (up, down, below) = Widening(mode.ColourBits + more);
            bool hasAlpha = mode.AlphaBits > 0;
            alphaMore = hasAlpha ? more : 0;
            alphaFull = hasAlpha ? 0 : ulong.MaxValue;
            (alphaUp, alphaDown, alphaBelow) = hasAlpha ? Widening(mode.AlphaBits + more) : (0, 0, 0);
            First = [.. Enumerable.Range(0, 1 << mode.PartitionBits).Select(p => new Indices(at, mode.Subsets, p, mode.IndexBits))];
            Second = mode.SecondIndexBits == 0 ? null : new Indices(First[0].End, 1, 0, mode.SecondIndexBits);

            BitField Next(int bits) => BitField.Next(ref at, bits);

            // The highest bits are repeated below.
            static (int, int, ulong) Widening(int width) => (8 - width, 2 * width - 8, BlockReader.Bytes(8 - width, 8));
        }

        public BitField Partition { get; }

        public BitField Rotation { get; }

        public BitField Selection { get; }

        public int Subsets { get; }

        public Indices[] First { get; }

        public Indices? Second { get; }

        /// <summary>RGBA of the first and of the second end of each part.</summary>
        public Vector128<byte> Ends(ReadOnlySpan<byte> block, out Vector128<byte> second)
        {
            ulong r = BlockReader.Spread(red.Read(block), colours), g = BlockReader.Spread(green.Read(block), colours);
            ulong b = BlockReader.Spread(blue.Read(block), colours), a = BlockReader.Spread(alpha.Read(block), alphas);
            ulong odd = BlockReader.Spread(parity.Read(block), parities) * parityTwice;
            (r, g, b, a) = (r << more | odd, g << more | odd, b << more | odd, a << alphaMore | odd);
            var redGreen = Vector128.Create(r << up | (r >> down & below), g << up | (g >> down & below)).AsByte();
            var blueAlpha = Vector128.Create(b << up | (b >> down & below), a << alphaUp | (a >> alphaDown & alphaBelow) | alphaFull).AsByte();
            // Two ends of a part lie side by side in each half.
            second = Vector128.Shuffle(redGreen, Vector128.Create((byte)1, 9, 255, 255, 3, 11, 255, 255, 5, 13, 255, 255, 255, 255, 255, 255))
                | Vector128.Shuffle(blueAlpha, Vector128.Create((byte)255, 255, 1, 9, 255, 255, 3, 11, 255, 255, 5, 13, 255, 255, 255, 255));
            return Vector128.Shuffle(redGreen, Vector128.Create((byte)0, 8, 255, 255, 2, 10, 255, 255, 4, 12, 255, 255, 255, 255, 255, 255))
                | Vector128.Shuffle(blueAlpha, Vector128.Create((byte)255, 255, 0, 8, 255, 255, 2, 10, 255, 255, 4, 12, 255, 255, 255, 255));
        }
    }
}
