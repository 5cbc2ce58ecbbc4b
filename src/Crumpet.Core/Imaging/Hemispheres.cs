using System.Numerics;

namespace Crumpet.Core.Imaging;

/// <summary>Directions over a hemisphere.</summary>
public static class Hemispheres
{
    /// <summary>A unit direction around <paramref name="normal"/> with density cosine / π.</summary>
    /// <param name="normal">Unit normal.</param>
    /// <param name="random">A point of [0, 1)².</param>
    /// <remarks>Source: Malley's method; the frame after T. Duff et al., "Building an orthonormal basis, revisited", JCGT 6(1), 2017.</remarks>
    public static Vector3 CosineDirection(Vector3 normal, Vector2 random)
    {
        float radius = MathF.Sqrt(random.X), up = MathF.Sqrt(1 - random.X);
        var (sin, cos) = MathF.SinCos(2 * MathF.PI * random.Y);
        float sign = MathF.CopySign(1, normal.Z), a = -1 / (sign + normal.Z), b = normal.X * normal.Y * a;
        var tangent = new Vector3(1 + sign * normal.X * normal.X * a, sign * b, -sign * normal.X);
        var bitangent = new Vector3(b, sign + normal.Y * normal.Y * a, -normal.Y);
        return Vector3.Normalize(tangent * (radius * cos) + bitangent * (radius * sin) + normal * up);
    }
}
