using System.Numerics;
using Crumpet.Core.Building;
using Crumpet.Core.Geometry;
using Crumpet.Core.Layout;
using Xunit;

namespace Crumpet.Core.Tests.Layout;

/// <summary>Paths and cheapest seams against every one there is, on charts small enough to try them all.</summary>
public sealed class SeamTests
{
    [Theory]
    [InlineData(1)]
    [InlineData(2)]
    [InlineData(3)]
    public void The_cheapest_way_is_the_least_of_all_ways(int seed)
    {
        var chart = Chart(4, 3);
        float[] cost = Costs(chart, seed);
        int count = chart.VertexCount;
        var best = new double[count, count];
        for (int a = 0; a < count; a++)
        {
            for (int b = 0; b < count; b++)
                best[a, b] = a == b ? 0 : double.PositiveInfinity;
        }
        for (int c = 0; c < chart.Corners.Length; c++)
        {
            int a = chart.Corners[c], b = chart.Corners[Topology.Next(c)];
            best[a, b] = best[b, a] = Math.Min(best[a, b], cost[c]);
        }
        // Source: R. W. Floyd, "Algorithm 97: Shortest path", 1962.
        for (int k = 0; k < count; k++)
        {
            for (int a = 0; a < count; a++)
            {
                for (int b = 0; b < count; b++)
                    best[a, b] = Math.Min(best[a, b], best[a, k] + best[k, b]);
            }
        }
        var paths = new EdgePaths(chart, cost);
        for (int a = 0; a < count; a++)
        {
            for (int b = 0; b < count; b++)
                Assert.Equal(best[a, b], paths.Cheapest([a], v => v == b).Sum(c => (double)cost[c]), 1e-4);
        }
    }

    [Theory]
    [InlineData(1)]
    [InlineData(2)]
    [InlineData(3)]
    [InlineData(4)]
    public void The_seam_through_a_band_is_the_cheapest_of_all_seams(int seed)
    {
        var chart = Chart(4, 2);
        float[] cost = Costs(chart, seed);
        // The outermost columns are decided, the two between are the band: eight triangles, 256 ways.
        var label = new int[chart.TriangleCount];
        var isOpen = new bool[chart.TriangleCount];
        for (int t = 0; t < label.Length; t++)
        {
            float x = chart.Centre(t).X;
            label[t] = x < 0.5f ? 0 : 1;
            isOpen[t] = x is > 0.25f and < 0.75f;
        }
        int[] open = [.. Enumerable.Range(0, label.Length).Where(t => isOpen[t])];
        Assert.Equal(8, open.Length);
        double least = double.PositiveInfinity;
        for (int way = 0; way < 1 << open.Length; way++)
        {
            int[] tried = [.. label];
            for (int i = 0; i < open.Length; i++)
                tried[open[i]] = way >> i & 1;
            least = Math.Min(least, Length(tried));
        }
        CheapestSeam.Find(chart, cost, label, isOpen, default);
        Assert.Equal(least, Length(label), 1e-4);

        double Length(int[] sides) => Enumerable.Range(0, chart.Across.Length).Where(c => chart.Across[c] > c && sides[c / 3] != sides[chart.Across[c] / 3])
            .Sum(c => (double)Math.Min(cost[c], cost[chart.Across[c]]));
    }

    [Fact]
    public void A_split_leaves_two_connected_parts_that_hold_every_triangle_once()
    {
        var mesh = Surfaces.Hemisphere(18, 8);
        var chart = Whole(mesh);
        var parts = ChartSplit.InTwo(chart, Costs(chart, 5), default);
        Assert.Equal(2, parts.Count);
        Assert.Equal(Enumerable.Range(0, mesh.TriangleCount), parts.SelectMany(p => p.Triangles).Order());
        Assert.All(parts, p => Assert.Single(p.Pieces(new int[p.TriangleCount])));
    }

    [Fact]
    public void A_cut_that_is_given_up_ends_at_once()
    {
        using var cancel = new CancellationTokenSource();
        cancel.Cancel();
        var chart = Whole(Surfaces.Hemisphere(18, 8));
        var graph = new VertexGraph(chart);
        Assert.Throws<OperationCanceledException>(() => ChartSplit.InTwo(chart, Costs(chart, 5), cancel.Token));
        Assert.Throws<OperationCanceledException>(() => new BlockCholesky(graph, cancel.Token));
        Assert.Throws<OperationCanceledException>(() => NestedDissection.Order(graph.Starts, graph.Neighbours, cancel.Token));
    }

    [Fact]
    public void An_atlas_needs_two_assets_whose_folders_differ()
    {
        Assert.Contains("two assets or more", Atlas.Problem(["Louvre screen"]), StringComparison.Ordinal);
        Assert.Contains("Rain gauge and rain-gauge would have the same folder", Atlas.Problem(["Rain gauge", "Mast", "rain-gauge"]), StringComparison.Ordinal);
        Assert.Null(Atlas.Problem(["Louvre screen", "Rain gauge"]));
    }

    private static ChartMesh Chart(int across, int up) => Whole(Surfaces.Grid(across, up, (u, v) => new Vector3(u, v, 0)));

    private static ChartMesh Whole(Mesh mesh) =>
        ChartMesh.Of(Topology.Of(mesh), [.. Enumerable.Range(0, mesh.TriangleCount)], new bool[mesh.Corners.Length], new int[mesh.TriangleCount]);

    /// <summary>Costs out of a seed, the same from both sides of an edge.</summary>
    private static float[] Costs(ChartMesh chart, int seed)
    {
        var cost = new float[chart.Across.Length];
        for (int c = 0; c < cost.Length; c++)
            cost[c] = chart.Across[c] >= 0 && chart.Across[c] < c ? cost[chart.Across[c]] : 0.1f + Shapes.Unit((uint)(1000 * seed + c));
        return cost;
    }
}
