using System.Numerics;

namespace Crumpet.Core.Geometry;

/// <summary>Unit directions in 32 bits: folded onto an octahedron and laid flat, each axis a signed 16-bit share.</summary>
/// <remarks>Source: Z. Cigolle et al., "A survey of efficient representations for independent unit vectors", JCGT 3(2), 2014. Error below 0.004°.</remarks>
public static class OctahedralNormal
{
    /// <summary>The two shares of a direction, each -32767 to 32767.</summary>
    /// <param name="direction">Unit length; a zero vector gives +Z.</param>
    public static (short X, short Y) Encode(Vector3 direction)
    {
        float sum = MathF.Abs(direction.X) + MathF.Abs(direction.Y) + MathF.Abs(direction.Z);
        if (!(sum > 0))
            return (0, 0);
        var flat = Flatten(direction / sum);
        return ((short)MathF.Round(flat.X * 32767), (short)MathF.Round(flat.Y * 32767));
    }

    /// <summary>The unit direction of two shares.</summary>
    public static Vector3 Decode(short x, short y) => Unfold(new Vector2(MathF.Max(-1, x / 32767f), MathF.Max(-1, y / 32767f)));

    /// <summary>The unit direction at a point of the square [-1, 1]².</summary>
    public static Vector3 Unfold(Vector2 flat)
    {
        var v = new Vector3(flat, 1 - MathF.Abs(flat.X) - MathF.Abs(flat.Y));
        if (v.Z < 0)
            (v.X, v.Y) = ((1 - MathF.Abs(flat.Y)) * Sign(flat.X), (1 - MathF.Abs(flat.X)) * Sign(flat.Y));
        return Vector3.Normalize(v);
    }

    private static Vector2 Flatten(Vector3 v) => v.Z >= 0
        ? new Vector2(v.X, v.Y)
        : new Vector2((1 - MathF.Abs(v.Y)) * Sign(v.X), (1 - MathF.Abs(v.X)) * Sign(v.Y));

    private static float Sign(float value) => value < 0 ? -1 : 1;
}
