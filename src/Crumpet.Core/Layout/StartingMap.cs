using System.Numerics;

namespace Crumpet.Core.Layout;

/// <summary>Flat charts to start from.</summary>
internal static class StartingMap
{
    /// <summary>The map that keeps angles best with a free border, held at two far border vertices.</summary>
    /// <remarks>Source: B. Lévy and others, "Least Squares Conformal Maps for Automatic Texture Atlas Generation", 2002.</remarks>
    /// <param name="chart">Chart with a border.</param>
    /// <param name="graph">Its graph.</param>
    /// <param name="solver">Analysed for the graph.</param>
    /// <param name="loop">Its border.</param>
    /// <param name="cancel">Ends the work early.</param>
    /// <returns>Two numbers a vertex, or null where the chart is too degenerate.</returns>
    public static double[]? Conformal(ChartMesh chart, VertexGraph graph, BlockCholesky solver, int[] loop, CancellationToken cancel)
    {
        var blocks = new double[4 * graph.Neighbours.Length];
        for (int t = 0; t < chart.TriangleCount; t++)
        {
            var g = chart.Rest[t].Gradients();
            (double X, double Y)[] gradients = [(g.X0, g.Y0), (g.X1, g.Y1), (g.X2, g.Y2)];
            double area = chart.Rest[t].Area / chart.Area;
            var slots = graph.Slots(t);
            for (int i = 0; i < 3; i++)
            {
                for (int j = 0; j < 3; j++)
                {
                    // M = [x -y; y x] a corner; the block is Mᵢᵀ Mⱼ.
                    var (xi, yi) = gradients[i];
                    var (xj, yj) = gradients[j];
                    int at = 4 * slots[3 * i + j];
                    double same = area * (xi * xj + yi * yj), cross = area * (yi * xj - xi * yj);
                    blocks[at] += same;
                    blocks[at + 1] += cross;
                    blocks[at + 2] -= cross;
                    blocks[at + 3] += same;
                }
            }
        }
        var (one, two, distance) = FarPair(chart, loop);
        var uv = new double[2 * chart.VertexCount];
        // Both are held: one in the origin, two on the u axis.
        for (int n = graph.Starts[two]; n < graph.Starts[two + 1]; n++)
        {
            int v = graph.Neighbours[n];
            uv[2 * v] -= distance * blocks[4 * n];
            uv[2 * v + 1] -= distance * blocks[4 * n + 1];
        }
        foreach (int held in (int[])[one, two])
        {
            for (int n = graph.Starts[held]; n < graph.Starts[held + 1]; n++)
            {
                int v = graph.Neighbours[n];
                blocks.AsSpan(4 * n, 4).Clear();
                blocks.AsSpan(4 * graph.Slot(v, held), 4).Clear();
            }
            int own = 4 * graph.Slot(held, held);
            blocks[own] = blocks[own + 3] = 1;
        }
        (uv[2 * one], uv[2 * one + 1], uv[2 * two], uv[2 * two + 1]) = (0, 0, distance, 0);
        if (!solver.Factor(blocks, cancel))
            return null;
        solver.Solve(uv);
        return Array.TrueForAll(uv, double.IsFinite) ? uv : null;
    }

    /// <summary>A map of a disc that turns no triangle over, however bent the disc: the border on a circle, every inner vertex amid its neighbours.</summary>
    /// <remarks>Source: W. T. Tutte, "How to draw a graph", 1963.</remarks>
    public static double[]? OnCircle(ChartMesh chart, VertexGraph graph, BlockCholesky solver, int[] loop, CancellationToken cancel)
    {
        var uv = new double[2 * chart.VertexCount];
        var onBorder = new bool[chart.VertexCount];
        double radius = Math.Sqrt(chart.Area / Math.PI), length = loop.Sum(c => Math.Max(chart.Length(c), 1e-9)), way = 0;
        foreach (int corner in loop)
        {
            var (sin, cos) = Math.SinCos(2 * Math.PI * way / length);
            int v = chart.Corners[corner];
            (uv[2 * v], uv[2 * v + 1], onBorder[v]) = (radius * cos, radius * sin, true);
            way += Math.Max(chart.Length(corner), 1e-9);
        }
        var blocks = new double[4 * graph.Neighbours.Length];
        for (int v = 0; v < chart.VertexCount; v++)
        {
            int own = graph.Slot(v, v);
            if (onBorder[v])
            {
                blocks[4 * own] = blocks[4 * own + 3] = 1;
                continue;
            }
            for (int n = graph.Starts[v]; n < graph.Starts[v + 1]; n++)
            {
                int other = graph.Neighbours[n];
                if (other == v)
                    continue;
                double weight = 1;
                blocks[4 * own] += weight;
                blocks[4 * own + 3] += weight;
                if (onBorder[other])
                {
                    uv[2 * v] += weight * uv[2 * other];
                    uv[2 * v + 1] += weight * uv[2 * other + 1];
                }
                else
                {
                    blocks[4 * n] = blocks[4 * n + 3] = -weight;
                }
            }
        }
        if (!solver.Factor(blocks, cancel))
            return null;
        solver.Solve(uv);
        return uv;
    }

    /// <summary>Two border vertices far from each other.</summary>
    private static (int One, int Two, double Distance) FarPair(ChartMesh chart, int[] loop)
    {
        int one = chart.Corners[loop[0]], two = one;
        for (int i = 0; i < 3; i++)
        {
            (one, two) = (two, loop.Select(c => chart.Corners[c]).MaxBy(v => Vector3.DistanceSquared(chart.Positions[v], chart.Positions[two])));
        }
        if (one == two)
            two = chart.Corners[loop[loop.Length / 2]];
        return (one, two, Math.Max(Vector3.Distance(chart.Positions[one], chart.Positions[two]), 1e-6));
    }

    /// <summary>Whether no triangle is turned over or without area.</summary>
    public static bool IsUnturned(ChartMesh chart, double[] uv)
    {
        for (int t = 0; t < chart.TriangleCount; t++)
        {
            var (a, b, c, d) = SymmetricDirichlet.Gradient(chart, uv, t);
            if (!(a * d - b * c > 1e-9))
                return false;
        }
        return true;
    }
}
