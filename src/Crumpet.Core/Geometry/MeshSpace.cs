using System.Numerics;

namespace Crumpet.Core.Geometry;

/// <summary>The axis that points up.</summary>
public enum UpAxis
{
    /// <summary>Y.</summary>
    Y,

    /// <summary>Z.</summary>
    Z,
}

/// <summary>Which hand's first three fingers point along x, y and z.</summary>
public enum Handedness
{
    /// <summary>The right one's.</summary>
    Right,

    /// <summary>The left one's.</summary>
    Left,
}

/// <summary>The axes and the unit of a mesh file. x points the same way in all; where the hand is the other, the axis that is neither x nor up turns.</summary>
/// <param name="Up">The axis that points up.</param>
/// <param name="UnitMetres">Length of a unit, metres.</param>
/// <param name="Handedness">Handedness of the axes.</param>
public readonly record struct MeshSpace(UpAxis Up, double UnitMetres, Handedness Handedness)
{
    /// <summary>Crumpet's own: Y up, metres, right-handed.</summary>
    public static MeshSpace Own { get; } = new(UpAxis.Y, 1, Handedness.Right);

    /// <summary>Whether directions are those of <see cref="Own"/>.</summary>
    public bool IsTurned => (Up, Handedness) != (UpAxis.Y, Handedness.Right);

    /// <summary>Whether it is a mirror image of <see cref="Own"/>: triangles that faced outward face inward.</summary>
    public bool IsMirrored => Handedness == Handedness.Left;

    /// <summary>A direction of <see cref="Own"/> here.</summary>
    public Vector3 Direction(Vector3 v)
    {
        float sign = IsMirrored ? -1 : 1;
        return Up == UpAxis.Y ? new Vector3(v.X, v.Y, sign * v.Z) : new Vector3(v.X, -sign * v.Z, v.Y);
    }

    /// <summary>A position of <see cref="Own"/> here.</summary>
    public Vector3 Position(Vector3 v) => UnitMetres == 1 ? Direction(v) : Direction(v) * (float)(1 / UnitMetres);

    /// <summary>A transform between positions of <see cref="Own"/> as one between positions here.</summary>
    /// <param name="own">Rows are axes, as <see cref="Matrix4x4"/> has them.</param>
    public Matrix4x4 Transform(Matrix4x4 own)
    {
        if (this == Own)
            return own;
        var there = Directions();
        var turned = Matrix4x4.Transpose(there) * (own with { Translation = Vector3.Zero }) * there;
        return turned with { Translation = Position(own.Translation) };
    }

    private Matrix4x4 Directions()
    {
        Vector3 x = Direction(Vector3.UnitX), y = Direction(Vector3.UnitY), z = Direction(Vector3.UnitZ);
        return new Matrix4x4(x.X, x.Y, x.Z, 0, y.X, y.Y, y.Z, 0, z.X, z.Y, z.Z, 0, 0, 0, 0, 1);
    }
}
