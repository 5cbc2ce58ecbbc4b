using System.Globalization;
using System.Numerics;

namespace Crumpet.Core.Intake;

/// <summary>Transforms of objects.</summary>
internal static class Placements
{
    /// <summary>A transform in words; empty for none.</summary>
    public static string InWords(Matrix4x4 m)
    {
        if (m.IsIdentity)
            return "";
        var parts = new List<string>();
        var scale = ScaleOf(m);
        if (Vector3.Distance(scale, Vector3.One) > 1e-4f)
            parts.Add(MathF.Abs(scale.X - scale.Y) < 1e-4f * MathF.Abs(scale.X) && MathF.Abs(scale.X - scale.Z) < 1e-4f * MathF.Abs(scale.X)
                ? $"scale {Short(scale.X)}" : $"scale {Short(scale.X)}, {Short(scale.Y)}, {Short(scale.Z)}");
        if (IsTurned(m))
            parts.Add("turned");
        if (m.Translation.Length() > 1e-6f)
            parts.Add($"moved {Short(m.Translation.X)}, {Short(m.Translation.Y)}, {Short(m.Translation.Z)} m");
        return string.Join(", ", parts);

        static string Short(float value) => value.ToString("0.###", CultureInfo.InvariantCulture);
    }

    /// <summary>Scale along the object's own axes; negative in x where the transform mirrors.</summary>
    public static Vector3 ScaleOf(Matrix4x4 m)
    {
        var scale = new Vector3(new Vector3(m.M11, m.M12, m.M13).Length(), new Vector3(m.M21, m.M22, m.M23).Length(),
            new Vector3(m.M31, m.M32, m.M33).Length());
        return m.GetDeterminant() < 0 ? scale with { X = -scale.X } : scale;
    }

    private static bool IsTurned(Matrix4x4 m)
    {
        var scale = ScaleOf(m);
        return MathF.Abs(m.M11 - scale.X) > 1e-4f * MathF.Abs(scale.X) || MathF.Abs(m.M22 - scale.Y) > 1e-4f * scale.Y
            || MathF.Abs(m.M33 - scale.Z) > 1e-4f * scale.Z;
    }
}
