using System.Buffers.Binary;
using System.Numerics;

namespace Crumpet.Core.Imaging;

/// <summary>
/// The light assets are looked at in: high cloud over wet ground, made by formula, plus a sun. Nearly free of colour, so that
/// textures are judged rightly. Given as the 3D stage takes it: irradiance in nine coefficients, reflections blurred by roughness.
/// </summary>
/// <remarks>
/// Sources: irradiance after R. Ramamoorthi and P. Hanrahan, "An efficient representation for irradiance environment maps", 2001;
/// reflections after B. Karis, "Real shading", course notes on physically based shading, SIGGRAPH 2013 (the split sum), with normal, view
/// and mirror direction equal.
/// </remarks>
public static class SkyLight
{
    /// <summary>Width of a level, texels; longitude runs once around, from -Z over +X.</summary>
    public const int Width = 128;

    /// <summary>Height of a level, texels; from straight up to straight down.</summary>
    public const int Height = 64;

    /// <summary>Levels; level i holds roughness i / (Levels - 1).</summary>
    public const int Levels = 6;

    private const int SamplesPerTexel = 192;

    /// <summary>Direction towards the sun.</summary>
    public static Vector3 SunDirection { get; } = Vector3.Normalize(new Vector3(1.4f, 1.9f, 2.1f));

    /// <summary>The sun's irradiance on a surface that faces it, over π: what a white matt surface sends out.</summary>
    public static Vector3 Sun { get; } = new(0.98f, 0.935f, 0.87f);

    /// <summary>Radiance from a direction, linear RGB; without the sun's disc.</summary>
    /// <param name="d">Unit direction, Y up.</param>
    public static Vector3 Radiance(Vector3 d)
    {
        var ground = new Vector3(0.1f, 0.097f, 0.092f) * (0.75f + 0.25f * MathF.Exp(8 * MathF.Min(0, d.Y)));
        float height = MathF.Max(d.Y, 0);
        var sky = Vector3.Lerp(new Vector3(0.52f, 0.515f, 0.51f), new Vector3(0.3f, 0.32f, 0.35f), MathF.Sqrt(height));
        // Long bands of cloud, drawn out by perspective towards the horizon.
        float x = d.X / (height + 0.15f), z = d.Z / (height + 0.15f);
        float bands = 0.5f + 0.25f * MathF.Sin(1.7f * x + 0.9f * z + 1.3f * MathF.Sin(0.8f * z)) + 0.25f * MathF.Sin(2.9f * z - 1.1f * x + MathF.Sin(1.9f * x));
        sky *= 0.82f + 0.36f * bands * Smooth(0.02f, 0.3f, height);
        // The cloud glows around the sun.
        float towards = MathF.Max(0, Vector3.Dot(d, SunDirection));
        sky += new Vector3(0.5f, 0.48f, 0.44f) * MathF.Pow(towards, 24) + new Vector3(0.14f, 0.13f, 0.12f) * MathF.Pow(towards, 4);
        return Vector3.Lerp(ground, sky, Smooth(-0.03f, 0.03f, d.Y));
    }

    /// <summary>Direction of a point of a level, both shares 0 to 1.</summary>
    public static Vector3 DirectionOf(float u, float v)
    {
        var (sin, cos) = MathF.SinCos(v * MathF.PI);
        var (x, z) = MathF.SinCos(u * 2 * MathF.PI);
        return new Vector3(sin * x, cos, -sin * z);
    }

    /// <summary>
    /// The bytes the stage reads, little-endian: "CSL1"; width, height and levels as 32-bit integers; as floats nine RGB coefficients
    /// (irradiance over π, for 1, y, z, x, xy, yz, 3z²-1, xz, x²-y²), the sun's direction and its colour; then RGBA as half floats,
    /// level after level.
    /// </summary>
    /// <param name="threads">Threads to use, at least 1; the bytes do not depend on it.</param>
    public static byte[] Write(int threads)
    {
        var sharp = new Vector3[Width * Height];
        for (int i = 0; i < sharp.Length; i++)
            sharp[i] = Radiance(DirectionOf((i % Width + 0.5f) / Width, (i / Width + 0.5f) / Height));
        var bytes = new byte[16 + 4 * 3 * 11 + Levels * sharp.Length * 8];
        "CSL1"u8.CopyTo(bytes);
        int at = 4;
        foreach (int value in (ReadOnlySpan<int>)[Width, Height, Levels])
            Advance(4, i => BinaryPrimitives.WriteInt32LittleEndian(bytes.AsSpan(i), value));
        foreach (var value in (Vector3[])[.. Irradiance(sharp), SunDirection, Sun])
            for (int c = 0; c < 3; c++)
                Advance(4, i => BinaryPrimitives.WriteSingleLittleEndian(bytes.AsSpan(i), value[c]));
        for (int level = 0; level < Levels; level++)
        {
            foreach (var value in level == 0 ? sharp : Blurred(sharp, (float)level / (Levels - 1), threads))
                for (int c = 0; c < 4; c++)
                    Advance(2, i => BinaryPrimitives.WriteHalfLittleEndian(bytes.AsSpan(i), c < 3 ? (Half)value[c] : Half.One));
        }
        return bytes;

        void Advance(int size, Action<int> put)
        {
            put(at);
            at += size;
        }
    }

    /// <summary>Irradiance over π of a normal from the nine coefficients.</summary>
    public static Vector3 IrradianceAt(IReadOnlyList<Vector3> coefficients, Vector3 n)
    {
        var sum = Vector3.Zero;
        var basis = Basis(n);
        for (int i = 0; i < 9; i++)
            sum += coefficients[i] * basis[i];
        return sum;
    }

    /// <summary>The nine coefficients of a map of radiance in the layout of a level, with the basis' constants and the cosine's share multiplied in.</summary>
    public static IReadOnlyList<Vector3> Irradiance(IReadOnlyList<Vector3> radiance)
    {
        // Squared constants of the real spherical harmonics; the cosine lobe over π has 1, 2/3 and 1/4 in its three bands.
        float[] factors = [0.282095f * 0.282095f, .. Enumerable.Repeat(0.488603f * 0.488603f * 2 / 3, 3), .. Enumerable.Repeat(1.092548f * 1.092548f / 4, 2),
            0.315392f * 0.315392f / 4, 1.092548f * 1.092548f / 4, 0.546274f * 0.546274f / 4];
        var sums = new Vector3[9];
        for (int y = 0; y < Height; y++)
        {
            // Each texel sees the band between two latitudes.
            float solid = (MathF.Cos(MathF.PI * y / Height) - MathF.Cos(MathF.PI * (y + 1) / Height)) * 2 * MathF.PI / Width;
            for (int x = 0; x < Width; x++)
            {
                var basis = Basis(DirectionOf((x + 0.5f) / Width, (y + 0.5f) / Height));
                for (int i = 0; i < 9; i++)
                    sums[i] += radiance[y * Width + x] * (basis[i] * solid);
            }
        }
        return [.. sums.Select((s, i) => s * factors[i])];
    }

    private static float[] Basis(Vector3 n) => [1, n.Y, n.Z, n.X, n.X * n.Y, n.Y * n.Z, 3 * n.Z * n.Z - 1, n.X * n.Z, n.X * n.X - n.Y * n.Y];

    private static Vector3[] Blurred(Vector3[] sharp, float roughness, int threads)
    {
        // Mirrored views around a normal, by microfacets whose normals GGX spreads; the same ones for every texel.
        float alpha = roughness * roughness;
        var lights = Enumerable.Range(0, SamplesPerTexel).Select(i =>
        {
            var random = SobolSequence.Point((uint)i, 1);
            float cos = MathF.Sqrt((1 - random.X) / (1 + (alpha * alpha - 1) * random.X)), sin = MathF.Sqrt(1 - cos * cos);
            var (s, c) = MathF.SinCos(2 * MathF.PI * random.Y);
            return new Vector3(2 * cos * sin * c, 2 * cos * sin * s, 2 * cos * cos - 1);
        }).Where(l => l.Z > 0).ToArray();
        float weights = lights.Sum(l => l.Z);
        var result = new Vector3[Width * Height];
        Parallel.For(0, Height, new ParallelOptions { MaxDegreeOfParallelism = threads }, y =>
        {
            for (int x = 0; x < Width; x++)
            {
                var normal = DirectionOf((x + 0.5f) / Width, (y + 0.5f) / Height);
                var tangent = Vector3.Normalize(Vector3.Cross(MathF.Abs(normal.Y) < 0.9f ? Vector3.UnitY : Vector3.UnitX, normal));
                var bitangent = Vector3.Cross(normal, tangent);
                var sum = Vector3.Zero;
                foreach (var l in lights)
                    sum += sharp[TexelOf(tangent * l.X + bitangent * l.Y + normal * l.Z)] * l.Z;
                result[y * Width + x] = sum / weights;
            }
        });
        return result;
    }

    private static int TexelOf(Vector3 d)
    {
        float u = MathF.Atan2(d.X, -d.Z) / (2 * MathF.PI), v = MathF.Acos(Math.Clamp(d.Y, -1, 1)) / MathF.PI;
        return Math.Min(Height - 1, (int)(v * Height)) * Width + (int)((u + 1) * Width) % Width;
    }

    private static float Smooth(float from, float to, float value)
    {
        float t = Math.Clamp((value - from) / (to - from), 0, 1);
        return t * t * (3 - 2 * t);
    }
}
