using System.Numerics;
using Crumpet.Core.Geometry;
using Crumpet.Core.Layout;
using Xunit;

namespace Crumpet.Core.Tests.Layout;

public sealed class PackingTests
{
    // Quarter turns are found in a fraction of the time; what any turn may do to distances and threads is tested with any turn.
    private static readonly LayoutSettings Anew = new() { Uvs = UvSource.Unwrap, Pack = true, Rotation = PackRotation.Quarter };

    private static readonly Lazy<LayoutResult> Even = new(() => Run(Anew, 128, Mixed()));

    [Theory]
    [InlineData(PackRotation.Free, 8)]
    [InlineData(PackRotation.Quarter, 5)]
    [InlineData(PackRotation.None, 3)]
    public void No_two_islands_are_nearer_than_asked_texel_by_texel(PackRotation rotation, int padding)
    {
        const int size = 256;
        var result = Run(Anew with { Rotation = rotation, PaddingPixels = padding }, size, Mixed());
        int[] owner = Raster(result, size);
        var at = new List<(int X, int Y, int Owner)>();
        for (int i = 0; i < owner.Length; i++)
        {
            if (owner[i] >= 0)
                at.Add((i % size, i / size, owner[i]));
        }
        Assert.True(at.Select(a => a.Owner).Distinct().Count() > 10);
        foreach (var (x, y, mine) in at)
        {
            // A texel's centre is half a texel from the tile's border at least.
            Assert.InRange(x + 0.5, padding, size - padding);
            Assert.InRange(y + 0.5, padding, size - padding);
            for (int dy = -padding; dy <= padding; dy++)
            {
                for (int dx = -padding; dx <= padding; dx++)
                {
                    if (dx * dx + dy * dy >= padding * padding || x + dx < 0 || y + dy < 0 || x + dx >= size || y + dy >= size)
                        continue;
                    int other = owner[(y + dy) * size + x + dx];
                    Assert.True(other < 0 || other == mine, $"islands {mine} and {other} are {Math.Sqrt(dx * dx + dy * dy):0.0} px apart");
                }
            }
        }
        Assert.InRange(result.Report.PaddingPixels, padding - 1e-3, padding + 3);
    }

    [Fact]
    public void Even_means_even()
    {
        var report = Even.Value.Report;
        Assert.All(report.Each, i => Assert.InRange(i.Density / report.MedianDensity, 0.995, 1.005));
        Assert.InRange(report.DensitySpread, 0, 0.005);
        Assert.Equal((0, 0, 0, 0), (report.OverlapTexels, report.FlippedTriangles, report.OutsideTriangles, report.StackedIslands));
    }

    [Fact]
    public void The_density_asked_for_is_the_density_got()
    {
        var result = Run(Anew with { PixelsPerMetre = 8 }, 128, Mixed());
        Assert.InRange(result.Report.MedianDensity, 7.99, 8.01);
        var dense = Run(Anew with { PixelsPerMetre = 5000 }, 192, Mixed());
        Assert.Contains(dense.Findings, f => f.Code == "density-not-reached");
        Assert.True(dense.Report.MedianDensity < 5000);
    }

    [Fact]
    public void Weights_make_a_part_as_much_sharper()
    {
        var settings = Anew.With("tube", new PartLayout { Weight = 2 });
        var result = Run(settings, 128, Mixed());
        double tube = Density(result, "tube"), torus = Density(result, "torus");
        Assert.InRange(tube / torus, 1.99, 2.01);
        Assert.InRange(result.Report.DensitySpread, 0, 0.005);
    }

    [Fact]
    public void Slack_fills_more_and_no_part_leaves_its_bounds_or_its_proportions()
    {
        var even = Even.Value.Report;
        var result = Run(Anew with { SlackPercent = 15 }, 128, Mixed());
        var slack = Assert.IsType<SlackReport>(result.Report.Slack);
        Assert.True(slack.RoomAfter > slack.RoomBefore);
        Assert.Equal(even.RoomUsed, slack.RoomBefore, 1e-9);
        Assert.Equal(result.Report.RoomUsed, slack.RoomAfter, 1e-9);
        foreach (var part in result.Report.Each.GroupBy(i => i.ObjectNumber))
        {
            Assert.InRange(part.Max(i => i.Density) / part.Min(i => i.Density), 1, 1.005);
            Assert.InRange(part.First().Density / even.MedianDensity, 0.849, 1.151);
        }
        Assert.NotNull(result.EvenUvs);
    }

    [Fact]
    public void Threads_change_nothing()
    {
        var one = LayoutStation.Run(Input(Anew with { SlackPercent = 10, Rotation = PackRotation.Free }, 96, Mixed()) with { Threads = 1 });
        var two = LayoutStation.Run(Input(Anew with { SlackPercent = 10, Rotation = PackRotation.Free }, 96, Mixed()) with { Threads = 2 });
        Assert.Equal(one.Uvs.SelectMany(u => u), two.Uvs.SelectMany(u => u));
        Assert.Equal(one.TriangleIslands.SelectMany(u => u), two.TriangleIslands.SelectMany(u => u));
    }

    [Fact]
    public void Equal_islands_are_stacked_a_tile_aside_on_demand()
    {
        var mesh = Surfaces.Tube(12) with { Name = "one" };
        var copy = mesh with
        {
            Name = "two",
            Positions = Array.ConvertAll(mesh.Positions,
            p => Vector3.Transform(p, Matrix4x4.CreateRotationX(1) * Matrix4x4.CreateTranslation(9, 0, 0)))
        };
        var apart = Run(Anew, 512, mesh, copy);
        Assert.Equal((0, apart.Report.Islands), (apart.Report.StackedIslands, apart.Report.Each.Count));
        var stacked = Run(Anew with { StackEqual = true }, 512, mesh, copy);
        Assert.Equal(stacked.Report.Islands / 2, stacked.Report.StackedIslands);
        for (int c = 0; c < mesh.Corners.Length; c++)
            Assert.True(Vector2.Distance(stacked.Uvs[0][c] + Vector2.UnitX, stacked.Uvs[1][c]) < 1e-5f);
        Assert.Equal((0, 0), (stacked.Report.OutsideTriangles, stacked.Report.OverlapTexels));
    }

    [Fact]
    public void Uvs_that_are_kept_are_kept_to_the_bit_and_packed_ones_keep_their_shapes()
    {
        Mesh[] low = [.. Demo.CupAnemometer.Low().Meshes.Where(m => m.Name.StartsWith("arm", StringComparison.Ordinal))];
        var kept = Run(new LayoutSettings(), 384, low);
        for (int i = 0; i < low.Length; i++)
            Assert.Equal(low[i].Uvs, kept.Uvs[i]);
        Assert.True(kept.Report.StackedIslands > 0);
        var packed = Run(new LayoutSettings { Pack = true }, 384, low);
        Assert.Equal((kept.Report.Islands, kept.Report.AngleStretch.Most), (packed.Report.Islands, Math.Round(packed.Report.AngleStretch.Most, 12)),
            new Near());
        Assert.InRange(packed.Report.DensitySpread, 0, 0.005);
        Assert.Equal(0, packed.Report.OverlapTexels);
    }

    [Fact]
    public void Locked_islands_stay_and_the_others_keep_clear_of_them()
    {
        Mesh[] meshes = [Shapes.Plane("fixed", uvFrom: 0.3f, uvTo: 0.5f), .. Mixed()];
        var held = HeldIsland.At(meshes, [new SurfaceSpot("fixed", 0, 0, 0)], false).ToList();
        var result = Run((Anew with { PaddingPixels = 4 }).With("fixed", new PartLayout { Uvs = UvSource.Keep }).Locked(held), 256, meshes);
        Assert.All(meshes[0].Uvs!.Zip(result.Uvs[0]), uv => Assert.True(Vector2.Distance(uv.First, uv.Second) < 1e-6f));
        Assert.Equal(0, result.Report.OverlapTexels);
        Assert.InRange(result.Report.PaddingPixels, 4 - 1e-3, 32);
        Assert.InRange(result.Report.MedianDensity, 0, 0.2 * 256 * 1.001);
    }

    [Fact]
    public void Materials_have_sheets_of_their_own_and_parts_can_share_several()
    {
        Mesh[] meshes = Mixed();
        meshes[1] = meshes[1] with { TriangleMaterials = [.. Enumerable.Repeat(1, meshes[1].TriangleCount)] };
        var split = Run(Anew, 128, meshes);
        Assert.Equal([0, 1], split.Report.Sheets.Select(s => s.Material ?? -1));
        Assert.All(split.TriangleSheets[1], s => Assert.Equal(1, s));
        Assert.InRange(split.Report.DensitySpread, 0, 0.005);
        var shared = Run((Anew with { Sheets = SheetRule.Together, SheetCount = 2 }).With("tube", new PartLayout { Sheet = 1 }), 128, meshes);
        Assert.Equal(2, shared.Report.Sheets.Count);
        Assert.All(shared.TriangleSheets[Array.FindIndex(meshes, m => m.Name == "tube")], s => Assert.Equal(1, s));
        Assert.True(shared.Report.MedianDensity > 1.1 * Run(Anew with { Sheets = SheetRule.Together }, 128, meshes).Report.MedianDensity);
    }

    [Fact]
    public void Edges_are_cut_and_sewn_up_by_hand_and_one_island_alone_is_unwrapped_again()
    {
        var cube = Shapes.Cube("cube");
        Assert.Equal(6, Run(Anew, 128, cube).Report.Islands);
        var edge = new SeamEdge("cube", -0.5f, 0.5f, 0.5f, 0.5f, 0.5f, 0.5f, IsCut: false);
        Assert.Equal(5, Run(Anew with { Seams = [edge] }, 128, cube).Report.Islands);
        var plane = Shapes.Grid("grid", 4);
        SeamEdge[] line = [.. Enumerable.Range(0, 4).Select(i => new SeamEdge("grid", 0, 0, 0.5f - i / 4f, 0, 0, 0.25f - i / 4f, IsCut: true))];
        Assert.Equal(2, Run(Anew with { Seams = line }, 128, plane).Report.Islands);
        var kept = Run(new LayoutSettings { Pack = true, UnwrapAt = [new SurfaceSpot("cube", 0, 0.5f, 0)] }, 128, cube);
        Assert.Equal(6, kept.Report.Islands);
    }

    [Fact]
    public void What_does_not_fit_is_said_and_cancelling_ends_the_work()
    {
        var result = Run(Anew with { PaddingPixels = 250 }, 512, Mixed());
        Assert.Contains(result.Findings, f => f is { Severity: Severity.Stop, Code: "does-not-fit" });
        using var cancel = new CancellationTokenSource();
        cancel.Cancel();
        Assert.Throws<OperationCanceledException>(() => LayoutStation.Run(Input(Anew, 512, Mixed()), null, cancel.Token));
    }

    [Fact]
    public void Thousands_of_islands_lie_apart_and_on_any_number_of_threads_the_same()
    {
        // More than an order is looked for: loose kites, no two alike.
        const int count = LayoutSettings.ManyIslands + 100;
        var positions = new Vector3[4 * count];
        for (int i = 0; i < positions.Length; i++)
        {
            float way = 0.1f + 0.3f * Shapes.Unit((uint)i), turn = i % 4 * MathF.PI / 2;
            positions[i] = new Vector3(2 * (i / 4) + way * MathF.Cos(turn), 0, -way * MathF.Sin(turn));
        }
        var mesh = new Mesh
        {
            Name = "kites",
            Positions = positions,
            Corners = [.. Enumerable.Range(0, count).SelectMany(k => new[] { 0, 1, 2, 0, 2, 3 }.Select(c => 4 * k + c))],
            TriangleMaterials = new int[2 * count],
        };
        const int size = 512;
        var input = Input(Anew with { PaddingPixels = 2 }, size, mesh);
        var result = LayoutStation.Run(input);
        Assert.Equal(count, result.Report.Islands);
        Assert.InRange(result.Report.RoomUsed, 0.6, 1);
        Assert.Equal((0, 0), (result.Report.OverlappingPairs, result.Report.OverlapTexels));
        Assert.InRange(result.Report.DensitySpread, 0, 0.005);
        Assert.Equal(result.Uvs[0], LayoutStation.Run(input with { Threads = 1 }).Uvs[0]);
    }

    [Theory]
    [InlineData(0)]
    [InlineData(10)]
    public void What_is_told_of_the_work_never_goes_back(float slack)
    {
        // Two sheets, which are packed twice over.
        var meshes = Mixed().Select((m, i) => m with { TriangleMaterials = [.. m.TriangleMaterials.Select(_ => i % 2)] }).ToArray();
        var told = new Told();
        LayoutStation.Run(Input(Anew with { SlackPercent = slack }, 256, meshes), told);
        Assert.True(told.Shares.Count > 50);
        Assert.Equal(told.Shares.Order(), told.Shares);
        Assert.InRange(told.Shares[^1], 0.9, 1);
    }

    private sealed class Told : IProgress<Progress>
    {
        public List<double> Shares { get; } = [];

        public void Report(Progress value) => Shares.Add(value.Fraction);
    }

    private static Mesh[] Mixed() =>
    [
        Surfaces.Tube(16) with { Name = "tube" },
        Surfaces.Torus(24, 10) with { Name = "torus" },
        Surfaces.Hemisphere(16, 5) with { Name = "bowl" },
        Shapes.Cube("cube"),
        Surfaces.Cone(14) with { Name = "cone" },
    ];

    private static double Density(LayoutResult result, string name) =>
        result.Report.Each.First(i => result.Report.Each.Count > 0 && i.ObjectNumber == Array.FindIndex(Mixed(), m => m.Name == name)).Density;

    private static LayoutInput Input(LayoutSettings settings, int size, params Mesh[] meshes) =>
        new([.. meshes.Select(m => new LayoutObject(m, m.Name))], settings, size) { Threads = 2 };

    private static LayoutResult Run(LayoutSettings settings, int size, params Mesh[] meshes) => LayoutStation.Run(Input(settings, size, meshes));

    /// <summary>Island of each texel by its centre, with a point-in-triangle test of its own.</summary>
    private static int[] Raster(LayoutResult result, int size)
    {
        int[] owner = [.. Enumerable.Repeat(-1, size * size)];
        for (int o = 0; o < result.Uvs.Count; o++)
        {
            for (int t = 0; t < result.TriangleIslands[o].Length; t++)
            {
                Vector2 a = result.Uvs[o][3 * t] * size, b = result.Uvs[o][3 * t + 1] * size, c = result.Uvs[o][3 * t + 2] * size;
                Vector2 least = Vector2.Min(a, Vector2.Min(b, c)), most = Vector2.Max(a, Vector2.Max(b, c));
                for (int y = Math.Max(0, (int)least.Y); y <= Math.Min(size - 1, (int)most.Y); y++)
                {
                    for (int x = Math.Max(0, (int)least.X); x <= Math.Min(size - 1, (int)most.X); x++)
                    {
                        var p = new Vector2(x + 0.5f, y + 0.5f);
                        if (Side(a, b, p) >= 0 && Side(b, c, p) >= 0 && Side(c, a, p) >= 0)
                            owner[y * size + x] = result.TriangleIslands[o][t];
                    }
                }
            }
        }
        return owner;

        static float Side(Vector2 a, Vector2 b, Vector2 p) => (b.X - a.X) * (p.Y - a.Y) - (b.Y - a.Y) * (p.X - a.X);
    }

    private sealed class Near : IEqualityComparer<(int Islands, double Stretch)>
    {
        public bool Equals((int Islands, double Stretch) x, (int Islands, double Stretch) y) =>
            x.Islands == y.Islands && Math.Abs(x.Stretch - y.Stretch) < 1e-4;

        public int GetHashCode((int Islands, double Stretch) value) => value.Islands;
    }
}
