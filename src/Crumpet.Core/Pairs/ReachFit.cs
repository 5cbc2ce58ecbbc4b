using System.Numerics;
using Crumpet.Core.Geometry;
using Crumpet.Core.Tracing;

namespace Crumpet.Core.Pairs;

/// <summary>Measures how far outside and inside its low surface a part's high side lies, along the part's rays.</summary>
internal static class ReachFit
{
    // A ray that starts on the surface itself has no room to find it.
    private const float LeastShare = 0.002f;
    private const float LeastMetres = 1e-5f;

    // What is farther off, against the part's size, is another thing than the surface that is missing.
    private const float MostShare = 0.25f;

    /// <summary>How near two surfaces lie that are taken for one, against the part's size.</summary>
    public const float NearShare = 0.05f;

    /// <summary>Reaches within which two sides are looked at for how well they fit: never farther than surfaces of one thing lie.</summary>
    /// <param name="reach">Reaches of the part.</param>
    /// <param name="isFitted">Whether they were measured, and so say nothing of how well the sides fit.</param>
    /// <param name="size">Box of the low side, metres.</param>
    public static ReachSettings ForFit(ReachSettings reach, bool isFitted, Bounds size)
    {
        float most = isFitted ? NearShare * size.Size.Length() : float.MaxValue;
        return new ReachSettings(MathF.Min(reach.OutwardReachMetres, most), MathF.Min(reach.InwardReachMetres, most));
    }

    /// <summary>How far off high surface can be that a reach is made for, metres.</summary>
    /// <param name="size">Box of both sides, metres.</param>
    public static float Most(Bounds size) => MostShare * size.Size.Length();

    /// <summary>A reach with which a hit at this distance lies well before its end, rounded up so that the number can be read.</summary>
    /// <param name="metres">Distance of the farthest hit from the low surface, metres.</param>
    /// <param name="before">How far its ray has come until the low surface, metres.</param>
    public static float Eased(float metres, float before) => Lengths.RoundedUp(MathF.Max(metres * 1.1f, (metres + before) / 0.95f - before));

    /// <summary>The least reach of a part, however well its sides lie on each other.</summary>
    /// <param name="size">Box of both sides, metres.</param>
    public static float Least(Bounds size) => Lengths.RoundedUp(MathF.Max(LeastMetres, LeastShare * size.Size.Length()));

    /// <summary>How far outside the low surface the high side stands, metres.</summary>
    /// <param name="shell">Low side with its directions.</param>
    /// <param name="high">High side.</param>
    /// <param name="places">Where its vertices lie over the low side.</param>
    /// <param name="mostMetres">What stands farther off does not count, metres.</param>
    /// <param name="threads">Threads to use; the result does not depend on them.</param>
    /// <param name="cancel">Ends the work early.</param>
    public static float Outward(ShellBase shell, Bvh high, ShellPlace[] places, float mostMetres, int threads, CancellationToken cancel)
    {
        float tallest = 0;
        places = Array.ConvertAll(places, p => MathF.Abs(p.Height) > mostMetres ? p with { Triangle = -1 } : p);
        foreach (var place in places)
            tallest = MathF.Max(tallest, shell.Metres(place));
        // Between its vertices a high face may stand over a corner or an edge of the low side.
        foreach (var place in HighPoints.FromEdges(shell, high, places, threads, cancel))
            tallest = MathF.Max(tallest, shell.Metres(place));
        return tallest;
    }

    /// <summary>How far below the low surface rays meet the high side, metres.</summary>
    /// <param name="shell">Low side with its directions.</param>
    /// <param name="starts">Where its rays start.</param>
    /// <param name="high">High side.</param>
    /// <param name="bvh">The same for rays.</param>
    /// <param name="places">Where its vertices lie over the low side.</param>
    /// <param name="mostMetres">What lies deeper does not count, metres.</param>
    /// <param name="threads">Threads to use; the result does not depend on them.</param>
    /// <param name="cancel">Ends the work early.</param>
    public static float Inward(ShellBase shell, RayStarts starts, SurfaceTree high, Bvh bvh, ShellPlace[] places, float mostMetres,
        int threads, CancellationToken cancel)
    {
        float deepest = places.Where(p => p.Triangle >= 0 && p.Height < 0 && -p.Height <= mostMetres).Select(p => -shell.Metres(p)).DefaultIfEmpty(0).Max();
        var depths = HighPoints.Depths(shell, starts, bvh, mostMetres, threads, cancel);
        foreach (var place in depths.Where(d => d.Triangle >= 0 && d.Height > deepest).OrderByDescending(d => d.Height))
        {
            cancel.ThrowIfCancellationRequested();
            // Through a hole a ray meets what belongs to another place.
            if (place.Height <= ShellMap.FarthestOver(high.Nearest(shell.At(place), place.Height).Distance))
                return place.Height;
        }
        return deepest;
    }
}
