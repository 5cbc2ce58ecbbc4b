using System.Numerics;
using Crumpet.Core.Geometry;

namespace Crumpet.Core.Pairs;

/// <summary>What rays of a low object can touch: for each of its triangles the hull of where rays pass, six points each.</summary>
/// <remarks>
/// A ray starts at the surface plus its direction times the outward reach and ends at the surface minus the direction times the inward
/// reach; the direction is the normalised blend of the corners'. Triangles over which it turns far are split, so that hulls and the
/// union of rays differ by less than two thousandths of the reach.
/// </remarks>
internal static class RayHulls
{
    public const int Points = 6;

    private const float FarTurn = 0.996f;
    private const int MostSplits = 4;

    // Between corners that are turned by five degrees, ends bulge out by this.
    private const float Bulge = 1.001f;

    /// <summary>Hulls of an object, added to a list.</summary>
    /// <param name="low">The object.</param>
    /// <param name="rays">Where its rays come from.</param>
    /// <param name="outward">Outward reach, metres, where there is no cage.</param>
    /// <param name="hulls">Six points a hull: three at the rays' starts, three at their ends.</param>
    public static void Add(Mesh low, LowRays rays, float outward, List<Vector3> hulls)
    {
        for (int corner = 0; corner < low.Corners.Length; corner += 3)
        {
            Corner a = At(corner), b = At(corner + 1), c = At(corner + 2);
            Add(a, b, c, 0);
        }

        Corner At(int corner)
        {
            var position = low.PositionAt(corner);
            if (rays.Cage is not { } cage)
                return new Corner(position, rays.Directions[corner], outward, rays.Inward[corner]);
            var move = cage[corner] - position;
            return new Corner(position, move.LengthSquared() > 0 ? Vector3.Normalize(move) : rays.Directions[corner], move.Length(), rays.Inward[corner]);
        }

        void Add(Corner a, Corner b, Corner c, int splits)
        {
            Vector3 ua = Unit(a.Direction), ub = Unit(b.Direction), uc = Unit(c.Direction);
            if (splits < MostSplits && MathF.Min(Vector3.Dot(ua, ub), MathF.Min(Vector3.Dot(ub, uc), Vector3.Dot(uc, ua))) < FarTurn)
            {
                Corner ab = Corner.Between(a, b), bc = Corner.Between(b, c), ca = Corner.Between(c, a);
                Add(a, ab, ca, splits + 1);
                Add(ab, b, bc, splits + 1);
                Add(ca, bc, c, splits + 1);
                Add(ab, bc, ca, splits + 1);
                return;
            }
            hulls.AddRange(
            [
                a.Position + ua * (a.Outward * Bulge), b.Position + ub * (b.Outward * Bulge), c.Position + uc * (c.Outward * Bulge),
                a.Position - ua * (a.Inward * Bulge), b.Position - ub * (b.Inward * Bulge), c.Position - uc * (c.Inward * Bulge),
            ]);
        }
    }

    /// <summary>A face without area has no direction, and no ray.</summary>
    private static Vector3 Unit(Vector3 v) => v.LengthSquared() > 1e-12f ? Vector3.Normalize(v) : Vector3.Zero;

    private readonly record struct Corner(Vector3 Position, Vector3 Direction, float Outward, float Inward)
    {
        public static Corner Between(in Corner a, in Corner b) =>
            new((a.Position + b.Position) / 2, (a.Direction + b.Direction) / 2, (a.Outward + b.Outward) / 2, (a.Inward + b.Inward) / 2);
    }
}
