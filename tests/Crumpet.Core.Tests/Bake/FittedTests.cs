using System.Numerics;
using Crumpet.Core.Bake;
using Crumpet.Core.Geometry;
using Crumpet.Core.Imaging;
using Crumpet.Core.Pairs;
using Crumpet.Core.Tracing;
using Xunit;

namespace Crumpet.Core.Tests.Bake;

/// <summary>Lengths that nobody typed go by the part, from a pebble to a boulder.</summary>
public sealed class FittedTests
{
    private static BakeSettings Settings(params BakeMap[] maps) => new() { Size = 128, Samples = 1, Maps = maps, PaddingPixels = 0 };

    private static Mesh Scaled(Mesh mesh, Func<Vector3, float> by) =>
        mesh with { Positions = Array.ConvertAll(mesh.Positions, p => p * by(p)), Normals = null };

    /// <summary>A ball with dents and bumps, as no scan is smoother.</summary>
    private static float Rough(Vector3 p, float size)
    {
        var n = Vector3.Normalize(p);
        float h = 0;
        for (int k = 1; k < 6; k++)
        {
            float q = MathF.Pow(2.1f, k) * 0.7f;
            h += 0.3f * MathF.Pow(1.6f, -k) * MathF.Sin(q * n.X * 1.3f + k + MathF.Cos(q * n.Y + k)) * MathF.Sin(q * n.Y * 1.1f + 2 * k + MathF.Cos(q * n.Z))
                * MathF.Cos(q * n.Z + k);
        }
        return size * (1 + h) / p.Length();
    }

    [Theory]
    [InlineData(0.0008f)]
    [InlineData(0.05f)]
    [InlineData(2.4f)]
    [InlineData(90f)]
    public void Whatever_the_size_of_a_rough_thing_every_ray_finds_it_and_no_point_is_told_outside(float size)
    {
        Mesh low = Scaled(Shapes.Sphere("low", 24, 12), p => Rough(p, size)), high = Scaled(Shapes.Sphere("high", 256, 128), p => Rough(p, size));
        var result = Bakes.Of(Settings(BakeMap.Normal), low, high);
        Assert.True(result.CoveredTexels > 5000);
        Assert.DoesNotContain(result.Faults, f => f.Kind is FaultKind.Miss or FaultKind.BackFace or FaultKind.ReachExhausted);
        foreach (var kind in (CageKind[])[CageKind.Reach, CageKind.Fitted])
        {
            var answer = PartRays.Build(new RaysSettings(kind, RayDirection.Smooth, 0, null, null, 0.0005f * size, []), [low], SurfaceTree.Build([high]), [], 2,
                default);
            Assert.Equal(0, answer.Report.Outside);
            var part = new BakePart("part", [low], [high])
            {
                Rays = answer.Rays,
                EndsAreFitted = kind == CageKind.Fitted,
                OutwardReachMetres = answer.Report.Reach.OutwardReachMetres,
                InwardReachMetres = answer.Report.Reach.InwardReachMetres
            };
            var caged = Baker.Bake(new BakeInput("sheet", [part], [new BakeTray([0])]), Settings(BakeMap.Normal), 2, null, default);
            Assert.DoesNotContain(caged.Faults, f => f.Kind is FaultKind.Miss or FaultKind.BackFace or FaultKind.ReachExhausted);
        }
    }

    [Theory]
    [InlineData(0.002f)]
    [InlineData(0.3f)]
    [InlineData(12f)]
    public void The_reach_is_the_distance_to_the_high_side_and_a_little_more(float radius)
    {
        Mesh low = Scaled(Shapes.Sphere("low", 64, 32), _ => radius), outside = Scaled(Shapes.Sphere("high", 256, 128), _ => 1.04f * radius),
            inside = Scaled(Shapes.Sphere("high", 256, 128), _ => 0.97f * radius);
        var over = Reach(low, outside);
        Assert.InRange(over.OutwardReachMetres / radius, 0.04f, 0.055f);
        Assert.InRange(over.InwardReachMetres / radius, 0, 0.01f);
        var under = Reach(low, inside);
        Assert.InRange(under.InwardReachMetres / radius, 0.03f, 0.045f);
        Assert.InRange(under.OutwardReachMetres / radius, 0, 0.01f);

        static ReachSettings Reach(Mesh low, Mesh high) => PartRays.Build(
            new RaysSettings(CageKind.Reach, RayDirection.Smooth, 0, null, null, 0, []), [low], SurfaceTree.Build([high]), [], 2, default).Report.Reach;
    }

    [Fact]
    public void What_belongs_to_another_place_makes_no_reach()
    {
        // A plate with a lid 0.6 m above it and a floor 0.7 m below: neither is the plate's surface.
        var grid = Shapes.Grid("high", 20);
        Mesh At(float y) => grid with { Positions = Array.ConvertAll(grid.Positions, p => p with { Y = y }) };
        var answer = PartRays.Build(new RaysSettings(CageKind.Reach, RayDirection.Smooth, 0, null, null, 0, []), [Shapes.Plane("low")],
            SurfaceTree.Build([At(0.004f), At(0.6f), At(-0.7f)]), [], 2, default);
        Assert.InRange(answer.Report.Reach.OutwardReachMetres, 0.004f, 0.0065f);
        Assert.InRange(answer.Report.Reach.InwardReachMetres, 0, 0.0065f);
    }

    [Theory]
    [InlineData(0.01f)]
    [InlineData(1f)]
    public void Thickness_and_curvature_fill_their_scale_at_any_size(float radius)
    {
        var ball = Scaled(Shapes.Sphere("ball", 96, 48), _ => radius) with { Normals = null };
        var result = Bakes.Of(Settings(BakeMap.Thickness, BakeMap.Curvature) with { ThicknessRays = 256 }, ball, ball);
        // The mean way through a ball is 4/3 of its radius; its curvature is 1/r everywhere.
        var thickness = result.Scales.Single(s => s.Map == BakeMap.Thickness);
        Assert.InRange(thickness.To[0] / radius, 4 / 3f, 1.7f);
        Assert.InRange(result.Scales.Single(s => s.Map == BakeMap.Curvature).To[0] * radius, 0.9f, 1.3f);
        var codes = Bakes.Covered(result).Select(t => result.Maps[BakeMap.Thickness].Unit(t.X, t.Y, 0) * thickness.To[0] / radius).Order().ToArray();
        Assert.InRange(codes[codes.Length / 2], 1.28f, 1.38f);
        Assert.True(Bakes.Covered(result).Average(t => result.Maps[BakeMap.Curvature].Unit(t.X, t.Y, 0)) > 0.85);
    }

    [Fact]
    public void Fitted_occlusion_reaches_as_far_as_the_part_is_large()
    {
        // A wall half the part's size away shades it, the same wall ten sizes away does not.
        Mesh floor = Shapes.Plane("floor"), near = Shapes.Plane("lid", 20, height: 0.7f), far = Shapes.Plane("lid", 500, height: 10);
        float Openness(Mesh lid)
        {
            BakePart[] parts = [new("floor", [floor], [floor]), new("lid", [Shapes.Plane("low", uvFrom: 2, uvTo: 3)], [lid])];
            return Baker.Bake(new BakeInput("sheet", parts, [new BakeTray([0, 1])]), Settings(BakeMap.Occlusion), 2, null, default).Maps[BakeMap.Occlusion]
                .Unit(64, 64, 0);
        }
        Assert.InRange(Openness(near), 0, 0.55f);
        Assert.Equal(1, Openness(far));
    }

    [Fact]
    public void A_missed_texel_takes_the_nearest_surface_where_that_is_asked()
    {
        // The high side has a round hole; its rim is the nearest surface to every texel over it.
        var grid = Shapes.Grid("high", 40);
        var holed = MeshRepair.Keep(grid, t => (grid.PositionAt(3 * t) with { Y = 0 }).Length() > 0.2f, out _);
        var settings = Settings(BakeMap.Position, BakeMap.Height) with { Files = new Dictionary<BakeMap, MapFile> { [BakeMap.Position] = MapFile.Exr } };
        var open = Bakes.Of(settings, Shapes.Plane("low"), holed);
        var filled = Bakes.Of(settings with { FillsMisses = true }, Shapes.Plane("low"), holed);
        int missed = open.Faults.Where(f => f.Kind == FaultKind.Miss).Sum(f => f.Texels);
        Assert.True(missed > 1000);
        Assert.DoesNotContain(filled.Faults, f => f.Kind == FaultKind.Miss);
        var region = Assert.Single(filled.Faults, f => f.Kind == FaultKind.Filled);
        Assert.Equal(missed, region.Texels);
        Assert.InRange(region.FilledFromMetres, 0.17f, 0.23f);
        var tree = SurfaceTree.Build([holed]);
        foreach (var (x, y) in Bakes.Covered(filled).Where((_, i) => i % 37 == 0))
        {
            var asked = new Vector3((x + 0.5f) / 128 - 0.5f, 0, (y + 0.5f) / 128 - 0.5f);
            var at = Bakes.At(filled.Maps[BakeMap.Position], x, y);
            Assert.InRange(Vector3.Distance(asked, at) - tree.Nearest(asked, 10).Distance, -1e-4f, 1e-4f);
        }
        var context = new FaultContext("s", 10000, [new PartRow("part", [0], [1], 0)], TrayMode.One, [], 128);
        var finding = Assert.Single(FaultFindings.Explain(filled.Faults, context));
        Assert.Equal(("filled", Severity.Note, false), (finding.Code, finding.Severity, finding.SpoilsMaps));
    }

    [Fact]
    public void A_reach_is_tried_before_it_is_offered_and_says_what_it_cures()
    {
        // Half the part's surface stands 30 mm above the low side, out of reach.
        var grid = Shapes.Grid("high", 32);
        var stepped = grid with { Positions = Array.ConvertAll(grid.Positions, p => p with { Y = p.X > 0 ? 0.03f : 0 }) };
        var settings = Settings(BakeMap.Normal) with { OutwardReachMetres = 0.01f, InwardReachMetres = 0.01f };
        var before = Bakes.Of(settings, Shapes.Plane("low"), stepped);
        var region = before.Faults.Where(f => f.Kind == FaultKind.Miss).MaxBy(f => f.Texels)!;
        var trial = region.Trial!;
        Assert.True(trial.Helps);
        Assert.Equal(before.Faults.Where(f => f.Kind == FaultKind.Miss).Sum(f => f.Texels), trial.Texels);
        // What it says is what baking with it gives.
        var after = Bakes.Of(settings with { OutwardReachMetres = trial.OutwardMetres, InwardReachMetres = trial.InwardMetres ?? 0.01f },
            Shapes.Plane("low"), stepped);
        Assert.Equal(trial.Texels - trial.Cured, after.Faults.Where(f => f.Kind == FaultKind.Miss).Sum(f => f.Texels));
        Assert.Equal(0, trial.Spoiled);
        PartRow row = new("part", [0], [1], 0) { OutwardReachMetres = 0.01f, InwardReachMetres = 0.01f };
        var finding = FaultFindings.Explain(before.Faults, new FaultContext("s", 10000, [row], TrayMode.One, [], 128)).Single(f => f.Code == "miss");
        Assert.StartsWith($"cures {trial.Cured} of {trial.Texels} texels", finding.Mends[0].Effect, StringComparison.Ordinal);
    }

    [Fact]
    public void What_makes_more_wrong_than_right_is_not_offered()
    {
        var worse = new FaultTrial(100, 40, 5000, 60) { OutwardMetres = 0.05f };
        FaultRegion[] faults = [new(FaultKind.Miss, "part", "", 100, 0, 0, 9, 9) { Trial = worse, NeedsOutwardMetres = 0.05f }];
        PartRow row = new("part", [0], [1], 0) { OutwardReachMetres = 0.01f, InwardReachMetres = 0.01f };
        var context = new FaultContext("s", 10000, [row], TrayMode.One, [], 128);
        Assert.DoesNotContain(Assert.Single(FaultFindings.Explain(faults, context)).Mends, m => m.Mend is WidenReach);
        Assert.Contains(Assert.Single(FaultFindings.Explain([faults[0] with { Trial = worse with { Spoiled = 0 } }], context)).Mends,
            m => m.Mend is WidenReach);
        // Cured of a miss and skewed instead is no cure.
        Assert.False((worse with { Spoiled = 0, Skewed = 40 }).Helps);
    }

    [Fact]
    public void Turning_faces_is_offered_where_most_look_inwards_and_not_for_stray_ones()
    {
        var grid = Shapes.Grid("high", 20);
        Mesh Turned(Func<int, bool> which) => grid with
        {
            Corners = [.. Enumerable.Range(0, grid.TriangleCount).SelectMany(t => which(t)
                ? new[] { grid.Corners[3 * t], grid.Corners[3 * t + 2], grid.Corners[3 * t + 1] } : grid.Corners[(3 * t)..(3 * t + 3)])],
            Normals = null,
        };
        var context = new FaultContext("s", 10000, [new PartRow("part", [0], [1], 0)], TrayMode.One,
            [.. Enumerable.Range(0, 2).Select(i => new Core.Intake.ObjectReport("f", $"o{i}", "part", Core.Intake.Side.High, 1, 1, 1, [], 1, true, false,
                [1, 1, 1]))], 128);
        Finding Told(Mesh high) => FaultFindings.Explain(Bakes.Of(Settings(BakeMap.Normal), Shapes.Plane("low"), high).Faults, context)
            .Single(f => f.Code == "back-face");
        Assert.Contains(Told(Turned(_ => true)).Mends, m => m.Mend is Core.Intake.TurnFaces);
        var stray = Told(Turned(t => t is > 200 and < 240));
        Assert.DoesNotContain(stray.Mends, m => m.Mend is Core.Intake.TurnFaces);
        Assert.Contains("single faces look inwards", stray.Sentence, StringComparison.Ordinal);
    }

    [Fact]
    public void A_scale_that_a_map_does_not_use_is_told_with_one_that_it_would()
    {
        var spread = MapSpread.Of([[.. Enumerable.Range(0, 1000).Select(i => i * 0.01f / 1000)]]);
        Assert.InRange(spread.Below(0.5), 0.005f, 0.0056f);
        Assert.Equal(0.00999f, spread.Greatest, 6);
        var unused = MapScales.Judge(BakeMap.Thickness, 0.5f, spread)!;
        Assert.Equal("scale-unused", unused.Code);
        Assert.Contains("10 mm", unused.Sentence, StringComparison.Ordinal);
        Assert.Equal("scale-short", MapScales.Judge(BakeMap.Thickness, 0.004f, spread)!.Code);
        Assert.Null(MapScales.Judge(BakeMap.Thickness, 0.012f, spread));
        // Curvature is told as the radius of a sphere.
        var bends = MapSpread.Of([[.. Enumerable.Range(0, 1000).Select(i => -0.4f * i / 1000)]]);
        Assert.Equal("scale-unused", MapScales.Judge(BakeMap.Curvature, 0.005f, bends)!.Code);
        Assert.Null(MapScales.Judge(BakeMap.Curvature, MapScales.Fitting(BakeMap.Curvature, bends), bends));
        var fitted = MapScales.Unset(BakeMap.Curvature, new BakeSettings { CurvatureFullRadiusMetres = 0.005f });
        Assert.Null(fitted.CurvatureFullRadiusMetres);
        Assert.Null(MapScales.Judge(BakeMap.Thickness, 0.5f, MapSpread.Of([])));
    }

    [Fact]
    public void Spreads_add_up_and_hold_what_is_as_good_as_nothing()
    {
        MapSpread one = MapSpread.Of([[0, 0, 1]]), two = MapSpread.Of([[-2, float.NaN]]), sum = MapSpread.Sum([one, null, two]);
        Assert.Equal((2f, 4), (sum.Greatest, sum.Texels.Values.Sum()));
        Assert.Equal(0, sum.Below(0.5));
        Assert.Equal(2, sum.Below(1));
        Assert.Equal(0, MapSpread.Sum([]).Below(0.98));
    }

    [Theory]
    [InlineData(0.0123f, 0.013f, 0.012f)]
    [InlineData(0.012f, 0.012f, 0.012f)]
    [InlineData(999f, 1000f, 990f)]
    [InlineData(0, 0, 0)]
    public void Measured_lengths_are_rounded_to_two_digits(float metres, float up, float down)
    {
        Assert.Equal(up, Lengths.RoundedUp(metres), 6);
        Assert.Equal(down, Lengths.RoundedDown(metres), 6);
        Assert.Equal(Lengths.RoundedUp(metres), Lengths.RoundedUp(Lengths.RoundedUp(metres)), 6);
    }
}
