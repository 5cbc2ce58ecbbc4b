using System.Numerics;
using System.Runtime.CompilerServices;
using System.Runtime.InteropServices;
using F = System.Runtime.Intrinsics.Vector512<float>;
using V = System.Runtime.Intrinsics.Vector512;

namespace Crumpet.Core.Imaging.Blocks;

/// <summary>
/// ETC2 RGB, with holes or without: two halves with a base colour and brightness steps, both ways round; two colours with a distance; a plane.
/// The one that leaves least is written with the indices that are nearest as they decode.
/// </summary>
/// <remarks>Source: Khronos Data Format Specification 1.3, "ETC2 compressed texture image formats".</remarks>
internal sealed class EtcEncoder : BlockEncoder
{
    private const int Texels = 16, Terms = 9;
    private static readonly int[][] Halves = [
        [0, 1, 4, 5, 8, 9, 12, 13], [2, 3, 6, 7, 10, 11, 14, 15], [0, 1, 2, 3, 4, 5, 6, 7], [8, 9, 10, 11, 12, 13, 14, 15],
    ];

    private readonly Effort effort;
    private readonly bool hasHoles;
    private readonly Vector3 weights;
    private readonly F weightX, weightY, weightZ;
    private readonly LaneBuffer buffer = new(3 * Texels + Texels + 2 + Terms + 4 * 5);
    private readonly EtcWriter writer;

    /// <param name="effort">How long to search.</param>
    /// <param name="hasHoles">Whether texels of less than half alpha are seen through.</param>
    /// <param name="weights">What an error of each channel counts, relative to the others.</param>
    public EtcEncoder(Effort effort, bool hasHoles, Vector3 weights)
    {
        (this.effort, this.hasHoles, this.weights) = (effort, hasHoles, weights / ((weights.X + weights.Y + weights.Z) / 3));
        (weightX, weightY, weightZ) = (V.Create(this.weights.X), V.Create(this.weights.Y), V.Create(this.weights.Z));
        writer = new EtcWriter(hasHoles, this.weights);
    }

    private Span<F> X => buffer.Span[..(3 * Texels)];

    // 1 where a texel counts, 0 where it is a hole.
    private Span<F> Keep => buffer.Span.Slice(3 * Texels, Texels);

    private Span<F> Best => buffer.Span.Slice(4 * Texels, 2 + Terms);

    /// <inheritdoc/>
    public override void Encode(ReadOnlySpan<F> texels, Span<byte> blocks) => Encode(texels, blocks, 8);

    /// <summary>The same with <paramref name="stride"/> bytes from block to block.</summary>
    public void Encode(ReadOnlySpan<F> texels, Span<byte> blocks, int stride)
    {
        ArgumentOutOfRangeException.ThrowIfLessThan(texels.Length, (hasHoles ? 4 : 3) * Texels);
        Span<F> x = X, keep = Keep, best = Best;
        texels[..(3 * Texels)].CopyTo(x);
        var anyHole = F.Zero;
        for (int i = 0; i < Texels; i++)
        {
            var hole = hasHoles ? V.LessThan(texels[3 * Texels + i], V.Create(127.5f)) : F.Zero;
            keep[i] = Lanes.Select(hole, F.Zero, F.One);
            anyHole |= hole;
        }
        best[0] = V.Create(float.PositiveInfinity);
        TryHalves(0, anyHole);
        TryHalves(1, anyHole);
        if (!V.EqualsAll(anyHole, F.AllBitsSet))
            TryPlane(anyHole);
        if (effort != Effort.Draft)
            TryTwoColours(anyHole);
        writer.Write(texels, best, blocks, stride);
    }

    private void Take(F error, EtcKind kind, ReadOnlySpan<F> terms)
    {
        var best = Best;
        var better = V.LessThan(error, best[0]);
        best[0] = Lanes.Select(better, error, best[0]);
        best[1] = Lanes.Select(better, V.Create((float)kind), best[1]);
        for (int i = 0; i < terms.Length; i++)
            best[2 + i] = Lanes.Select(better, terms[i], best[2 + i]);
    }

    /// <summary>Two halves, left and right or above and below.</summary>
    private void TryHalves(int flip, F anyHole)
    {
        Span<F> terms = stackalloc F[8];
        if (!hasHoles)
        {
            var (a, errorA, tableA) = FitHalf(2 * flip, 15, anyHole);
            var (b, errorB, tableB) = FitHalf(2 * flip + 1, 15, anyHole);
            (terms[0], terms[1], terms[2], terms[3]) = (a.X, a.Y, a.Z, tableA);
            (terms[4], terms[5], terms[6], terms[7]) = (b.X, b.Y, b.Z, tableB);
            Take(errorA + errorB, flip == 0 ? EtcKind.Own : EtcKind.OwnFlipped, terms);
        }
        var (c, errorC, tableC) = FitHalf(2 * flip, 31, anyHole);
        var (d, errorD, tableD) = FitHalf(2 * flip + 1, 31, anyHole);
        // The second is stored as its difference from the first: from −4 to 3.
        var near = new Colour3(Near(c.X, d.X), Near(c.Y, d.Y), Near(c.Z, d.Z));
        var apart = ~(V.Equals(near.X, d.X) & V.Equals(near.Y, d.Y) & V.Equals(near.Z, d.Z));
        if (!V.EqualsAll(apart, F.Zero))
        {
            var (errorNear, tableNear, _) = Half(2 * flip + 1, Widen(near, 31), anyHole);
            (errorD, tableD) = (Lanes.Select(apart, errorNear, errorD), Lanes.Select(apart, tableNear, tableD));
        }
        (terms[0], terms[1], terms[2], terms[3]) = (c.X, c.Y, c.Z, tableC);
        (terms[4], terms[5], terms[6], terms[7]) = (near.X, near.Y, near.Z, tableD);
        Take(errorC + errorD, flip == 0 ? EtcKind.Near : EtcKind.NearFlipped, terms);
    }

    private static F Near(F first, F second) => first + Lanes.Clamp(second - first, V.Create(-4f), V.Create(3f));

    private (Colour3 Code, F Error, F Table) FitHalf(int half, int most, F anyHole)
    {
        Span<F> x = X, keep = Keep;
        var mean = default(Colour3);
        var count = F.Zero;
        foreach (int i in Halves[half])
        {
            mean = mean.Plus(new Colour3(x[i], x[Texels + i], x[2 * Texels + i]), keep[i]);
            count += keep[i];
        }
        mean *= Lanes.Inverse(count);
        var code = Code(mean, most);
        var (error, table, shift) = Half(half, Widen(code, most), anyHole);
        int rounds = effort switch { Effort.Draft => 1, Effort.Normal => 2, _ => 4 };
        for (int round = 0; round < rounds; round++)
        {
            // Steps that lie more to one side pull the base to the other.
            var moved = Code(mean - new Colour3(shift, shift, shift), most);
            var (tried, triedTable, triedShift) = Half(half, Widen(moved, most), anyHole);
            Keep3(ref code, ref error, ref table, moved, tried, triedTable);
            shift = triedShift;
        }
        if (effort != Effort.Best)
            return (code, error, table);
        var start = code;
        for (int move = 0; move < 27; move++)
        {
            if (move == 13)
                continue;
            var moved = new Colour3(Step(start.X, move % 3 - 1, most), Step(start.Y, move / 3 % 3 - 1, most), Step(start.Z, move / 9 - 1, most));
            var (tried, triedTable, _) = Half(half, Widen(moved, most), anyHole);
            Keep3(ref code, ref error, ref table, moved, tried, triedTable);
        }
        return (code, error, table);
    }

    private static F Step(F code, int by, int most) => Lanes.Clamp(code + V.Create((float)by), F.Zero, V.Create((float)most));

    private static void Keep3(ref Colour3 code, ref F error, ref F table, Colour3 other, F otherError, F otherTable)
    {
        var better = V.LessThan(otherError, error);
        code = Colour3.Select(better, other, code);
        error = Lanes.Select(better, otherError, error);
        table = Lanes.Select(better, otherTable, table);
    }

    /// <summary>The best table for a half and its base: error, table, and the mean of the steps it takes.</summary>
    [SkipLocalsInit]
    private (F Error, F Table, F Shift) Half(int half, Colour3 colour, F anyHole)
    {
        Span<F> x = X, keep = Keep, sums = stackalloc F[8], squares = stackalloc F[8];
        var own = Halves[half];
        for (int k = 0; k < 8; k++)
        {
            int i = own[k];
            var off = new Colour3(x[i] - colour.X, x[Texels + i] - colour.Y, x[2 * Texels + i] - colour.Z);
            sums[k] = Lanes.Fma(off.X, weightX, Lanes.Fma(off.Y, weightY, off.Z * weightZ));
            squares[k] = Lanes.Fma(off.X * off.X, weightX, Lanes.Fma(off.Y * off.Y, weightY, off.Z * off.Z * weightZ));
        }
        F least = V.Create(float.PositiveInfinity), chosen = F.Zero;
        for (int table = 0; table < 8; table++)
        {
            var (small, large) = EtcTables.Modifiers[table];
            // With holes there is no small step: the base itself takes its place.
            F a = Lanes.Select(anyHole, F.Zero, V.Create((float)small)), a2 = a * a * V.Create(3f);
            F b = V.Create((float)large), b2 = V.Create(3f * large * large);
            F twiceA = a * V.Create(-2f), twiceB = b * V.Create(-2f), error = F.Zero;
            for (int k = 0; k < 8; k++)
            {
                var size = V.Abs(sums[k]);
                var left = squares[k] + V.MinNative(Lanes.Fma(size, twiceA, a2), Lanes.Fma(size, twiceB, b2));
                error = hasHoles ? Lanes.Fma(left, keep[own[k]], error) : error + left;
            }
            var better = V.LessThan(error, least);
            least = Lanes.Select(better, error, least);
            chosen = Lanes.Select(better, V.Create((float)table), chosen);
        }
        F shift = F.Zero, count = F.Zero, smallStep = F.Zero, largeStep = F.Zero;
        for (int table = 0; table < 8; table++)
        {
            var isOne = V.Equals(chosen, V.Create((float)table));
            smallStep = Lanes.Select(isOne, V.Create((float)EtcTables.Modifiers[table].Small), smallStep);
            largeStep = Lanes.Select(isOne, V.Create((float)EtcTables.Modifiers[table].Large), largeStep);
        }
        smallStep = Lanes.Select(anyHole, F.Zero, smallStep);
        F middle = (smallStep + largeStep) * V.Create(1.5f);
        for (int k = 0; k < 8; k++)
        {
            var step = Lanes.Select(V.GreaterThan(V.Abs(sums[k]), middle), largeStep, smallStep);
            shift = Lanes.Fma(Lanes.Select(V.LessThan(sums[k], F.Zero), -step, step), keep[own[k]], shift);
            count += keep[own[k]];
        }
        return (least, chosen, shift * Lanes.Inverse(count));
    }

    private static Colour3 Code(Colour3 value, int most)
    {
        F scale = V.Create(most / 255f), top = V.Create((float)most);
        return new Colour3(Lanes.Clamp(Lanes.Round(value.X * scale), F.Zero, top), Lanes.Clamp(Lanes.Round(value.Y * scale), F.Zero, top),
            Lanes.Clamp(Lanes.Round(value.Z * scale), F.Zero, top));
    }

    private static Colour3 Widen(Colour3 code, int most) => new(Widen(code.X, most), Widen(code.Y, most), Widen(code.Z, most));

    // Bits repeated from the highest.
    private static F Widen(F code, int most) => most switch
    {
        15 => code * V.Create(17f),
        31 => Lanes.Fma(code, V.Create(8f), V.Floor(code * V.Create(0.25f))),
        63 => Lanes.Fma(code, V.Create(4f), V.Floor(code * V.Create(1 / 16f))),
        _ => Lanes.Fma(code, V.Create(2f), V.Floor(code * V.Create(1 / 64f))),
    };

    /// <summary>A plane through the colours, channel by channel, by least squares.</summary>
    private void TryPlane(F anyHole)
    {
        Span<F> x = X, terms = stackalloc F[Terms];
        var error = Lanes.Select(anyHole, V.Create(float.PositiveInfinity), F.Zero);
        for (int c = 0; c < 3; c++)
        {
            F sum = F.Zero, across = F.Zero, down = F.Zero;
            for (int i = 0; i < Texels; i++)
            {
                var v = x[Texels * c + i];
                sum += v;
                across = Lanes.Fma(v, V.Create(i % 4 - 1.5f), across);
                down = Lanes.Fma(v, V.Create(i / 4 - 1.5f), down);
            }
            // Slopes of a regular grid; the ends lie four texels from the first.
            F mean = sum * V.Create(1 / 16f), dx = across * V.Create(1 / 20f), dy = down * V.Create(1 / 20f), first = mean - (dx + dy) * V.Create(1.5f);
            int most = c == 1 ? 127 : 63;
            F scale = V.Create(most / 255f), top = V.Create((float)most);
            F o = Lanes.Clamp(Lanes.Round(first * scale), F.Zero, top), h = Lanes.Clamp(Lanes.Round((first + dx * V.Create(4f)) * scale), F.Zero, top);
            F v4 = Lanes.Clamp(Lanes.Round((first + dy * V.Create(4f)) * scale), F.Zero, top);
            var least = Plane(c, o, h, v4, most);
            if (effort == Effort.Best)
            {
                F so = o, sh = h, sv = v4;
                for (int move = 0; move < 27; move++)
                {
                    F to = Step(so, move % 3 - 1, most), th = Step(sh, move / 3 % 3 - 1, most), tv = Step(sv, move / 9 - 1, most);
                    var tried = Plane(c, to, th, tv, most);
                    var better = V.LessThan(tried, least);
                    (o, h, v4) = (Lanes.Select(better, to, o), Lanes.Select(better, th, h), Lanes.Select(better, tv, v4));
                    least = Lanes.Select(better, tried, least);
                }
            }
            error = Lanes.Fma(least, c == 0 ? weightX : c == 1 ? weightY : weightZ, error);
            (terms[c], terms[3 + c], terms[6 + c]) = (o, h, v4);
        }
        Take(error, EtcKind.Plane, terms);
    }

    private F Plane(int channel, F origin, F right, F below, int most)
    {
        var x = X;
        F o = Widen(origin, most), dx = (Widen(right, most) - o) * V.Create(0.25f), dy = (Widen(below, most) - o) * V.Create(0.25f), error = F.Zero;
        for (int i = 0; i < Texels; i++)
        {
            var drawn = Lanes.Clamp(Lanes.Round(Lanes.Fma(dx, V.Create((float)(i % 4)), Lanes.Fma(dy, V.Create((float)(i / 4)), o))), F.Zero, V.Create(255f));
            var off = x[Texels * channel + i] - drawn;
            error = Lanes.Fma(off, off, error);
        }
        return error;
    }

    /// <summary>Texels parted along their greatest spread; each part a colour, one or both of them with a distance.</summary>
    private void TryTwoColours(F anyHole)
    {
        Span<F> x = X, keep = Keep, centred = stackalloc F[3 * Texels];
        var mean = default(Colour3);
        var count = F.Zero;
        for (int i = 0; i < Texels; i++)
        {
            mean = mean.Plus(new Colour3(x[i], x[Texels + i], x[2 * Texels + i]), keep[i]);
            count += keep[i];
        }
        mean *= Lanes.Inverse(count);
        for (int i = 0; i < Texels; i++)
        {
            centred[i] = (x[i] - mean.X) * keep[i];
            centred[Texels + i] = (x[Texels + i] - mean.Y) * keep[i];
            centred[2 * Texels + i] = (x[2 * Texels + i] - mean.Z) * keep[i];
        }
        var axis = Bc1Encoder.Axis(centred, 4);
        Colour3 first = default, second = default;
        F inFirst = F.Zero, inSecond = F.Zero;
        for (int i = 0; i < Texels; i++)
        {
            var own = new Colour3(centred[i], centred[Texels + i], centred[2 * Texels + i]);
            F isFirst = Lanes.Select(V.LessThan(own.Dot(axis), F.Zero), keep[i], F.Zero), isSecond = keep[i] - isFirst;
            first = first.Plus(own, isFirst);
            second = second.Plus(own, isSecond);
            inFirst += isFirst;
            inSecond += isSecond;
        }
        Colour3 a = Code(mean + first * Lanes.Inverse(inFirst), 15), b = Code(mean + second * Lanes.Inverse(inSecond), 15);
        TryPair(EtcKind.BothSpread, a, b, anyHole);
        TryPair(EtcKind.SecondSpread, a, b, anyHole);
        TryPair(EtcKind.SecondSpread, b, a, anyHole);
    }

    private void TryPair(EtcKind kind, Colour3 first, Colour3 second, F anyHole)
    {
        Span<F> x = X, keep = Keep, terms = stackalloc F[7];
        Colour3 a = Widen(first, 15), b = Widen(second, 15);
        F least = V.Create(float.PositiveInfinity), chosen = F.Zero;
        for (int distance = 0; distance < 8; distance++)
        {
            F d = V.Create((float)EtcTables.Distances[distance]), d3 = d * d * V.Create(3f), twice = d * V.Create(2f), error = F.Zero;
            for (int i = 0; i < Texels; i++)
            {
                F near = ToBase(x, i, a, out var sumA), other = ToBase(x, i, b, out var sumB);
                // The colour itself, and the colour with the distance on the side where the texel lies; a hole takes one of the four.
                F spread = Lanes.Fma(V.Abs(sumB), -twice, d3) + other;
                if (kind == EtcKind.BothSpread)
                {
                    F up = Lanes.Fma(sumB, -twice, d3) + other, down = Lanes.Fma(sumB, twice, d3) + other;
                    spread = Lanes.Select(anyHole, down, V.MinNative(up, down));
                    near += Lanes.Fma(V.Abs(sumA), -twice, d3);
                }
                else
                {
                    spread = V.MinNative(spread, Lanes.Select(anyHole, V.Create(float.PositiveInfinity), other));
                }
                error = Lanes.Fma(V.MinNative(near, spread), keep[i], error);
            }
            var better = V.LessThan(error, least);
            least = Lanes.Select(better, error, least);
            chosen = Lanes.Select(better, V.Create((float)distance), chosen);
        }
        (terms[0], terms[1], terms[2]) = (first.X, first.Y, first.Z);
        (terms[3], terms[4], terms[5], terms[6]) = (second.X, second.Y, second.Z, chosen);
        // Two equal colours cannot say the order that tells every other distance.
        if (kind == EtcKind.BothSpread)
            least = Lanes.Select(V.Equals(first.X, second.X) & V.Equals(first.Y, second.Y) & V.Equals(first.Z, second.Z),
                V.Create(float.PositiveInfinity), least);
        Take(least, kind, terms);
    }

    [MethodImpl(MethodImplOptions.AggressiveInlining)]
    private F ToBase(ReadOnlySpan<F> x, int i, Colour3 colour, out F sum)
    {
        F r = x[i] - colour.X, g = x[Texels + i] - colour.Y, b = x[2 * Texels + i] - colour.Z;
        sum = Lanes.Fma(r, weightX, Lanes.Fma(g, weightY, b * weightZ));
        return Lanes.Fma(r * r, weightX, Lanes.Fma(g * g, weightY, b * b * weightZ));
    }
}

/// <summary>How a block of ETC2 is made.</summary>
internal enum EtcKind
{
    /// <summary>Left and right, each with a base of its own.</summary>
    Own,

    /// <summary>Above and below.</summary>
    OwnFlipped,

    /// <summary>Left and right, the second stored as its difference from the first.</summary>
    Near,

    /// <summary>Above and below.</summary>
    NearFlipped,

    /// <summary>A plane.</summary>
    Plane,

    /// <summary>Two colours, the second with a distance to both sides.</summary>
    SecondSpread,

    /// <summary>Two colours, each with a distance to both sides.</summary>
    BothSpread,
}
