using System.Numerics;
using Crumpet.Core.Geometry;

namespace Crumpet.Core.Layout;

/// <summary>A chart laid flat.</summary>
/// <param name="Chart">The chart, as it was cut open.</param>
/// <param name="Uv">Two numbers a vertex, metres; no triangle turned over, no point covered twice.</param>
/// <param name="Stretch">Greatest lengthening or shortening, 1 for none.</param>
internal sealed record FlatChart(ChartMesh Chart, double[] Uv, Spread Stretch)
{
    /// <summary>Whether it lies as <see cref="Flattening.Flatten"/> lays it.</summary>
    public bool IsSettled { get; init; }

    /// <summary>Triangles and border as they lie.</summary>
    public PackShape Shape()
    {
        var points = new double[2 * Chart.Corners.Length];
        for (int c = 0; c < Chart.Corners.Length; c++)
            (points[2 * c], points[2 * c + 1]) = (Uv[2 * Chart.Corners[c]], Uv[2 * Chart.Corners[c] + 1]);
        return new PackShape(points, [.. Enumerable.Range(0, Chart.Across.Length).Where(c => Chart.Across[c] < 0)]);
    }
}

/// <summary>Lays one chart flat.</summary>
internal static class Flattening
{
    private const float FlatCosine = 0.9999996f;
    private const double AlmostNone = 1.02;

    /// <summary>The chart laid flat, or null where it cannot be without turning over or covering itself.</summary>
    /// <param name="chart">Connected chart.</param>
    /// <param name="seamCost">What a seam costs for each half-edge of the chart.</param>
    /// <param name="cancel">Ends the work early.</param>
    public static FlatChart? Flatten(ChartMesh chart, Func<ChartMesh, float[]> seamCost, CancellationToken cancel) =>
        Laid(chart, seamCost, cancel) is { } flat ? flat with { IsSettled = true } : null;

    private static FlatChart? Laid(ChartMesh chart, Func<ChartMesh, float[]> seamCost, CancellationToken cancel)
    {
        var loops = chart.Loops();
        if (loops.Count == 0)
            return null;
        if (Project(chart) is { } projected && StartingMap.IsUnturned(chart, projected) && BorderCrossing.IsSingle(chart, projected, loops))
            return new FlatChart(chart, projected, StretchMeasure.OfChart(chart, projected));
        if (loops.Count > 1 || chart.EulerCharacteristic() != 1)
        {
            // A sheet with holes need not be cut where it is flat enough already.
            if (chart.EulerCharacteristic() + loops.Count == 2 && Solve(chart, loops, cancel) is { } whole && whole.Stretch.Worst < AlmostNone)
                return whole;
            chart = DiscCut.Open(chart, loops, seamCost(chart));
            loops = chart.Loops();
        }
        return Solve(chart, loops, cancel);
    }

    /// <summary>Positions in the plane of a chart that is flat already; null where it is not.</summary>
    private static double[]? Project(ChartMesh chart)
    {
        var normal = Look(chart);
        for (int t = 0; t < chart.TriangleCount; t++)
        {
            if (Vector3.Dot(chart.Normal(t), normal) < FlatCosine)
                return null;
        }
        var along = Vector3.Normalize(Vector3.Cross(normal, MathF.Abs(normal.X) < 0.8f ? Vector3.UnitX : Vector3.UnitY));
        var up = Vector3.Cross(normal, along);
        var origin = chart.Positions[0];
        var uv = new double[2 * chart.VertexCount];
        for (int v = 0; v < chart.VertexCount; v++)
            (uv[2 * v], uv[2 * v + 1]) = (Vector3.Dot(chart.Positions[v] - origin, along), Vector3.Dot(chart.Positions[v] - origin, up));
        return uv;
    }

    /// <summary>A chart laid flat as soon as it is within a stretch limit, or null as soon as it seems it will not be.</summary>
    /// <param name="chart">Connected chart; one with holes may be cut open.</param>
    /// <param name="limit">Stretch that 95 % may have.</param>
    /// <param name="seamCost">What a seam costs for each half-edge of the chart.</param>
    /// <param name="cancel">Ends the work early.</param>
    public static FlatChart? Within(ChartMesh chart, double limit, Func<ChartMesh, float[]> seamCost, CancellationToken cancel)
    {
        var loops = chart.Loops();
        if (loops.Count == 0)
            return null;
        if (Project(chart) is { } projected)
            return StartingMap.IsUnturned(chart, projected) && BorderCrossing.IsSingle(chart, projected, loops)
                ? new FlatChart(chart, projected, StretchMeasure.OfChart(chart, projected)) : null;
        if (loops.Count > 1 || chart.EulerCharacteristic() != 1)
        {
            chart = DiscCut.Open(chart, loops, seamCost(chart));
            loops = chart.Loops();
        }
        if (chart.EulerCharacteristic() != 1 || loops.Count != 1)
            return null;
        var graph = new VertexGraph(chart);
        var solver = new BlockCholesky(graph, cancel);
        if (StartingMap.Conformal(chart, graph, solver, loops[0], cancel) is not { } uv)
            return null;
        SymmetricDirichlet.ScaleBest(chart, uv);
        if (!StartingMap.IsUnturned(chart, uv) || !new SymmetricDirichlet(chart, graph, solver).Reach(uv, limit, cancel)
            || !StartingMap.IsUnturned(chart, uv) || !BorderCrossing.IsSingle(chart, uv, loops))
            return null;
        return new FlatChart(chart, uv, StretchMeasure.OfChart(chart, uv));
    }

    private static FlatChart? Solve(ChartMesh chart, List<int[]> loops, CancellationToken cancel)
    {
        var graph = new VertexGraph(chart);
        var solver = new BlockCholesky(graph, cancel);
        bool isDisc = loops.Count == 1 && chart.EulerCharacteristic() == 1;
        var outer = loops.MaxBy(l => l.Sum(chart.Length))!;
        double[]? uv = StartingMap.Conformal(chart, graph, solver, outer, cancel);
        if (uv is not null)
        {
            SymmetricDirichlet.ScaleBest(chart, uv);
            if (!StartingMap.IsUnturned(chart, uv))
                uv = null;
        }
        if (uv is null && isDisc)
        {
            uv = StartingMap.OnCircle(chart, graph, solver, outer, cancel);
            if (uv is not null && !StartingMap.IsUnturned(chart, uv))
                uv = null;
        }
        if (uv is null)
            return null;
        new SymmetricDirichlet(chart, graph, solver).Minimise(uv, cancel);
        return StartingMap.IsUnturned(chart, uv) && BorderCrossing.IsSingle(chart, uv, loops) ? new FlatChart(chart, uv, StretchMeasure.OfChart(chart, uv))
            : null;
    }

    /// <summary>Which way a chart looks: its mean normal by area, of unit length or zero.</summary>
    public static Vector3 Look(ChartMesh chart)
    {
        var sum = Vector3.Zero;
        for (int t = 0; t < chart.TriangleCount; t++)
            sum += (float)(chart.Rest[t].Area / chart.Area) * chart.Normal(t);
        return sum.Length() > 1e-6f ? Vector3.Normalize(sum) : Vector3.Zero;
    }

    /// <summary>How far the chart's triangles turn away from where it looks, degrees, without the outermost 2 % of its area.</summary>
    public static double ConeDegrees(ChartMesh chart)
    {
        var look = Look(chart);
        if (look == Vector3.Zero)
            return 180;
        var cosines = new double[chart.TriangleCount];
        var areas = new double[chart.TriangleCount];
        for (int t = 0; t < chart.TriangleCount; t++)
            (cosines[t], areas[t]) = (Vector3.Dot(chart.Normal(t), look), chart.Rest[t].Area);
        Array.Sort(cosines, areas);
        double seen = 0;
        int at = 0;
        while (at < cosines.Length - 1 && (seen += areas[at]) < 0.02 * chart.Area)
            at++;
        return Math.Acos(Math.Clamp(cosines[at], -1, 1)) * 180 / Math.PI;
    }

    /// <summary>
    /// How much the inside of a chart is curved both ways: sum of what angles around inner vertices lack of, or exceed, a full turn. Radians.
    /// </summary>
    public static double Curvature(ChartMesh chart) => Lacks(chart).Sum();

    /// <summary>The most that angles around one inner vertex lack of, or exceed, a full turn. Radians.</summary>
    public static double Sharpest(ChartMesh chart) => Lacks(chart).DefaultIfEmpty().Max();

    private static IEnumerable<double> Lacks(ChartMesh chart)
    {
        var angles = new double[chart.VertexCount];
        var onBorder = new bool[chart.VertexCount];
        for (int c = 0; c < chart.Corners.Length; c++)
        {
            int next = Topology.Next(c);
            Vector3 at = chart.Positions[chart.Corners[c]], a = chart.Positions[chart.Corners[next]] - at,
                b = chart.Positions[chart.Corners[Topology.Next(next)]] - at;
            angles[chart.Corners[c]] += Math.Atan2(Vector3.Cross(a, b).Length(), Vector3.Dot(a, b));
            if (chart.Across[c] < 0)
                onBorder[chart.Corners[c]] = onBorder[chart.Corners[next]] = true;
        }
        return angles.Where((_, v) => !onBorder[v]).Select(a => Math.Abs(2 * Math.PI - a));
    }
}
