using System.Numerics;

namespace Crumpet.Core.Imaging.Blocks;

/// <summary>A number of steps that ASTC stores whole numbers in: bits, and a trit or a quint above them.</summary>
/// <param name="Levels">How many values there are.</param>
/// <param name="Bits">Bits of a value.</param>
/// <param name="Base">3 for a trit, 5 for a quint, 1 for neither.</param>
internal readonly record struct AstcRange(int Levels, int Bits, int Base)
{
    /// <summary>Bits of so many values one after another.</summary>
    public int BitsOf(int count) => count * Bits + (Base == 3 ? (8 * count + 4) / 5 : Base == 5 ? (7 * count + 2) / 3 : 0);
}

/// <summary>The tables of ASTC.</summary>
/// <remarks>Source: Khronos Data Format Specification 1.3, "ASTC compressed texture image formats".</remarks>
internal static class AstcTables
{
    /// <summary>Ranges of weights, as their code in a block counts them; the first two codes are not used.</summary>
    public static readonly AstcRange[] WeightRanges =
    [
        default, default, new(2, 1, 1), new(3, 0, 3), new(4, 2, 1), new(5, 0, 5), new(6, 1, 3), new(8, 3, 1),
        default, default, new(10, 1, 5), new(12, 2, 3), new(16, 4, 1), new(20, 2, 5), new(24, 3, 3), new(32, 5, 1),
    ];

    /// <summary>Ranges of ends' channels, from the coarsest.</summary>
    public static readonly AstcRange[] ColourRanges =
    [
        new(6, 1, 3), new(8, 3, 1), new(10, 1, 5), new(12, 2, 3), new(16, 4, 1), new(20, 2, 5), new(24, 3, 3), new(32, 5, 1), new(40, 3, 5), new(48, 4, 3),
        new(64, 6, 1), new(80, 4, 5), new(96, 5, 3), new(128, 7, 1), new(160, 5, 5), new(192, 6, 3), new(256, 8, 1),
    ];

    /// <summary>Trits of each eight bits, five in a row.</summary>
    public static readonly byte[][] Trits = [.. Enumerable.Range(0, 256).Select(TritsOf)];

    /// <summary>Quints of each seven bits, three in a row.</summary>
    public static readonly byte[][] Quints = [.. Enumerable.Range(0, 128).Select(QuintsOf)];

    /// <summary>Eight bits that stand for five trits, the first counting one.</summary>
    public static readonly byte[] FromTrits = Reverse(Trits, 3, 243);

    /// <summary>Seven bits that stand for three quints, the first counting one.</summary>
    public static readonly byte[] FromQuints = Reverse(Quints, 5, 125);

    private static readonly Dictionary<AstcRange, byte[]> Colours = ColourRanges.ToDictionary(r => r, r => Values(r, ColourOf));
    private static readonly Dictionary<AstcRange, byte[]> Weights = WeightRanges.Where(r => r.Levels > 0).ToDictionary(r => r, r => Values(r, WeightOf));

    /// <summary>What each code of a range is as a channel, 0 to 255.</summary>
    public static byte[] ColourValues(AstcRange range) => Colours[range];

    /// <summary>What each code of a range is as a weight, 0 to 64.</summary>
    public static byte[] WeightValues(AstcRange range) => Weights[range];

    /// <summary>The finest range of which so many values fit into so many bits; null where none does.</summary>
    public static AstcRange? Finest(int count, int bits)
    {
        for (int i = ColourRanges.Length - 1; i >= 0; i--)
            if (ColourRanges[i].BitsOf(count) <= bits)
                return ColourRanges[i];
        return null;
    }

    /// <summary>Which part a texel is of.</summary>
    /// <param name="seed">Number of the partition.</param>
    /// <param name="x">Column.</param>
    /// <param name="y">Row.</param>
    /// <param name="parts">2 to 4.</param>
    /// <param name="isSmall">Whether a block has fewer than 31 texels.</param>
    public static int Part(int seed, int x, int y, int parts, bool isSmall)
    {
        if (isSmall)
            (x, y) = (x << 1, y << 1);
        seed += (parts - 1) * 1024;
        uint random = Scramble((uint)seed);
        Span<int> seeds = stackalloc int[8];
        for (int i = 0; i < 8; i++)
        {
            int s = (int)(random >> (4 * i)) & 15;
            seeds[i] = s * s;
        }
        int even = parts == 3 ? 6 : 5, odd = (seed & 2) != 0 ? 4 : 5;
        var (shift1, shift2) = (seed & 1) != 0 ? (odd, even) : (even, odd);
        for (int i = 0; i < 8; i++)
            seeds[i] >>= i % 2 == 0 ? shift1 : shift2;
        int a = seeds[0] * x + seeds[1] * y + (int)(random >> 14) & 63, b = seeds[2] * x + seeds[3] * y + (int)(random >> 10) & 63;
        int c = parts < 3 ? 0 : seeds[4] * x + seeds[5] * y + (int)(random >> 6) & 63;
        int d = parts < 4 ? 0 : seeds[6] * x + seeds[7] * y + (int)(random >> 2) & 63;
        return a >= b && a >= c && a >= d ? 0 : b >= c && b >= d ? 1 : c >= d ? 2 : 3;
    }

    private static uint Scramble(uint p)
    {
        p ^= p >> 15;
        p -= p << 17;
        p += p << 7;
        p += p << 4;
        p ^= p >> 5;
        p += p << 16;
        p ^= p >> 7;
        p ^= p >> 3;
        p ^= p << 6;
        return p ^ p >> 17;
    }

    private static byte[] TritsOf(int t)
    {
        int c, t0, t1, t2, t3, t4;
        if ((t >> 2 & 7) == 7)
        {
            c = t >> 5 << 2 | t & 3;
            t4 = t3 = 2;
        }
        else
        {
            c = t & 31;
            (t4, t3) = (t >> 5 & 3) == 3 ? (2, t >> 7) : (t >> 7, t >> 5 & 3);
        }
        if ((c & 3) == 3)
            (t2, t1, t0) = (2, c >> 4, (c >> 3 & 1) << 1 | (c >> 2 & 1 & ~(c >> 3)));
        else if ((c >> 2 & 3) == 3)
            (t2, t1, t0) = (2, 2, c & 3);
        else
            (t2, t1, t0) = (c >> 4, c >> 2 & 3, (c >> 1 & 1) << 1 | (c & 1 & ~(c >> 1)));
        return [(byte)t0, (byte)t1, (byte)t2, (byte)t3, (byte)t4];
    }

    private static byte[] QuintsOf(int q)
    {
        int q0, q1, q2;
        if ((q >> 1 & 3) == 3 && (q >> 5 & 3) == 0)
        {
            q2 = (q & 1) << 2 | (q >> 4 & 1 & ~q) << 1 | (q >> 3 & 1 & ~q);
            return [4, 4, (byte)q2];
        }
        int c;
        if ((q >> 1 & 3) == 3)
            (q2, c) = (4, (q >> 3 & 3) << 3 | (~(q >> 5) & 3) << 1 | q & 1);
        else
            (q2, c) = (q >> 5 & 3, q & 31);
        (q1, q0) = (c & 7) == 5 ? (4, c >> 3 & 3) : (c >> 3 & 3, c & 7);
        return [(byte)q0, (byte)q1, (byte)q2];
    }

    private static byte[] Reverse(byte[][] digits, int radix, int count)
    {
        var codes = new byte[count];
        for (int code = digits.Length - 1; code >= 0; code--)
        {
            int number = 0;
            for (int i = digits[code].Length - 1; i >= 0; i--)
                number = number * radix + digits[code][i];
            if (number < count)
                codes[number] = (byte)code;
        }
        return codes;
    }

    private static byte[] Values(AstcRange range, Func<AstcRange, int, int> of) => [.. Enumerable.Range(0, range.Levels).Select(code => (byte)of(range, code))];

    private static int ColourOf(AstcRange range, int code)
    {
        int bits = range.Bits, low = code & ((1 << bits) - 1), digit = code >> bits;
        if (range.Base == 1)
            return Repeat(low, bits, 8);
        int a = (low & 1) * 511, b = low >> 1 & 1, c = low >> 2 & 1, d = low >> 3 & 1, e = low >> 4 & 1, f = low >> 5 & 1;
        var (spread, scale) = (range.Base, bits) switch
        {
            (3, 1) => (0, 204),
            (3, 2) => (b << 8 | b << 4 | b << 2 | b << 1, 93),
            (3, 3) => (c << 8 | b << 7 | c << 3 | b << 2 | c << 1 | b, 44),
            (3, 4) => (d << 8 | c << 7 | b << 6 | d << 2 | c << 1 | b, 22),
            (3, 5) => (e << 8 | d << 7 | c << 6 | b << 5 | e << 1 | d, 11),
            (3, 6) => (f << 8 | e << 7 | d << 6 | c << 5 | b << 4 | f, 5),
            (5, 1) => (0, 113),
            (5, 2) => (b << 8 | b << 3 | b << 2, 54),
            (5, 3) => (c << 8 | b << 7 | c << 2 | b << 1 | c, 26),
            (5, 4) => (d << 8 | c << 7 | b << 6 | d << 1 | c, 13),
            _ => (e << 8 | d << 7 | c << 6 | b << 5 | e, 6),
        };
        int t = digit * scale + spread ^ a;
        return a & 0x80 | t >> 2;
    }

    private static int WeightOf(AstcRange range, int code)
    {
        int bits = range.Bits, low = code & ((1 << bits) - 1), digit = code >> bits, value;
        if (range.Base == 1)
        {
            value = Repeat(low, bits, 6);
        }
        else if (bits == 0)
        {
            value = range.Base == 3 ? digit switch { 0 => 0, 1 => 32, _ => 63 } : digit switch { 0 => 0, 1 => 16, 2 => 32, 3 => 47, _ => 63 };
        }
        else
        {
            int a = (low & 1) * 127, b = low >> 1 & 1, c = low >> 2 & 1;
            var (spread, scale) = (range.Base, bits) switch
            {
                (3, 1) => (0, 50),
                (3, 2) => (b << 6 | b << 2 | b, 23),
                (3, 3) => (c << 6 | b << 5 | c << 1 | b, 11),
                (5, 1) => (0, 28),
                _ => (b << 6 | b << 1, 13),
            };
            int t = digit * scale + spread ^ a;
            value = a & 0x20 | t >> 2;
        }
        return value > 32 ? value + 1 : value;
    }

    // Bits repeated from the highest until there are enough.
    private static int Repeat(int code, int bits, int wanted)
    {
        int value = 0;
        for (int at = wanted - bits; ; at -= bits)
        {
            value |= at >= 0 ? code << at : code >> -at;
            if (at <= 0)
                return value;
        }
    }
}

/// <summary>What the first eleven bits of an ASTC block say: its grid of weights and their range.</summary>
/// <param name="Width">Weights across.</param>
/// <param name="Height">Weights down.</param>
/// <param name="Range">Range of a weight.</param>
/// <param name="HasTwoPlanes">Whether a channel has weights of its own.</param>
internal readonly record struct AstcMode(int Width, int Height, AstcRange Range, bool HasTwoPlanes)
{
    private static readonly AstcMode?[] All = [.. Enumerable.Range(0, 2048).Select(Read)];

    /// <summary>Weights in all.</summary>
    public int Weights => Width * Height * (HasTwoPlanes ? 2 : 1);

    /// <summary>The mode of a number of eleven bits; null for what is reserved.</summary>
    public static AstcMode? Of(int number) => All[number];

    /// <summary>The number of this mode; −1 where there is none.</summary>
    public int Number() => Array.IndexOf(All, this);

    private static AstcMode? Read(int n)
    {
        int a = n >> 5 & 3, b = n >> 7 & 3, width, height;
        bool two = (n >> 10 & 1) == 1, fine = (n >> 9 & 1) == 1;
        int range;
        if ((n & 3) != 0)
        {
            range = (n & 3) << 1 | n >> 4 & 1;
            (width, height) = (n >> 2 & 3) switch
            {
                0 => (b + 4, a + 2),
                1 => (b + 8, a + 2),
                2 => (a + 2, b + 8),
                _ => (b & 2) == 0 ? (a + 2, (b & 1) + 6) : ((b & 1) + 2, a + 2),
            };
        }
        else
        {
            range = (n >> 2 & 3) << 1 | n >> 4 & 1;
            switch (b)
            {
                case 0:
                    (width, height) = (12, a + 2);
                    break;
                case 1:
                    (width, height) = (a + 2, 12);
                    break;
                case 2:
                    (width, height) = (a + 6, (n >> 9 & 3) + 6);
                    (two, fine) = (false, false);
                    break;
                default:
                    if (a > 1)
                        return null;
                    (width, height) = a == 0 ? (6, 10) : (10, 6);
                    break;
            }
        }
        if (range < 2)
            return null;
        var mode = new AstcMode(width, height, AstcTables.WeightRanges[range + (fine ? 8 : 0)], two);
        int bits = mode.Range.BitsOf(mode.Weights);
        return mode.Weights <= 64 && bits is >= 24 and <= 96 ? mode : null;
    }
}

/// <summary>How a grid of weights is spread over the texels of a block.</summary>
internal sealed class AstcInfill
{
    /// <summary>For each texel its up to four weights and their shares of sixteen.</summary>
    public (int At, int Share)[][] Texels { get; }

    /// <summary>For each weight the texels it has a share of.</summary>
    public (int Texel, int Share)[][] Weights { get; }

    /// <summary>For each weight one over the sum of its shares.</summary>
    public float[] Sums { get; }

    /// <summary>For each weight one over the sum of their squares.</summary>
    public float[] Squares { get; }

    /// <summary>Whether every texel has a weight of its own.</summary>
    public bool IsWhole { get; }

    /// <param name="width">Texels across.</param>
    /// <param name="height">Texels down.</param>
    /// <param name="gridWidth">Weights across.</param>
    /// <param name="gridHeight">Weights down.</param>
    public AstcInfill(int width, int height, int gridWidth, int gridHeight)
    {
        IsWhole = (width, height) == (gridWidth, gridHeight);
        Texels = [.. Enumerable.Range(0, width * height).Select(i => Shares(i % width, i / width))];
        Weights = [.. Enumerable.Range(0, gridWidth * gridHeight).Select(at => Texels
            .SelectMany((shares, texel) => shares.Where(s => s.At == at).Select(s => (texel, s.Share))).ToArray())];
        Sums = [.. Weights.Select(w => w.Length == 0 ? 0 : 1f / w.Sum(t => t.Share))];
        Squares = [.. Weights.Select(w => w.Length == 0 ? 0 : 1f / w.Sum(t => t.Share * t.Share))];

        (int, int)[] Shares(int x, int y)
        {
            int gx = ((1024 + width / 2) / (width - 1) * x * (gridWidth - 1) + 32) >> 6;
            int gy = ((1024 + height / 2) / (height - 1) * y * (gridHeight - 1) + 32) >> 6;
            int fx = gx & 15, fy = gy & 15, both = (fx * fy + 8) >> 4, at = (gx >> 4) + (gy >> 4) * gridWidth;
            (int At, int Share)[] all = [(at, 16 - fx - fy + both), (at + 1, fx - both), (at + gridWidth, fy - both), (at + gridWidth + 1, both)];
            return [.. all.Where(s => s.Share > 0)];
        }
    }
}
