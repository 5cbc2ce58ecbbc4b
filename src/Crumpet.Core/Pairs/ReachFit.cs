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
    private const float Room = 1.5f;

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

    /// <summary>Measures the reaches that are not said.</summary>
    /// <param name="shell">Low side with its directions.</param>
    /// <param name="high">High side, for distances and for rays.</param>
    /// <param name="places">Where its points lie over the low side.</param>
    /// <param name="size">Box of both sides, metres.</param>
    /// <param name="said">Reaches that are said, metres; null for what is measured.</param>
    /// <param name="threads">Threads to use; the result does not depend on them.</param>
    /// <param name="cancel">Ends the work early.</param>
    public static ReachSettings Measure(ShellBase shell, (SurfaceTree Tree, Bvh Rays) high, ShellPlace[] places, Bounds size,
        (float? Outward, float? Inward) said, int threads, CancellationToken cancel)
    {
        float least = Least(size), most = Most(size), tallest = 0, deepest = 0;
        foreach (var place in places.Where(p => p.Triangle >= 0 && MathF.Abs(p.Height) <= most))
        {
            tallest = MathF.Max(tallest, shell.Metres(place));
            deepest = MathF.Max(deepest, -shell.Metres(place));
        }
        // Between its points the high side may stand farther off than any of them.
        float start = said.Outward ?? Room * tallest + least;
        var found = HighPoints.Depths(shell, RayStarts.AtReach(shell, start), high.Rays, most, threads, cancel);
        float outward = said.Outward ?? MathF.Max(least, Eased(Farthest(found, tallest, -1), 0));
        float inward = said.Inward ?? MathF.Max(least, Eased(Farthest(found, deepest, 1), outward));
        return new ReachSettings(outward, inward);

        float Farthest(IReadOnlyList<ShellPlace> depths, float known, int side)
        {
            foreach (var place in depths.Where(d => d.Triangle >= 0 && side * d.Height > known).OrderByDescending(d => side * d.Height))
            {
                cancel.ThrowIfCancellationRequested();
                // Through a hole, or from beyond, a ray meets what belongs to another place.
                if (side * place.Height <= ShellMap.FarthestOver(high.Tree.Nearest(shell.At(place), side * place.Height).Distance))
                    return side * place.Height;
            }
            return known;
        }
    }

    /// <summary>Measures how far rays that start on a cage go on below the low surface, metres.</summary>
    /// <param name="shell">Low side with its directions.</param>
    /// <param name="starts">Where its rays start.</param>
    /// <param name="high">High side, for rays.</param>
    /// <param name="places">Where its points lie over the low side.</param>
    /// <param name="size">Box of both sides, metres.</param>
    /// <param name="threads">Threads to use; the result does not depend on them.</param>
    /// <param name="cancel">Ends the work early.</param>
    public static float BelowCage(ShellBase shell, RayStarts starts, Bvh high, ShellPlace[] places, Bounds size, int threads, CancellationToken cancel)
    {
        float most = Most(size);
        var depths = HighPoints.Depths(shell, starts, high, most, threads, cancel).Where(p => p.Triangle >= 0).Select(p => p.Height);
        return MathF.Max(Least(size), Eased(depths.Concat(places.Where(p => p.Triangle >= 0 && -p.Height <= most).Select(p => -shell.Metres(p)))
            .Append(0).Max(), 0));
    }
}
