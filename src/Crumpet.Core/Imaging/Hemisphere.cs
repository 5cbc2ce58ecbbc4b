using System.Numerics;
using System.Runtime.CompilerServices;
using System.Runtime.Intrinsics;

namespace Crumpet.Core.Imaging;

/// <summary>Directions over a hemisphere, with density cosine / π around its normal.</summary>
/// <remarks>Source: Malley's method; the frame after T. Duff et al., "Building an orthonormal basis, revisited", JCGT 6(1), 2017.</remarks>
public readonly struct Hemisphere
{
    private readonly Vector3 normal, tangent, bitangent;

    /// <summary>The hemisphere around a normal.</summary>
    /// <param name="normal">Unit normal.</param>
    public Hemisphere(Vector3 normal)
    {
        float sign = MathF.CopySign(1, normal.Z), a = -1 / (sign + normal.Z), b = normal.X * normal.Y * a;
        this.normal = normal;
        tangent = new Vector3(1 + sign * normal.X * normal.X * a, sign * b, -sign * normal.X);
        bitangent = new Vector3(b, sign + normal.Y * normal.Y * a, -normal.Y);
    }

    /// <summary>The unit direction of a point.</summary>
    /// <param name="random">A point of [0, 1)².</param>
    public Vector3 Direction(Vector2 random)
    {
        var (x, y, z) = Directions(Vector256.Create(random.X), Vector256.Create(random.Y));
        return new Vector3(x.ToScalar(), y.ToScalar(), z.ToScalar());
    }

    /// <summary>The unit directions of eight points.</summary>
    /// <param name="first">First coordinates, in [0, 1).</param>
    /// <param name="second">Second coordinates, in [0, 1).</param>
    [MethodImpl(MethodImplOptions.AggressiveInlining)]
    public (Vector256<float> X, Vector256<float> Y, Vector256<float> Z) Directions(Vector256<float> first, Vector256<float> second)
    {
        var (sin, cos) = SinCosOfTurns(second);
        Vector256<float> radius = Vector256.Sqrt(first), up = Vector256.Sqrt(Vector256<float>.One - first), u = radius * cos, v = radius * sin;
        return (Along(tangent.X, bitangent.X, normal.X), Along(tangent.Y, bitangent.Y, normal.Y), Along(tangent.Z, bitangent.Z, normal.Z));

        Vector256<float> Along(float t, float b, float n) =>
            Vector256.FusedMultiplyAdd(u, Vector256.Create(t), Vector256.FusedMultiplyAdd(v, Vector256.Create(b), up * n));
    }

    /// <summary>Sine and cosine of 0 to 1 turns, within 1e-7.</summary>
    /// <remarks>Of what is over the nearest quarter turn by their series; whole quarters swap and turn the two.</remarks>
    [MethodImpl(MethodImplOptions.AggressiveInlining)]
    private static (Vector256<float> Sin, Vector256<float> Cos) SinCosOfTurns(Vector256<float> turns)
    {
        var quarters = Vector256.Round(turns * 4);
        var x = (turns * 4 - quarters) * (MathF.PI / 2);
        var square = x * x;
        var sin = x * Series(square, 1, -1f / 6, 1f / 120, -1f / 5040, 1f / 362880);
        var cos = Series(square, 1, -1f / 2, 1f / 24, -1f / 720, 1f / 40320);
        var whole = Vector256.ConvertToInt32(quarters);
        var swaps = Vector256.Equals(whole & Vector256<int>.One, Vector256<int>.One).AsSingle();
        // The sine is turned over in the third and fourth quarter, the cosine in the second and third.
        var sinSign = ((whole & Vector256.Create(2)) << 30).AsSingle();
        var cosSign = (((whole + Vector256<int>.One) & Vector256.Create(2)) << 30).AsSingle();
        return (Vector256.ConditionalSelect(swaps, cos, sin) ^ sinSign, Vector256.ConditionalSelect(swaps, sin, cos) ^ cosSign);
    }

    [MethodImpl(MethodImplOptions.AggressiveInlining)]
    private static Vector256<float> Series(Vector256<float> x, float a, float b, float c, float d, float e) =>
        Vector256.FusedMultiplyAdd(x, Vector256.FusedMultiplyAdd(x, Vector256.FusedMultiplyAdd(x, Vector256.FusedMultiplyAdd(x, Vector256.Create(e),
            Vector256.Create(d)), Vector256.Create(c)), Vector256.Create(b)), Vector256.Create(a));
}
