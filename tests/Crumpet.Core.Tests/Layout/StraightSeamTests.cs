using System.Numerics;
using Crumpet.Core.Geometry;
using Crumpet.Core.Layout;
using Xunit;

namespace Crumpet.Core.Tests.Layout;

/// <summary>Ways that cost by their turns too: against every way there is, and straight where the surface has a straight one.</summary>
public sealed class StraightSeamTests
{
    [Theory]
    [InlineData(1)]
    [InlineData(2)]
    [InlineData(3)]
    public void The_straightest_way_costs_least_of_all_ways(int seed)
    {
        var chart = Whole(Surfaces.Grid(3, 3, (u, v) => new Vector3(u, v, 0)));
        float[] cost = new float[chart.Across.Length];
        for (int c = 0; c < cost.Length; c++)
            cost[c] = chart.Across[c] >= 0 && chart.Across[c] < c ? cost[chart.Across[c]] : 0.1f + Shapes.Unit((uint)(1000 * seed + c));
        var paths = new StraightPaths(chart, cost);
        bool[] isBorder = new bool[chart.VertexCount];
        foreach (int c in Enumerable.Range(0, cost.Length).Where(c => chart.Across[c] < 0))
            isBorder[chart.Corners[c]] = isBorder[chart.Corners[Topology.Next(c)]] = true;
        for (int from = 0; from < chart.VertexCount; from++)
        {
            for (int to = 0; to < chart.VertexCount; to++)
            {
                if (from == to)
                    continue;
                double least = double.PositiveInfinity;
                Try(from, from, to, [], 0, ref least);
                var way = paths.Cheapest([from], v => v == to);
                Assert.Equal(double.IsInfinity(least), way.Count == 0);
                if (way.Count > 0)
                    Assert.Equal(least, paths.Cost(way, false), 1e-4);
            }
        }

        // On a flat sheet a turn is the angle between directions, whatever lies around the vertex.
        void Try(int at, int from, int to, List<int> way, double sum, ref double least)
        {
            if (sum >= least || (way.Count > 0 && (at == from || (isBorder[at] && at != to))))
                return;
            if (at == to)
            {
                least = sum;
                return;
            }
            foreach (int c in Enumerable.Range(0, cost.Length).Where(c => chart.Across[c] >= 0 && chart.Corners[c] == at))
            {
                if (way.Contains(c) || (way.Count > 0 && c == chart.Across[way[^1]]))
                    continue;
                double turn = way.Count == 0 ? 0 : AngleBetween(way[^1], c);
                double more = cost[c] + (way.Count == 0 ? 0 : (cost[way[^1]] + cost[c]) / 2 * turn * turn);
                way.Add(c);
                Try(chart.Corners[Topology.Next(c)], from, to, way, sum + more, ref least);
                way.RemoveAt(way.Count - 1);
            }
        }

        double AngleBetween(int one, int two)
        {
            Vector3 a = Along(one), b = Along(two);
            return Math.Acos(Math.Clamp(Vector3.Dot(a, b) / (a.Length() * b.Length()), -1, 1));
        }

        Vector3 Along(int c) => chart.Positions[chart.Corners[Topology.Next(c)]] - chart.Positions[chart.Corners[c]];
    }

    [Fact]
    public void A_seam_in_steps_around_a_tube_becomes_a_ring()
    {
        const int Around = 24;
        var chart = Whole(Surfaces.Tube(Around));
        // Sides that meet in teeth a row high.
        bool IsLow(int t) => chart.Centre(t).Y < (MathF.Abs(MathF.Atan2(chart.Centre(t).Z, chart.Centre(t).X)) * 4 / MathF.PI % 1 > 0.5f ? 1.5f : 2);
        int[] run = Assert.Single(SeamRuns.Of(chart, [.. Between(chart, IsLow)], chart.Lengths()));
        Assert.True(run.Length > Around);
        var ring = StraightSeam.Find(chart, chart.Lengths(), run, false);
        Assert.Equal(Around, ring.Count);
        Assert.Single(ring.Select(c => MathF.Round(chart.Positions[chart.Corners[c]].Y, 3)).Distinct());
        Assert.Empty(StraightSeam.Find(chart, chart.Lengths(), [.. ring], false));
    }

    [Fact]
    public void A_slit_in_steps_along_a_tube_becomes_a_straight_line_from_end_to_end()
    {
        var mesh = Surfaces.Tube(24);
        var chart = Whole(mesh);
        // From vertex to vertex of the grid, a column on after each row.
        int[] slit = [.. Enumerable.Range(0, 6).Select(row => Enumerable.Range(0, chart.Across.Length).First(c => chart.Across[c] >= 0
            && IsAt(c, row, row) && IsAt(Topology.Next(c), row + 1, row + 1)))];
        var way = StraightSeam.Find(chart, chart.Lengths(), slit, true);
        Assert.Equal(6, way.Count);
        Assert.Equal(3, way.Sum(c => (double)chart.Length(c)), 4);

        bool IsAt(int c, int column, int row) => Vector3.Distance(chart.Positions[chart.Corners[c]],
            new Vector3(MathF.Cos(MathF.Tau * column / 24), 0.5f * row, -MathF.Sin(MathF.Tau * column / 24))) < 1e-3f;
    }

    [Fact]
    public void A_torus_is_cut_along_rings_and_rows()
    {
        const int Tube = 20;
        var chart = Whole(Surfaces.Torus(40, Tube));
        var parts = ChartSplit.InTwo(chart, chart.Lengths(), default);
        // Two tubes, parted by two rings that each go around once.
        Assert.Equal(2, parts.Count);
        Assert.All(parts, p => Assert.Equal([Tube, Tube], p.Loops().Select(l => l.Length)));
    }

    private static IEnumerable<int> Between(ChartMesh chart, Func<int, bool> isOne) => Enumerable.Range(0, chart.Across.Length)
        .Where(c => chart.Across[c] >= 0 && isOne(c / 3) && !isOne(chart.Across[c] / 3));

    private static ChartMesh Whole(Mesh mesh) =>
        ChartMesh.Of(Topology.Of(mesh), [.. Enumerable.Range(0, mesh.TriangleCount)], new bool[mesh.Corners.Length], new int[mesh.TriangleCount]);
}
