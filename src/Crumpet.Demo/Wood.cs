using System.Numerics;
using Crumpet.Core.Imaging;

namespace Crumpet.Demo;

/// <summary>What weather does to wood, in metres along the normal; never above the planed surface.</summary>
internal static class Wood
{
    /// <summary>Grain that runs along X.</summary>
    public static float Grain(Vector3 p, float seed)
    {
        float wave = Noise(p.X * 9, p.Y * 150, p.Z * 95, seed) * 0.65f + Noise(p.X * 22, p.Y * 300, p.Z * 170, seed + 7) * 0.35f;
        return -0.00055f * wave * wave;
    }

    /// <summary>A few knocks.</summary>
    public static float Dents(Vector3 p, Vector3 size, float seed)
    {
        float depth = 0;
        uint s = Hash.Mix(BitConverter.SingleToUInt32Bits(seed));
        for (uint i = 0; i < 5; i++)
        {
            var at = new Vector3(Unit(s, 4 * i), Unit(s, 4 * i + 1), Unit(s, 4 * i + 2)) * size / 2;
            // Knocks are on the outside: push the place to the nearest face.
            at = at with { Y = MathF.CopySign(size.Y / 2, at.Y) };
            float radius = 0.006f + 0.004f * (Unit(s, 4 * i + 3) + 1);
            float d = (p - at).LengthSquared() / (radius * radius);
            depth += 0.0011f * MathF.Exp(-d * 1.5f);
        }
        return -depth;
    }

    private static float Unit(uint seed, uint i) => 2 * Hash.ToUnit(Hash.Mix(seed + 977 * i)) - 1;

    /// <summary>Value noise, 0 to 1, smooth.</summary>
    internal static float Noise(float x, float y, float z, float seed)
    {
        int ix = (int)MathF.Floor(x), iy = (int)MathF.Floor(y), iz = (int)MathF.Floor(z);
        float fx = Smooth(x - ix), fy = Smooth(y - iy), fz = Smooth(z - iz);
        float sum = 0;
        for (int corner = 0; corner < 8; corner++)
        {
            int dx = corner & 1, dy = (corner >> 1) & 1, dz = corner >> 2;
            float weight = (dx == 1 ? fx : 1 - fx) * (dy == 1 ? fy : 1 - fy) * (dz == 1 ? fz : 1 - fz);
            uint hash = Hash.Mix((uint)(ix + dx) * 73856093u ^ (uint)(iy + dy) * 19349663u ^ (uint)(
                iz + dz) * 83492791u ^ BitConverter.SingleToUInt32Bits(seed));
            sum += weight * Hash.ToUnit(hash);
        }
        return sum;
    }

    private static float Smooth(float t) => t * t * (3 - 2 * t);
}
