using System.Numerics;

namespace Crumpet.Core.Geometry;

/// <summary>
/// How far from the origin anything is worked with. Beyond it single precision tells no centimetres apart, and squares and
/// products of lengths no longer fit.
/// </summary>
public static class WorldLimit
{
    /// <summary>Greatest coordinate, metres.</summary>
    public const float Metres = 1e6f;

    /// <summary>Whether a point is near enough; false for one that is no number.</summary>
    public static bool Holds(Vector3 point)
    {
        var a = Vector3.Abs(point);
        return a.X <= Metres && a.Y <= Metres && a.Z <= Metres;
    }

    /// <summary>Whether all points that triangles use are near enough.</summary>
    public static bool Holds(Mesh mesh)
    {
        foreach (int index in mesh.Corners)
        {
            if (!Holds(mesh.Positions[index]))
                return false;
        }
        return true;
    }

    /// <summary>The greatest coordinate of the points that triangles use, metres; not finite where one is no number.</summary>
    public static float ReachOf(Mesh mesh)
    {
        float reach = 0;
        foreach (int index in mesh.Corners)
        {
            var a = Vector3.Abs(mesh.Positions[index]);
            // Max of the framework gives a NaN on.
            reach = MathF.Max(reach, MathF.Max(a.X, MathF.Max(a.Y, a.Z)));
        }
        return reach;
    }
}
