using System.Buffers.Binary;
using F = System.Runtime.Intrinsics.Vector512<float>;

namespace Crumpet.Core.Imaging.Blocks;

/// <summary>Writes UASTC blocks from what was found for them.</summary>
internal sealed class UastcWriter(AstcPlan[] plans) : AstcStore(16)
{
    private readonly int[] parts = new int[16], steps = new int[32], values = new int[18];
    private readonly byte[] texels = new byte[64];

    /// <inheritdoc/>
    protected override void WriteBlock(int plan, int seed, int apart, ReadOnlySpan<float> ends, ReadOnlySpan<float> grid, int lane, Span<byte> block)
    {
        var mode = UastcTables.Modes[plans[plan].Number];
        UastcTables.Parts(mode, seed, parts);
        for (int i = 0; i < 16; i++)
            for (int plane = 0; plane < mode.Planes; plane++)
                steps[mode.Planes * i + plane] = (int)grid[(MostTexels * plane + i) * Lanes.Count + lane];
        int count = 0;
        for (int part = 0; part < mode.Parts; part++)
        {
            // The first weight of a part is in the lower half, or its line is walked the other way.
            int first = Array.IndexOf(parts, part), half = 1 << (mode.WeightBits - 1), turned = 0;
            for (int plane = 0; plane < mode.Planes; plane++)
                if (steps[mode.Planes * first + plane] >= half)
                    turned |= 1 << plane;
            for (int i = 0; i < 16 && turned > 0; i++)
                for (int plane = 0; plane < mode.Planes; plane++)
                    if (parts[i] == part && (turned >> plane & 1) == 1)
                        steps[mode.Planes * i + plane] = 2 * half - 1 - steps[mode.Planes * i + plane];
            for (int c = 0; c < mode.Channels; c++)
            {
                int isTurned = turned >> (mode.Planes == 2 && c == apart ? 1 : 0) & 1;
                for (int end = 0; end < 2; end++)
                    values[count++] = plans[plan].Codes[(int)ends[(8 * part + 4 * (end ^ isTurned) + c) * Lanes.Count + lane]];
            }
        }
        // What it decodes to says which hints suit it.
        var written = Pack(mode, seed, apart, values.AsSpan(0, count));
        BinaryPrimitives.WriteUInt128LittleEndian(block, written);
        UastcDecoder.Decode(block, texels);
        BinaryPrimitives.WriteUInt128LittleEndian(block, written | (UInt128)UastcHints.Of(mode, texels) << mode.CodeBits);
    }

    /// <inheritdoc/>
    protected override void WriteSolid(ReadOnlySpan<byte> rgba, Span<byte> block)
    {
        var mode = UastcTables.Modes[UastcTables.Solid];
        UInt128 bits = (UInt128)(uint)mode.Code | (UInt128)BinaryPrimitives.ReadUInt32LittleEndian(rgba) << mode.CodeBits;
        BinaryPrimitives.WriteUInt128LittleEndian(block, bits | (UInt128)UastcHints.OfSolid(rgba) << (mode.CodeBits + 32));
    }

    private UInt128 Pack(UastcMode mode, int seed, int apart, ReadOnlySpan<int> codes)
    {
        UInt128 bits = 0;
        int at = 0;
        Put((uint)mode.Code, mode.CodeBits);
        at += mode.HintBits;
        Put((uint)seed, mode.PatternBits);
        if (mode.NamesChannel)
            Put((uint)apart, 2);
        var range = mode.Colours;
        int group = range.Base == 3 ? 5 : 3;
        ReadOnlySpan<byte> lengths = range.Base == 3 ? [0, 2, 4, 5, 7, 8] : [0, 3, 5, 7];
        for (int first = 0; range.Base > 1 && first < codes.Length; first += group)
        {
            int count = Math.Min(group, codes.Length - first), digits = 0;
            for (int i = first + count - 1; i >= first; i--)
                digits = digits * range.Base + (codes[i] >> range.Bits);
            Put((uint)digits, lengths[count]);
        }
        foreach (int code in codes)
            Put((uint)code & ((1u << range.Bits) - 1), range.Bits);
        int known = 0;
        for (int i = 0; i < 16; i++)
        {
            bool isFirst = (known >> parts[i] & 1) == 0;
            known |= 1 << parts[i];
            for (int plane = 0; plane < mode.Planes; plane++)
                Put((uint)steps[mode.Planes * i + plane], mode.WeightBits - (isFirst ? 1 : 0));
        }
        return bits;

        void Put(uint value, int length)
        {
            bits |= (UInt128)value << at;
            at += length;
        }
    }
}
