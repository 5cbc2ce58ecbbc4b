using System.Numerics;

namespace Crumpet.Core.Layout;

/// <summary>Parts a chart in two that each look more one way, along edges where a seam is cheap.</summary>
/// <remarks>
/// Regions grow from two seeds over the dual graph and the seeds move to where their region looks most like itself; the seam
/// between them is the cheapest in a band. Sources: D. Cohen-Steiner, P. Alliez, M. Desbrun, "Variational Shape
/// Approximation", 2004, for two proxies; S. Katz, A. Tal, "Hierarchical Mesh Decomposition using Fuzzy Clustering and Cuts", 2003.
/// </remarks>
internal static class ChartSplit
{
    private const int Rounds = 5;
    private const float Undecided = 0.3f;

    /// <summary>The parts, two or more, each connected, by their first triangle.</summary>
    /// <param name="chart">Connected chart of at least two triangles.</param>
    /// <param name="cost">What a seam costs on each half-edge of the chart.</param>
    /// <param name="cancel">Ends the work early.</param>
    public static List<ChartMesh> InTwo(ChartMesh chart, float[] cost, CancellationToken cancel)
    {
        var centres = new Vector3[chart.TriangleCount];
        var normals = new Vector3[chart.TriangleCount];
        for (int t = 0; t < chart.TriangleCount; t++)
        {
            centres[t] = chart.Centre(t);
            normals[t] = chart.Normal(t);
        }
        var reached = new float[chart.TriangleCount];
        var label = new int[chart.TriangleCount];
        int one = Farthest(chart, centres, 0), two = Farthest(chart, centres, one);
        Vector3[] looks = [normals[one], normals[two]];
        for (int round = 0; round < Rounds; round++)
        {
            cancel.ThrowIfCancellationRequested();
            Grow(chart, centres, normals, looks, [one, two], label, reached);
            var (nextOne, lookOne) = Seed(chart, centres, normals, label, 0);
            var (nextTwo, lookTwo) = Seed(chart, centres, normals, label, 1);
            looks = [lookOne, lookTwo];
            if ((nextOne, nextTwo) == (one, two))
                break;
            (one, two) = (nextOne, nextTwo);
        }
        var other = new float[chart.TriangleCount];
        Grow(chart, centres, normals, looks[..1], [one], label, reached);
        Grow(chart, centres, normals, looks[1..], [two], label, other);
        for (int t = 0; t < label.Length; t++)
            label[t] = t == one || (t != two && reached[t] <= other[t]) ? 0 : 1;
        // Where neither seed is much nearer, the cheapest seam decides.
        var isOpen = new bool[chart.TriangleCount];
        for (int t = 0; t < isOpen.Length; t++)
            isOpen[t] = MathF.Abs(reached[t] - other[t]) < Undecided * (reached[t] + other[t]) && t != one && t != two;
        CheapestSeam.Find(chart, cost, label, isOpen, cancel);
        NoCrumbs(chart, label);
        Straighten(chart, cost, label, cancel);
        return Parts(chart, label);
    }

    /// <summary>Lays the seams between two sides along straight ways.</summary>
    private static void Straighten(ChartMesh chart, float[] cost, int[] label, CancellationToken cancel)
    {
        bool IsSeam(int c) => chart.Across[c] >= 0 && label[c / 3] != label[chart.Across[c] / 3];
        int[] all = [.. Enumerable.Range(0, chart.TriangleCount)];
        foreach (int[] run in SeamRuns.Of(chart, [.. Enumerable.Range(0, chart.Across.Length).Where(c => IsSeam(c) && label[c / 3] == 0)], cost))
        {
            cancel.ThrowIfCancellationRequested();
            var own = new HashSet<int>(run.Concat(run.Select(c => chart.Across[c])));
            var open = chart.Part(all, c => IsSeam(c) && !own.Contains(c));
            var way = StraightSeam.Find(open, cost, run, false);
            var cuts = new HashSet<int>(way.Concat(way.Select(c => open.Across[c])));
            var pieces = way.Count == 0 ? [] : open.Part(all, cuts.Contains).Pieces(new int[all.Length]);
            if (pieces.Count != 2)
                continue;
            // The first piece is the side that most of it was on.
            int first = pieces[0].Sum(t => label[t] == 0 ? chart.Rest[t].Area : -chart.Rest[t].Area) > 0 ? 0 : 1;
            for (int i = 0; i < 2; i++)
            {
                foreach (int t in pieces[i])
                    label[t] = i == 0 ? first : 1 - first;
            }
        }
    }

    /// <summary>Parts of a chart by a label of each triangle, without crumbs: a label's smaller pieces go to the neighbour.</summary>
    public static List<ChartMesh> Parts(ChartMesh chart, int[] label)
    {
        NoCrumbs(chart, label);
        return [.. chart.Pieces(label).Select(p => chart.Part(p))];
    }

    private static void NoCrumbs(ChartMesh chart, int[] label)
    {
        var pieces = chart.Pieces(label);
        foreach (var same in pieces.GroupBy(p => label[p[0]]).ToArray())
        {
            foreach (var crumb in same.OrderByDescending(p => p.Sum(t => chart.Rest[t].Area)).ThenBy(p => p[0]).Skip(1))
            {
                foreach (int t in crumb)
                    label[t] = 1 - label[t];
            }
        }
    }

    private static int Farthest(ChartMesh chart, Vector3[] centres, int from)
    {
        var reached = new float[chart.TriangleCount];
        Grow(chart, centres, null, [], [from], new int[chart.TriangleCount], reached);
        int best = from;
        for (int t = 0; t < reached.Length; t++)
        {
            if (reached[t] > reached[best])
                best = t;
        }
        // Seeds must differ even where all triangles lie in one point.
        return best != from ? best : from == 0 ? chart.TriangleCount - 1 : 0;
    }

    private static void Grow(ChartMesh chart, Vector3[] centres, Vector3[]? normals, Vector3[] looks, int[] seeds, int[] label, float[] reached)
    {
        Array.Fill(reached, float.PositiveInfinity);
        var queue = new PriorityQueue<int, (float Paid, int Triangle)>();
        for (int i = 0; i < seeds.Length; i++)
        {
            reached[seeds[i]] = 0;
            label[seeds[i]] = i;
            queue.Enqueue(seeds[i], (0, seeds[i]));
        }
        while (queue.TryDequeue(out int t, out var at))
        {
            if (at.Paid > reached[t])
                continue;
            for (int c = 3 * t; c < 3 * t + 3; c++)
            {
                if (chart.Across[c] < 0)
                    continue;
                int other = chart.Across[c] / 3;
                float way = Vector3.Distance(centres[t], centres[other]) + 1e-9f;
                if (normals is not null)
                    way *= 1 + 4 * (1 - Vector3.Dot(normals[other], looks[label[t]]));
                float next = at.Paid + way;
                if (!(next < reached[other]))
                    continue;
                reached[other] = next;
                label[other] = label[t];
                queue.Enqueue(other, (next, other));
            }
        }
    }

    /// <summary>The triangle nearest a region's middle that looks as the region does, and how that is.</summary>
    private static (int Seed, Vector3 Look) Seed(ChartMesh chart, Vector3[] centres, Vector3[] normals, int[] label, int of)
    {
        Vector3 middle = Vector3.Zero, look = Vector3.Zero;
        float area = 0;
        for (int t = 0; t < label.Length; t++)
        {
            if (label[t] != of)
                continue;
            float share = (float)chart.Rest[t].Area;
            middle += share * centres[t];
            look += share * normals[t];
            area += share;
        }
        middle /= area;
        look = look.Length() > 1e-12f ? Vector3.Normalize(look) : look;
        int best = -1;
        float least = float.PositiveInfinity;
        for (int t = 0; t < label.Length; t++)
        {
            float far = label[t] == of ? Vector3.DistanceSquared(centres[t], middle) * (2 - Vector3.Dot(normals[t], look)) : float.PositiveInfinity;
            if (far < least)
                (best, least) = (t, far);
        }
        return (best, look);
    }
}
