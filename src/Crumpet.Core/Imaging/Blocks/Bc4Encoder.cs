using System.Runtime.CompilerServices;
using System.Runtime.InteropServices;
using F = System.Runtime.Intrinsics.Vector512<float>;
using V = System.Runtime.Intrinsics.Vector512;

namespace Crumpet.Core.Imaging.Blocks;

/// <summary>
/// One channel as BC4 holds it, which BC5 uses twice and BC3 for alpha: two ends and a 3-bit index a texel. Both palettes are searched: eight
/// values between the ends, or six with the least and the greatest value added.
/// </summary>
/// <remarks>Source: Khronos Data Format Specification 1.3, "RGTC compressed texture image formats".</remarks>
internal sealed class Bc4Encoder : BlockEncoder
{
    private const int Texels = 16;

    // Codes within which the least and the greatest value may be served by the short palette's own two.
    private const float Outer = 12;

    // Shares of the values' range by which ends are moved inwards.
    private static readonly float[] Insets = [-3.5f, -2, -0.75f, 0.5f, 1.75f];
    private readonly int[] channels;
    private readonly bool signed;
    private readonly Effort effort;
    private readonly int least, most;
    private readonly LaneBuffer buffer = new(Texels);

    /// <param name="channels">Channels to hold, a block of 8 bytes each.</param>
    /// <param name="signed">Whether 0 to 255 is held as −1 to 1.</param>
    /// <param name="effort">How long to search; the longest tries every pair of ends.</param>
    public Bc4Encoder(int[] channels, bool signed, Effort effort)
    {
        (this.channels, this.signed, this.effort) = (channels, signed, effort);
        (least, most) = signed ? (-127, 127) : (0, 255);
    }

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
        var texels = buffer.Span;
        F low = V.Create((float)most), high = V.Create((float)least), innerLow = low, innerHigh = high;
        for (int i = 0; i < Texels; i++)
        {
            var v = signed ? Lanes.Fma(values[i], V.Create(254 / 255f), V.Create(-127f)) : values[i];
            texels[i] = v;
            low = V.MinNative(low, v);
            high = V.MaxNative(high, v);
            // What the short palette holds anyway does not widen its ends.
            var inside = V.GreaterThan(v, V.Create(least + Outer)) & V.LessThan(v, V.Create(most - Outer));
            innerLow = Lanes.Select(inside, V.MinNative(innerLow, v), innerLow);
            innerHigh = Lanes.Select(inside, V.MaxNative(innerHigh, v), innerHigh);
        }
        var found = new Ends(Lanes.Round(high), Lanes.Round(low), F.Zero, V.Create(7f));
        found.Error = Error(found.First, found.Second, V.Create(7f), extremes: false);
        if (effort != Effort.Draft)
            FromInside(ref found);
        Descend(ref found, extremes: false);
        bool anyExtreme = V.LessThanAny(low, V.Create(least + Outer)) || V.GreaterThanAny(high, V.Create(most - Outer));
        if (anyExtreme && effort != Effort.Draft)
        {
            // First end at or below the second: that is what tells the palettes apart.
            var none = V.GreaterThan(innerLow, innerHigh);
            var inner = new Ends(Lanes.Select(none, V.Create((float)most), Lanes.Round(innerHigh)),
                Lanes.Select(none, V.Create((float)least), Lanes.Round(innerLow)), F.Zero, V.Create(5f));
            inner.Error = Error(inner.First, inner.Second, V.Create(5f), extremes: true);
            Descend(ref inner, extremes: true);
            found.Take(inner);
        }
        Span<F> kept = stackalloc F[4];
        (kept[0], kept[1], kept[2], kept[3]) = (found.First, found.Second, found.Error, found.Steps);
        Span<float> all = MemoryMarshal.Cast<F, float>(kept), own = stackalloc float[Texels];
        var flat = MemoryMarshal.Cast<F, float>(texels);
        for (int lane = 0; lane < Lanes.Count; lane++)
        {
            for (int i = 0; i < Texels; i++)
                own[i] = flat[i * Lanes.Count + lane];
            int first = (int)all[lane], second = (int)all[Lanes.Count + lane];
            bool extremes = all[3 * Lanes.Count + lane] == 5;
            if (effort == Effort.Best && all[2 * Lanes.Count + lane] > 0)
                (first, second, extremes) = TryAll(own, first, second, extremes, all[2 * Lanes.Count + lane]);
            Write(own, first, second, extremes, blocks.Slice(lane * stride, 8));
        }
    }

    // Spread-out values leave valleys that no descent leaves: ends that give the outer values up are tried first.
    private void FromInside(ref Ends found)
    {
        F high = found.First, low = found.Second, inset = (high - low) * V.Create(1f / 28);
        foreach (float a in Insets)
        {
            var first = Lanes.Round(high - inset * V.Create(a));
            foreach (float b in Insets)
                found.Try(this, first, Lanes.Round(low + inset * V.Create(b)), extremes: false);
        }
    }

    /// <summary>Downhill from what is there: wide moves first, then single codes.</summary>
    private void Descend(ref Ends found, bool extremes)
    {
        int rounds = effort == Effort.Draft ? 1 : 4;
        var width = found.First - found.Second;
        for (int round = 0; round < rounds; round++)
        {
            var step = round == rounds - 1 || effort == Effort.Draft ? F.One
                : V.MaxNative(F.One, Lanes.Round(width * V.Create(round == 0 ? 1 / 16f : round == 1 ? 1 / 40f : 1 / 100f)));
            F first = found.First, second = found.Second;
            for (int move = 0; move < 9; move++)
            {
                if (move == 4)
                    continue;
                found.Try(this, first + step * V.Create((float)(move % 3 - 1)), second + step * V.Create((float)(move / 3 - 1)), extremes);
            }
        }
    }

    /// <summary>Squared error of all texels with their nearest value of a palette, as a card rounds it.</summary>
    [MethodImpl(MethodImplOptions.AggressiveInlining)]
    private F Error(F first, F second, F steps, bool extremes)
    {
        var texels = buffer.Span;
        ref var texel = ref MemoryMarshal.GetReference(texels);
        F scale = steps * Lanes.Inverse(first - second), step = (first - second) / steps, half = V.Create(0.5f), from = half - second * scale, sum = F.Zero;
        var shift = signed ? second : second + half;
        for (int i = 0; i < Texels; i++)
        {
            var v = Unsafe.Add(ref texel, i);
            var index = Lanes.Clamp(V.Floor(Lanes.Fma(v, scale, from)), F.Zero, steps);
            var drawn = Lanes.Fma(index, step, shift);
            var off = v - (signed ? drawn : V.Floor(drawn));
            if (extremes)
            {
                F below = v - V.Create((float)least), above = v - V.Create((float)most);
                sum += V.MinNative(off * off, V.MinNative(below * below, above * above));
            }
            else
            {
                sum = Lanes.Fma(off, off, sum);
            }
        }
        return sum;
    }

    /// <summary>Every pair of ends, sixteen at a time: the one that leaves least.</summary>
    [SkipLocalsInit]
    private (int First, int Second, bool Extremes) TryAll(ReadOnlySpan<float> own, int first, int second, bool extremes, float error)
    {
        for (int palette = 0; palette < 2; palette++)
        {
            bool six = palette == 1;
            F steps = V.Create(six ? 5f : 7f), half = V.Create(0.5f), inLanes = V.CreateSequence(0f, 1f);
            for (int low = least; low <= most; low++)
            {
                // What lies beyond an end is at least that far off.
                if (!six && Beyond(own, low, below: true) >= error)
                    continue;
                for (int high = six ? low : low + 1; high <= most; high += Lanes.Count)
                {
                    if (!six && Beyond(own, Math.Min(high + Lanes.Count - 1, most), below: false) >= error)
                        continue;
                    F top = V.Create((float)high) + inLanes, bottom = V.Create((float)low), sum = F.Zero;
                    F width = top - bottom, scale = steps * Lanes.Inverse(width), step = width / steps, from = half - bottom * scale;
                    for (int i = 0; i < Texels; i++)
                    {
                        var v = V.Create(own[i]);
                        var drawn = Lanes.Fma(Lanes.Clamp(V.Floor(Lanes.Fma(v, scale, from)), F.Zero, steps), step, signed ? bottom : bottom + half);
                        var off = v - (signed ? drawn : V.Floor(drawn));
                        off *= off;
                        if (six)
                        {
                            F under = v - V.Create((float)least), over = v - V.Create((float)most);
                            off = V.MinNative(off, V.MinNative(under * under, over * over));
                        }
                        sum += off;
                        if (i % 4 == 3 && V.GreaterThanOrEqualAll(sum, V.Create(error)))
                            break;
                    }
                    for (int lane = 0; lane < Lanes.Count && high + lane <= most; lane++)
                        if (sum[lane] < error)
                            (first, second, extremes, error) = (high + lane, low, six, sum[lane]);
                }
            }
        }
        return (first, second, extremes);
    }

    private static float Beyond(ReadOnlySpan<float> own, int end, bool below)
    {
        float sum = 0;
        foreach (float v in own)
        {
            float off = below ? end - v : v - end;
            // A value rounds to its end from half a code away.
            off = Math.Max(0, off - 0.5f);
            sum += off * off;
        }
        return sum;
    }

    private void Write(ReadOnlySpan<float> own, int high, int low, bool extremes, Span<byte> block)
    {
        var (first, second) = extremes ? (low, high) : (high, low);
        block[0] = (byte)first;
        block[1] = (byte)second;
        ulong bits = 0;
        int steps = extremes ? 5 : 7;
        float scale = high > low ? steps / (float)(high - low) : 0, step = (high - low) / (float)steps;
        for (int i = 0; i < Texels; i++)
        {
            // From the first end to the second; the ends themselves are 0 and 1.
            int down = (int)Math.Clamp(MathF.Floor((own[i] - low) * scale + 0.5f), 0, steps), place = extremes ? down : steps - down;
            int index = place == 0 ? 0 : place == steps ? 1 : place + 1;
            if (extremes)
            {
                float drawn = low + down * step, off = MathF.Abs(own[i] - (signed ? drawn : MathF.Floor(drawn + 0.5f)));
                if (own[i] - least < off)
                    (index, off) = (6, own[i] - least);
                if (most - own[i] < off)
                    index = 7;
            }
            else if (high == low)
            {
                index = 0;
            }
            bits |= (ulong)index << (3 * i);
        }
        for (int i = 0; i < 6; i++)
            block[2 + i] = (byte)(bits >> (8 * i));
    }

    /// <summary>The best ends so far.</summary>
    private struct Ends(F first, F second, F error, F steps)
    {
        public F First = first, Second = second, Error = error, Steps = steps;

        public void Try(Bc4Encoder encoder, F first, F second, bool extremes)
        {
            first = Lanes.Clamp(first, V.Create((float)encoder.least), V.Create((float)encoder.most));
            second = Lanes.Clamp(second, V.Create((float)encoder.least), V.Create((float)encoder.most));
            var error = encoder.Error(first, second, V.Create(extremes ? 5f : 7f), extremes);
            var better = V.LessThan(error, Error) & (extremes ? V.GreaterThanOrEqual(first, second) : V.GreaterThan(first, second));
            Error = Lanes.Select(better, error, Error);
            First = Lanes.Select(better, first, First);
            Second = Lanes.Select(better, second, Second);
        }

        public void Take(Ends other)
        {
            var better = V.LessThan(other.Error, Error);
            Error = Lanes.Select(better, other.Error, Error);
            First = Lanes.Select(better, other.First, First);
            Second = Lanes.Select(better, other.Second, Second);
            Steps = Lanes.Select(better, other.Steps, Steps);
        }
    }
}
