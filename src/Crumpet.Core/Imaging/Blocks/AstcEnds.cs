namespace Crumpet.Core.Imaging.Blocks;

/// <summary>What the numbers of an ASTC block make of a part's two ends.</summary>
/// <remarks>Source: Khronos Data Format Specification 1.3, "ASTC compressed texture image formats", endpoint modes.</remarks>
internal static class AstcEnds
{
    private const int Open = 255;

    /// <summary>Reads the ends of a part; false for those of high range.</summary>
    /// <param name="kind">0 to 15.</param>
    /// <param name="v">Its 2 to 8 numbers.</param>
    /// <param name="first">RGBA, red lowest.</param>
    /// <param name="second">The same of the other end.</param>
    public static bool Read(int kind, ReadOnlySpan<byte> v, out uint first, out uint second)
    {
        (first, second) = (0, 0);
        switch (kind)
        {
            case 0:
                (first, second) = (Grey(v[0], Open), Grey(v[1], Open));
                return true;
            case 1:
                int low = v[0] >> 2 | v[1] & 0xc0;
                (first, second) = (Grey(low, Open), Grey(low + (v[1] & 0x3f), Open));
                return true;
            case 4:
                (first, second) = (Grey(v[0], v[2]), Grey(v[1], v[3]));
                return true;
            case 5:
                var (l, dl) = Transfer(v[0], v[1]);
                var (a, da) = Transfer(v[2], v[3]);
                (first, second) = (Grey(l, a), Grey(l + dl, a + da));
                return true;
            case 6 or 10:
                first = Rgba(v[0] * v[3] >> 8, v[1] * v[3] >> 8, v[2] * v[3] >> 8, kind == 10 ? v[4] : Open);
                second = Rgba(v[0], v[1], v[2], kind == 10 ? v[5] : Open);
                return true;
            case 8 or 12:
                int a0 = kind == 12 ? v[6] : Open, a1 = kind == 12 ? v[7] : Open;
                if (v[1] + v[3] + v[5] >= v[0] + v[2] + v[4])
                    (first, second) = (Rgba(v[0], v[2], v[4], a0), Rgba(v[1], v[3], v[5], a1));
                else
                    (first, second) = (Contracted(v[1], v[3], v[5], a1), Contracted(v[0], v[2], v[4], a0));
                return true;
            case 9 or 13:
                Differences(kind == 13, v, out first, out second);
                return true;
            default:
                return false;
        }
    }

    private static void Differences(bool hasAlpha, ReadOnlySpan<byte> v, out uint first, out uint second)
    {
        var (r, dr) = Transfer(v[0], v[1]);
        var (g, dg) = Transfer(v[2], v[3]);
        var (b, db) = Transfer(v[4], v[5]);
        var (a, da) = hasAlpha ? Transfer(v[6], v[7]) : (Open, 0);
        if (dr + dg + db >= 0)
            (first, second) = (Rgba(r, g, b, a), Rgba(r + dr, g + dg, b + db, a + da));
        else
            (first, second) = (Contracted(r + dr, g + dg, b + db, a + da), Contracted(r, g, b, a));
    }

    // A bit moves from the difference to the base; the difference then has a sign.
    private static (int From, int Difference) Transfer(int from, int difference) =>
        (from >> 1 | difference & 0x80, difference << 25 >> 26);

    // Red and green are halfway to blue.
    private static uint Contracted(int r, int g, int b, int a) => Rgba(r + b >> 1, g + b >> 1, b, a);

    private static uint Grey(int l, int a) => Rgba(l, l, l, a);

    private static uint Rgba(int r, int g, int b, int a) => Byte(r) | Byte(g) << 8 | Byte(b) << 16 | Byte(a) << 24;

    private static uint Byte(int value) => (uint)Math.Clamp(value, 0, 255);
}
