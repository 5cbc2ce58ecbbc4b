using System.Numerics;
using Crumpet.Core.Geometry;
using Crumpet.Core.Layout;
using Xunit;

namespace Crumpet.Core.Tests.Layout;

public sealed class FlatteningTests
{
    private static readonly UnwrapSettings NoAngle = new() { CutAngleDegrees = 180 };

    [Fact]
    public void No_triangle_turns_over_and_no_chart_covers_itself_in_two_hundred_surfaces()
    {
        Parallel.For(0, 200, new ParallelOptions { MaxDegreeOfParallelism = 2 }, seed =>
        {
            var mesh = Surfaces.Lumpy(seed);
            var charts = Unwrap(mesh, seed % 3 == 0 ? NoAngle : new UnwrapSettings());
            Assert.Equal([.. Enumerable.Range(0, mesh.TriangleCount)], charts.SelectMany(c => c.Chart.Triangles).Order());
            foreach (var flat in charts)
            {
                // As they will be written: in single precision.
                Vector2[] uv = [.. flat.Chart.Corners.Select(v => new Vector2((float)flat.Uv[2 * v], (float)flat.Uv[2 * v + 1]))];
                AssertNoTriangleLiesOnAnother(uv, seed);
                Assert.True(flat.Stretch.Most <= 1.2501 || flat.Chart.TriangleCount <= 2, $"surface {seed}: stretched {flat.Stretch.Most}");
            }
        });
    }

    /// <summary>Every pair of triangles by separating axes: brute force that knows nothing of borders.</summary>
    private static void AssertNoTriangleLiesOnAnother(Vector2[] uv, int seed)
    {
        int count = uv.Length / 3;
        double size = Math.Sqrt(Enumerable.Range(0, count).Sum(t => (double)Area(uv, t)));
        for (int a = 0; a < count; a++)
        {
            Assert.True(Area(uv, a) > 0, $"surface {seed}: triangle {a} is turned over");
            for (int b = a + 1; b < count; b++)
                Assert.False(Overlap(uv, a, b, 1e-5f * (float)size) && Overlap(uv, b, a, 1e-5f * (float)size),
                    $"surface {seed}: triangles {a} and {b} lie on each other");
        }
    }

    private static float Area(Vector2[] uv, int t) => Cross(uv[3 * t + 1] - uv[3 * t], uv[3 * t + 2] - uv[3 * t]) / 2;

    private static float Cross(Vector2 a, Vector2 b) => a.X * b.Y - a.Y * b.X;

    /// <summary>Whether no edge of a has all of b outside, by more than a hair.</summary>
    private static bool Overlap(Vector2[] uv, int a, int b, float hair)
    {
        for (int e = 0; e < 3; e++)
        {
            Vector2 from = uv[3 * a + e], along = Vector2.Normalize(uv[3 * a + (e + 1) % 3] - from);
            if (Enumerable.Range(3 * b, 3).All(c => Cross(along, uv[c] - from) < hair))
                return false;
        }
        return true;
    }

    [Theory]
    [InlineData("tube")]
    [InlineData("cone")]
    [InlineData("wave")]
    public void What_can_be_unrolled_is_unrolled_without_stretch(string shape)
    {
        var mesh = shape switch
        {
            "tube" => Surfaces.Tube(24),
            "cone" => Surfaces.Cone(24),
            _ => Surfaces.Grid(40, 8, (u, v) => new Vector3(4 * u, MathF.Sin(6 * u), v)),
        };
        var flat = Assert.Single(Unwrap(mesh, NoAngle with { Straighten = false }));
        Assert.InRange(flat.Stretch.Worst, 1, 1.01);
    }

    [Fact]
    public void A_hemisphere_is_within_a_tenth_of_the_best_its_border_allows()
    {
        var chart = Whole(Surfaces.Hemisphere(64, 16));
        var flat = Flattening.Flatten(chart, Costs, default)!;
        double best = BestHemisphere();
        Assert.InRange(SymmetricDirichlet.Energy(chart, flat.Uv), best * 0.98, best * 1.1);
    }

    /// <summary>
    /// The least energy of a map of the hemisphere onto a disc that turns with it: r(θ) minimises the mean of
    /// (r'² + (r / sin θ)² + 1 / r'² + (sin θ / r)²) / 4, found by descent on the values of r at many angles.
    /// </summary>
    private static double BestHemisphere()
    {
        const int n = 60;
        double step = Math.PI / 2 / n;
        double[] r = [.. Enumerable.Range(0, n + 1).Select(i => i * step)];
        double energy = Energy(r);
        for (double move = 0.01; move > 1e-6; move /= 2)
        {
            bool better = true;
            for (int round = 0; better && round < 400; round++)
            {
                better = false;
                for (int i = 1; i <= n; i++)
                {
                    foreach (double by in (double[])[move, -move])
                    {
                        double[] tried = [.. r];
                        // Everything outside moves along, so that no other slope changes.
                        for (int k = i; k <= n; k++)
                            tried[k] += by * step;
                        double next = Energy(tried);
                        if (next < energy - 1e-13)
                            (r, energy, better) = (tried, next, true);
                    }
                }
            }
        }
        return energy;

        double Energy(double[] at)
        {
            double sum = 0, weight = 0;
            for (int i = 0; i < n; i++)
            {
                double middle = Math.Sin((i + 0.5) * step), slope = (at[i + 1] - at[i]) / step, around = (at[i + 1] + at[i]) / 2 / middle;
                if (slope <= 0)
                    return double.PositiveInfinity;
                sum += middle * (slope * slope + around * around + 1 / (slope * slope) + 1 / (around * around));
                weight += 4 * middle;
            }
            return sum / weight;
        }
    }

    [Fact]
    public void A_bent_grid_becomes_a_rectangle_with_straight_rows()
    {
        var flat = Assert.Single(Unwrap(Surfaces.Grid(12, 3, (u, v) => Vector3.Transform(new Vector3(0, 0.3f * v, 1), Matrix4x4.CreateRotationY(-4 * u))),
            NoAngle));
        double width = flat.Uv.Where((_, i) => i % 2 == 0).Max() - flat.Uv.Where((_, i) => i % 2 == 0).Min(), height = flat.Uv.Where((_, i) => i % 2 == 1)
            .Max() - flat.Uv.Where((_, i) => i % 2 == 1).Min();
        Assert.Equal(flat.Shape().Area, width * height, 1e-9);
        Assert.Equal(13 + 4, flat.Uv.Where((_, i) => i % 2 == 0).Select(x => Math.Round(x, 9)).Distinct().Count() + flat.Uv.Where((_, i) => i % 2 == 1)
            .Select(y => Math.Round(y, 9)).Distinct().Count());
    }

    [Fact]
    public void A_thin_ring_opens_to_a_strip_and_a_plate_with_a_hole_stays_whole()
    {
        var thin = Assert.Single(Unwrap(Ring(0.95f), NoAngle));
        Assert.Single(thin.Chart.Loops());
        var plate = Assert.Single(Unwrap(Ring(0.3f), NoAngle));
        Assert.Equal(2, plate.Chart.Loops().Count);

        static Mesh Ring(float inner) => Surfaces.Grid(24, 1, (u, v) =>
        {
            var (sin, cos) = MathF.SinCos(2 * MathF.PI * (MathF.Round(u * 24) % 24) / 24);
            float r = inner + (1 - inner) * (1 - v);
            return new Vector3(r * cos, 0, r * sin);
        });
    }

    [Fact]
    public void The_cheapest_seam_runs_through_the_groove()
    {
        // A sheet with a sharp fold inwards near its middle, but not in it.
        var mesh = Surfaces.Grid(20, 6, (u, v) => new Vector3(2 * u, -MathF.Abs(2 * u - 0.9f), 0.6f * v));
        var topology = Topology.Of(mesh);
        using var sight = new SeamSight([mesh], 1, default);
        float[] costs = SeamRules.Costs(topology, new UnwrapSettings(), sight.AtPoints(topology, 1, default));
        int fold = Enumerable.Range(0, costs.Length).First(c => topology.Across[c] >= 0 && Cut(c));
        int plain = Enumerable.Range(0, costs.Length)
            .First(c => topology.Across[c] >= 0 && !Cut(c) && MathF.Abs(mesh.PositionAt(c).X - mesh.PositionAt(Topology.Next(c)).X) < 1e-6f);
        Assert.True(costs[fold] < 0.8f * costs[plain]);

        bool Cut(int c) => MathF.Abs(mesh.PositionAt(c).X - 0.9f) < 1e-5f && MathF.Abs(mesh.PositionAt(Topology.Next(c)).X - 0.9f) < 1e-5f;
    }

    [Fact]
    public void A_factored_system_gives_the_right_side_back()
    {
        var chart = Whole(Surfaces.Grid(17, 13, (u, v) => new Vector3(u, 0.2f * MathF.Sin(5 * u * v), v)));
        var graph = new VertexGraph(chart);
        var blocks = new double[4 * graph.Neighbours.Length];
        for (int v = 0; v < graph.VertexCount; v++)
        {
            for (int n = graph.Starts[v]; n < graph.Starts[v + 1]; n++)
            {
                int other = graph.Neighbours[n];
                // Symmetric, and heavy enough on the diagonal to be positive definite.
                double x = Shapes.Unit((uint)(Math.Min(v, other) * 1000 + Math.Max(v, other))) - 0.5;
                (blocks[4 * n], blocks[4 * n + 1], blocks[4 * n + 2], blocks[4 * n + 3]) = v == other ? (9, 0.5, 0.5, 8) : v < other
                    ? (x, 0.3 * x, -0.2 * x, 0.5 * x) : (x, -0.2 * x, 0.3 * x, 0.5 * x);
            }
        }
        double[] solution = [.. Enumerable.Range(0, 2 * graph.VertexCount).Select(i => (double)Shapes.Unit((uint)i))], right = new double[solution.Length];
        for (int v = 0; v < graph.VertexCount; v++)
        {
            for (int n = graph.Starts[v]; n < graph.Starts[v + 1]; n++)
            {
                int other = 2 * graph.Neighbours[n];
                right[2 * v] += blocks[4 * n] * solution[other] + blocks[4 * n + 1] * solution[other + 1];
                right[2 * v + 1] += blocks[4 * n + 2] * solution[other] + blocks[4 * n + 3] * solution[other + 1];
            }
        }
        var solver = new BlockCholesky(graph, default);
        Assert.True(solver.Factor(blocks, default));
        solver.Solve(right);
        for (int i = 0; i < right.Length; i++)
            Assert.Equal(solution[i], right[i], 1e-10);
        Assert.Equal([.. Enumerable.Range(0, graph.VertexCount)], NestedDissection.Order(graph.Starts, graph.Neighbours, default).Order());
    }

    [Fact]
    public void A_copy_and_a_mirror_image_are_recognised_and_a_dent_is_not()
    {
        var mesh = Surfaces.Grid(6, 4, (u, v) => new Vector3(2 * u, 0.3f * u * v * v, v + 0.2f * u));
        Mesh Moved(Matrix4x4 by) => mesh with { Positions = Array.ConvertAll(mesh.Positions, p => Vector3.Transform(p, by)) };
        var turned = Moved(Matrix4x4.CreateFromYawPitchRoll(1, 2, 3) * Matrix4x4.CreateTranslation(5, 0, 2));
        var mirrored = Moved(Matrix4x4.CreateScale(-1, 1, 1));
        mirrored = mirrored with
        {
            Corners = [.. Enumerable.Range(0, mirrored.Corners.Length)
            .Select(c => mirrored.Corners[c % 3 == 0 ? c : c % 3 == 1 ? c + 1 : c - 1])]
        };
        var dented = mesh with { Positions = [.. mesh.Positions.Select((p, i) => i == 9 ? p + new Vector3(0, 0.05f, 0) : p)] };
        var matches = IslandMatch.Find([Whole(mesh), Whole(turned), Whole(mirrored), Whole(dented)]);
        Assert.Equal([(0, false), (0, false), (0, true), (3, false)], matches.Select(m => (m.Like, m.IsMirrored)));
        foreach (int copy in (int[])[1, 2])
        {
            ChartMesh one = Whole(mesh), two = Whole(copy == 1 ? turned : mirrored);
            for (int c = 0; c < two.Corners.Length; c++)
            {
                var like = one.Positions[one.Corners[matches[copy].Corners![c]]];
                var expected = copy == 1 ? Vector3.Transform(like, Matrix4x4.CreateFromYawPitchRoll(1, 2, 3) * Matrix4x4.CreateTranslation(5, 0, 2))
                    : like * new Vector3(-1, 1, 1);
                Assert.True(Vector3.Distance(expected, two.Positions[two.Corners[c]]) < 1e-4f);
            }
        }
    }

    private static float[] Costs(ChartMesh chart) => [.. Enumerable.Range(0, chart.Across.Length).Select(chart.Length)];

    private static ChartMesh Whole(Mesh mesh)
    {
        var topology = Topology.Of(mesh);
        int[] local = [.. Enumerable.Repeat(-1, mesh.TriangleCount)];
        return ChartMesh.Of(topology, [.. Enumerable.Range(0, mesh.TriangleCount)], new bool[mesh.Corners.Length], local);
    }

    private static IReadOnlyList<FlatChart> Unwrap(Mesh mesh, UnwrapSettings settings)
    {
        var topology = Topology.Of(mesh);
        using var sight = new SeamSight([mesh], 1, default);
        var surface = new Surface(topology, [.. Enumerable.Range(0, mesh.TriangleCount)],
            new SeamPlan(SeamRules.Seams(topology, settings), SeamRules.Soft(topology, settings)));
        return Unwrapper.Unwrap([surface], sight, settings, double.PositiveInfinity, false, 1, _ => { }, default)[0];
    }
}
