using System.Numerics;

namespace Crumpet.Core.Geometry;

/// <summary>Moves normals with the surface they stand on.</summary>
internal static class NormalTransform
{
    /// <summary>Normals go by the cofactors, which the inverse transpose is but for its scale, and which every matrix has.</summary>
    public static Vector3 Moved(Vector3 normal, Matrix4x4 m)
    {
        Vector3 x = new(m.M11, m.M12, m.M13), y = new(m.M21, m.M22, m.M23), z = new(m.M31, m.M32, m.M33);
        var moved = normal.X * Vector3.Cross(y, z) + normal.Y * Vector3.Cross(z, x) + normal.Z * Vector3.Cross(x, y);
        if (Vector3.Dot(x, Vector3.Cross(y, z)) < 0)
            moved = -moved;
        float length = moved.Length();
        return length > 0 && float.IsFinite(length) ? moved / length : Vector3.UnitY;
    }
}
