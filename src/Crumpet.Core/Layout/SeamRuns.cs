using System.Numerics;
using Crumpet.Core.Geometry;

namespace Crumpet.Core.Layout;

/// <summary>Orders half-edges of a seam into runs.</summary>
internal static class SeamRuns
{
    /// <summary>A seam that turns more than this in one vertex has a corner there.</summary>
    private const float CornerCosine = 0.82f;

    /// <summary>Runs of half-edges that follow each other from vertex to vertex, what costs most first.</summary>
    /// <param name="chart">Chart.</param>
    /// <param name="edges">Half-edges of it, one an edge.</param>
    /// <param name="cost">What each half-edge costs.</param>
    public static List<int[]> Of(ChartMesh chart, List<int> edges, float[] cost)
    {
        var around = new Dictionary<int, List<int>>();
        foreach (int c in edges)
        {
            foreach (int v in Ends(chart, c))
            {
                if (!around.TryGetValue(v, out var list))
                    around.Add(v, list = []);
                list.Add(c);
            }
        }
        var seen = new HashSet<int>();
        var runs = new List<int[]>();
        // From open ends first; what is left then are loops.
        foreach (int start in edges.Where(c => Ends(chart, c).Any(v => around[v].Count != 2)).Concat(edges))
        {
            if (!seen.Add(start))
                continue;
            var run = new List<int> { start };
            int[] ends = Ends(chart, start);
            int at = around[ends[0]].Count != 2 ? ends[1] : ends[0];
            while (around[at].Count == 2 && around[at].Find(c => !seen.Contains(c)) is var next && around[at].Contains(next) && seen.Add(next))
            {
                run.Add(next);
                at = Ends(chart, next).First(v => v != at);
            }
            runs.Add([.. run]);
        }
        return [.. runs.OrderByDescending(r => r.Sum(c => (double)cost[c])).ThenBy(r => r[0])];
    }

    /// <summary>Straight stretches of a run, and halves and quarters of those that bend gently; what costs most first.</summary>
    public static IEnumerable<int[]> Stretches(ChartMesh chart, int[] run, float[] cost)
    {
        var stretches = new List<int[]>();
        int from = 0;
        for (int i = 1; i <= run.Length; i++)
        {
            if (i < run.Length && IsStraight(chart, run[i - 1], run[i]))
                continue;
            stretches.Add(run[from..i]);
            from = i;
        }
        // A loop's first and last stretch are one where it goes on straight.
        if (stretches.Count > 1 && IsStraight(chart, run[^1], run[0]))
        {
            stretches[0] = [.. stretches[^1], .. stretches[0]];
            stretches.RemoveAt(stretches.Count - 1);
        }
        if (stretches.Count > 1)
            return stretches.OrderByDescending(s => s.Sum(c => (double)cost[c])).ThenBy(s => s[0]).Take(2);
        return run.Length < 4 ? [] : [run[(run.Length / 4)..(run.Length - run.Length / 4)], run[..(run.Length / 2)], run[(run.Length / 2)..],
            run[(run.Length * 3 / 8)..(run.Length - run.Length * 3 / 8)]];
    }

    /// <summary>A run from its free end on, where nothing else is cut: all of it, half, and a quarter; none where both ends hang on other cuts.</summary>
    public static IEnumerable<int[]> FromFreeEnd(ChartMesh chart, int[] run, bool[] isCut)
    {
        if (run.Length == 0)
            yield break;
        int first = run.Length == 1 ? Ends(chart, run[0])[0] : Ends(chart, run[0]).FirstOrDefault(v => !Ends(chart, run[1]).Contains(v), -1);
        int last = run.Length == 1 ? Ends(chart, run[0])[1] : Ends(chart, run[^1]).FirstOrDefault(v => !Ends(chart, run[^2]).Contains(v), -1);
        bool firstIsFree = first >= 0 && CutsAt(chart, run[0], first, isCut) == 1, lastIsFree = last >= 0 && CutsAt(chart, run[^1], last, isCut) == 1;
        if (!firstIsFree && !lastIsFree)
            yield break;
        int[] ordered = firstIsFree ? run : [.. run.Reverse()];
        for (int count = ordered.Length; count > 0 && 4 * count >= ordered.Length; count /= 2)
            yield return ordered[..count];
    }

    /// <summary>How many cut edges, or edges of the border, end in a vertex of a half-edge.</summary>
    private static int CutsAt(ChartMesh chart, int corner, int vertex, bool[] isCut)
    {
        int start = chart.Corners[corner] == vertex ? corner : Topology.Next(corner), count = 0;
        // Around the vertex over every half-edge that begins there.
        int c = start;
        do
        {
            if (isCut[c] || chart.Across[c] < 0)
                count++;
            int across = chart.Across[c];
            if (across < 0)
                return int.MaxValue;
            c = Topology.Next(across);
        } while (c != start);
        return count;
    }

    private static bool IsStraight(ChartMesh chart, int one, int two)
    {
        int[] a = Ends(chart, one), b = Ends(chart, two);
        int shared = Array.Find(a, b.Contains), from = a[0] == shared ? a[1] : a[0], to = b[0] == shared ? b[1] : b[0];
        if (!b.Contains(shared))
            return false;
        Vector3 before = chart.Positions[shared] - chart.Positions[from], after = chart.Positions[to] - chart.Positions[shared];
        return Vector3.Dot(before, after) > CornerCosine * before.Length() * after.Length();
    }

    private static int[] Ends(ChartMesh chart, int corner) => [chart.Corners[corner], chart.Corners[Topology.Next(corner)]];
}
