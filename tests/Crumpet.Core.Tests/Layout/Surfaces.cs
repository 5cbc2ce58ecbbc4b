using System.Numerics;
using Crumpet.Core.Geometry;

namespace Crumpet.Core.Tests.Layout;

/// <summary>Surfaces to unwrap, as grids of quads without normals.</summary>
internal static class Surfaces
{
    /// <summary>A grid bent by a function of two shares from 0 to 1.</summary>
    /// <param name="across">Quads across.</param>
    /// <param name="up">Quads up.</param>
    /// <param name="place">Where a point of the grid lies; equal places are one vertex.</param>
    /// <param name="isKept">Which quads there are; null for all.</param>
    public static Mesh Grid(int across, int up, Func<float, float, Vector3> place, Func<int, int, bool>? isKept = null)
    {
        Vector3[] positions = [.. Enumerable.Range(0, (across + 1) * (up + 1))
            .Select(i => place(i % (across + 1) / (float)across, i / (across + 1) / (float)up))];
        var corners = new List<int>();
        for (int y = 0; y < up; y++)
        {
            for (int x = 0; x < across; x++)
            {
                int a = y * (across + 1) + x, b = a + 1, c = b + across + 1, d = a + across + 1;
                if (isKept?.Invoke(x, y) != false)
                    corners.AddRange([a, b, c, a, c, d]);
            }
        }
        int[] kept = [.. Enumerable.Range(0, corners.Count / 3)
            .Where(t => Vector3.Cross(positions[corners[3 * t + 1]] - positions[corners[3 * t]], positions[corners[3 * t + 2]] - positions[corners[3 * t]])
            .Length() > 1e-9f)];
        return new Mesh
        {
            Name = "surface",
            Positions = positions,
            Corners = [.. kept.SelectMany(t => corners.GetRange(3 * t, 3))],
            TriangleMaterials = new int[kept.Length],
        };
    }

    /// <summary>A tube of radius 1 and length 3.</summary>
    public static Mesh Tube(int around) => Grid(around, 6, (u, v) => Around(u, around, 1, 3 * v));

    /// <summary>The side of a cone's stump.</summary>
    public static Mesh Cone(int around) => Grid(around, 5, (u, v) => Around(u, around, 1 - 0.7f * v, 2 * v));

    /// <summary>Half a ball of radius 1 that opens upwards.</summary>
    public static Mesh Hemisphere(int around, int down) => Grid(around, down, (u, v) =>
    {
        var (sin, cos) = MathF.SinCos(MathF.PI / 2 * v);
        return Around(u, around, v == 0 ? 0 : sin, -cos);
    });

    /// <summary>A ring of tube.</summary>
    public static Mesh Torus(int around, int tube, float thin = 0.3f) => Grid(around, tube, (u, v) =>
    {
        var (sin, cos) = MathF.SinCos(-2 * MathF.PI * (MathF.Round(v * tube) % tube) / tube);
        return Around(u, around, 1 + thin * cos, thin * sin);
    });

    /// <summary>A lumpy surface out of a seed: a sheet, a tube, a ring, a ball, each perhaps with holes.</summary>
    public static Mesh Lumpy(int seed)
    {
        float Draw(int i) => Shapes.Unit((uint)(1000 * seed + i));
        int across = 5 + (int)(14 * Draw(0)), up = 4 + (int)(10 * Draw(1));
        float height = 0.6f * Draw(2), bend = 3 * Draw(3), holes = Draw(4) < 0.5f ? 0 : 0.12f;
        float Lump(Vector3 p) => height * (MathF.Sin(3.1f * p.X + seed) * MathF.Cos(2.3f * p.Y) + 0.4f * MathF.Sin(7 * p.Z + 5 * p.X));
        bool Keeps(int x, int y) => Draw(100 + 50 * x + y) >= holes || (x == 0 && y == 0);
        var plain = (seed % 4) switch
        {
            0 => Grid(across, up, (u, v) => new Vector3(2 * u, 0.3f * bend * MathF.Sin(3 * u) * v, 1 - 2 * v), Keeps),
            1 => Grid(across, up, (u, v) => Around(u, across, 1 + 0.3f * v, 2 * v), Keeps),
            2 => Grid(across, up, (u, v) =>
            {
                var (sin, cos) = MathF.SinCos(-2 * MathF.PI * (MathF.Round(v * up) % up) / up);
                return Around(u, across, 1 + 0.4f * cos, 0.4f * sin);
            }, Keeps),
            _ => Grid(across, up, (u, v) => Around(u, across, MathF.Round(v * up) is 0 || v == 1 ? 0 : MathF.Sin(MathF.PI * v), -MathF.Cos(MathF.PI * v)),
                Keeps),
        };
        return plain with { Positions = Array.ConvertAll(plain.Positions, p => p * (1 + 0.5f * Lump(p))) };
    }

    private static Vector3 Around(float u, int steps, float radius, float y)
    {
        var (sin, cos) = MathF.SinCos(2 * MathF.PI * (MathF.Round(u * steps) % steps) / steps);
        return new Vector3(radius * cos, y, -radius * sin);
    }
}
