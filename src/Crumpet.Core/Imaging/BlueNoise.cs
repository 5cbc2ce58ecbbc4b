namespace Crumpet.Core.Imaging;

/// <summary>A tileable 64 × 64 threshold pattern without low frequencies, for dithering that the eye does not see.</summary>
/// <remarks>Source: R. Ulichney, "The void-and-cluster method for dither array generation", 1993.</remarks>
public static class BlueNoise
{
    private const int Size = 64;
    private const int Count = Size * Size;
    private static readonly float[] Thresholds = Generate();

    /// <summary>An offset in (-0.5, 0.5) for a texel; channels look up the pattern at different places.</summary>
    public static float Offset(int x, int y, int channel) =>
        Thresholds[((y + 23 * channel) & (Size - 1)) * Size + ((x + 37 * channel) & (Size - 1))];

    private static float[] Generate()
    {
        var kernel = new float[Count];
        for (int i = 0; i < Count; i++)
        {
            int x = Math.Min(i % Size, Size - i % Size), y = Math.Min(i / Size, Size - i / Size);
            kernel[i] = (float)Math.Exp(-(x * x + y * y) / (2 * 1.9 * 1.9));
        }
        var on = new bool[Count];
        var energy = new float[Count];
        for (uint i = 0, placed = 0; placed < Count / 10; i++)
        {
            int at = (int)(Hash.Mix(i) % Count);
            if (on[at])
                continue;
            Toggle(at, true);
            placed++;
        }
        while (true)
        {
            int tight = Extreme(wanted: true), loose;
            Toggle(tight, false);
            loose = Extreme(wanted: false);
            Toggle(loose, true);
            if (loose == tight)
                break;
        }
        var rank = new int[Count];
        bool[] prototype = [.. on];
        float[] prototypeEnergy = [.. energy];
        int ones = on.Count(o => o);
        for (int r = ones - 1; r >= 0; r--)
        {
            int at = Extreme(wanted: true);
            Toggle(at, false);
            rank[at] = r;
        }
        (on, energy) = (prototype, prototypeEnergy);
        for (int r = ones; r < Count; r++)
        {
            int at = Extreme(wanted: false);
            Toggle(at, true);
            rank[at] = r;
        }
        return rank.Select(r => (r + 0.5f) / Count - 0.5f).ToArray();

        void Toggle(int at, bool set)
        {
            on[at] = set;
            int ax = at % Size, ay = at / Size;
            for (int i = 0; i < Count; i++)
            {
                float k = kernel[((i / Size - ay) & (Size - 1)) * Size + ((i % Size - ax) & (Size - 1))];
                energy[i] += set ? k : -k;
            }
        }

        int Extreme(bool wanted)
        {
            int best = -1;
            for (int i = 0; i < Count; i++)
                if (on[i] == wanted && (best < 0 || (wanted ? energy[i] > energy[best] : energy[i] < energy[best])))
                    best = i;
            return best;
        }
    }
}
