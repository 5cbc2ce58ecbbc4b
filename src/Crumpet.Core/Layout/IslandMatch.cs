using System.Numerics;
using Crumpet.Core.Geometry;

namespace Crumpet.Core.Layout;

/// <summary>
/// Finds charts that are the same piece of surface somewhere else, or its mirror image: triangle for triangle with the same
/// edges, bent the same way.
/// </summary>
internal static class IslandMatch
{
    /// <summary>Lengths that differ by less than this share of the chart's size are equal.</summary>
    private const double Tolerance = 2e-5;

    /// <summary>Which chart each one equals, and how.</summary>
    /// <param name="Like">The first chart of the same kind; its own number for the first.</param>
    /// <param name="Corners">For each corner of this chart the corner of the first; null for the first itself.</param>
    /// <param name="IsMirrored">Whether it is the mirror image.</param>
    public sealed record Match(int Like, int[]? Corners, bool IsMirrored);

    /// <summary>Sorts charts into kinds.</summary>
    public static Match[] Find(IReadOnlyList<ChartMesh> charts)
    {
        var matches = new Match[charts.Count];
        var kinds = new Dictionary<(int, int, int), List<(int Chart, float[] Folds)>>();
        for (int i = 0; i < charts.Count; i++)
        {
            float[]? folds = null;
            // Areas that fall on either side of a rounding step are looked for on both.
            double area = Math.Log(charts[i].Area) * 1000;
            int step = (int)Math.Floor(area), border = charts[i].Across.Count(a => a < 0);
            foreach (int near in (int[])[step, step - 1, step + 1])
            {
                if (matches[i] is not null || !kinds.TryGetValue((charts[i].TriangleCount, border, near), out var known))
                    continue;
                folds ??= Folds(charts[i]);
                foreach (var (other, otherFolds) in known)
                {
                    if (Pair(charts[other], otherFolds, charts[i], folds) is not { } pair)
                        continue;
                    matches[i] = new Match(other, pair.Corners, pair.IsMirrored);
                    break;
                }
            }
            if (matches[i] is not null)
                continue;
            matches[i] = new Match(i, null, false);
            var key = (charts[i].TriangleCount, border, step);
            if (!kinds.TryGetValue(key, out var list))
                kinds.Add(key, list = []);
            list.Add((i, folds ?? Folds(charts[i])));
        }
        return matches;
    }

    private static (int[] Corners, bool IsMirrored)? Pair(ChartMesh one, float[] oneFolds, ChartMesh two, float[] twoFolds)
    {
        float slack = (float)(Tolerance * Math.Sqrt(one.Area));
        var corners = new int[two.Corners.Length];
        var queue = new List<(int One, int Two)>();
        foreach (bool mirrored in (bool[])[false, true])
        {
            // Charts that came from copies have their triangles in the same order, so the first start usually does.
            for (int start = 0; start < two.Corners.Length; start++)
            {
                if (Walk(one, oneFolds, two, twoFolds, start, mirrored, slack, corners, queue))
                    return (corners, mirrored);
            }
        }
        return null;
    }

    /// <summary>Walks over both charts together from one half-edge of each.</summary>
    private static bool Walk(ChartMesh one, float[] oneFolds, ChartMesh two, float[] twoFolds, int start, bool mirrored, float slack, int[] corners,
        List<(int One, int Two)> queue)
    {
        if (!SameTriangle(one, 0, two, start, mirrored, slack))
            return false;
        Array.Fill(corners, -1);
        queue.Clear();
        queue.Add((0, start));
        Pair(0, start);
        for (int i = 0; i < queue.Count; i++)
        {
            int a = queue[i].One, b = queue[i].Two;
            for (int k = 0; k < 3; k++, a = Topology.Next(a), b = mirrored ? Before(b) : Topology.Next(b))
            {
                int acrossOne = one.Across[a], acrossTwo = two.Across[b];
                if (acrossOne < 0 != acrossTwo < 0)
                    return false;
                if (acrossOne < 0)
                    continue;
                if (MathF.Abs(oneFolds[a] - twoFolds[b]) > 5 * slack || !SameTriangle(one, acrossOne, two, acrossTwo, mirrored, slack))
                    return false;
                // A triangle met before must be the same pair again.
                int known = corners[acrossTwo];
                if (known >= 0)
                {
                    if (known != CornerOf(acrossOne))
                        return false;
                    continue;
                }
                Pair(acrossOne, acrossTwo);
                queue.Add((acrossOne, acrossTwo));
            }
        }
        return queue.Count == one.TriangleCount;

        // Half-edges match; in a mirror image the corner at which one begins is where the other ends.
        int CornerOf(int half) => mirrored ? Topology.Next(half) : half;

        void Pair(int a, int b)
        {
            for (int k = 0; k < 3; k++, a = Topology.Next(a), b = mirrored ? Before(b) : Topology.Next(b))
                corners[b] = CornerOf(a);
        }
    }

    private static bool SameTriangle(ChartMesh one, int a, ChartMesh two, int b, bool mirrored, float slack)
    {
        for (int k = 0; k < 3; k++, a = Topology.Next(a), b = mirrored ? Before(b) : Topology.Next(b))
        {
            if (MathF.Abs(one.Length(a) - two.Length(b)) > slack)
                return false;
        }
        return true;
    }

    private static int Before(int corner) => Topology.Next(Topology.Next(corner));

    /// <summary>For each half-edge how far the apex across stands off the triangle's plane, metres; 0 on the border.</summary>
    private static float[] Folds(ChartMesh chart)
    {
        var folds = new float[chart.Across.Length];
        for (int c = 0; c < folds.Length; c++)
        {
            if (chart.Across[c] < 0)
                continue;
            var apex = chart.Positions[chart.Corners[Before(chart.Across[c])]] - chart.Positions[chart.Corners[c]];
            folds[c] = Vector3.Dot(apex, chart.Normal(c / 3));
        }
        return folds;
    }
}
