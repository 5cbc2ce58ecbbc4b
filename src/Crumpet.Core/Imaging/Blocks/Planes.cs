using System.Runtime.CompilerServices;
using System.Runtime.InteropServices;
using System.Runtime.Intrinsics;

namespace Crumpet.Core.Imaging.Blocks;

/// <summary>Channels of sixteen texels that are decoded apart, and put together to RGBA.</summary>
internal static class Planes
{
    // Places of four texels in a palette of numbers of sixteen bits, a byte each, by twelve bits.
    private static readonly uint[] Four = [.. Enumerable.Range(0, 4096).Select(i => 2 * (uint)(i & 7 | (i >> 3 & 7) << 8 | (i >> 6 & 7) << 16 | i >> 9 << 24))];

    // Where a row of texels lies among sixteen, in the first of their bytes.
    private static readonly Vector128<byte> First = Vector128.Create((byte)0, 255, 255, 255, 1, 255, 255, 255, 2, 255, 255, 255, 3, 255, 255, 255);

    /// <summary>Sixteen places of three bits each, from the lowest on, a byte each: twice what they are, for <see cref="Look"/>.</summary>
    [MethodImpl(MethodImplOptions.AggressiveInlining)]
    public static Vector128<byte> Places(ulong bits) =>
        Vector128.Create(Four[(int)bits & 4095], Four[(int)(bits >> 12) & 4095], Four[(int)(bits >> 24) & 4095], Four[(int)(bits >> 36) & 4095]).AsByte();

    /// <summary>Sixteen texels of a palette of eight numbers below 256.</summary>
    /// <param name="palette">The numbers.</param>
    /// <param name="places">Twice the place of each texel.</param>
    [MethodImpl(MethodImplOptions.AggressiveInlining)]
    public static Vector128<byte> Look(Vector128<ushort> palette, Vector128<byte> places) => Vector128.ShuffleNative(palette.AsByte(), places);

    /// <summary>A row of four texels of a channel, the other channels 0.</summary>
    /// <param name="values">Of sixteen texels.</param>
    /// <param name="row">0 to 3.</param>
    /// <param name="channel">Which channel.</param>
    [MethodImpl(MethodImplOptions.AggressiveInlining)]
    public static Vector128<byte> Spread(Vector128<byte> values, int row, int channel)
    {
        // Each texel's place, and 255 beside it for nothing.
        var control = Vector128.Max(First, First + Vector128.Create((byte)(4 * row)));
        return (Vector128.Shuffle(values, control).AsUInt32() << (8 * channel)).AsByte();
    }

    /// <summary>Writes two channels of three; alpha is 255.</summary>
    /// <param name="red">Of sixteen texels.</param>
    /// <param name="green">The same.</param>
    /// <param name="blue">Of all texels.</param>
    /// <param name="rgba">64 bytes.</param>
    public static void Write(Vector128<byte> red, Vector128<byte> green, byte blue, Span<byte> rgba)
    {
        ref byte to = ref MemoryMarshal.GetReference(rgba[..64]);
        var rest = Vector128.Create(0xff000000u | (uint)blue << 16).AsByte();
        for (nuint row = 0; row < 4; row++)
            (Spread(red, (int)row, 0) | Spread(green, (int)row, 1) | rest).StoreUnsafe(ref to, 16 * row);
    }

    /// <summary>Gives sixteen texels another alpha.</summary>
    /// <param name="alpha">Of sixteen texels.</param>
    /// <param name="rgba">64 bytes.</param>
    public static void SetAlpha(Vector128<byte> alpha, Span<byte> rgba)
    {
        ref byte to = ref MemoryMarshal.GetReference(rgba[..64]);
        var colour = Vector128.Create(0xffffffu).AsByte();
        for (nuint row = 0; row < 4; row++)
            (Vector128.LoadUnsafe(ref to, 16 * row) & colour | Spread(alpha, (int)row, 3)).StoreUnsafe(ref to, 16 * row);
    }

    /// <summary>A palette of numbers of −1 to 1 as bytes of 0 to 255, rounded to nearest.</summary>
    public static Vector128<ushort> ToBytes(Vector256<float> palette, bool signed)
    {
        palette = signed ? palette * 0.5f + Vector256.Create(0.5f) : palette;
        var whole = Vector256.ConvertToInt32Native(palette * 255f + Vector256.Create(0.5f)).AsUInt32();
        return Vector128.Narrow(whole.GetLower(), whole.GetUpper());
    }

    /// <summary>Writes a channel of sixteen texels.</summary>
    /// <param name="palette">Eight numbers.</param>
    /// <param name="places">Twice the place of each texel.</param>
    /// <param name="rgba">64 numbers.</param>
    /// <param name="channel">Which channel.</param>
    public static void Write(Vector256<float> palette, Vector128<byte> places, Span<float> rgba, int channel)
    {
        Span<float> numbers = stackalloc float[8];
        Span<byte> place = stackalloc byte[16];
        palette.CopyTo(numbers);
        places.CopyTo(place);
        for (int i = 0; i < 16; i++)
            rgba[4 * i + channel] = numbers[place[i] >> 1 & 7];
    }

    /// <summary>Sixteen texels of 0, alpha 1.</summary>
    public static void Empty(Span<float> rgba)
    {
        var empty = Vector128.Create(0f, 0, 0, 1);
        for (int i = 0; i < 64; i += 4)
            empty.CopyTo(rgba[i..]);
    }
}
