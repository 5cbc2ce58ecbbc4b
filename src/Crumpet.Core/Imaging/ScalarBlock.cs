using System.Runtime.CompilerServices;
using System.Runtime.Intrinsics;

namespace Crumpet.Core.Imaging;

/// <summary>The one-channel block of BC4, which BC5 uses twice and BC3 for alpha: two end values and a 3-bit index a texel.</summary>
/// <remarks>Source: Khronos Data Format Specification 1.3, "RGTC compressed texture image formats".</remarks>
internal static class ScalarBlock
{
    private const int WorthMoreStarts = 24;
    private const int InsetSteps = 7;
    private const int StartsKept = 4;

    /// <summary>Encodes 16 values, row by row, into 8 bytes.</summary>
    /// <remarks>Both palettes are tried: eight values between the ends, or six with 0 and 255 added. Ends are searched downhill from the extremes.</remarks>
    [SkipLocalsInit]
    public static void Encode(ReadOnlySpan<byte> values, Span<byte> block)
    {
        int min = 255, max = 0, innerMin = 255, innerMax = 0;
        foreach (byte v in values)
        {
            min = Math.Min(min, v);
            max = Math.Max(max, v);
            if (v is not (0 or 255))
            {
                innerMin = Math.Min(innerMin, v);
                innerMax = Math.Max(innerMax, v);
            }
        }
        if (min == max)
        {
            Write(values, max, max, block);
            return;
        }
        // Eight values: first end above the second. Six values: first end at or below.
        var (high, low, error) = Search(values, max, min, six: false);
        if (error > WorthMoreStarts)
            SearchFromInside(values, max, min, ref high, ref low, ref error);
        if (error > 0 && (min == 0 || max == 255))
        {
            if (innerMin > innerMax)
                (innerMin, innerMax) = (0, 255);
            var (first, second, sixError) = Search(values, innerMin, innerMax, six: true);
            if (sixError < error)
                (high, low) = (first, second);
        }
        Write(values, high, low, block);
    }

    /// <summary>Decodes 8 bytes into 16 values.</summary>
    public static void Decode(ReadOnlySpan<byte> block, Span<byte> values)
    {
        Span<byte> palette = stackalloc byte[8];
        Palette(block[0], block[1], palette);
        ulong bits = 0;
        for (int i = 0; i < 6; i++)
            bits |= (ulong)block[2 + i] << (8 * i);
        for (int i = 0; i < 16; i++)
            values[i] = palette[(int)(bits >> (3 * i)) & 7];
    }

    /// <summary>
    /// Spread-out values leave valleys that one descent cannot leave. Tries ends that give the outer values up, and descends from the best of them.
    /// </summary>
    private static void SearchFromInside(ReadOnlySpan<byte> values, int max, int min, ref int high, ref int low, ref int error)
    {
        Span<(int Error, int First, int Second)> starts = stackalloc (int, int, int)[StartsKept];
        starts.Fill((int.MaxValue, 0, 0));
        for (int a = 0; a < InsetSteps; a++)
        {
            for (int b = 0; b < InsetSteps; b++)
            {
                int first = max - a * (max - min) / (4 * InsetSteps), second = min + b * (max - min) / (4 * InsetSteps);
                int candidate = Error(values, first, second);
                int place = StartsKept;
                while (place > 0 && candidate < starts[place - 1].Error)
                    place--;
                if (place == StartsKept)
                    continue;
                for (int i = StartsKept - 1; i > place; i--)
                    starts[i] = starts[i - 1];
                starts[place] = (candidate, first, second);
            }
        }
        foreach (var start in starts)
        {
            var found = Search(values, start.First, start.Second, six: false);
            if (found.Error < error)
                (high, low, error) = found;
        }
    }

    private static (int First, int Second, int Error) Search(ReadOnlySpan<byte> values, int first, int second, bool six)
    {
        int error = Error(values, first, second);
        // Wide steps first, so that outliers can be given up; then single codes.
        int step = Math.Max(1, Math.Abs(first - second) / 8);
        while (error > 0)
        {
            int bestFirst = first, bestSecond = second, bestError = error;
            for (int df = -step; df <= step; df += step)
            {
                for (int ds = -step; ds <= step; ds += step)
                {
                    int f = first + df, s = second + ds;
                    if ((df == 0 && ds == 0) || f is < 0 or > 255 || s is < 0 or > 255 || (six ? f > s : f <= s))
                        continue;
                    int candidate = Error(values, f, s);
                    if (candidate < bestError)
                        (bestFirst, bestSecond, bestError) = (f, s, candidate);
                }
            }
            if (bestError < error)
                (first, second, error) = (bestFirst, bestSecond, bestError);
            else if (step == 1)
                break;
            else
                step = (step + 1) / 2;
        }
        return (first, second, error);
    }

    [SkipLocalsInit]
    private static int Error(ReadOnlySpan<byte> values, int first, int second)
    {
        Span<byte> palette = stackalloc byte[8];
        Palette(first, second, palette);
        var texels = Vector128.Create(values);
        var nearest = Vector128<byte>.AllBitsSet;
        foreach (byte p in palette)
        {
            var entry = Vector128.Create(p);
            nearest = Vector128.Min(nearest, Vector128.Max(texels, entry) - Vector128.Min(texels, entry));
        }
        var (low, high) = Vector128.Widen(nearest);
        var (a, b) = Vector128.Widen(low * low);
        var (c, d) = Vector128.Widen(high * high);
        return (int)Vector128.Sum(a + b + c + d);
    }

    private static void Palette(int first, int second, Span<byte> palette)
    {
        palette[0] = (byte)first;
        palette[1] = (byte)second;
        if (first > second)
        {
            for (int i = 1; i < 7; i++)
                palette[i + 1] = (byte)(((7 - i) * first + i * second + 3) / 7);
            return;
        }
        for (int i = 1; i < 5; i++)
            palette[i + 1] = (byte)(((5 - i) * first + i * second + 2) / 5);
        palette[6] = 0;
        palette[7] = 255;
    }

    private static void Write(ReadOnlySpan<byte> values, int first, int second, Span<byte> block)
    {
        Span<byte> palette = stackalloc byte[8];
        Palette(first, second, palette);
        block[0] = (byte)first;
        block[1] = (byte)second;
        ulong bits = 0;
        for (int i = 0; i < 16; i++)
        {
            int best = 0;
            for (int p = 1; p < 8; p++)
                if (Math.Abs(values[i] - palette[p]) < Math.Abs(values[i] - palette[best]))
                    best = p;
            bits |= (ulong)best << (3 * i);
        }
        for (int i = 0; i < 6; i++)
            block[2 + i] = (byte)(bits >> (8 * i));
    }

    /// <summary>Encodes the first channels of 16 RGBA texels, a block of 8 bytes each.</summary>
    public static void EncodeChannels(ReadOnlySpan<byte> rgba, Span<byte> blocks, int channels)
    {
        Span<byte> values = stackalloc byte[16];
        for (int c = 0; c < channels; c++)
        {
            for (int i = 0; i < 16; i++)
                values[i] = rgba[4 * i + c];
            Encode(values, blocks[(8 * c)..]);
        }
    }

    /// <summary>Decodes blocks of 8 bytes to the first channels of 16 RGBA texels; the others are 0, alpha 255.</summary>
    public static void DecodeChannels(ReadOnlySpan<byte> blocks, Span<byte> rgba, int channels)
    {
        rgba.Clear();
        Span<byte> values = stackalloc byte[16];
        for (int i = 0; i < 16; i++)
            rgba[4 * i + 3] = 255;
        for (int c = 0; c < channels; c++)
        {
            Decode(blocks[(8 * c)..], values);
            for (int i = 0; i < 16; i++)
                rgba[4 * i + c] = values[i];
        }
    }
}
