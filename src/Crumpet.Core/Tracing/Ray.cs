using System.Numerics;

namespace Crumpet.Core.Tracing;

/// <summary>A piece of a straight line: points <c>Origin + t · Direction</c> with <c>Near ≤ t ≤ Far</c>.</summary>
/// <param name="Origin">Start, metres.</param>
/// <param name="Direction">Any length but zero; distances count in lengths of it.</param>
/// <param name="Near">Least t.</param>
/// <param name="Far">Greatest t.</param>
public readonly record struct Ray(Vector3 Origin, Vector3 Direction, float Near, float Far);

/// <summary>Where a ray met a triangle.</summary>
/// <param name="Triangle">Index of the triangle in the order it was given; -1 for none.</param>
/// <param name="Distance">t along the ray.</param>
/// <param name="U">Weight of the triangle's second corner.</param>
/// <param name="V">Weight of its third corner.</param>
public readonly record struct Hit(int Triangle, float Distance, float U, float V)
{
    /// <summary>No hit.</summary>
    public static Hit None { get; } = new(-1, 0, 0, 0);
}
