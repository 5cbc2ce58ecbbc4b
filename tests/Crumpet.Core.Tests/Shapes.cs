using System.Numerics;
using Crumpet.Core.Geometry;

namespace Crumpet.Core.Tests;

/// <summary>Small meshes with known answers.</summary>
internal static class Shapes
{
    /// <summary>A flat square in y = 0 that looks up, with UVs over the given part of the tile.</summary>
    public static Mesh Plane(string name, float side = 1, float uvFrom = 0, float uvTo = 1, float height = 0)
    {
        float h = side / 2;
        return new Mesh
        {
            Name = name,
            Positions = [new(-h, height, h), new(h, height, h), new(h, height, -h), new(-h, height, -h)],
            Corners = [0, 1, 2, 0, 2, 3],
            Normals = [.. Enumerable.Repeat(Vector3.UnitY, 6)],
            UvSets = [new Vector2[] { new(uvFrom, uvFrom), new(uvTo, uvFrom), new(uvTo, uvTo), new(uvFrom, uvFrom), new(uvTo, uvTo), new(uvFrom, uvTo) }],
            TriangleMaterials = [0, 0],
            PolygonCount = 1,
        };
    }

    /// <summary>A flat square of side 1 in y = 0, cut into <c>2 · across²</c> triangles that look up.</summary>
    public static Mesh Grid(string name, int across)
    {
        var positions = Enumerable.Range(0, (across + 1) * (across + 1))
            .Select(i => new Vector3(i % (across + 1) / (float)across - 0.5f, 0, 0.5f - i / (across + 1) / (float)across)).ToArray();
        var corners = Enumerable.Range(0, across * across).SelectMany(i =>
        {
            int a = i / across * (across + 1) + i % across, b = a + 1, c = b + across + 1, d = a + across + 1;
            return new[] { a, b, c, a, c, d };
        }).ToArray();
        return new Mesh
        {
            Name = name,
            Positions = positions,
            Corners = corners,
            Normals = [.. Enumerable.Repeat(Vector3.UnitY, corners.Length)],
            TriangleMaterials = new int[corners.Length / 3]
        };
    }

    /// <summary>A cube of side 1 around the origin with flat normals, all sides over the whole tile.</summary>
    public static Mesh Cube(string name)
    {
        Vector3[] positions = [.. Enumerable.Range(0, 8).Select(i => new Vector3((i & 1) - 0.5f, (i >> 1 & 1) - 0.5f, (i >> 2) - 0.5f))];
        int[] quads = [4, 5, 7, 6, 1, 0, 2, 3, 5, 1, 3, 7, 0, 4, 6, 2, 6, 7, 3, 2, 0, 1, 5, 4];
        int[] corners = [.. Enumerable.Range(0, 6).SelectMany(q => new[] { 0, 1, 2, 0, 2, 3 }.Select(c => quads[4 * q + c]))];
        Vector2[] tile = [new(0, 0), new(1, 0), new(1, 1), new(0, 0), new(1, 1), new(0, 1)];
        return WithFlatNormals(
            new Mesh
            {
                Name = name,
                Positions = positions,
                Corners = corners,
                UvSets = [Enumerable.Range(0, 36).Select(c => tile[c % 6]).ToArray()],
                TriangleMaterials = new int[12]
            });
    }

    /// <summary>A sphere of radius 1 with exact normals and UVs by longitude and latitude.</summary>
    public static Mesh Sphere(string name, int around, int down)
    {
        var positions = new List<Vector3>();
        var corners = new List<int>();
        var uvs = new List<Vector2>();
        for (int j = 0; j <= down; j++)
            for (int i = 0; i < around; i++)
                positions.Add(SpherePoint(i / (float)around, j / (float)down));
        for (int j = 0; j < down; j++)
        {
            for (int i = 0; i < around; i++)
            {
                Add(i, j + 1);
                Add(i + 1, j + 1);
                Add(i + 1, j);
                Add(i, j + 1);
                Add(i + 1, j);
                Add(i, j);
            }
        }
        // The rows at the poles collapse to a point; their triangles of no area go.
        var kept = Enumerable.Range(0, corners.Count / 3).Where(t => Area(t) > 1e-9f).SelectMany(t => Enumerable.Range(3 * t, 3)).ToArray();
        return new Mesh
        {
            Name = name,
            Positions = [.. positions],
            Corners = [.. kept.Select(c => corners[c])],
            Normals = [.. kept.Select(c => positions[corners[c]])],
            UvSets = [kept.Select(c => uvs[c]).ToArray()],
            TriangleMaterials = new int[kept.Length / 3],
        };

        void Add(int i, int j)
        {
            corners.Add(j * around + i % around);
            uvs.Add(new Vector2(i / (float)around, 1 - j / (float)down));
        }

        float Area(int t) => Vector3.Cross(positions[corners[3 * t + 1]] - positions[corners[3 * t]], positions[corners[3 * t + 2]] - positions[corners[3 * t]])
            .Length();
    }

    /// <summary>The same triangles, each with its own normal at all corners.</summary>
    public static Mesh WithFlatNormals(Mesh mesh) => new()
    {
        Name = mesh.Name,
        Positions = mesh.Positions,
        Corners = mesh.Corners,
        Normals = [.. Enumerable.Range(0, mesh.Corners.Length).Select(c => FaceNormal(mesh, c / 3))],
        UvSets = mesh.UvSets,
        TriangleMaterials = mesh.TriangleMaterials,
    };

    private static Vector3 FaceNormal(Mesh mesh, int t)
    {
        var a = mesh.PositionAt(3 * t);
        return Vector3.Normalize(Vector3.Cross(mesh.PositionAt(3 * t + 1) - a, mesh.PositionAt(3 * t + 2) - a));
    }

    /// <summary>Point of the unit sphere at a place of the tile, v from the top.</summary>
    public static Vector3 SpherePoint(float u, float vFromTop)
    {
        if (vFromTop is 0 or 1)
            return new Vector3(0, 1 - 2 * vFromTop, 0);
        var (sinA, cosA) = MathF.SinCos(2 * MathF.PI * u);
        var (sinB, cosB) = MathF.SinCos(MathF.PI * vFromTop);
        return new Vector3(sinB * sinA, cosB, sinB * cosA);
    }

    /// <summary>Any triangles as a mesh without normals or UVs.</summary>
    public static Mesh Soup(string name, params Vector3[] positions) => new()
    {
        Name = name,
        Positions = positions,
        Corners = [.. Enumerable.Range(0, positions.Length)],
        TriangleMaterials = new int[positions.Length / 3],
    };

    /// <summary>A reproducible number from 0 to 1.</summary>
    public static float Unit(uint index) => Core.Imaging.Hash.ToUnit(Core.Imaging.Hash.Mix(index * 2654435761u + 17));
}
