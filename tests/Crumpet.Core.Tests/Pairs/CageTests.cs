using System.Numerics;
using Crumpet.Core.Bake;
using Crumpet.Core.Geometry;
using Crumpet.Core.Imaging;
using Crumpet.Core.Intake;
using Crumpet.Core.Pairs;
using Crumpet.Core.Tracing;
using Xunit;

namespace Crumpet.Core.Tests.Pairs;

public sealed class CageTests
{
    private const int ShapeCount = 6;

    [Fact]
    public void Fitted_cages_of_displaced_shapes_hold_all_vertices_close_to_the_least_possible_and_bake_without_a_miss()
    {
        double worst = 0;
        for (int seed = 0; seed < ShapeCount; seed++)
        {
            var low = Ball("ball_low", 2, (_, p) => p);
            var high = Displaced(seed);
            var (report, rays) = Fit(low, high, 0);
            var cage = report.Parts[0].Cage!;
            Assert.Equal((CageKind.Fitted, 0), (cage.Kind, cage.Outside));
            var starts = rays[0].Cage!;
            Assert.All(high.Positions, p => Assert.True(IsInside(p * 0.99999f, starts), $"shape {seed}: {p} is outside"));
            double least = LeastMeanOffset(low, high.Positions);
            Assert.InRange(cage.MeanMetres, least * 0.99, 1.3 * least + 1e-6);
            worst = Math.Max(worst, cage.MeanMetres / least);
            var part = new BakePart("ball", [low], [high]) { Rays = [rays[0]], EndsAreFitted = true };
            // The rays' ends are as exact as the high side is flat between its vertices.
            var (_, withMargin) = Fit(low, high, 0.001f);
            var faults = Baker.Bake(new BakeInput("s", [part with { Rays = [withMargin[0]] }], [new BakeTray([0])]),
                new BakeSettings { Size = 128, Samples = 1, Maps = [BakeMap.Normal] }, 2, null, default).Faults;
            Assert.DoesNotContain(faults, f => f.Kind is FaultKind.Miss or FaultKind.BackFace or FaultKind.ReachExhausted);
        }
        Assert.InRange(worst, 0.99, 1.3);
    }

    [Fact]
    public void A_cage_by_reach_says_what_stands_outside_and_how_far()
    {
        var low = Ball("ball_low", 3, (_, p) => p);
        var high = Ball("ball_high", 4, (i, p) => i == 40 ? p * 1.25f : p * 0.999f);
        var cage = Pair(low, high, new PairSettings(), 0.1f).Report.Parts[0].Cage!;
        Assert.Equal(1, cage.Outside);
        Assert.Equal(0.15f, cage.OutsideMetres, 0.02f);
        Assert.Equal(0, Vector3.Distance(new Vector3(cage.OutsideAt!), high.Positions[40]), 1e-5f);
        Assert.Equal((0.1f, 0.1f), (cage.MeanMetres, cage.GreatestMetres), (a, b) => MathF.Abs(a.Item1 - b.Item1) < 1e-5f
            && MathF.Abs(a.Item2 - b.Item2) < 1e-5f);
        Assert.Contains(Pair(low, high, new PairSettings(), 0.1f).Findings, f => f.Code == "outside-cage");
    }

    [Fact]
    public void Strokes_raise_and_lower_the_cage_where_they_went_and_nowhere_else()
    {
        var low = Ball("ball_low", 3, (_, p) => p);
        var top = new BrushStroke(BrushKind.Cage, "ball", [0, 1, 0], 0.3f, 0.05f);
        var rays = Pair(low, low with { Name = "ball_high" }, new PairSettings { Strokes = [top, top with { Points = [0, -1, 0], Amount = -1 }] },
            0.02f).Rays[0];
        for (int c = 0; c < low.Corners.Length; c++)
        {
            var p = low.PositionAt(c);
            float offset = Vector3.Distance(p, rays.Cage![c]);
            if (p.Y > 0.9999f)
                Assert.Equal(0.07f, offset, 1e-4f);
            else if (p.Y < -0.9999f)
                Assert.Equal(0, offset, 1e-4f);
            else if (MathF.Abs(p.Y) < 0.9f)
                Assert.Equal(0.02f, offset, 1e-4f);
        }
    }

    [Fact]
    public void Directions_are_smooth_split_or_between_and_a_brush_blends_them_by_hand()
    {
        var cube = Shapes.Cube("box_low");
        Vector3[] smooth = Directions(new PairSettings()), split = Directions(new PairSettings { Direction = RayDirection.Split });
        Assert.All(smooth, d => Assert.Equal(1 / MathF.Sqrt(3), MathF.Abs(d.X), 1e-5f));
        Assert.Equal(cube.Normals!, split);
        var half = Directions(new PairSettings { Direction = RayDirection.Blended, Blend = 0.5f });
        Assert.All(half.Select((d, c) => Vector3.Dot(d, smooth[c]) - Vector3.Dot(d, split[c])), difference => Assert.Equal(0, difference, 1e-5f));
        var brushed = Directions(new PairSettings { Strokes = [new BrushStroke(BrushKind.Direction, "box", [0.5f, 0.5f, 0.5f], 0.1f, 1)] });
        for (int c = 0; c < brushed.Length; c++)
            Assert.Equal(0, Vector3.Distance(cube.PositionAt(c) == new Vector3(0.5f) ? split[c] : smooth[c], brushed[c]), 1e-5f);

        Vector3[] Directions(PairSettings settings) => Pair(cube, cube with { Name = "box_high" }, settings, 0.01f).Rays[0].Directions;
    }

    [Theory]
    [InlineData(RayDirection.Split, 0)]
    [InlineData(RayDirection.Blended, 0.5)]
    [InlineData(RayDirection.Smooth, 1)]
    public void A_detail_near_a_hard_edge_lands_straight_below_it_only_with_split_directions(RayDirection direction, double lean)
    {
        // A table from x = -1 to 1 with a side that falls off at x = 1; over it a lid whose slope changes at x = 0.
        var table = new Mesh
        {
            Name = "table_low",
            Positions = [new(-1, 0, 1), new(1, 0, 1), new(1, 0, -1), new(-1, 0, -1), new(1, -2, 1), new(1, -2, -1)],
            Corners = [0, 1, 2, 0, 2, 3, 4, 5, 2, 4, 2, 1],
            Normals = [.. Enumerable.Repeat(Vector3.UnitY, 6), .. Enumerable.Repeat(Vector3.UnitX, 6)],
            UvSets = [new Vector2[] { new(0, 0), new(1, 0), new(1, 0.5f), new(0, 0), new(1, 0.5f), new(0, 0.5f), new(0, 0.6f), new(0.4f, 0.6f), new(0.4f, 1),
                new(0, 0.6f), new(0.4f, 1), new(0, 1) }],
            TriangleMaterials = [0, 0, 0, 0],
        };
        const float Height = 0.3f;
        var tilted = Vector3.Normalize(new Vector3(0.4f, 1, 0));
        Mesh lid = Shapes.Soup("table_high", new(-4, Height, 4), new(0, Height, 4), new(0, Height, -4), new(-4, Height, 4), new(0, Height, -4),
            new(-4, Height, -4), new(0, Height, 4), new(4, Height, 4), new(4, Height, -4), new(0, Height, 4), new(4, Height, -4), new(0, Height, -4))
            with
        { Normals = [.. Enumerable.Repeat(Vector3.UnitY, 6), .. Enumerable.Repeat(tilted, 6)] };
        var rays = Pair(table, lid, new PairSettings { Direction = direction, Blend = 0.5f }, 0.4f).Rays[0];
        var input = new BakeInput("s", [new BakePart("table", [table], [lid]) { Rays = [rays], OutwardReachMetres = 0.4f }], [new BakeTray([0])]);
        var map = (Bitmap8)Baker.Bake(input, new BakeSettings { Size = 200, Samples = 1, Dither = false, Maps = [BakeMap.Normal] }, 1, null,
            default).Maps[BakeMap.Normal];
        int change = Enumerable.Range(0, 200).First(x => map.Pixels[(150 * 200 + x) * 3] > 140);
        // Directions blend from straight up at x = -1 to the edge's; the ray that meets x = 0 at the lid's height left the table at the
        // solution of x + height·dx/dy = 0.
        var edge = Vector3.Normalize(Vector3.Lerp(Vector3.UnitY, Vector3.Normalize(Vector3.UnitX + Vector3.UnitY), (float)lean));
        double low = -1, high = 1;
        for (int step = 0; step < 60; step++)
        {
            double x = (low + high) / 2, share = (x + 1) / 2, slope = share * edge.X / (1 - share + share * edge.Y);
            (low, high) = x + Height * slope < 0 ? (x, high) : (low, x);
        }
        Assert.InRange(change, 100 + 100 * low - 1.5, 100 + 100 * low + 1.5);
        Assert.True(lean == 0 ? change is 99 or 100 or 101 : change < 97);
    }

    [Fact]
    public void A_cage_object_with_the_low_objects_faces_is_used_and_any_other_refused_with_the_reason()
    {
        var low = Ball("ball_low", 2, (_, p) => p);
        var cage = Ball("ball_cage", 2, (i, p) => p * (1.05f + 0.001f * (i % 7)));
        var settings = new PairSettings { Cage = CageKind.File };
        var used = Pair(low, low with { Name = "ball_high" }, settings, 0.01f, cage);
        Assert.Equal(CageKind.File, used.Report.Parts[0].Cage!.Kind);
        for (int c = 0; c < low.Corners.Length; c++)
            Assert.Equal(cage.PositionAt(c), used.Rays[0].Cage![c]);
        var refused = Pair(low, low with { Name = "ball_high" }, settings, 0.01f, Ball("ball_cage", 1, (_, p) => p));
        Assert.Equal(CageKind.Reach, refused.Report.Parts[0].Cage!.Kind);
        Assert.Contains(refused.Findings, f => f.Code == "cage-mismatch"
            && f.Sentence.Contains("32 triangles for a low object of 128", StringComparison.Ordinal));
        // What is written out comes back as what it was.
        var (report, rays) = Fit(low, Displaced(3), 0.001f);
        var exported = CageMatch.Object(low, RaysPreview.Starts(low, rays[0], report.Parts[0].OutwardReachMetres), "ball_cage");
        var again = Pair(low, Displaced(3), settings, 0.01f, exported);
        for (int c = 0; c < low.Corners.Length; c++)
            Assert.Equal(0, Vector3.Distance(rays[0].Cage![c], again.Rays[0].Cage![c]), 1e-6f);
    }

    [Fact]
    public void Rays_are_read_back_as_written()
    {
        var written = new Dictionary<int, LowRays>
        {
            [3] = new([Vector3.UnitX, Vector3.UnitY], null, [1, 2]),
            [1] = new([Vector3.UnitZ], [Vector3.One], [0.5f])
        };
        var read = RaysFile.Read(RaysFile.Write(written));
        Assert.Equal([1, 3], read.Keys.Order());
        Assert.Equal(written[1].Cage, read[1].Cage!);
        Assert.Null(read[3].Cage);
        Assert.Equal(written[3].Directions, read[3].Directions);
        Assert.Equal(written[3].Inward, read[3].Inward);
    }

    [Fact]
    public void A_shell_that_turns_inside_out_is_said_to_cross()
    {
        // A deep valley: its sides' cages run into each other.
        var valley = Shapes.WithFlatNormals(new Mesh
        {
            Name = "v_low",
            Positions = [new(-0.2f, 1, 0), new(-0.2f, 1, 1), new(0, 0, 0), new(0, 0, 1), new(0.2f, 1, 0), new(0.2f, 1, 1)],
            Corners = [0, 1, 3, 0, 3, 2, 2, 3, 5, 2, 5, 4],
            TriangleMaterials = [0, 0, 0, 0],
        });
        Assert.Equal(0, Pair(valley, valley with { Name = "v_high" }, new PairSettings(), 0.02f).Report.Parts[0].Cage!.Crossings);
        Assert.NotEqual(0, Pair(valley, valley with { Name = "v_high" }, new PairSettings { Direction = RayDirection.Split },
            0.1f).Report.Parts[0].Cage!.Crossings);
    }

    private static (PairReport Report, IReadOnlyDictionary<int, LowRays> Rays) Fit(Mesh low, Mesh high, float margin)
    {
        var result = Pair(low, high, new PairSettings { Cage = CageKind.Fitted, CageMarginMetres = margin }, 0.01f);
        return (result.Report, result.Rays);
    }

    private static PairResult Pair(Mesh low, Mesh high, PairSettings settings, float outward, Mesh? cage = null)
    {
        var names = NameReader.Create(Sides.DefaultPattern, new NameRules());
        Mesh[] meshes = cage is null ? [low, high] : [low, high, cage];
        var objects = meshes.Select(m => new ObjectReport("f", m.Name, names.Read(m.Name)!.Part, names.Read(m.Name)!.Side, m.TriangleCount, m.TriangleCount,
            m.Positions.Length, [], 1, true, false, [1, 1, 1])).ToArray();
        return PairsStation.Run(new PairInput(new MatchInput(objects, names), meshes, TrayMode.Planned, settings, outward, 0.02f) { Threads = 2 });
    }

    private static Mesh Displaced(int seed)
    {
        var random = new Random(seed);
        var waves = Enumerable.Range(0, 5).Select(_ =>
            (Way: new Vector3(random.NextSingle() - 0.5f, random.NextSingle() - 0.5f, random.NextSingle() - 0.5f) * (2 + 10 * random.NextSingle()),
            Phase: random.NextSingle() * 6, Height: 0.03f * random.NextSingle())).ToArray();
        return Ball("ball_high", 4, (_, p) => p * (1 + waves.Sum(w => w.Height * MathF.Sin(Vector3.Dot(w.Way, p) + w.Phase))));
    }

    /// <summary>An octahedron split and blown up to a ball of radius 1; each triangle has its own place on the sheet.</summary>
    private static Mesh Ball(string name, int splits, Func<int, Vector3, Vector3> move)
    {
        List<Vector3> positions = [Vector3.UnitX, Vector3.UnitY, Vector3.UnitZ, -Vector3.UnitX, -Vector3.UnitY, -Vector3.UnitZ];
        List<int> corners = [0, 1, 2, 1, 3, 2, 3, 4, 2, 4, 0, 2, 1, 0, 5, 3, 1, 5, 4, 3, 5, 0, 4, 5];
        for (int s = 0; s < splits; s++)
        {
            var middle = new Dictionary<(int, int), int>();
            corners = [.. Enumerable.Range(0, corners.Count / 3).SelectMany(t =>
            {
                int a = corners[3 * t], b = corners[3 * t + 1], c = corners[3 * t + 2], ab = Middle(a, b), bc = Middle(b, c), ca = Middle(c, a);
                return (int[])[a, ab, ca, ab, b, bc, ca, bc, c, ab, bc, ca];
            }).ToArray()];

            int Middle(int a, int b)
            {
                if (!middle.TryGetValue((Math.Min(a, b), Math.Max(a, b)), out int m))
                {
                    m = positions.Count;
                    positions.Add(Vector3.Normalize(positions[a] + positions[b]));
                    middle.Add((Math.Min(a, b), Math.Max(a, b)), m);
                }
                return m;
            }
        }
        int count = corners.Count / 3, across = (int)Math.Ceiling(Math.Sqrt(count));
        var uvs = corners.Select((_, c) => (
            new Vector2(c / 3 % across, c / 3 / across) + (c % 3) switch { 0 => new(0.1f, 0.1f), 1 => new Vector2(0.9f, 0.1f), _ => new(0.1f, 0.9f) }) / across)
            .ToArray();
        return new Mesh
        {
            Name = name,
            Positions = [.. positions.Select((p, i) => move(i, p))],
            Corners = [.. corners],
            UvSets = [uvs],
            TriangleMaterials = new int[count]
        };
    }

    /// <summary>Whether a point is inside a closed surface: a ray from it crosses it an odd number of times.</summary>
    private static bool IsInside(Vector3 point, Vector3[] surface)
    {
        int crossings = 0;
        double[] d = [0.2183, 0.7391, 0.6375];
        for (int t = 0; t < surface.Length; t += 3)
        {
            double[] e1 = Minus(surface[t + 1], surface[t]), e2 = Minus(surface[t + 2], surface[t]), s = Minus(point, surface[t]), h = Cross(d, e2),
                q = Cross(s, e1);
            double a = Dot(e1, h), u = Dot(s, h) / a, v = Dot(d, q) / a;
            if (u >= 0 && v >= 0 && u + v <= 1 && Dot(e2, q) / a > 0)
                crossings++;
        }
        return crossings % 2 == 1;

        static double[] Minus(Vector3 a, Vector3 b) => [(double)a.X - b.X, (double)a.Y - b.Y, (double)a.Z - b.Z];
        static double Dot(double[] a, double[] b) => a[0] * b[0] + a[1] * b[1] + a[2] * b[2];
        static double[] Cross(double[] a, double[] b) => [a[1] * b[2] - a[2] * b[1], a[2] * b[0] - a[0] * b[2], a[0] * b[1] - a[1] * b[0]];
    }

    /// <summary>
    /// No shell that holds these points has a smaller mean offset: the blend of offsets over a point must be its height, and the linear
    /// programme's dual is solved by the simplex method. Points lie over a ball, so weights and heights come from the cone through them.
    /// </summary>
    private static double LeastMeanOffset(Mesh ball, Vector3[] points)
    {
        int vertices = ball.Positions.Length;
        var columns = new List<(int[] V, double[] W, double Height)>();
        foreach (var p in points)
        {
            for (int t = 0; t < ball.TriangleCount; t++)
            {
                int[] v = [ball.Corners[3 * t], ball.Corners[3 * t + 1], ball.Corners[3 * t + 2]];
                double whole = Volume(ball.Positions[v[0]], ball.Positions[v[1]], ball.Positions[v[2]]);
                double[] w = [Volume(p, ball.Positions[v[1]], ball.Positions[v[2]]) / whole, Volume(ball.Positions[v[0]], p, ball.Positions[v[2]]) / whole,
                    Volume(ball.Positions[v[0]], ball.Positions[v[1]], p) / whole];
                double sum = w.Sum();
                if (w.Min() < -1e-9 || sum <= 1)
                    continue;
                columns.Add((v, [.. w.Select(x => x / sum)], sum - 1));
                break;
            }
        }
        // Greatest Σ height·y with Σ weight·y at most 1 at each vertex.
        int count = columns.Count;
        var table = new double[vertices + 1, count + vertices + 1];
        for (int j = 0; j < count; j++)
        {
            for (int k = 0; k < 3; k++)
                table[columns[j].V[k], j] += columns[j].W[k];
            table[vertices, j] = -columns[j].Height;
        }
        for (int i = 0; i < vertices; i++)
        {
            table[i, count + i] = 1;
            table[i, count + vertices] = 1;
        }
        int[] basis = [.. Enumerable.Range(count, vertices)];
        for (int pivot = 0; pivot < 5000; pivot++)
        {
            int enter = Enumerable.Range(0, count + vertices).MinBy(j => table[vertices, j]);
            if (table[vertices, enter] > -1e-12)
                break;
            int leave = -1;
            for (int i = 0; i < vertices; i++)
                if (table[i, enter] > 1e-7 && (leave < 0
                    || table[i, count + vertices] / table[i, enter] < table[leave, count + vertices] / table[leave, enter]))
                    leave = i;
            basis[leave] = enter;
            double by = table[leave, enter];
            for (int j = 0; j <= count + vertices; j++)
                table[leave, j] /= by;
            for (int i = 0; i <= vertices; i++)
            {
                double factor = table[i, enter];
                if (i == leave || factor == 0)
                    continue;
                for (int j = 0; j <= count + vertices; j++)
                    table[i, j] -= factor * table[leave, j];
            }
        }
        // Whatever rounding did: these weights, scaled until they are allowed, prove the bound.
        var load = new double[vertices];
        double value = 0;
        for (int i = 0; i < vertices; i++)
        {
            if (basis[i] >= count || table[i, count + vertices] <= 0)
                continue;
            var (v, w, height) = columns[basis[i]];
            value += height * table[i, count + vertices];
            for (int k = 0; k < 3; k++)
                load[v[k]] += w[k] * table[i, count + vertices];
        }
        return value / load.Max() / vertices;

        static double Volume(Vector3 a, Vector3 b, Vector3 c) =>
            (double)a.X * ((double)b.Y * c.Z - (double)b.Z * c.Y) + (double)a.Y * ((double)b.Z * c.X - (double)b.X * c.Z)
            + (double)a.Z * ((double)b.X * c.Y - (double)b.Y * c.X);
    }
}
