using System.Runtime.CompilerServices;
using F = System.Runtime.Intrinsics.Vector512<float>;
using V = System.Runtime.Intrinsics.Vector512;

namespace Crumpet.Core.Imaging.Blocks;

/// <summary>Rounds ends to what a mode can store.</summary>
internal static class Bc7Ends
{
    /// <summary>Both ends of a line, with the parity bits that suit them.</summary>
    /// <param name="exact">Four channels of the first end, times their weights; then of the second.</param>
    /// <param name="ends">As they decode, 0 to 255.</param>
    /// <param name="scales">Weights of the channels.</param>
    [SkipLocalsInit]
    public static void Quantise<T>(ReadOnlySpan<F> exact, Span<F> ends, ReadOnlySpan<F> scales)
        where T : struct, IBc7Shape
    {
        if (T.Parity == Bc7Parity.None)
        {
            for (int end = 0; end < 8; end += 4)
                for (int c = 0; c < T.Channels; c++)
                    ends[end + c] = Stored(exact[end + c] / scales[c], T.Bits);
            return;
        }
        Span<F> even = stackalloc F[8], odd = stackalloc F[8];
        F of0 = Round<T>(exact, even, odd, scales, 0), of1 = Round<T>(exact, even, odd, scales, 4);
        F odd0 = V.LessThan(of0, F.Zero), odd1 = V.LessThan(of1, F.Zero);
        if (T.Parity == Bc7Parity.Shared)
            odd0 = odd1 = V.LessThan(of0 + of1, F.Zero);
        for (int c = 0; c < T.Channels; c++)
        {
            ends[c] = Lanes.Select(odd0, odd[c], even[c]);
            ends[4 + c] = Lanes.Select(odd1, odd[4 + c], even[4 + c]);
        }
    }

    // Both roundings of an end; how much more the odd one leaves.
    [MethodImpl(MethodImplOptions.AggressiveInlining)]
    private static F Round<T>(ReadOnlySpan<F> exact, Span<F> even, Span<F> odd, ReadOnlySpan<F> scales, int end)
        where T : struct, IBc7Shape
    {
        var more = F.Zero;
        for (int c = 0; c < T.Channels; c++)
        {
            F wanted = exact[end + c] / scales[c], e = Stored<T>(wanted, 0), o = Stored<T>(wanted, 1);
            F de = (e - wanted) * scales[c], od = (o - wanted) * scales[c];
            more += od * od - de * de;
            (even[end + c], odd[end + c]) = (e, o);
            // What is closed stays closed: without the lowest bit there is no 255.
            if (c == 3)
                more = Lanes.Select(V.GreaterThan(wanted, V.Create(254.75f)), V.Create(float.MinValue), more);
        }
        return more;
    }

    // The nearest code with a parity, widened to eight bits by repeating its highest.
    [MethodImpl(MethodImplOptions.AggressiveInlining)]
    private static F Stored<T>(F wanted, int parity)
        where T : struct, IBc7Shape
    {
        float most = (2 << T.Bits) - 1;
        var code = Lanes.Clamp(V.Floor(Lanes.Fma(wanted, V.Create(most / 510), V.Create(0.5f - 0.5f * parity))), F.Zero, V.Create((most - 1) / 2));
        return Widen(code + code + V.Create((float)parity), T.Bits + 1);
    }

    /// <summary>The nearest code of so many bits, as it decodes.</summary>
    [MethodImpl(MethodImplOptions.AggressiveInlining)]
    public static F Stored(F wanted, int bits)
    {
        float most = (1 << bits) - 1;
        return Widen(Lanes.Clamp(Lanes.Round(wanted * V.Create(most / 255)), F.Zero, V.Create(most)), bits);
    }

    [MethodImpl(MethodImplOptions.AggressiveInlining)]
    private static F Widen(F code, int bits) =>
        bits == 8 ? code : Lanes.Fma(code, V.Create((float)(1 << (8 - bits))), V.Floor(code * V.Create(1f / (1 << (2 * bits - 8)))));
}
