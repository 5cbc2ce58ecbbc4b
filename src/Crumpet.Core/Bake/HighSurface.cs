using System.Numerics;
using Crumpet.Core.Geometry;
using Crumpet.Core.Tracing;

namespace Crumpet.Core.Bake;

/// <summary>A high object of a part.</summary>
/// <param name="Part">Number of the part.</param>
/// <param name="Number">Its place among the part's high objects.</param>
/// <param name="Mesh">The object.</param>
internal sealed record HighObject(int Part, int Number, Mesh Mesh);

/// <summary>Triangles of high objects that rays see together, with their hierarchy.</summary>
internal sealed class HighSurface : IDisposable
{
    private readonly int[] firstTriangles;

    private HighSurface(IReadOnlyList<HighObject> objects, int threads, CancellationToken cancel)
    {
        Objects = objects;
        (Positions, Corners) = Mesh.Join([.. objects.Select(o => o.Mesh)]);
        Normals = new Vector3[Corners.Length];
        Owners = new int[Corners.Length / 3];
        firstTriangles = new int[objects.Count];
        NoteObjects(cancel);
        Bvh = Bvh.Build(Positions, Corners, threads, cancel);
    }

    private void NoteObjects(CancellationToken cancel)
    {
        int corner = 0;
        for (int i = 0; i < Objects.Count; i++)
        {
            cancel.ThrowIfCancellationRequested();
            var mesh = Objects[i].Mesh;
            mesh.NormalsOrSmooth().CopyTo(Normals, corner);
            Owners.AsSpan(corner / 3, mesh.TriangleCount).Fill(i);
            firstTriangles[i] = corner / 3;
            corner += mesh.Corners.Length;
        }
    }

    /// <summary>The objects.</summary>
    public IReadOnlyList<HighObject> Objects { get; }

    public Vector3[] Positions { get; }

    public int[] Corners { get; }

    /// <summary>Normal per corner.</summary>
    public Vector3[] Normals { get; }

    /// <summary>Place among the objects, per triangle.</summary>
    public int[] Owners { get; }

    public Bvh Bvh { get; }

    public static HighSurface Build(IReadOnlyList<HighObject> objects, int threads, CancellationToken cancel) => new(objects, threads, cancel);

    /// <summary>Part a triangle belongs to.</summary>
    public int PartOf(int triangle) => Objects[Owners[triangle]].Part;

    /// <summary>The object of a triangle, and the triangle's number in it.</summary>
    public (HighObject Object, int Triangle) Find(int triangle) => (Objects[Owners[triangle]], triangle - firstTriangles[Owners[triangle]]);

    /// <summary>Number of an object's triangle among all.</summary>
    /// <param name="part">Number of the part.</param>
    /// <param name="number">Number of the object in it.</param>
    /// <param name="triangle">Number of the triangle in the object.</param>
    public int NumberOf(int part, int number, int triangle)
    {
        for (int i = 0; i < Objects.Count; i++)
        {
            if (Objects[i].Part == part && Objects[i].Number == number)
                return firstTriangles[i] + triangle;
        }
        throw new ArgumentException($"Part {part} has no high object {number} here.", nameof(number));
    }

    /// <summary>Point on the surface.</summary>
    public Vector3 PointAt(in Hit hit)
    {
        Vector3 a = Positions[Corners[3 * hit.Triangle]], b = Positions[Corners[3 * hit.Triangle + 1]], c = Positions[Corners[3 * hit.Triangle + 2]];
        return a + hit.U * (b - a) + hit.V * (c - a);
    }

    /// <summary>Interpolated unit normal.</summary>
    public Vector3 NormalAt(in Hit hit) => Vector3.Normalize(BlendedNormalAt(hit));

    /// <summary>Interpolated normal, not normalised.</summary>
    public Vector3 BlendedNormalAt(in Hit hit)
    {
        int at = 3 * hit.Triangle;
        return (1 - hit.U - hit.V) * Normals[at] + hit.U * Normals[at + 1] + hit.V * Normals[at + 2];
    }

    /// <summary>Unit normal of the flat triangle.</summary>
    public Vector3 FlatNormalAt(int triangle)
    {
        Vector3 a = Positions[Corners[3 * triangle]], b = Positions[Corners[3 * triangle + 1]], c = Positions[Corners[3 * triangle + 2]];
        return Vector3.Normalize(Vector3.Cross(b - a, c - a));
    }

    public void Dispose() => Bvh.Dispose();
}
