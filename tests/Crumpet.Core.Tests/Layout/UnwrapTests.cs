using System.Numerics;
using Crumpet.Core.Geometry;
using Crumpet.Core.Layout;
using Xunit;

namespace Crumpet.Core.Tests.Layout;

/// <summary>How surfaces are cut: known shapes by closed forms, any shape by what must always hold.</summary>
public sealed class UnwrapTests
{
    private static readonly LayoutSettings Anew = new() { Uvs = UvSource.Unwrap, Pack = true, PaddingPixels = 2, Unwrap = new() { CutForRoom = false } };

    [Theory]
    [InlineData(0)]
    [InlineData(1)]
    [InlineData(2)]
    [InlineData(3)]
    public void Islands_of_any_surface_lie_apart_even_and_unturned_on_the_sheet(int block)
    {
        Parallel.For(125 * block, 125 * block + 125, new ParallelOptions { MaxDegreeOfParallelism = 2 }, seed =>
        {
            Mesh[] meshes = seed % 5 == 4 ? [Surfaces.Lumpy(seed), Machined(seed)] : [seed % 2 == 0 ? Surfaces.Lumpy(seed) : Machined(seed)];
            var settings = Anew with
            {
                Draft = LayoutSettings.FirstDraft,
                Rotation = (PackRotation)(seed % 3),
                Unwrap = new UnwrapSettings { HardEdges = (HardEdgeRule)(seed % 3), CutAngleDegrees = seed % 7 == 0 ? 60 : 180 },
            };
            var result = Run(settings, 256, meshes);
            var report = result.Report;
            Assert.Equal(meshes.Sum(m => m.TriangleCount), report.Triangles);
            Assert.Equal((0, 0, 0, 0), (report.FlippedTriangles, report.OutsideTriangles, report.OverlappingPairs, report.OverlapTexels));
            Assert.True(report.DensitySpread < 0.005, $"surface {seed}: {report.DensitySpread} from even");
            Assert.True(LeastGap(meshes, result) * 256 > 2 - 1e-3, $"surface {seed}: islands {LeastGap(meshes, result) * 256} px apart");
        });
    }

    [Fact]
    public void A_closed_cylinder_is_a_strip_with_one_seam_and_two_whole_caps()
    {
        var charts = Charts(Cylinder(24, 1, 3), HardEdgeRule.Cut);
        double around = 48 * Math.Sin(Math.PI / 24);
        Assert.Equal(3, charts.Count);
        Assert.Equal(2 * around + 3, SeamMetres(charts), 4);
        Assert.All(charts, c => Assert.Equal(1, c.Stretch.Worst, 3));
    }

    [Fact]
    public void Tubes_and_cones_are_cut_once_along_their_side()
    {
        // Open ends are borders with one side, which counts half.
        double around = 48 * Math.Sin(Math.PI / 24);
        Assert.Equal(around + 3, SeamMetres([Assert.Single(Charts(Surfaces.Tube(24), HardEdgeRule.Cut))]), 4);
        var cone = Assert.Single(Charts(Surfaces.Cone(24), HardEdgeRule.Cut));
        Assert.Equal(1.3 * around / 2 + Math.Sqrt(4 + 0.49), SeamMetres([cone]), 3);
    }

    [Theory]
    [InlineData(HardEdgeRule.Cut, 6, 12)]
    [InlineData(HardEdgeRule.Free, 1, 7)]
    [InlineData(HardEdgeRule.Ignore, 1, 7)]
    public void A_box_unfolds_where_its_hard_edges_may_stay(HardEdgeRule rule, int islands, double metres)
    {
        var charts = Charts(Shapes.Cube("box"), rule);
        Assert.Equal(islands, charts.Count);
        Assert.Equal(metres, SeamMetres(charts), 5);
        Assert.All(charts, c => Assert.Equal(1, c.Stretch.Worst, 5));
    }

    [Fact]
    public void Fewer_seams_cost_stretch_and_more_seams_spare_it()
    {
        var ball = Input(Anew, 256, Shapes.Sphere("ball", 32, 16) with { Normals = null, UvSets = [] });
        SeamOutlook[] all = [.. new[] { 1.05f, 1.15f, 1.3f, 1.8f }
            .Select(limit => SeamOutlook.Of(ball with { Settings = Anew with { Unwrap = Anew.Unwrap with { StretchLimit = limit } } }))];
        Assert.True(all[0].SeamMetres > 1.3 * all[3].SeamMetres && all[0].Islands >= all[3].Islands);
        Assert.True(all[0].AngleStretch.Mean < all[3].AngleStretch.Mean);
        Assert.All(all.Zip([1.05, 1.15, 1.3, 1.8]), o => Assert.True(o.First.AngleStretch.Most - 1 <= 1.5 * (o.Second - 1)));
    }

    [Fact]
    public void A_mirror_image_is_cut_and_laid_as_its_like()
    {
        var lump = Surfaces.Lumpy(3);
        var mirrored = lump with
        {
            Name = "mirrored",
            Positions = Array.ConvertAll(lump.Positions, p => new Vector3(8 - p.X, p.Y, p.Z)),
            Corners = [.. Enumerable.Range(0, lump.TriangleCount)
                .SelectMany(t => new[] { lump.Corners[3 * t], lump.Corners[3 * t + 2], lump.Corners[3 * t + 1] })],
        };
        var result = Run(Anew, 256, lump, mirrored);
        Assert.Equal((0, 0), (result.Report.FlippedTriangles, result.Report.OverlapTexels));
        int half = result.Report.Islands / 2;
        Assert.All(Enumerable.Range(0, lump.TriangleCount), t => Assert.Equal(result.TriangleIslands[0][t] + half, result.TriangleIslands[1][t]));
    }

    [Fact]
    public void Seams_are_least_seen_in_the_shade_beneath_and_in_the_open_above()
    {
        // A floor that looks up, a ceiling far above a part of it that looks down, and a closed box no ray gets into.
        var floor = Shapes.Plane("floor", 2);
        var box = Shapes.Cube("box") with { Positions = Array.ConvertAll(Shapes.Cube("box").Positions, p => 4 * p + new Vector3(0, 0, 20)) };
        using var sight = new SeamSight([floor, box], 1, default);
        float open = sight.At(new Vector3(0, 0, 0), Vector3.UnitY), beneath = sight.At(new Vector3(0, -0.01f, 0), -Vector3.UnitY),
            wall = sight.At(new Vector3(0.5f, 5, 0), Vector3.UnitX);
        Assert.InRange(open, 0.9f, 1);
        Assert.InRange(beneath, 0.2f, 0.7f);
        Assert.InRange(wall, beneath, open);
        Assert.Equal(0, sight.At(new Vector3(0, 0, 20), Vector3.UnitY));
    }

    [Fact]
    public void What_hides_a_side_draws_the_seam_there()
    {
        // An upright tube before a wall: its one seam goes where the wall hides it.
        var tube = Surfaces.Tube(24) with { Name = "tube" };
        var wall = Surfaces.Grid(4, 4, (u, v) => new Vector3(-1.15f, 5 * v - 1, 6 * u - 3)) with { Name = "wall" };
        foreach (float side in (float[])[1, -1])
        {
            var turned = wall with { Positions = Array.ConvertAll(wall.Positions, p => new Vector3(side * p.X, p.Y, p.Z)) };
            var result = Run(Anew, 256, tube, turned);
            var corners = Enumerable.Range(0, tube.Corners.Length).GroupBy(c => tube.PositionAt(c))
                .Where(g => g.Key.Y is > 0.1f and < 2.9f && g.Select(c => result.Uvs[0][c]).Distinct().Count() > 1);
            Assert.NotEmpty(corners);
            Assert.All(corners, g => Assert.True(side * g.Key.X < -0.5f, $"the seam runs through {g.Key}"));
        }
    }

    [Fact]
    public void Large_islands_are_cut_where_the_sheet_fills_better_and_left_whole_on_request()
    {
        var torus = Surfaces.Torus(28, 14, 0.4f);
        var whole = Run(Anew, 256, torus).Report;
        var cut = Run(Anew with { Unwrap = Anew.Unwrap with { CutForRoom = true } }, 256, torus).Report;
        Assert.Equal(0, whole.RoomCuts);
        Assert.True(cut.RoomCuts > 0 && cut.Islands > whole.Islands);
        Assert.True(cut.RoomUsed > whole.RoomUsed + 0.03 && cut.MedianDensity > whole.MedianDensity);
    }

    [Fact]
    public void Cuts_are_read_as_they_were_written_and_only_for_triangles_that_hang_together_as_they_did()
    {
        var mesh = Surfaces.Lumpy(6);
        var surface = Whole(mesh);
        using var sight = new SeamSight([mesh], 1, default);
        var flats = Unwrapper.Unwrap([surface], sight, new UnwrapSettings(), double.PositiveInfinity, false, 1, _ => { }, default)[0];
        string text = LaidCuts.Write(surface, flats.Select(f => f.Chart))!;
        bool[] cuts = LaidCuts.Read(surface, text)!;
        foreach (var chart in flats.Select(f => f.Chart))
        {
            for (int c = 0; c < chart.Across.Length; c++)
                Assert.Equal(chart.Across[c] < 0, cuts[3 * chart.Triangles[c / 3] + c % 3]);
        }
        var again = Unwrapper.Unwrap([surface with { Known = cuts }], sight, new UnwrapSettings(), double.PositiveInfinity, false, 1, _ => { }, default)[0];
        Assert.Equal(flats.SelectMany(f => f.Uv), again.SelectMany(f => f.Uv));
        Assert.NotNull(LaidCuts.Read(Whole(mesh with { Positions = Array.ConvertAll(mesh.Positions, p => 1.004f * p) }), text));
        Assert.Null(LaidCuts.Read(Whole(Surfaces.Lumpy(10)), text));
        foreach (string odd in (string[])["", "AAAA", "no base 64", text[..12], System.Convert.ToBase64String([.. System.Convert.FromBase64String(text)[..8],
            .. Enumerable.Repeat((byte)255, 9)])])
            Assert.True(LaidCuts.Read(surface, odd) is null || odd.Length == 12);
    }

    [Fact]
    public void What_came_stays_to_the_bit_and_the_new_is_fitted_in_at_its_density_while_there_is_room()
    {
        var came = Shapes.Plane("came", 1, 0.1f, 0.5f);
        var small = Shapes.Cube("new") with { UvSets = [], Positions = Array.ConvertAll(Shapes.Cube("new").Positions, p => 0.4f * p) };
        var settings = new LayoutSettings { KeepsPlaces = true, PaddingPixels = 2 };
        var result = Run(settings, 256, came, small);
        Assert.Equal(came.Uvs, result.Uvs[0]);
        Assert.Equal(0, result.Report.OverlapTexels);
        Assert.Equal(0.4 * 256, result.Report.LeastDensity, 2);
        Assert.Equal(0.4 * 256, result.Report.GreatestDensity, 2);
        // One that finds no room at that density has all packed anew.
        var large = small with { Positions = Array.ConvertAll(small.Positions, p => 4 * p) };
        var anew = Run(settings, 256, came, large);
        Assert.NotEqual(came.Uvs, anew.Uvs[0]);
        Assert.Equal(0, anew.Report.OverlapTexels);
        Assert.True(anew.Report.DensitySpread < 0.005);
    }

    private static Surface Whole(Mesh mesh, HardEdgeRule rule = HardEdgeRule.Cut)
    {
        var topology = Topology.Of(mesh);
        var settings = new UnwrapSettings { HardEdges = rule };
        return new Surface(topology, [.. Enumerable.Range(0, mesh.TriangleCount)],
            new SeamPlan(SeamRules.Seams(topology, settings), SeamRules.Soft(topology, settings)));
    }

    private static IReadOnlyList<FlatChart> Charts(Mesh mesh, HardEdgeRule rule)
    {
        using var sight = new SeamSight([mesh], 1, default);
        return Unwrapper.Unwrap([Whole(mesh, rule)], sight, new UnwrapSettings { HardEdges = rule }, double.PositiveInfinity, false, 1, _ => { }, default)[0];
    }

    private static double SeamMetres(IReadOnlyList<FlatChart> charts) =>
        charts.Sum(f => Enumerable.Range(0, f.Chart.Across.Length).Sum(c => f.Chart.Across[c] < 0 ? f.Chart.Length(c) / 2.0 : 0));

    private static LayoutInput Input(LayoutSettings settings, int size, params Mesh[] meshes) =>
        new([.. meshes.Select(m => new LayoutObject(m, m.Name))], settings, size);

    private static LayoutResult Run(LayoutSettings settings, int size, params Mesh[] meshes) => LayoutStation.Run(Input(settings, size, meshes));

    private static Mesh Cylinder(int around, float radius, float height) => Surfaces.Grid(around, 5, (u, v) =>
    {
        var (sin, cos) = MathF.SinCos(2 * MathF.PI * (MathF.Round(u * around) % around) / around);
        int ring = (int)MathF.Round(5 * v);
        float r = ring is 0 or 5 ? 0 : radius;
        return new Vector3(r * cos, height * Math.Clamp(ring - 1, 0, 3) / 3, -r * sin);
    });

    /// <summary>A turned or a milled part out of a seed, some with flat normals.</summary>
    private static Mesh Machined(int seed)
    {
        float Draw(int i) => Shapes.Unit((uint)(7000 * seed + i));
        var plain = (seed / 2 % 3) switch
        {
            0 => Cylinder(6 + (int)(20 * Draw(1)), 0.2f + Draw(2), 0.1f + 3 * Draw(3)),
            1 => Box(new Vector3(0.1f + Draw(1), 0.1f + 2 * Draw(2), 0.1f + 4 * Draw(3))),
            _ => Surfaces.Torus(8 + (int)(12 * Draw(1)), 5 + (int)(7 * Draw(2)), 0.1f + 0.7f * Draw(3)),
        };
        plain = plain with { Name = "part", Normals = null };
        return seed % 4 == 1 ? Shapes.WithFlatNormals(plain) : plain;

        static Mesh Box(Vector3 size) => Shapes.Cube("part") with { Positions = Array.ConvertAll(Shapes.Cube("part").Positions, p => p * size) };
    }

    /// <summary>Least distance between borders of different islands, and twice that to the tile's border, in tiles: every pair of segments.</summary>
    private static double LeastGap(Mesh[] meshes, LayoutResult result)
    {
        var segments = new List<(int Island, Vector2 A, Vector2 B)>();
        for (int o = 0; o < meshes.Length; o++)
        {
            for (int c = 0; c < meshes[o].Corners.Length; c++)
                segments.Add((result.TriangleIslands[o][c / 3], result.Uvs[o][c], result.Uvs[o][Topology.Next(c)]));
        }
        // An edge inside an island is there from both sides.
        var outer = segments.GroupBy(s => (s.Island, Vector2.Min(s.A, s.B), Vector2.Max(s.A, s.B))).Where(g => g.Count() == 1).Select(g => g.First()).ToArray();
        double least = outer.Min(s => 2 * new[] { s.A.X, s.A.Y, 1 - s.A.X, 1 - s.A.Y }.Min());
        for (int i = 0; i < outer.Length; i++)
        {
            for (int j = i + 1; j < outer.Length; j++)
            {
                if (outer[i].Island != outer[j].Island)
                    least = new[] { least, Far(outer[i].A, outer[j]), Far(outer[i].B, outer[j]), Far(outer[j].A, outer[i]), Far(outer[j].B, outer[i]) }.Min();
            }
        }
        return least;

        static double Far(Vector2 p, (int Island, Vector2 A, Vector2 B) s)
        {
            var along = s.B - s.A;
            float share = along.LengthSquared() > 0 ? Math.Clamp(Vector2.Dot(p - s.A, along) / along.LengthSquared(), 0, 1) : 0;
            return Vector2.Distance(p, s.A + share * along);
        }
    }
}
