using System.Runtime.CompilerServices;
using System.Runtime.Intrinsics;

namespace Crumpet.Core.Imaging.Blocks;

/// <summary>Texels between the two ends of their part, as BC7 and its kin say them: eight of them at a time.</summary>
internal static class LineMix
{
    // The weights of four texels, once for each of their channels.
    private static readonly Vector128<byte> First = Vector128.Create((byte)0, 0, 0, 0, 1, 1, 1, 1, 2, 2, 2, 2, 3, 3, 3, 3);

    /// <summary>For each texel of a block, where its part's channels lie among the ends: 4 bytes a texel, whole eights of texels.</summary>
    /// <param name="texels">Texels of a block.</param>
    /// <param name="part">Which part a texel is of, 0 to 3.</param>
    public static byte[] Controls(int texels, Func<int, int> part) =>
        [.. Enumerable.Range(0, (texels + 7) / 8 * 32).Select(i => (byte)(4 * (i / 4 < texels ? part(i / 4) : 0) + i % 4))];

    /// <summary>The weights of texels 4 <paramref name="row"/> and following, once a channel.</summary>
    /// <param name="weights">Of sixteen texels.</param>
    /// <param name="row">0 to 3.</param>
    [MethodImpl(MethodImplOptions.AggressiveInlining)]
    public static Vector128<byte> Row(Vector128<byte> weights, int row) => Vector128.ShuffleNative(weights, First + Vector128.Create((byte)(4 * row)));

    /// <summary>Eight texels: the share of the second end in sixty-fourths, rounded to nearest, or from ends that are widened to sixteen bits before.</summary>
    /// <param name="first">RGBA of the first ends of four parts.</param>
    /// <param name="second">RGBA of the second ends.</param>
    /// <param name="controls">Of these texels.</param>
    /// <param name="weights">Of the first four texels, 0 to 64, once a channel.</param>
    /// <param name="more">Of the other four.</param>
    /// <param name="isWide">Whether ends count as numbers of sixteen bits, of which the upper eight are kept.</param>
    [MethodImpl(MethodImplOptions.AggressiveInlining)]
    public static Vector256<byte> Mix(Vector128<byte> first, Vector128<byte> second, ReadOnlySpan<byte> controls, Vector128<byte> weights, Vector128<byte> more,
        bool isWide = false)
    {
        Vector128<byte> one = Vector128.Create(controls), two = Vector128.Create(controls[16..]);
        var a = Vector256.Create(Vector128.ShuffleNative(first, one), Vector128.ShuffleNative(first, two)).AsUInt16();
        var b = Vector256.Create(Vector128.ShuffleNative(second, one), Vector128.ShuffleNative(second, two)).AsUInt16();
        var w = Vector256.Create(weights, more).AsUInt16();
        // Every second byte, and those between.
        var low = Vector256.Create((ushort)0xff);
        return (Mix(a & low, b & low, w & low, isWide) | Mix(a >>> 8, b >>> 8, w >>> 8, isWide) << 8).AsByte();
    }

    // At most 64 × 255 and a half of 64: sixteen bits hold it, and a difference below 0 comes out right. With n = 64 × 255 at most, an end of
    // sixteen bits is 257 times one of eight, and (257 n + 32) / 2¹⁴ is (n + (n + 32) / 2⁸) / 2⁶, both rounded down.
    [MethodImpl(MethodImplOptions.AggressiveInlining)]
    private static Vector256<ushort> Mix(Vector256<ushort> first, Vector256<ushort> second, Vector256<ushort> weights, bool isWide)
    {
        Vector256<ushort> sum = (first << 6) + (second - first) * weights, half = sum + Vector256.Create((ushort)32);
        return (isWide ? sum + (half >>> 8) : half) >>> 6;
    }
}
