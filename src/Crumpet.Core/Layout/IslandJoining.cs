using System.Numerics;
using Crumpet.Core.Geometry;

namespace Crumpet.Core.Layout;

/// <summary>
/// Sews flat charts together again where they stay within the stretch limit and cover no point twice: charts that were parted too
/// far become one island, and what remains of a seam is as short and as little seen as it can be.
/// </summary>
internal sealed class IslandJoining
{
    /// <summary>Pairs that are tried at once; a fixed number, so that the result does not depend on threads.</summary>
    private const int AtOnce = 4;

    /// <summary>Where islands share less than this of the smaller one's border, joining them makes a shape that packs badly.</summary>
    private const double LeastShared = 0.1;

    /// <summary>Work that is tried at most: triangles that are flattened for one triangle of the surface, and a sum that small ones may spend.</summary>
    private const long TriesATriangle = 2, FreeTries = 250_000;

    /// <summary>Corners of boxes are not sewn shut, however little of an island that stretches, radians.</summary>
    private const double SharpestInside = 0.8;

    /// <summary>A chart whose stretch stays under this unrolls without any; two of them together may have so much.</summary>
    private const double Unrolled = 1.01, Unfolded = 1.025;

    /// <summary>Ways of sewing that are tried for one pair.</summary>
    private const int MostWays = 8;

    private readonly ChartMesh whole;
    private readonly float[] cost;
    private readonly UnwrapSettings settings;
    private readonly double longestMetres;
    private readonly Func<ChartMesh, float[]> costsOf;
    private readonly int[] localOf;
    private readonly bool[] isCut;
    private readonly int[] islandOf;
    private readonly List<Island?> islands = [];
    private readonly PriorityQueue<(int One, int Two), (double Rank, int One, int Two)> queue = new();
    private readonly HashSet<(int, int)> queued = [];
    private long work;

    /// <summary>An island with its triangles in the whole.</summary>
    private sealed record Island(FlatChart Flat, int[] Triangles, double Border);

    /// <summary>What came of trying a pair: the island of both, or null; and what was spent.</summary>
    private sealed record Trial(int One, int Two, FlatChart? Flat, long Work);

    /// <summary>Prepares.</summary>
    /// <param name="whole">Surface as it is where nothing but what must be is cut.</param>
    /// <param name="flats">Its charts.</param>
    /// <param name="localOf">For each triangle of the object its number in the whole.</param>
    /// <param name="costsOf">What a seam costs on each half-edge of a part of it.</param>
    /// <param name="settings">How.</param>
    /// <param name="longestMetres">No island may be longer.</param>
    public IslandJoining(
        ChartMesh whole, IReadOnlyList<FlatChart> flats, int[] localOf, Func<ChartMesh, float[]> costsOf, UnwrapSettings settings, double longestMetres)
    {
        (this.whole, this.localOf, this.costsOf, this.settings, this.longestMetres) = (whole, localOf, costsOf, settings, longestMetres);
        cost = costsOf(whole);
        isCut = new bool[whole.Across.Length];
        islandOf = new int[whole.TriangleCount];
        foreach (var flat in flats)
            Add(flat);
    }

    /// <summary>The islands, by their first triangle.</summary>
    /// <param name="threads">Threads to use.</param>
    /// <param name="cancel">Ends the work early.</param>
    public List<FlatChart> Run(int threads, CancellationToken cancel)
    {
        for (int i = 0; i < islands.Count; i++)
            QueueAround(i);
        long most = FreeTries + TriesATriangle * whole.TriangleCount;
        var batch = new List<(int One, int Two)>();
        var options = new ParallelOptions { MaxDegreeOfParallelism = threads, CancellationToken = cancel };
        while (work < most && Take(batch))
        {
            var trials = new Trial[batch.Count];
            Parallel.For(0, trials.Length, options, i => trials[i] = Try(batch[i].One, batch[i].Two, cancel));
            foreach (var trial in trials)
            {
                work += trial.Work;
                if (trial.Flat is not null)
                    Accept(trial);
            }
        }
        return [.. islands.OfType<Island>().OrderBy(i => i.Triangles[0]).Select(i => i.Flat)];
    }

    /// <summary>The next pairs to try, none with an island of another; false where there is none.</summary>
    private bool Take(List<(int One, int Two)> batch)
    {
        batch.Clear();
        var later = new List<((int One, int Two) Pair, (double, int, int) Rank)>();
        while (batch.Count < AtOnce && later.Count < 4 * AtOnce && queue.TryDequeue(out var pair, out var rank))
        {
            if (islands[pair.One] is null || islands[pair.Two] is null)
                continue;
            if (batch.Exists(b => b.One == pair.One || b.One == pair.Two || b.Two == pair.One || b.Two == pair.Two))
                later.Add((pair, rank));
            else
                batch.Add(pair);
        }
        foreach (var (pair, rank) in later)
            queue.Enqueue(pair, rank);
        return batch.Count > 0;
    }

    private int Add(FlatChart flat)
    {
        var chart = flat.Chart;
        int[] triangles = Array.ConvertAll(chart.Triangles, t => localOf[t]);
        double border = 0;
        for (int c = 0; c < chart.Across.Length; c++)
        {
            int own = 3 * triangles[c / 3] + c % 3;
            isCut[own] = chart.Across[c] < 0;
            if (isCut[own])
                border += cost[own];
        }
        foreach (int t in triangles)
            islandOf[t] = islands.Count;
        islands.Add(new Island(flat, triangles, border));
        return islands.Count - 1;
    }

    private void Accept(Trial trial)
    {
        islands[trial.One] = null;
        islands[trial.Two] = null;
        QueueAround(Add(trial.Flat!));
    }

    /// <summary>Queues an island with each that shares a seam with it.</summary>
    private void QueueAround(int number)
    {
        var island = islands[number]!;
        var shared = new SortedDictionary<int, double>();
        foreach (int t in island.Triangles)
        {
            for (int c = 3 * t; c < 3 * t + 3; c++)
            {
                if (isCut[c] && whole.Across[c] >= 0 && islandOf[whole.Across[c] / 3] is var other)
                    shared[other] = shared.GetValueOrDefault(other) + cost[c] / (other == number ? 2 : 1);
            }
        }
        foreach (var (other, sum) in shared)
        {
            var pair = (Math.Min(number, other), Math.Max(number, other));
            // What shares most of a border first, and of two such the smaller, which costs least to try.
            double rank = -sum / Math.Min(island.Border, islands[other]!.Border);
            if (queued.Add(pair))
                queue.Enqueue(pair, (rank, pair.Item1, pair.Item2));
        }
    }

    /// <summary>Tries ways of sewing two islands together, or one with itself, from the most that can be gained to the least.</summary>
    private Trial Try(int one, int two, CancellationToken cancel)
    {
        Island a = islands[one]!, b = islands[two]!;
        int[] triangles = one == two ? a.Triangles : Merged(a.Triangles, b.Triangles);
        double before = a.Border + (one == two ? 0 : b.Border), least = LeastShared * Math.Min(a.Border, b.Border);
        long spent = 0;
        // What unrolls by itself, as sides, caps and boxes do, is only unfolded: hardly any stretch is let in.
        double limit = Math.Max(a.Flat.Stretch.Most, b.Flat.Stretch.Most) < Unrolled ? Math.Min(Unfolded, settings.StretchLimit) : settings.StretchLimit;
        foreach (int[] sewn in Ways(one, two).Take(MostWays))
        {
            double gain = sewn.Sum(c => (double)cost[c]);
            if (one != two && gain < least)
                continue;
            var cuts = new HashSet<int>(sewn.Concat(sewn.Select(c => whole.Across[c])));
            var chart = whole.Part(triangles, c => isCut[c] && !cuts.Contains(c));
            if (Flattening.Sharpest(chart) > SharpestInside)
                continue;
            spent += triangles.Length;
            if (Flattening.Within(chart, limit, costsOf, cancel) is not { } flat || !IsShort(flat))
                continue;
            if (BorderOf(flat.Chart) < before - 0.5 * gain)
                return new Trial(one, two, flat, spent);
        }
        return new Trial(one, two, null, spent);
    }

    private bool IsShort(FlatChart flat) => double.IsInfinity(longestMetres) || IslandTurns.LeastBox(flat.Shape()).Length <= longestMetres;

    private double BorderOf(ChartMesh chart)
    {
        double sum = 0;
        for (int c = 0; c < chart.Across.Length; c++)
            sum += chart.Across[c] < 0 ? cost[3 * localOf[chart.Triangles[c / 3]] + c % 3] : 0;
        return sum;
    }

    /// <summary>Sets of half-edges to sew: all that is shared, then runs, then straight stretches of the longest; what gains most first.</summary>
    private IEnumerable<int[]> Ways(int one, int two)
    {
        var edges = new List<int>();
        foreach (int t in islands[one]!.Triangles)
        {
            for (int c = 3 * t; c < 3 * t + 3; c++)
            {
                int other = whole.Across[c];
                if (isCut[c] && other >= 0 && islandOf[other / 3] == two && (one != two || c < other))
                    edges.Add(c);
            }
        }
        var runs = SeamRuns.Of(whole, edges, cost);
        if (one == two)
        {
            foreach (int[] run in runs.SelectMany(r => SeamRuns.FromFreeEnd(whole, r, isCut)))
                yield return run;
            yield break;
        }
        yield return [.. edges];
        if (runs.Count > 1)
            yield return runs[0];
        foreach (int[] stretch in SeamRuns.Stretches(whole, runs[0], cost))
            yield return stretch;
    }

    private static int[] Merged(int[] one, int[] two)
    {
        int[] all = [.. one, .. two];
        Array.Sort(all);
        return all;
    }
}
