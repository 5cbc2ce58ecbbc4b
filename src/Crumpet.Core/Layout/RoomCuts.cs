using Crumpet.Core.Geometry;

namespace Crumpet.Core.Layout;

/// <summary>Cuts large islands where the sheet fills so much better that all are sharper for it.</summary>
internal static class RoomCuts
{
    /// <summary>Small islands fill the gaps of large ones by themselves where there are more of them than this.</summary>
    private const int ManyIslands = 48;
    private const int MostSteps = 12, MostStepsOfDraft = 6;
    private const int Rounds = 12;

    /// <summary>Steps that gain nothing, one after the other, before no more are tried.</summary>
    private const int Patience = 4;

    /// <summary>What each cut must gain, and all of them, as shares of the sheet that is covered.</summary>
    private const double GainACut = 0.003, LeastGain = 0.03;

    /// <summary>An island that wastes less of its box than this share of all islands is not worth cutting.</summary>
    private const double LeastWaste = 0.02;

    /// <summary>An island that is longer than this, as a share of the side of a square of the same surface as all, may be in all others' way.</summary>
    private const double Long = 0.8;

    /// <summary>How far to either side of the middle the cheapest seam may run, as a share of the island's length.</summary>
    private const double Band = 0.12;

    /// <summary>Places where cuts are tried, from where half of the island lies on either side, as shares of its length.</summary>
    private static readonly double[] Offsets = [0, -0.15, 0.15];

    /// <summary>How much larger the boxes of parts may be, as a share, that are short instead of narrow.</summary>
    private const double Along = 0.1;

    /// <summary>Cuts islands of each sheet.</summary>
    /// <param name="input">What is laid out.</param>
    /// <param name="islands">Islands with the sheets they lie on; those that are cut are replaced by their parts.</param>
    /// <param name="request">How they are packed on one sheet.</param>
    /// <param name="report">Told how many cuts were tried, 0 to 1.</param>
    /// <param name="cancel">Ends the work early.</param>
    /// <returns>How many cuts were made.</returns>
    public static int Make(LayoutInput input, List<UvIsland> islands, PackRequest request, Action<double> report, CancellationToken cancel)
    {
        int cuts = 0;
        foreach (int sheet in islands.Select(i => i.Sheet).Distinct().Order().ToArray())
        {
            var here = islands.Where(i => i.Sheet == sheet).ToList();
            if (here.Count > ManyIslands || here.Exists(i => i.IsLocked))
                continue;
            var (best, made) = Best(input, here, request, report, cancel);
            cuts += made;
            if (made > 0)
            {
                islands.RemoveAll(i => i.Sheet == sheet);
                islands.AddRange(best);
            }
        }
        if (cuts > 0)
            islands.Sort((a, b) => (a.Object, a.Flat.Chart.Triangles[0]).CompareTo((b.Object, b.Flat.Chart.Triangles[0])));
        return cuts;
    }

    private static (List<UvIsland> Islands, int Cuts) Best(
        LayoutInput input, List<UvIsland> here, PackRequest request, Action<double> report, CancellationToken cancel)
    {
        var best = here;
        double whole = PackedIslands.Covered(here, request, Rounds, input.Threads, cancel), most = whole;
        int bestCuts = 0, made = 0, step = 0, bestStep = 0, mostSteps = request.Draft > 0 ? MostStepsOfDraft : MostSteps;
        var uncut = new HashSet<UvIsland>();
        while (step < mostSteps && step - bestStep < Patience)
        {
            cancel.ThrowIfCancellationRequested();
            var kinds = Kinds(here, uncut);
            if (kinds.Length == 0)
                break;
            var tries = new (List<UvIsland> Islands, double Covered)?[kinds.Length];
            Parallel.For(0, kinds.Length, new ParallelOptions { MaxDegreeOfParallelism = input.Threads, CancellationToken = cancel }, k =>
            {
                var halves = kinds[k].Select(i => Halves(i, cancel)).ToArray();
                if (halves.Contains(null))
                    return;
                List<UvIsland> cut = [.. here.Except(kinds[k]), .. halves.SelectMany(h => h!)];
                tries[k] = (cut, PackedIslands.Covered(cut, request, Rounds, Math.Max(1, input.Threads / kinds.Length), cancel));
            });
            foreach (int k in Enumerable.Range(0, kinds.Length).Where(k => tries[k] is null))
                uncut.UnionWith(kinds[k]);
            int[] cuttable = [.. Enumerable.Range(0, kinds.Length).Where(k => tries[k] is not null)];
            if (cuttable.Length == 0)
                continue;
            int chosen = cuttable.MaxBy(k => tries[k]!.Value.Covered - GainACut * kinds[k].Length);
            (here, double covered) = tries[chosen]!.Value;
            made += kinds[chosen].Length;
            step++;
            report(step / (double)mostSteps);
            if (covered - GainACut * made > most - GainACut * bestCuts)
                (best, most, bestCuts, bestStep) = (here, covered, made, step);
        }
        return most - whole >= LeastGain ? ([.. best.Select(i => Settled(i, input.Settings.Unwrap, cancel))], bestCuts) : ([], 0);
    }

    /// <summary>Which islands are worth cutting next, equal ones together: those that waste most of their boxes, and the longest.</summary>
    private static UvIsland[][] Kinds(List<UvIsland> here, HashSet<UvIsland> uncut)
    {
        var matches = IslandMatch.Find([.. here.Select(i => i.Flat.Chart)]);
        double surface = here.Sum(i => i.Flat.Chart.Area);
        (UvIsland[] Kind, double Waste, double Length)[] kinds = [.. Enumerable.Range(0, here.Count).Where(i => !here[i].IsKept && !uncut.Contains(here[i]))
            .GroupBy(i => matches[i].Like).Select(like =>
            {
                var boxes = like.Select(i => IslandTurns.LeastBox(here[i].Flat.Shape())).ToArray();
                return ((UvIsland[])[.. like.Select(i => here[i])], boxes.Sum(b => b.Area) - like.Sum(i => here[i].Flat.Chart.Area), boxes.Max(b => b.Length));
            })];
        var wasteful = kinds.Where(k => k.Waste > LeastWaste * surface).OrderByDescending(k => k.Waste).Take(1);
        var longest = kinds.Where(k => k.Length > Long * Math.Sqrt(surface)).OrderByDescending(k => k.Length).Take(1);
        return [.. wasteful.Concat(longest).Select(k => k.Kind).DistinctBy(k => k[0])];
    }

    private static UvIsland Settled(UvIsland island, UnwrapSettings settings, CancellationToken cancel) => island.IsKept ? island : Part(island,
        FinalForm.Of(island.Flat, settings, cancel));

    private static UvIsland Part(UvIsland island, FlatChart flat) =>
        new() { Object = island.Object, Part = island.Part, Flat = flat, IsKept = false, Sheet = island.Sheet };

    /// <summary>An island parted in two: in the middle of its length, unless the boxes of both waste clearly less elsewhere; null where it cannot be.</summary>
    private static List<UvIsland>? Halves(UvIsland island, CancellationToken cancel)
    {
        var ways = new[] { 0, Math.PI / 2 }
            .SelectMany(way => Offsets.Select(offset => (Way: way, Offset: offset, Parts: Parted(island, way, offset, cancel))))
            .Where(w => w.Parts is not null).ToArray();
        double Waste(List<UvIsland> parts) => parts.Sum(i => IslandTurns.LeastBox(i.Flat.Shape()).Area);
        return ways.Length == 0 ? null
            : ways.MinBy(w => (w.Parts!.Count > 2, (1 + Along * (w.Way == 0 ? 0 : 1) + Math.Abs(w.Offset) / 4) * Waste(w.Parts))).Parts;
    }

    /// <summary>An island parted along a seam near its middle.</summary>
    /// <param name="island">Island.</param>
    /// <param name="way">How the parts lie to each other, against the length of its least box, radians.</param>
    /// <param name="offset">How far from where half of it lies on either side, as a share of its length.</param>
    /// <param name="cancel">Ends the work early.</param>
    private static List<UvIsland>? Parted(UvIsland island, double way, double offset, CancellationToken cancel)
    {
        var (flat, chart) = (island.Flat, island.Flat.Chart);
        if (chart.TriangleCount < 4)
            return null;
        var (turn, area, longest) = IslandTurns.LeastBox(flat.Shape());
        double length = way == 0 ? longest : area / longest;
        var (sin, cos) = Math.SinCos(-turn - way);
        var along = new double[chart.TriangleCount];
        for (int t = 0; t < along.Length; t++)
        {
            for (int c = 3 * t; c < 3 * t + 3; c++)
                along[t] += (cos * flat.Uv[2 * chart.Corners[c]] + sin * flat.Uv[2 * chart.Corners[c] + 1]) / 3;
        }
        double middle = Middle(chart, along) + offset * length;
        int[] label = [.. along.Select(a => a < middle ? 0 : 1)];
        bool[] isOpen = [.. along.Select(a => Math.Abs(a - middle) < Band * length)];
        if (StraightAcross(chart, along, middle, Band * length) is { } straight)
            label = straight;
        else if (label.Where((_, t) => !isOpen[t]).Distinct().Count() == 2)
            CheapestSeam.Find(chart, chart.Lengths(), label, isOpen, cancel);
        if (label.Min() == label.Max())
            return null;
        return [.. ChartSplit.Parts(chart, label).Select(part => Part(island, AsItLay(part, flat)))];
    }

    /// <summary>The sides of a straight seam near the middle; null where there is none.</summary>
    private static int[]? StraightAcross(ChartMesh chart, double[] along, double middle, double band)
    {
        var isCut = new bool[chart.Across.Length];
        foreach (int c in StraightSeam.Across(chart, [.. along.Select(a => (a - middle) / band)]))
            isCut[c] = isCut[chart.Across[c]] = true;
        var pieces = chart.Cut(isCut).Pieces(new int[chart.TriangleCount]);
        if (pieces.Count != 2)
            return null;
        var label = new int[chart.TriangleCount];
        foreach (int t in pieces[1])
            label[t] = 1;
        return label;
    }

    /// <summary>A part of a flat chart where it lay in it.</summary>
    private static FlatChart AsItLay(ChartMesh part, FlatChart of)
    {
        var uv = new double[2 * part.VertexCount];
        for (int t = 0; t < part.TriangleCount; t++)
        {
            int from = Array.BinarySearch(of.Chart.Triangles, part.Triangles[t]);
            for (int k = 0; k < 3; k++)
            {
                int v = of.Chart.Corners[3 * from + k], to = part.Corners[3 * t + k];
                (uv[2 * to], uv[2 * to + 1]) = (of.Uv[2 * v], of.Uv[2 * v + 1]);
            }
        }
        return new FlatChart(part, uv, StretchMeasure.OfChart(part, uv));
    }

    /// <summary>Where half of the surface lies on either side.</summary>
    private static double Middle(ChartMesh chart, double[] along)
    {
        int[] order = [.. Enumerable.Range(0, along.Length).OrderBy(t => along[t]).ThenBy(t => t)];
        double seen = 0;
        foreach (int t in order)
        {
            seen += chart.Rest[t].Area;
            if (seen >= chart.Area / 2)
                return along[t];
        }
        return along[order[^1]];
    }
}
