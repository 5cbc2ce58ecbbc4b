using System.Numerics;

namespace Crumpet.Core.Imaging;

/// <summary>Finds the line through a cloud of colours that leaves the least squared distance.</summary>
internal static class LineFit
{
    /// <summary>Unit direction of greatest spread, or zero where all points are equal.</summary>
    public static Vector3 PrincipalAxis(ReadOnlySpan<Vector3> points, Vector3 mean)
    {
        Vector3 x = default, y = default, z = default;
        foreach (var point in points)
        {
            var d = point - mean;
            x += d * d.X;
            y += d * d.Y;
            z += d * d.Z;
        }
        // The longest row of the covariance is never orthogonal to the axis.
        var axis = x.X >= y.Y && x.X >= z.Z ? x : y.Y >= z.Z ? y : z;
        for (int i = 0; i < 8; i++)
        {
            float length = axis.Length();
            if (length < 1e-6f)
                return Vector3.Zero;
            axis /= length;
            axis = new Vector3(Vector3.Dot(x, axis), Vector3.Dot(y, axis), Vector3.Dot(z, axis));
        }
        float final = axis.Length();
        return final < 1e-6f ? Vector3.Zero : axis / final;
    }

    /// <summary>Unit direction of greatest spread in four dimensions, or zero where all points are equal.</summary>
    public static Vector4 PrincipalAxis(ReadOnlySpan<Vector4> points, Vector4 mean)
    {
        Vector4 x = default, y = default, z = default, w = default;
        foreach (var point in points)
        {
            var d = point - mean;
            x += d * d.X;
            y += d * d.Y;
            z += d * d.Z;
            w += d * d.W;
        }
        var axis = x;
        float widest = x.X;
        if (y.Y > widest)
            (axis, widest) = (y, y.Y);
        if (z.Z > widest)
            (axis, widest) = (z, z.Z);
        if (w.W > widest)
            axis = w;
        for (int i = 0; i < 4; i++)
        {
            float length = axis.Length();
            if (length < 1e-6f)
                return Vector4.Zero;
            axis /= length;
            axis = new Vector4(Vector4.Dot(x, axis), Vector4.Dot(y, axis), Vector4.Dot(z, axis), Vector4.Dot(w, axis));
        }
        float final = axis.Length();
        return final < 1e-6f ? Vector4.Zero : axis / final;
    }
}
