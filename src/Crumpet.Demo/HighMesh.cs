using System.Numerics;
using Crumpet.Core.Geometry;

namespace Crumpet.Demo;

/// <summary>Collects the fine grids of one high object and welds them where they meet.</summary>
/// <param name="transform">Where it stands.</param>
/// <param name="every">Every how many lines of a grid are kept along each side; 1 for all.</param>
internal sealed class HighMesh(Matrix4x4 transform, int every)
{
    private readonly Dictionary<Vector3, int> seen = [];
    private readonly List<Vector3> positions = [];
    private readonly List<int> corners = [];

    /// <summary>Adds a grid of quads; counter-clockwise when i runs right and j runs up.</summary>
    public void AddGrid(int columns, int rows, Func<int, int, Vector3> place)
    {
        int[] across = Kept(columns), up = Kept(rows);
        (columns, rows) = (across.Length, up.Length);
        var index = new int[columns * rows];
        for (int j = 0; j < rows; j++)
            for (int i = 0; i < columns; i++)
                index[j * columns + i] = Add(place(across[i], up[j]));
        for (int j = 0; j + 1 < rows; j++)
        {
            for (int i = 0; i + 1 < columns; i++)
            {
                int a = index[j * columns + i], b = index[j * columns + i + 1], c = index[(j + 1) * columns + i + 1], d = index[(j + 1) * columns + i];
                Triangle(a, b, c);
                Triangle(a, c, d);
            }
        }
    }

    /// <summary>Lines that are kept: the first and the last, and alike from both ends, so that grids still meet.</summary>
    private int[] Kept(int lines)
    {
        int pieces = Math.Max(Math.Min(lines - 1, 3), (lines - 1) / every);
        return [.. Enumerable.Range(0, pieces + 1).Select(i => 2 * i <= pieces ? i * (lines - 1) / pieces : lines - 1 - (pieces - i) * (lines - 1) / pieces)];
    }

    /// <summary>Adds a domed screw head with a slot, lying on a face that looks along Y.</summary>
    public void AddScrew(Vector3 at, float turn)
    {
        const float Radius = 0.0062f, Dome = 0.0022f;
        const int Rings = 10, Around = 36;
        var (slotSin, slotCos) = MathF.SinCos(turn);
        AddGrid(Around + 1, Rings + 3, (i, j) =>
        {
            var (sin, cos) = MathF.SinCos(2 * MathF.PI * (i % Around) / Around);
            // From the foot below the face up over the rim to the middle.
            float r = j <= 1 ? 1 : 1 - (j - 1) / (float)(Rings + 1);
            float y = j == 0 ? -0.0012f : Dome * MathF.Sqrt(MathF.Max(0, 1 - 0.75f * r * r)) - 0.4f * Dome;
            float x = cos * r, z = -sin * r, across = MathF.Abs(x * slotSin + z * slotCos);
            if (j > 1)
                y -= 0.0011f * (1 - Smooth((across - 0.1f) / 0.12f));
            return at + new Vector3(x * Radius, y, z * Radius);
        });

        static float Smooth(float t)
        {
            t = Math.Clamp(t, 0, 1);
            return t * t * (3 - 2 * t);
        }
    }

    /// <summary>The finished object with smooth normals.</summary>
    public Mesh Build(string name)
    {
        var mesh = new Mesh
        {
            Name = name,
            Positions = [.. positions.Select(p => Vector3.Transform(p, transform))],
            Corners = [.. corners],
            TriangleMaterials = new int[corners.Count / 3],
            PolygonCount = corners.Count / 3,
        };
        // Points that fell into neighbouring cells of the raster are joined now.
        mesh = MeshRepair.Weld(mesh, 3e-6f, out _);
        mesh = MeshRepair.DropEmpty(mesh, out _);
        return mesh with { Normals = SmoothNormals.PerCorner(mesh) };
    }

    private int Add(Vector3 p)
    {
        // Grids that meet compute the same point by different sums; a micrometre's raster joins them.
        var key = new Vector3(MathF.Round(p.X * 1e6f), MathF.Round(p.Y * 1e6f), MathF.Round(p.Z * 1e6f));
        if (!seen.TryGetValue(key, out int index))
        {
            seen.Add(key, index = positions.Count);
            positions.Add(p);
        }
        return index;
    }

    private void Triangle(int a, int b, int c)
    {
        if (a != b && b != c && c != a)
            corners.AddRange([a, b, c]);
    }
}
