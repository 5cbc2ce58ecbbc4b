using Crumpet.Core.Geometry;

namespace Crumpet.Core.Layout;

/// <summary>Cuts an object into charts and lays them flat.</summary>
internal static class Unwrapper
{
    /// <summary>
    /// For each surface the flat charts of its triangles, in an order that depends on them alone. Pieces that are equal, or mirror images,
    /// are cut alike, on whatever objects they are.
    /// </summary>
    /// <param name="surfaces">What to unwrap.</param>
    /// <param name="sight">How much of them is seen.</param>
    /// <param name="settings">How.</param>
    /// <param name="longestMetres">Charts longer than this are cut across.</param>
    /// <param name="isQuick">Whether more and longer seams than need be are good enough.</param>
    /// <param name="threads">Threads to use.</param>
    /// <param name="done">Told how many triangles were finished, whole or in part.</param>
    /// <param name="cancel">Ends the work early.</param>
    public static IReadOnlyList<FlatChart>[] Unwrap(
        IReadOnlyList<Surface> surfaces, SeamSight sight, UnwrapSettings settings, double longestMetres, bool isQuick, int threads, Action<double> done,
            CancellationToken cancel)
    {
        var options = new ParallelOptions { MaxDegreeOfParallelism = threads, CancellationToken = cancel };
        var flats = new FlatChart[]?[surfaces.Count];
        Parallel.For(0, flats.Length, options, i =>
        {
            flats[i] = AsBefore(surfaces[i], settings, cancel);
            done(flats[i] is null ? 0 : surfaces[i].Triangles.Length);
        });
        var pieces = surfaces.SelectMany((s, i) => flats[i] is null ? PiecesOf(s, s.Seams.IsSeam).Select(chart => (Surface: i, Chart: chart)) : []).ToArray();
        var matches = IslandMatch.Find([.. pieces.Select(p => p.Chart)]);
        int[] copies = new int[pieces.Length];
        foreach (var match in matches)
            copies[match.Like]++;
        // Large pieces first, so that no thread is left with one at the end.
        int[] own = [.. Enumerable.Range(0, pieces.Length).Where(i => matches[i].Like == i)
            .OrderByDescending(i => pieces[i].Chart.TriangleCount).ThenBy(i => i)];
        var plans = new PiecePlan?[surfaces.Count];
        foreach (int i in own.Select(i => pieces[i].Surface).Distinct())
        {
            float[]? seen = settings.HideSeams ? sight.AtPoints(surfaces[i].Topology, threads, cancel) : null;
            plans[i] = new PiecePlan(surfaces[i], SeamRules.Costs(surfaces[i].Topology, settings, seen));
        }
        foreach (int i in own)
            plans[pieces[i].Surface]!.Number(pieces[i].Chart);
        var charts = new IReadOnlyList<FlatChart>[pieces.Length];
        Parallel.For(0, own.Length, options, k =>
        {
            int i = own[k];
            charts[i] = new PieceCutting(pieces[i].Chart, plans[pieces[i].Surface]!, settings, longestMetres, isQuick)
                .Run(threads, share => done(copies[i] * share * pieces[i].Chart.TriangleCount), cancel);
        });
        for (int i = 0; i < pieces.Length; i++)
            charts[i] ??= CopyOf(pieces[matches[i].Like].Chart, charts[matches[i].Like], pieces[i].Chart, matches[i]);
        var cut = charts.SelectMany((c, i) => c.Select(flat => (pieces[i].Surface, Flat: flat))).ToArray();
        Parallel.For(0, cut.Length, options, i => cut[i].Flat = FinalForm.Of(cut[i].Flat, settings, cancel));
        var of = cut.ToLookup(c => c.Surface, c => c.Flat);
        return [.. surfaces.Select((_, i) => flats[i] ?? [.. of[i].OrderBy(f => f.Chart.Triangles[0])])];
    }

    /// <summary>The charts of a surface cut where it was cut before; null where that is not known, or no longer does.</summary>
    private static FlatChart[]? AsBefore(Surface surface, UnwrapSettings settings, CancellationToken cancel)
    {
        if (surface.Known is not { } cuts)
            return null;
        var flats = new List<FlatChart>();
        foreach (var chart in PiecesOf(surface, cuts))
        {
            if (FinalForm.Of(chart, settings, cancel) is not { } flat || (flat.Stretch.Most > settings.StretchLimit && chart.TriangleCount > 2))
                return null;
            flats.Add(flat);
        }
        return [.. flats];
    }

    private static IEnumerable<ChartMesh> PiecesOf(Surface surface, bool[] isSeam)
    {
        var localOf = new int[surface.Topology.Mesh.TriangleCount];
        Array.Fill(localOf, -1);
        var whole = ChartMesh.Of(surface.Topology, surface.Triangles, isSeam, localOf);
        return whole.Pieces(new int[surface.Triangles.Length]).Select(p => whole.Part(p));
    }

    /// <summary>The charts of a piece on another that is its like.</summary>
    private static FlatChart[] CopyOf(ChartMesh piece, IReadOnlyList<FlatChart> flats, ChartMesh copy, IslandMatch.Match match)
    {
        int[] corners = match.Corners!;
        var local = piece.Triangles.Select((t, i) => (t, i)).ToDictionary(p => p.t, p => p.i);
        var chartOf = new int[piece.TriangleCount];
        var within = new int[piece.TriangleCount];
        for (int f = 0; f < flats.Count; f++)
        {
            for (int t = 0; t < flats[f].Chart.TriangleCount; t++)
                (chartOf[local[flats[f].Chart.Triangles[t]]], within[local[flats[f].Chart.Triangles[t]]]) = (f, t);
        }
        int Chart(int triangle) => chartOf[corners[3 * triangle] / 3];
        // The corner of the first's chart at which the half-edge begins that matches one of the copy.
        int Half(int c) => (match.IsMirrored ? corners[Topology.Next(c)] : corners[c]) is var at ? 3 * within[at / 3] + at % 3 : -1;
        return [.. Enumerable.Range(0, copy.TriangleCount).GroupBy(Chart).OrderBy(g => g.First()).Select(triangles =>
        {
            var source = flats[triangles.Key];
            int[] all = [.. triangles];
            var chart = copy.Part(all, c => source.Chart.Across[Half(c)] < 0);
            var uv = new double[2 * chart.VertexCount];
            for (int c = 0; c < chart.Corners.Length; c++)
            {
                int at = corners[3 * all[c / 3] + c % 3], v = source.Chart.Corners[3 * within[at / 3] + at % 3], to = chart.Corners[c];
                (uv[2 * to], uv[2 * to + 1]) = (match.IsMirrored ? -source.Uv[2 * v] : source.Uv[2 * v], source.Uv[2 * v + 1]);
            }
            // It is laid flat by itself in the end, so that it lies the same where it is cut there again.
            return source with { Chart = chart, Uv = uv, IsSettled = false };
        })];
    }
}

/// <summary>Triangles of an object that are unwrapped.</summary>
/// <param name="Topology">Object.</param>
/// <param name="Triangles">Its triangles that are, ascending.</param>
/// <param name="Seams">Where charts end.</param>
internal sealed record Surface(Topology Topology, int[] Triangles, SeamPlan Seams)
{
    /// <summary>For each half-edge whether it was cut before, where the surface is to be cut there again; otherwise null.</summary>
    public bool[]? Known { get; init; }
}

/// <summary>What cutting the pieces of one surface goes by.</summary>
internal sealed class PiecePlan(Surface surface, float[] costs)
{
    private readonly int[] localOf = new int[surface.Topology.Mesh.TriangleCount];

    /// <summary>For each triangle of the object its number in its piece.</summary>
    public int[] LocalOf => localOf;

    /// <summary>Numbers the triangles of a piece.</summary>
    public void Number(ChartMesh piece)
    {
        for (int t = 0; t < piece.TriangleCount; t++)
            localOf[piece.Triangles[t]] = t;
    }

    /// <summary>Whether charts are parted at a half-edge of a piece at first.</summary>
    public bool IsSoft(ChartMesh piece, int corner) => surface.Seams.IsSoft[3 * piece.Triangles[corner / 3] + corner % 3];

    /// <summary>What a seam costs on each half-edge of a part of the surface.</summary>
    public float[] CostsOf(ChartMesh part)
    {
        var own = new float[part.Across.Length];
        for (int c = 0; c < own.Length; c++)
            own[c] = costs[3 * part.Triangles[c / 3] + c % 3];
        return own;
    }
}
