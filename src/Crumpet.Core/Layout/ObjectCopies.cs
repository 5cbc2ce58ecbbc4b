using System.Numerics;
using Crumpet.Core.Geometry;

namespace Crumpet.Core.Layout;

/// <summary>Recognises objects that are the same mesh somewhere else.</summary>
internal static class ObjectCopies
{
    private const float Tolerance = 2e-5f;

    /// <summary>Whether two objects have the same triangles with the same edges and are cut alike, so that one's charts do for the other.</summary>
    /// <param name="one">One object.</param>
    /// <param name="oneSeams">Where its charts end.</param>
    /// <param name="two">Another object.</param>
    /// <param name="twoSeams">The same for that one.</param>
    public static bool AreAlike(Topology one, SeamPlan oneSeams, Topology two, SeamPlan twoSeams)
    {
        Mesh a = one.Mesh, b = two.Mesh;
        if (a.TriangleCount != b.TriangleCount || !one.Points.AsSpan().SequenceEqual(two.Points) || !a.TriangleMaterials.AsSpan()
            .SequenceEqual(b.TriangleMaterials))
            return false;
        float slack = Tolerance * a.Bounds().Size.Length();
        for (int c = 0; c < a.Corners.Length; c++)
        {
            int next = Topology.Next(c);
            if (MathF.Abs(Vector3.Distance(a.PositionAt(c), a.PositionAt(next)) - Vector3.Distance(b.PositionAt(c), b.PositionAt(next))) > slack)
                return false;
        }
        return oneSeams.IsLike(twoSeams);
    }
}
