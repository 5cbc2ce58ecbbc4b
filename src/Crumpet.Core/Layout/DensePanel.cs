using System.Numerics;
using System.Runtime.CompilerServices;
using System.Runtime.InteropServices;

namespace Crumpet.Core.Layout;

/// <summary>Dense columns of a factor, one after the other, each of all rows of the panel.</summary>
internal static class DensePanel
{
    /// <summary>Factors a panel's own columns, two at a time, and brings its rows up to them.</summary>
    /// <param name="numbers">The panel; receives its part of the factor.</param>
    /// <param name="height">Its rows.</param>
    /// <param name="width">Its columns, an even number.</param>
    /// <returns>False where it is not positive definite.</returns>
    public static bool Factor(double[] numbers, int height, int width)
    {
        for (int k = 0; k < width; k += 2)
        {
            Span<double> one = numbers.AsSpan(k * height, height), two = numbers.AsSpan((k + 1) * height, height);
            SubtractTwo(numbers, height, k, k, k, height, one, two, 0);
            double d00 = one[k], d10 = one[k + 1], d11 = two[k + 1];
            if (!(d00 > 0))
                return false;
            d00 = Math.Sqrt(d00);
            d10 /= d00;
            d11 -= d10 * d10;
            if (!(d11 > 0))
                return false;
            d11 = Math.Sqrt(d11);
            (one[k], one[k + 1], two[k], two[k + 1]) = (d00, d10, 0, d11);
            double overOne = 1 / d00, overTwo = 1 / d11;
            for (int r = k + 2; r < height; r++)
            {
                one[r] *= overOne;
                two[r] = Math.FusedMultiplyAdd(-d10, one[r], two[r]) * overTwo;
            }
        }
        return true;
    }

    /// <summary>Takes the products of a panel's first columns with two of its rows out of two columns.</summary>
    /// <param name="numbers">The panel.</param>
    /// <param name="height">Its rows.</param>
    /// <param name="width">How many of its columns count.</param>
    /// <param name="row">The first of the two rows.</param>
    /// <param name="from">First row to work on.</param>
    /// <param name="to">Row after the last.</param>
    /// <param name="one">First column; its number for row r is at r less <paramref name="shift"/>.</param>
    /// <param name="two">Second column.</param>
    /// <param name="shift">See there.</param>
    public static void SubtractTwo(double[] numbers, int height, int width, int row, int from, int to, Span<double> one, Span<double> two, int shift)
    {
        if (width == 0)
            return;
        // What is read and written below without checks.
        _ = numbers[(width - 1) * height + Math.Max(to - 1, row + 1)];
        _ = one[to - 1 - shift];
        _ = two[to - 1 - shift];
        ArgumentOutOfRangeException.ThrowIfNegative(from - shift);
        ref double panel = ref MemoryMarshal.GetArrayDataReference(numbers), first = ref MemoryMarshal.GetReference(one),
            second = ref MemoryMarshal.GetReference(two);
        int lane = Vector<double>.Count, r = from;
        for (; r + 4 * lane <= to; r += 4 * lane)
        {
            nuint into = (nuint)(r - shift), step = (nuint)lane;
            Vector<double> a0 = Vector.LoadUnsafe(ref first, into), a1 = Vector.LoadUnsafe(ref first, into + step),
                a2 = Vector.LoadUnsafe(ref first, into + 2 * step), a3 = Vector.LoadUnsafe(ref first, into + 3 * step);
            Vector<double> b0 = Vector.LoadUnsafe(ref second, into), b1 = Vector.LoadUnsafe(ref second, into + step),
                b2 = Vector.LoadUnsafe(ref second, into + 2 * step), b3 = Vector.LoadUnsafe(ref second, into + 3 * step);
            nuint column = 0;
            for (int q = 0; q < width; q++, column += (nuint)height)
            {
                Vector<double> x = new(-Unsafe.Add(ref panel, column + (nuint)row)), y = new(-Unsafe.Add(ref panel, column + (nuint)row + 1));
                Vector<double> v0 = Vector.LoadUnsafe(ref panel, column + (nuint)r), v1 = Vector.LoadUnsafe(ref panel, column + (nuint)r + step),
                    v2 = Vector.LoadUnsafe(ref panel, column + (nuint)r + 2 * step), v3 = Vector.LoadUnsafe(ref panel, column + (nuint)r + 3 * step);
                a0 = Vector.FusedMultiplyAdd(x, v0, a0);
                b0 = Vector.FusedMultiplyAdd(y, v0, b0);
                a1 = Vector.FusedMultiplyAdd(x, v1, a1);
                b1 = Vector.FusedMultiplyAdd(y, v1, b1);
                a2 = Vector.FusedMultiplyAdd(x, v2, a2);
                b2 = Vector.FusedMultiplyAdd(y, v2, b2);
                a3 = Vector.FusedMultiplyAdd(x, v3, a3);
                b3 = Vector.FusedMultiplyAdd(y, v3, b3);
            }
            a0.StoreUnsafe(ref first, into);
            a1.StoreUnsafe(ref first, into + step);
            a2.StoreUnsafe(ref first, into + 2 * step);
            a3.StoreUnsafe(ref first, into + 3 * step);
            b0.StoreUnsafe(ref second, into);
            b1.StoreUnsafe(ref second, into + step);
            b2.StoreUnsafe(ref second, into + 2 * step);
            b3.StoreUnsafe(ref second, into + 3 * step);
        }
        for (; r + lane <= to; r += lane)
        {
            Vector<double> a = Vector.LoadUnsafe(ref first, (nuint)(r - shift)), b = Vector.LoadUnsafe(ref second, (nuint)(r - shift));
            nuint column = 0;
            for (int q = 0; q < width; q++, column += (nuint)height)
            {
                Vector<double> x = new(-Unsafe.Add(ref panel, column + (nuint)row)), y = new(-Unsafe.Add(ref panel, column + (nuint)row + 1)),
                    v = Vector.LoadUnsafe(ref panel, column + (nuint)r);
                a = Vector.FusedMultiplyAdd(x, v, a);
                b = Vector.FusedMultiplyAdd(y, v, b);
            }
            a.StoreUnsafe(ref first, (nuint)(r - shift));
            b.StoreUnsafe(ref second, (nuint)(r - shift));
        }
        for (; r < to; r++)
        {
            double a = one[r - shift], b = two[r - shift];
            for (int q = 0, column = 0; q < width; q++, column += height)
            {
                double v = numbers[column + r];
                a = Math.FusedMultiplyAdd(-numbers[column + row], v, a);
                b = Math.FusedMultiplyAdd(-numbers[column + row + 1], v, b);
            }
            (one[r - shift], two[r - shift]) = (a, b);
        }
    }
}
