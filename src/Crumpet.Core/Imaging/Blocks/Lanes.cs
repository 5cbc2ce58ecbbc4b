using System.Runtime.CompilerServices;
using System.Runtime.InteropServices;
using System.Runtime.Intrinsics;
using F = System.Runtime.Intrinsics.Vector512<float>;
using V = System.Runtime.Intrinsics.Vector512;

namespace Crumpet.Core.Imaging.Blocks;

/// <summary>
/// Sixteen blocks side by side: every number of a block is one lane, so that what is worked for one block is worked for sixteen at once.
/// Lanes never meet, and every operation is one that is rounded the same on any machine, whatever width its vectors have.
/// </summary>
internal static class Lanes
{
    /// <summary>Blocks in a run.</summary>
    public const int Count = 16;

    /// <summary>The same number in all lanes.</summary>
    [MethodImpl(MethodImplOptions.AggressiveInlining)]
    public static F All(float value) => V.Create(value);

    /// <summary>Nearest whole number, halves upwards.</summary>
    [MethodImpl(MethodImplOptions.AggressiveInlining)]
    public static F Round(F value) => V.Floor(value + V.Create(0.5f));

    /// <summary>Least number not below, and greatest not above, what is given.</summary>
    [MethodImpl(MethodImplOptions.AggressiveInlining)]
    public static F Clamp(F value, F least, F most) => V.MinNative(V.MaxNative(value, least), most);

    /// <summary><c>a · b + c</c>, rounded once.</summary>
    [MethodImpl(MethodImplOptions.AggressiveInlining)]
    public static F Fma(F a, F b, F c) => V.FusedMultiplyAdd(a, b, c);

    /// <summary><paramref name="yes"/> in lanes where <paramref name="mask"/> is set, <paramref name="no"/> in the others.</summary>
    [MethodImpl(MethodImplOptions.AggressiveInlining)]
    public static F Select(F mask, F yes, F no) => V.ConditionalSelect(mask, yes, no);

    /// <summary>One lane's number.</summary>
    [MethodImpl(MethodImplOptions.AggressiveInlining)]
    public static float Of(ReadOnlySpan<F> values, int index, int lane) => MemoryMarshal.Cast<F, float>(values)[index * Count + lane];

    /// <summary><c>1 / value</c> where the value is above almost nothing, else 0.</summary>
    [MethodImpl(MethodImplOptions.AggressiveInlining)]
    public static F Inverse(F value) => V.ConditionalSelect(V.GreaterThan(value, V.Create(1e-12f)), V.Create(1f) / value, F.Zero);
}

/// <summary>Memory for lanes, at addresses that wide loads like.</summary>
internal sealed class LaneBuffer
{
    private const int Alignment = 64;
    private readonly byte[] bytes;
    private readonly int start;
    private readonly int length;

    /// <param name="count">Numbers of sixteen lanes.</param>
    public LaneBuffer(int count)
    {
        length = count * Alignment;
        bytes = GC.AllocateArray<byte>(length + Alignment, pinned: true);
        start = (int)((Alignment - (long)Marshal.UnsafeAddrOfPinnedArrayElement(bytes, 0) % Alignment) % Alignment);
    }

    /// <summary>All of it.</summary>
    public Span<F> Span => MemoryMarshal.Cast<byte, F>(bytes.AsSpan(start, length));
}
