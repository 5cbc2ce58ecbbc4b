using System.Numerics;

namespace Crumpet.Core.Bake;

/// <summary>Normals to and from the shares of full scale that a normal map stores.</summary>
public static class NormalEncoding
{
    // 0 lies half way between two codes. Rounding it always the same way, undithered, keeps flat surfaces flat.
    private const float Flat = 1e-4f;

    /// <summary>
    /// The vector that the standard decode normalize(x·T + y·B + z·N) turns back into <paramref name="target"/>.
    /// </summary>
    /// <param name="target">Unit normal wanted.</param>
    /// <param name="normal">Interpolated low normal, not normalised.</param>
    /// <param name="tangent">Interpolated tangent, not normalised, and the bitangent's sign.</param>
    public static Vector3 ToTangentSpace(Vector3 target, Vector3 normal, Vector4 tangent)
    {
        var t = new Vector3(tangent.X, tangent.Y, tangent.Z);
        var b = Vector3.Cross(normal, t) * MathF.Sign(tangent.W);
        Vector3 bn = Vector3.Cross(b, normal), nt = Vector3.Cross(normal, t), tb = Vector3.Cross(t, b);
        float determinant = Vector3.Dot(t, bn);
        if (MathF.Abs(determinant) < 1e-12f)
            return Vector3.UnitZ;
        var solved = new Vector3(Vector3.Dot(target, bn), Vector3.Dot(target, nt), Vector3.Dot(target, tb)) / determinant;
        float length = solved.Length();
        return length > 0 && float.IsFinite(length) ? solved / length : Vector3.UnitZ;
    }

    /// <summary>A component -1 to 1 as a code 0 to <paramref name="largest"/>.</summary>
    /// <param name="component">Value.</param>
    /// <param name="largest">255 or 65535.</param>
    /// <param name="dither">Offset in codes, -0.5 to 0.5; 0 for plain rounding.</param>
    public static int Encode(float component, int largest, float dither)
    {
        if (MathF.Abs(component) < Flat)
            return (largest + 1) / 2;
        double code = (component * 0.5 + 0.5) * largest + dither;
        return Math.Clamp((int)Math.Floor(code + 0.5), 0, largest);
    }

    /// <summary>The vector a shader reads from three shares of full scale; not normalised.</summary>
    public static Vector3 Decode(float red, float green, float blue) => new(red * 2 - 1, green * 2 - 1, blue * 2 - 1);
}
