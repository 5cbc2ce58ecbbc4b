using System.Buffers.Binary;
using System.Runtime.CompilerServices;
using System.Runtime.InteropServices;
using System.Runtime.Intrinsics;
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
    private static readonly float[] Insets = [-4, -2.8f, -1.6f, -0.5f, 0.6f, 1.8f];
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
        if (effort == Effort.Best)
            found = AllPairs(found);
        Write(found, blocks, stride);
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

    /// <summary>Downhill from what is there: ends that suit the indices best, then single codes.</summary>
    private void Descend(ref Ends found, bool extremes)
    {
        if (effort != Effort.Draft)
            Refit(ref found, extremes);
        F first = found.First, second = found.Second;
        for (int move = 0; move < 9; move++)
            if (move != 4)
                found.Try(this, first + V.Create((float)(move % 3 - 1)), second + V.Create((float)(move / 3 - 1)), extremes);
    }

    // Least squares with the indices as they are; what the short palette holds beside its ends does not count.
    private void Refit(ref Ends found, bool extremes)
    {
        var texels = buffer.Span;
        F steps = found.Steps, scale = steps * Lanes.Inverse(found.First - found.Second), half = V.Create(0.5f), from = half - found.Second * scale;
        F step = (found.First - found.Second) / steps;
        F count = F.Zero, places = F.Zero, squares = F.Zero, values = F.Zero, products = F.Zero;
        for (int i = 0; i < Texels; i++)
        {
            var v = texels[i];
            var index = Lanes.Clamp(V.Floor(Lanes.Fma(v, scale, from)), F.Zero, steps);
            var weight = F.One;
            if (extremes)
            {
                F off = V.Abs(v - Lanes.Fma(index, step, found.Second));
                weight = Lanes.Select(V.LessThan(V.MinNative(v - V.Create((float)least), V.Create((float)most) - v), off), F.Zero, F.One);
            }
            F place = weight * index;
            count += weight;
            places += place;
            values = Lanes.Fma(weight, v, values);
            squares = Lanes.Fma(place, index, squares);
            products = Lanes.Fma(place, v, products);
        }
        F slope = (count * products - places * values) * Lanes.Inverse(count * squares - places * places);
        F start = (values - slope * places) * Lanes.Inverse(count);
        found.Try(this, Lanes.Round(Lanes.Fma(slope, steps, start)), Lanes.Round(start), extremes);
    }

    /// <summary>Squared error of all texels with their nearest value of a palette, as a card rounds it.</summary>
    [MethodImpl(MethodImplOptions.AggressiveInlining)]
    private F Error(F first, F second, F steps, bool extremes)
    {
        var texels = buffer.Span;
        ref var texel = ref MemoryMarshal.GetReference(texels);
        F scale = steps * Lanes.Inverse(first - second), step = (first - second) * V.Create(extremes ? 1 / 5f : 1 / 7f);
        F from = V.Create(0.5f) - second * scale, sum = F.Zero;
        // Ends are whole, so that a number this large beside them leaves whole numbers; what is drawn never lies halfway.
        F large = V.Create(1.5f * (1 << 23)), shift = signed ? second : second + large;
        for (int i = 0; i < Texels; i++)
        {
            var v = Unsafe.Add(ref texel, i);
            var index = Lanes.Clamp(V.Floor(Lanes.Fma(v, scale, from)), F.Zero, steps);
            var drawn = Lanes.Fma(index, step, shift);
            var off = v - (signed ? drawn : drawn - large);
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

    [SkipLocalsInit]
    private Ends AllPairs(Ends found)
    {
        Span<F> kept = stackalloc F[4];
        (kept[0], kept[1], kept[2], kept[3]) = (found.First, found.Second, found.Error, found.Steps);
        Span<float> all = MemoryMarshal.Cast<F, float>(kept), own = stackalloc float[Texels];
        var flat = MemoryMarshal.Cast<F, float>(buffer.Span);
        for (int lane = 0; lane < Lanes.Count; lane++)
        {
            ref float first = ref all[lane], second = ref all[Lanes.Count + lane], steps = ref all[3 * Lanes.Count + lane];
            float error = all[2 * Lanes.Count + lane];
            if (error == 0)
                continue;
            for (int i = 0; i < Texels; i++)
                own[i] = flat[i * Lanes.Count + lane];
            (first, second, bool extremes) = TryAll(own, (int)first, (int)second, steps == 5, error);
            steps = extremes ? 5 : 7;
        }
        return new Ends(kept[0], kept[1], kept[2], kept[3]);
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

    // All sixteen blocks: indices of three bits, put together in two halves of eight texels.
    [SkipLocalsInit]
    private void Write(Ends found, Span<byte> blocks, int stride)
    {
        var texels = buffer.Span;
        F high = found.First, low = found.Second, steps = found.Steps, scale = steps * Lanes.Inverse(high - low), step = (high - low) / steps;
        F half = V.Create(0.5f), from = half - low * scale, shift = signed ? low : low + half, isLong = V.Equals(steps, V.Create(7f));
        Span<Vector512<uint>> halves = stackalloc Vector512<uint>[2];
        halves.Clear();
        for (int i = 0; i < Texels; i++)
        {
            var v = texels[i];
            F down = Lanes.Clamp(V.Floor(Lanes.Fma(v, scale, from)), F.Zero, steps), place = Lanes.Select(isLong, steps - down, down);
            // From the first end to the second; the ends themselves are 0 and 1.
            var index = place + F.One;
            index = Lanes.Select(V.Equals(place, steps), F.One, Lanes.Select(V.Equals(place, F.Zero), F.Zero, index));
            F drawn = Lanes.Fma(down, step, shift), off = V.Abs(v - (signed ? drawn : V.Floor(drawn)));
            F below = v - V.Create((float)least), above = V.Create((float)most) - v;
            var outer = Lanes.Select(V.LessThan(above, V.MinNative(off, below)), V.Create(7f), Lanes.Select(V.LessThan(below, off), V.Create(6f), index));
            index = Lanes.Select(isLong, index, outer);
            halves[i / 8] |= V.ConvertToInt32Native(index).AsUInt32() << (3 * (i % 8));
        }
        Span<float> ends = stackalloc float[3 * Lanes.Count];
        high.CopyTo(ends);
        low.CopyTo(ends[Lanes.Count..]);
        steps.CopyTo(ends[(2 * Lanes.Count)..]);
        var bits = MemoryMarshal.Cast<Vector512<uint>, uint>(halves);
        for (int lane = 0; lane < Lanes.Count; lane++)
        {
            // First end at or below the second: that is what tells the palettes apart.
            byte top = (byte)(int)ends[lane], bottom = (byte)(int)ends[Lanes.Count + lane];
            uint both = ends[2 * Lanes.Count + lane] == 7 ? (uint)(top | bottom << 8) : (uint)(bottom | top << 8);
            ulong block = (top == bottom && ends[2 * Lanes.Count + lane] == 7 ? 0 : (ulong)bits[lane] << 16 | (ulong)bits[Lanes.Count + lane] << 40) | both;
            BinaryPrimitives.WriteUInt64LittleEndian(blocks[(lane * stride)..], block);
        }
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
