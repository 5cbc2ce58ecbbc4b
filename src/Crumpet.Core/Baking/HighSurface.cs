using System.Numerics;
using Crumpet.Core.Geometry;
using Crumpet.Core.Tracing;

namespace Crumpet.Core.Baking;

/// <summary>The high triangles of one tray with their hierarchy.</summary>
internal sealed class HighSurface : IDisposable
{
    private HighSurface(Vector3[] positions, int[] corners, Vector3[] normals, int[] parts, Bvh bvh)
    {
        Positions = positions;
        Corners = corners;
        Normals = normals;
        Parts = parts;
        Bvh = bvh;
    }

    public Vector3[] Positions { get; }
    public int[] Corners { get; }

    /// <summary>Normal per corner.</summary>
    public Vector3[] Normals { get; }

    /// <summary>Part per triangle.</summary>
    public int[] Parts { get; }

    public Bvh Bvh { get; }

    public static HighSurface Build(BakeInput input, BakeTray tray, int threads, CancellationToken cancel)
    {
        var pieces = tray.Parts.SelectMany(part => input.Parts[part].High.Select(mesh => (Part: part, Mesh: mesh))).ToArray();
        var (positions, corners) = Mesh.Join([.. pieces.Select(p => p.Mesh)]);
        var normals = new Vector3[corners.Length];
        var parts = new int[corners.Length / 3];
        int corner = 0;
        foreach (var (part, mesh) in pieces)
        {
            mesh.NormalsOrSmooth().CopyTo(normals, corner);
            parts.AsSpan(corner / 3, mesh.TriangleCount).Fill(part);
            corner += mesh.Corners.Length;
        }
        return new HighSurface(positions, corners, normals, parts, Bvh.Build(positions, corners, threads, cancel));
    }

    /// <summary>Point on the surface.</summary>
    public Vector3 PointAt(in Hit hit)
    {
        Vector3 a = Positions[Corners[3 * hit.Triangle]], b = Positions[Corners[3 * hit.Triangle + 1]], c = Positions[Corners[3 * hit.Triangle + 2]];
        return a + hit.U * (b - a) + hit.V * (c - a);
    }

    /// <summary>Interpolated unit normal.</summary>
    public Vector3 NormalAt(in Hit hit)
    {
        int at = 3 * hit.Triangle;
        return Vector3.Normalize((1 - hit.U - hit.V) * Normals[at] + hit.U * Normals[at + 1] + hit.V * Normals[at + 2]);
    }

    /// <summary>Unit normal of the flat triangle.</summary>
    public Vector3 FlatNormalAt(int triangle)
    {
        Vector3 a = Positions[Corners[3 * triangle]], b = Positions[Corners[3 * triangle + 1]], c = Positions[Corners[3 * triangle + 2]];
        return Vector3.Normalize(Vector3.Cross(b - a, c - a));
    }

    public void Dispose() => Bvh.Dispose();
}
