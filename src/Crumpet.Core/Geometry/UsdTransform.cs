using System.Numerics;

namespace Crumpet.Core.Geometry;

/// <summary>Reads the place of a prim within its parent.</summary>
/// <remarks>Source: the published schema UsdGeomXformable. Rows are vectors, as here; the first operation of the order is applied last.</remarks>
internal static class UsdTransform
{
    private const string Inverse = "!invert!";

    /// <summary>The transform of a prim.</summary>
    /// <param name="prim">The prim.</param>
    /// <param name="isFresh">Whether what stands above it does not move it.</param>
    public static Matrix4x4 Of(UsdPrim prim, out bool isFresh)
    {
        isFresh = false;
        var local = Matrix4x4.Identity;
        foreach (string word in prim.Value("xformOpOrder")?.Words ?? [])
        {
            if (word == "!resetXformStack!")
            {
                (isFresh, local) = (true, Matrix4x4.Identity);
                continue;
            }
            bool isInverse = word.StartsWith(Inverse, StringComparison.Ordinal);
            string name = isInverse ? word[Inverse.Length..] : word;
            if (prim.Value(name)?.Numbers is not { Length: > 0 } numbers)
                continue;
            var step = Step(name, numbers);
            if (isInverse)
                Matrix4x4.Invert(step, out step);
            local = step * local;
        }
        return local;
    }

    private static Matrix4x4 Step(string name, double[] n)
    {
        string[] words = name.Split(':');
        return (words.Length > 1 ? words[1] : "") switch
        {
            "translate" when n.Length == 3 => Matrix4x4.CreateTranslation(Vector(n)),
            "translateX" => Matrix4x4.CreateTranslation((float)n[0], 0, 0),
            "translateY" => Matrix4x4.CreateTranslation(0, (float)n[0], 0),
            "translateZ" => Matrix4x4.CreateTranslation(0, 0, (float)n[0]),
            "scale" when n.Length == 3 => Matrix4x4.CreateScale(Vector(n)),
            "scaleX" => Matrix4x4.CreateScale((float)n[0], 1, 1),
            "scaleY" => Matrix4x4.CreateScale(1, (float)n[0], 1),
            "scaleZ" => Matrix4x4.CreateScale(1, 1, (float)n[0]),
            // The real part stands first.
            "orient" when n.Length == 4 => Matrix4x4.CreateFromQuaternion(Unit(new Quaternion((float)n[1], (float)n[2], (float)n[3], (float)n[0]))),
            "transform" when n.Length == 16 => new Matrix4x4((float)n[0], (float)n[1], (float)n[2], (float)n[3],
                (float)n[4], (float)n[5], (float)n[6], (float)n[7], (float)n[8], (float)n[9], (float)n[10], (float)n[11],
                (float)n[12], (float)n[13], (float)n[14], (float)n[15]),
            var turn when turn.StartsWith("rotate", StringComparison.Ordinal) => Turn(turn["rotate".Length..], n),
            _ => Matrix4x4.Identity,
        };
    }

    /// <summary>Turns about axes in the order of their letters; degrees.</summary>
    private static Matrix4x4 Turn(string axes, double[] degrees)
    {
        var turn = Matrix4x4.Identity;
        foreach (char axis in axes)
        {
            double angle = degrees.Length == 1 ? degrees[0] : axis is >= 'X' and <= 'Z' && degrees.Length == 3 ? degrees[axis - 'X'] : 0;
            float radians = (float)(angle * Math.PI / 180);
            turn *= axis switch
            {
                'X' => Matrix4x4.CreateRotationX(radians),
                'Y' => Matrix4x4.CreateRotationY(radians),
                'Z' => Matrix4x4.CreateRotationZ(radians),
                _ => Matrix4x4.Identity,
            };
        }
        return turn;
    }

    private static Vector3 Vector(double[] n) => new((float)n[0], (float)n[1], (float)n[2]);

    private static Quaternion Unit(Quaternion q) => q.LengthSquared() > 0 ? Quaternion.Normalize(q) : Quaternion.Identity;
}
