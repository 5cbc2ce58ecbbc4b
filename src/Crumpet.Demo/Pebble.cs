using System.Numerics;
using Crumpet.Core.Geometry;

namespace Crumpet.Demo;

/// <summary>A rough pebble of any number of triangles with a smooth low side: what baking is measured on.</summary>
public static class Pebble
{
    /// <summary>The rough side.</summary>
    /// <param name="name">Name of the object.</param>
    /// <param name="triangles">How many triangles, roughly.</param>
    /// <param name="centre">Where it lies, metres.</param>
    /// <param name="roughness">How far it stands off the smooth side, metres.</param>
    public static Mesh High(string name, int triangles, Vector3 centre = default, float roughness = 0.004f)
    {
        int down = Math.Max(8, (int)Math.Sqrt(triangles / 4.0));
        return Make(name, 2 * down, down, centre, roughness, new Vector2(0, 0), 1) with { UvSets = [] };
    }

    /// <summary>The smooth side, its UVs in a square of the sheet.</summary>
    /// <param name="name">Name of the object.</param>
    /// <param name="centre">Where it lies, metres.</param>
    /// <param name="corner">Lower left corner of the square, tiles.</param>
    /// <param name="side">Side of the square, tiles.</param>
    /// <param name="around">Faces around it; half as many from pole to pole.</param>
    public static Mesh Low(string name, Vector3 centre = default, Vector2 corner = default, float side = 1, int around = 48) =>
        Make(name, around, around / 2, centre, 0, corner, side);

    private static Mesh Make(string name, int around, int down, Vector3 centre, float roughness, Vector2 corner, float side)
    {
        var positions = new Vector3[(around + 1) * (down + 1)];
        var uvs = new Vector2[positions.Length];
        for (int j = 0; j <= down; j++)
        {
            for (int i = 0; i <= around; i++)
            {
                int at = j * (around + 1) + i;
                float u = (float)i / around, v = (float)j / down;
                var d = Direction(i == around ? 0 : u, v);
                positions[at] = centre + d * new Vector3(0.1f, 0.07f, 0.085f) * (1 + roughness / 0.085f * Rough(d));
                uvs[at] = corner + side * new Vector2(0.005f + 0.99f * u, 0.995f - 0.99f * v);
            }
        }
        var corners = new List<int>(6 * around * down);
        for (int j = 0; j < down; j++)
        {
            for (int i = 0; i < around; i++)
            {
                int a = j * (around + 1) + i, b = a + around + 1;
                if (j > 0)
                    corners.AddRange([a, b, a + 1]);
                if (j < down - 1)
                    corners.AddRange([a + 1, b, b + 1]);
            }
        }
        int[] all = [.. corners];
        return new Mesh
        {
            Name = name,
            Positions = positions,
            Corners = all,
            TriangleMaterials = new int[all.Length / 3],
            UvSets = [Array.ConvertAll(all, c => uvs[c])],
            PolygonCount = all.Length / 3
        };
    }

    private static Vector3 Direction(float u, float v)
    {
        var (sin, cos) = MathF.SinCos(2 * MathF.PI * u);
        var (ring, up) = MathF.SinCos(MathF.PI * v);
        return new Vector3(ring * cos, up, -ring * sin);
    }

    /// <summary>Between -1 and 1, with lumps of many sizes.</summary>
    private static float Rough(Vector3 d)
    {
        float sum = 0, share = 0.5f;
        for (int octave = 0; octave < 6; octave++, share *= 0.5f)
        {
            var p = d * (4 << octave) + new Vector3(octave * 1.7f, octave * 2.3f, octave * 3.1f);
            sum += share * MathF.Sin(p.X + 1.3f * MathF.Sin(p.Y)) * MathF.Sin(p.Y + 1.1f * MathF.Sin(p.Z)) * MathF.Sin(p.Z + 1.7f * MathF.Sin(p.X));
        }
        return sum;
    }
}
