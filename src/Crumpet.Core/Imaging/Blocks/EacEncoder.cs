using System.Buffers.Binary;
using System.Runtime.CompilerServices;
using System.Runtime.InteropServices;
using F = System.Runtime.Intrinsics.Vector512<float>;
using V = System.Runtime.Intrinsics.Vector512;

namespace Crumpet.Core.Imaging.Blocks;

/// <summary>A channel as EAC holds it: a base, a step and one of sixteen tables of eight steps; 8 bits for alpha, 11 where it stands alone.</summary>
/// <remarks>Source: Khronos Data Format Specification 1.3, "EAC compressed texture image formats".</remarks>
internal sealed class EacEncoder : BlockEncoder
{
    private const int Texels = 16;
    private readonly int[] channels;
    private readonly EacRange range;
    private readonly Effort effort;
    private readonly LaneBuffer buffer = new(Texels + 4);
    private readonly float least, most;

    /// <param name="channels">Channels to hold, a block of 8 bytes each.</param>
    /// <param name="range">What is held.</param>
    /// <param name="effort">How long to search.</param>
    public EacEncoder(int[] channels, EacRange range, Effort effort)
    {
        (this.channels, this.range, this.effort) = (channels, range, effort);
        // On the scale of the base: 11 bits have three more behind it.
        (least, most) = range switch { EacRange.Alpha => (0f, 255f), EacRange.Eleven => (-0.5f, 2047 / 8f - 0.5f), _ => (-1023 / 8f, 1023 / 8f) };
    }

    private Span<F> X => buffer.Span[..Texels];

    /// <inheritdoc/>
    public override void Encode(ReadOnlySpan<F> texels, Span<byte> blocks)
    {
        for (int i = 0; i < channels.Length; i++)
            Encode(texels.Slice(channels[i] * Texels, Texels), blocks[(8 * i)..], 8 * channels.Length);
    }

    /// <summary>Encodes sixteen texels of one channel.</summary>
    /// <param name="values">0 to 255.</param>
    /// <param name="blocks">Where the first block begins.</param>
    /// <param name="stride">Bytes from block to block.</param>
    [SkipLocalsInit]
    public void Encode(ReadOnlySpan<F> values, Span<byte> blocks, int stride)
    {
        ArgumentOutOfRangeException.ThrowIfLessThan(values.Length, Texels);
        var x = X;
        F low = V.Create(float.MaxValue), high = V.Create(float.MinValue), sum = F.Zero;
        for (int i = 0; i < Texels; i++)
        {
            x[i] = Lanes.Fma(values[i], V.Create((most - least) / 255), V.Create(least));
            low = V.MinNative(low, x[i]);
            high = V.MaxNative(high, x[i]);
            sum += x[i];
        }
        var best = buffer.Span.Slice(Texels, 4);
        best[0] = V.Create(float.PositiveInfinity);
        for (int table = 0; table < 16; table++)
        {
            var steps = EtcTables.Alpha[table];
            F step = Lanes.Round((high - low) * V.Create(1f / (steps[7] - steps[3])));
            for (int change = effort == Effort.Best ? -2 : 0; change <= (effort == Effort.Best ? 2 : effort == Effort.Normal ? 1 : 0); change++)
            {
                F size = Lanes.Clamp(step + V.Create((float)change), F.One, V.Create(15f));
                // The base lies so that both ends of the table are as far from the values' ends.
                F from = (low + high - size * V.Create((float)(steps[7] + steps[3]))) * V.Create(0.5f);
                Try(table, size, from);
                if (effort != Effort.Draft)
                    Try(table, size, best[3]);
            }
        }
        Write(blocks, stride);
    }

    // Tries a base, and leaves in the fourth number where the values would rather have it.
    private void Try(int table, F size, F from)
    {
        Span<F> x = X, best = buffer.Span.Slice(Texels, 4);
        bool signed = range == EacRange.SignedEleven;
        F first = Lanes.Clamp(Lanes.Round(from), V.Create(signed ? -127f : 0f), V.Create(signed ? 127f : 255f)), error = F.Zero, shift = F.Zero;
        var steps = EtcTables.Alpha[table];
        F top = V.Create(most), bottom = V.Create(least);
        F p0 = Value(first, size, steps[3]), p1 = Value(first, size, steps[2]), p2 = Value(first, size, steps[1]), p3 = Value(first, size, steps[0]);
        F p4 = Value(first, size, steps[4]), p5 = Value(first, size, steps[5]), p6 = Value(first, size, steps[6]), p7 = Value(first, size, steps[7]);
        for (int i = 0; i < Texels; i++)
        {
            var v = x[i];
            F off = v - p0;
            Nearer(ref off, v - p1);
            Nearer(ref off, v - p2);
            Nearer(ref off, v - p3);
            Nearer(ref off, v - p4);
            Nearer(ref off, v - p5);
            Nearer(ref off, v - p6);
            Nearer(ref off, v - p7);
            error = Lanes.Fma(off, off, error);
            shift += off;
        }
        var better = V.LessThan(error, best[0]);
        best[0] = Lanes.Select(better, error, best[0]);
        best[1] = Lanes.Select(better, first, best[1]);
        best[2] = Lanes.Select(better, Lanes.Fma(size, V.Create(16f), V.Create((float)table)), best[2]);
        best[3] = first + shift * V.Create(1f / Texels);

        [MethodImpl(MethodImplOptions.AggressiveInlining)]
        F Value(F from, F size, int step) => Lanes.Clamp(Lanes.Fma(size, V.Create((float)step), from), bottom, top);

        [MethodImpl(MethodImplOptions.AggressiveInlining)]
        static void Nearer(ref F off, F other) => off = Lanes.Select(V.LessThan(V.Abs(other), V.Abs(off)), other, off);
    }

    private void Write(Span<byte> blocks, int stride)
    {
        ReadOnlySpan<float> x = MemoryMarshal.Cast<F, float>(X), best = MemoryMarshal.Cast<F, float>(buffer.Span.Slice(Texels, 4));
        for (int lane = 0; lane < Lanes.Count; lane++)
        {
            int first = (int)best[Lanes.Count + lane], head = (int)best[2 * Lanes.Count + lane];
            var steps = EtcTables.Alpha[head & 15];
            ulong bits = (ulong)(byte)first << 56 | (ulong)head << 48;
            for (int i = 0; i < Texels; i++)
            {
                int chosen = 0;
                float near = float.MaxValue;
                for (int index = 0; index < 8; index++)
                {
                    float off = MathF.Abs(x[i * Lanes.Count + lane] - Math.Clamp(first + (head >> 4) * steps[index], least, most));
                    if (off < near)
                        (near, chosen) = (off, index);
                }
                bits |= (ulong)chosen << (45 - 3 * EtcTables.Place(i));
            }
            BinaryPrimitives.WriteUInt64BigEndian(blocks.Slice(lane * stride, 8), bits);
        }
    }
}

/// <summary>What a channel of EAC holds.</summary>
internal enum EacRange
{
    /// <summary>8 bits.</summary>
    Alpha,

    /// <summary>11 bits, 0 to 1.</summary>
    Eleven,

    /// <summary>11 bits, −1 to 1.</summary>
    SignedEleven,
}

/// <summary>ETC2 with alpha: a block of each.</summary>
internal sealed class EtcAlphaEncoder(EncodeSettings settings) : BlockEncoder
{
    private readonly EacEncoder alpha = new([3], EacRange.Alpha, settings.Effort);
    private readonly EtcEncoder colour = new(settings.Effort, hasHoles: false, new(settings.Weights.X, settings.Weights.Y, settings.Weights.Z));

    /// <inheritdoc/>
    public override void Encode(ReadOnlySpan<F> texels, Span<byte> blocks)
    {
        alpha.Encode(texels.Slice(48, 16), blocks, 16);
        colour.Encode(texels, blocks[8..], 16);
    }
}
