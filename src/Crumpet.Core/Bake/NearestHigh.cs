using System.Numerics;
using Crumpet.Core.Tracing;

namespace Crumpet.Core.Bake;

/// <summary>Finds the place of a part's own high side that is nearest to a point. Safe to use from many threads at once.</summary>
internal sealed class NearestHigh
{
    private readonly PartScene scene;
    private readonly Lazy<SurfaceTree> tree;
    private readonly int[] firstTriangles;

    /// <summary>Prepares nothing until something asks.</summary>
    /// <param name="part">The part.</param>
    /// <param name="scene">What it sees.</param>
    public NearestHigh(BakePart part, PartScene scene)
    {
        this.scene = scene;
        tree = new Lazy<SurfaceTree>(() => SurfaceTree.Build(part.High));
        firstTriangles = new int[part.High.Count];
        for (int i = 1; i < firstTriangles.Length; i++)
            firstTriangles[i] = firstTriangles[i - 1] + part.High[i - 1].TriangleCount;
    }

    /// <summary>How far the surface is, metres; the limit where it is farther.</summary>
    public float Distance(Vector3 point, float limit) => tree.Value.Nearest(point, limit).Distance;

    /// <summary>The nearest place as a hit on what the part sees; its distance is from the point. None where the part has no high side.</summary>
    public Hit Find(Vector3 point)
    {
        var near = tree.Value.Nearest(point, float.MaxValue);
        if (near.Triangle < 0)
            return Hit.None;
        int found = Array.BinarySearch(firstTriangles, near.Triangle), number = found >= 0 ? found : ~found - 1;
        // Objects without triangles begin where the next one does.
        while (number + 1 < firstTriangles.Length && firstTriangles[number + 1] == near.Triangle)
            number++;
        Vector3 a = tree.Value.Corner(near.Triangle, 0), ab = tree.Value.Corner(near.Triangle, 1) - a, ac = tree.Value.Corner(near.Triangle, 2) - a;
        var ap = near.Point - a;
        float bb = ab.LengthSquared(), bc = Vector3.Dot(ab, ac), cc = ac.LengthSquared(), pb = Vector3.Dot(ap, ab), pc = Vector3.Dot(ap, ac);
        float area = bb * cc - bc * bc;
        float u = area > 0 ? Math.Clamp((cc * pb - bc * pc) / area, 0, 1) : 0, v = area > 0 ? Math.Clamp((bb * pc - bc * pb) / area, 0, 1 - u) : 0;
        return new Hit(scene.High.NumberOf(scene.Part, number, near.Triangle - firstTriangles[number]), near.Distance, u, v);
    }
}
