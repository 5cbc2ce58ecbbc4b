using System.Runtime.CompilerServices;
using F = System.Runtime.Intrinsics.Vector512<float>;

namespace Crumpet.Core.Imaging.Blocks;

/// <summary>Three numbers of sixteen blocks.</summary>
internal struct Colour3(F x, F y, F z)
{
    public F X = x, Y = y, Z = z;

    [MethodImpl(MethodImplOptions.AggressiveInlining)]
    public static Colour3 operator +(Colour3 a, Colour3 b) => new(a.X + b.X, a.Y + b.Y, a.Z + b.Z);

    [MethodImpl(MethodImplOptions.AggressiveInlining)]
    public static Colour3 operator -(Colour3 a, Colour3 b) => new(a.X - b.X, a.Y - b.Y, a.Z - b.Z);

    [MethodImpl(MethodImplOptions.AggressiveInlining)]
    public static Colour3 operator *(Colour3 a, F b) => new(a.X * b, a.Y * b, a.Z * b);

    [MethodImpl(MethodImplOptions.AggressiveInlining)]
    public static Colour3 Select(F mask, Colour3 yes, Colour3 no) =>
        new(Lanes.Select(mask, yes.X, no.X), Lanes.Select(mask, yes.Y, no.Y), Lanes.Select(mask, yes.Z, no.Z));

    [MethodImpl(MethodImplOptions.AggressiveInlining)]
    public readonly F Dot(Colour3 b) => Lanes.Fma(X, b.X, Lanes.Fma(Y, b.Y, Z * b.Z));

    /// <summary>This and another times a factor.</summary>
    [MethodImpl(MethodImplOptions.AggressiveInlining)]
    public readonly Colour3 Plus(Colour3 b, F factor) => new(Lanes.Fma(b.X, factor, X), Lanes.Fma(b.Y, factor, Y), Lanes.Fma(b.Z, factor, Z));
}
