using System.Runtime.Intrinsics;

namespace Crumpet.Core.Imaging.Blocks;

/// <summary>What a UASTC block says to those who make ETC1 or ETC2 of it: how it is halved, and which steps of brightness suit the halves.</summary>
/// <remarks>Source: Khronos Data Format Specification 1.4, "UASTC texture data format".</remarks>
internal static class UastcHints
{
    // Colours that are averaged are not moved.
    private const int NoBias = 13;

    /// <summary>Hints of a block: two bits for BC1, left at 0 where there is room for them, then those for ETC.</summary>
    /// <param name="mode">Its mode.</param>
    /// <param name="rgba">What it decodes to.</param>
    public static uint Of(UastcMode mode, ReadOnlySpan<byte> rgba)
    {
        long least = long.MaxValue;
        uint chosen = 0;
        for (int flip = 0; flip < 2; flip++)
        {
            var (first, firstError) = Half(rgba, flip, 0);
            var (second, secondError) = Half(rgba, flip, 1);
            if (firstError + secondError >= least)
                continue;
            least = firstError + secondError;
            chosen = (uint)(flip | Near(rgba, flip) << 1 | first << 2 | second << 5);
        }
        // Where there is little room the second bit for BC1 and the bias are left out.
        bool isShort = mode.HintBits == 17;
        uint hints = chosen << (isShort ? 1 : 2);
        int at = isShort ? 9 : 10;
        if (!isShort)
        {
            hints |= (uint)NoBias << at;
            at += 5;
        }
        return mode.Channels == 3 ? hints : hints | OfAlpha(rgba) << at;
    }

    /// <summary>Hints of a block of one colour: ETC1 of one half's steps.</summary>
    public static uint OfSolid(ReadOnlySpan<byte> rgba)
    {
        long least = long.MaxValue;
        uint chosen = 0;
        for (int table = 0; table < 8; table++)
        {
            for (int selector = 0; selector < 4; selector++)
            {
                // Selectors: a small and a large step up, a small and a large step down.
                int step = (selector >> 1 == 0 ? 1 : -1) * ((selector & 1) == 0 ? EtcTables.Modifiers[table].Small : EtcTables.Modifiers[table].Large);
                long error = 0;
                uint colour = 0;
                for (int c = 0; c < 3; c++)
                {
                    int code = Math.Clamp((int)Math.Round((rgba[c] - step) * 31 / 255.0), 0, 31), back = Math.Clamp((code << 3 | code >> 2) + step, 0, 255);
                    error += (back - rgba[c]) * (back - rgba[c]);
                    colour |= (uint)code << (5 * c);
                }
                if (error >= least)
                    continue;
                least = error;
                chosen = 1 | (uint)table << 1 | (uint)Places[selector] << 4 | colour << 6;
            }
        }
        return chosen;
    }

    // Selectors in the order of rising brightness.
    private static ReadOnlySpan<byte> Places => [2, 3, 1, 0];

    private static bool IsIn(int texel, int flip, int half) => (flip == 1 ? texel / 8 : texel % 4 / 2) == half;

    private static (int R, int G, int B) Mean(ReadOnlySpan<byte> rgba, int flip, int half)
    {
        int r = 0, g = 0, b = 0;
        for (int i = 0; i < 16; i++)
            if (IsIn(i, flip, half))
                (r, g, b) = (r + rgba[4 * i], g + rgba[4 * i + 1], b + rgba[4 * i + 2]);
        return (r, g, b);
    }

    // Whether the second half's mean is near enough to the first's to be said as a difference from it.
    private static int Near(ReadOnlySpan<byte> rgba, int flip)
    {
        var (r, g, b) = Mean(rgba, flip, 0);
        var (r2, g2, b2) = Mean(rgba, flip, 1);
        return Close(r, r2) && Close(g, g2) && Close(b, b2) ? 1 : 0;

        static bool Close(int a, int b) => (b * 31 + 1020) / 2040 - (a * 31 + 1020) / 2040 is >= -4 and <= 3;
    }

    // The table whose steps come nearest to how far eight texels lie from their mean, all channels together.
    private static (int Table, int Error) Half(ReadOnlySpan<byte> rgba, int flip, int half)
    {
        Span<int> sums = stackalloc int[8];
        int n = 0;
        for (int i = 0; i < 16; i++)
            if (IsIn(i, flip, half))
                sums[n++] = rgba[4 * i] + rgba[4 * i + 1] + rgba[4 * i + 2];
        var bright = Vector256.Create<int>(sums);
        var away = Vector256.Abs(bright - Vector256.Create(Vector256.Sum(bright) / 8));
        int least = int.MaxValue, best = 0;
        for (int table = 0; table < 8; table++)
        {
            var (small, large) = EtcTables.Modifiers[table];
            var off = Vector256.Min(Vector256.Abs(away - Vector256.Create(3 * small)), Vector256.Abs(away - Vector256.Create(3 * large)));
            int error = Vector256.Sum(off * off);
            if (error < least)
                (least, best) = (error, table);
        }
        return (best, least);
    }

    // Table and multiplier of EAC that leave least about the middle of the alphas; 0 where all are alike.
    private static uint OfAlpha(ReadOnlySpan<byte> rgba)
    {
        int low = 255, high = 0;
        for (int i = 0; i < 16; i++)
            (low, high) = (Math.Min(low, rgba[4 * i + 3]), Math.Max(high, rgba[4 * i + 3]));
        if (low == high)
            return 0;
        long least = long.MaxValue;
        uint chosen = 0;
        for (int table = 0; table < 16; table++)
        {
            var steps = EtcTables.Alpha[table];
            int span = steps[7] - steps[3];
            int multiplier = Math.Clamp((int)Math.Round((high - low) / (double)span), 1, 15);
            int centre = (int)Math.Round(low + (high - low) * (0.0 - steps[3]) / span);
            long error = 0;
            for (int i = 0; i < 16; i++)
            {
                int off = 255;
                foreach (int step in steps)
                    off = Math.Min(off, Math.Abs(Math.Clamp(centre + step * multiplier, 0, 255) - rgba[4 * i + 3]));
                error += off * off;
            }
            if (error < least)
                (least, chosen) = (error, (uint)(multiplier << 4 | table));
        }
        return chosen;
    }
}
