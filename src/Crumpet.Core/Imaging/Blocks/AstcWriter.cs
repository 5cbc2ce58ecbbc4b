using System.Buffers.Binary;
using System.Runtime.InteropServices;
using F = System.Runtime.Intrinsics.Vector512<float>;

namespace Crumpet.Core.Imaging.Blocks;

/// <summary>Stores blocks of the ASTC family from what was found for them.</summary>
internal abstract class AstcStore(int texels)
{
    /// <summary>Most texels of a block.</summary>
    protected const int MostTexels = 64;

    /// <param name="source">What was encoded, to know blocks of one colour.</param>
    /// <param name="best">Error, plan, place of the seed and channel apart.</param>
    /// <param name="ends">As they are stored: line, end, channel.</param>
    /// <param name="grid">Weights in steps, those of the second plane after 64.</param>
    /// <param name="blocks">Sixteen blocks.</param>
    public void Write(ReadOnlySpan<F> source, ReadOnlySpan<F> best, ReadOnlySpan<F> ends, ReadOnlySpan<F> grid, Span<byte> blocks)
    {
        ReadOnlySpan<float> x = MemoryMarshal.Cast<F, float>(source), found = MemoryMarshal.Cast<F, float>(best), e = MemoryMarshal.Cast<F, float>(ends),
            g = MemoryMarshal.Cast<F, float>(grid);
        Span<byte> solid = stackalloc byte[4];
        for (int lane = 0; lane < Lanes.Count; lane++)
        {
            var block = blocks.Slice(16 * lane, 16);
            if (IsSolid(x, lane, solid))
                WriteSolid(solid, block);
            else
                WriteBlock((int)found[Lanes.Count + lane], (int)found[2 * Lanes.Count + lane], (int)found[3 * Lanes.Count + lane], e, g, lane, block);
        }
    }

    /// <summary>Writes a block.</summary>
    /// <param name="plan">Number of its plan.</param>
    /// <param name="seed">Place of its seed.</param>
    /// <param name="apart">Channel with weights of its own.</param>
    /// <param name="ends">Ends of all lanes.</param>
    /// <param name="grid">Weights of all lanes.</param>
    /// <param name="lane">The lane.</param>
    /// <param name="block">16 bytes.</param>
    protected abstract void WriteBlock(int plan, int seed, int apart, ReadOnlySpan<float> ends, ReadOnlySpan<float> grid, int lane, Span<byte> block);

    /// <summary>Writes a block of one colour.</summary>
    protected abstract void WriteSolid(ReadOnlySpan<byte> rgba, Span<byte> block);

    private bool IsSolid(ReadOnlySpan<float> x, int lane, Span<byte> rgba)
    {
        for (int c = 0; c < 4; c++)
        {
            rgba[c] = (byte)(x[texels * c * Lanes.Count + lane] + 0.5f);
            for (int i = 1; i < texels; i++)
                if (x[(texels * c + i) * Lanes.Count + lane] != x[texels * c * Lanes.Count + lane])
                    return false;
        }
        return true;
    }
}

/// <summary>Writes ASTC blocks from what was found for them.</summary>
internal sealed class AstcWriter(AstcPlan[] plans, AstcSeeds seeds, int texels) : AstcStore(texels)
{
    private readonly byte[] values = new byte[2 * MostTexels];

    /// <inheritdoc/>
    protected override void WriteBlock(int number, int seed, int apart, ReadOnlySpan<float> ends, ReadOnlySpan<float> grid, int lane, Span<byte> block)
    {
        var plan = plans[number];
        int planes = plan.Mode.HasTwoPlanes ? 2 : 1, size = plan.Mode.Width * plan.Mode.Height;
        for (int i = 0; i < size; i++)
            for (int plane = 0; plane < planes; plane++)
                values[planes * i + plane] = plan.WeightCodes[(int)grid[(MostTexels * plane + i) * Lanes.Count + lane]];
        // Weights lie at the end of the block, their bits from the last to the first.
        var weights = BlockReader.Turn(Pack(values.AsSpan(0, planes * size), plan.Mode.Range));
        int at = 0;
        for (int part = 0; part < plan.Parts; part++)
        {
            if (plan.IsScaled)
            {
                for (int i = 0; i < 4; i++)
                    values[at++] = plan.Codes[(int)ends[(8 * part + i) * Lanes.Count + lane]];
                continue;
            }
            for (int c = 0; c < (plan.IsGrey ? 1 : plan.Channels); c++)
                for (int end = 0; end < 2; end++)
                    values[at++] = plan.Codes[(int)ends[(8 * part + 4 * end + c) * Lanes.Count + lane]];
        }
        var colours = Pack(values.AsSpan(0, at), plan.Colours);
        int kind = plan.Kind;
        var bits = (UInt128)(uint)plan.Number | (UInt128)(uint)(plan.Parts - 1) << 11;
        bits |= plan.Parts == 1 ? (UInt128)(uint)kind << 13 | colours << 17
            : (UInt128)(uint)seeds.Seeds[seed] << 13 | (UInt128)(uint)kind << 25 | colours << 29;
        if (planes == 2)
            bits |= (UInt128)(uint)apart << (126 - plan.Mode.Range.BitsOf(plan.Mode.Weights));
        BinaryPrimitives.WriteUInt128LittleEndian(block, bits | weights);
    }

    // Whole numbers one after another; a trit or a quint of several of them is spread between their bits.
    private static UInt128 Pack(ReadOnlySpan<byte> codes, AstcRange range)
    {
        UInt128 bits = 0;
        int at = 0, group = range.Base == 3 ? 5 : range.Base == 5 ? 3 : 1;
        ReadOnlySpan<byte> spread = range.Base == 3 ? [2, 2, 1, 2, 1] : range.Base == 5 ? [3, 2, 2] : [0];
        uint low = (1u << range.Bits) - 1;
        for (int first = 0; first < codes.Length; first += group)
        {
            int count = Math.Min(group, codes.Length - first), number = 0;
            for (int i = count - 1; i >= 0; i--)
                number = number * range.Base + (codes[first + i] >> range.Bits);
            uint digits = range.Base == 3 ? AstcTables.FromTrits[number] : range.Base == 5 ? AstcTables.FromQuints[number] : 0u;
            for (int i = 0; i < count; i++)
            {
                bits |= (UInt128)(codes[first + i] & low) << at;
                at += range.Bits;
                bits |= (UInt128)(digits & ((1u << spread[i]) - 1)) << at;
                digits >>= spread[i];
                at += spread[i];
            }
        }
        return bits;
    }

    /// <inheritdoc/>
    protected override void WriteSolid(ReadOnlySpan<byte> rgba, Span<byte> block)
    {
        // 16 bits a channel, over no particular part of the picture.
        BinaryPrimitives.WriteUInt64LittleEndian(block, 0xfffffffffffffdfc);
        for (int c = 0; c < 4; c++)
            BinaryPrimitives.WriteUInt16LittleEndian(block[(8 + 2 * c)..], (ushort)(rgba[c] * 257));
    }
}
