using System.Numerics;
using Crumpet.Core.Building;
using Crumpet.Core.Geometry;
using Crumpet.Core.Intake;
using Xunit;

namespace Crumpet.Core.Tests.Intake;

/// <summary>What lies too far away, or comes in too many pieces, is left out, said, and mended with one press.</summary>
public sealed class FarTests
{
    [Theory]
    [InlineData(1e33f)]
    [InlineData(9e18f)]
    [InlineData(1e12f)]
    [InlineData(2.1e6f)]
    public void What_reaches_too_far_stops_intake_and_is_left_out(float scale)
    {
        var result = TakeIn(Ball("far_low", scale), Ball("far_high", scale), Ball("near_low", 1));
        var far = Assert.Single(result.Findings, f => f.Code == "too-far");
        Assert.Equal((Severity.Stop, 2), (far.Severity, far.Count));
        Assert.DoesNotContain(TakeIn(Ball("far_low", scale)).Findings, f => f.Code == "no-mesh");
        Assert.Equal(["near_low"], result.Report.Objects.Select(o => o.Name));
        Assert.All(result.Scene.Meshes, m => Assert.True(WorldLimit.Holds(m)));
    }

    [Fact]
    public void Smaller_units_bring_it_in()
    {
        Mesh[] meshes = [Ball("a_low", 2.1e7f), Ball("a_high", 2.1e7f)];
        var offer = TakeIn(meshes).Findings.Single(f => f.Code == "too-far").Mends[0];
        Assert.Equal(new ScaleUnits(0.01) { File = "kit.obj" }, offer.Mend);
        var mended = TakeIn(meshes, offer.Mend);
        Assert.DoesNotContain(mended.Findings, f => f.Code == "too-far");
        Assert.Equal(4.2e5f, mended.Report.Objects[0].SizeMetres[0], 1f);
    }

    [Fact]
    public void One_lost_point_costs_its_faces_and_no_more()
    {
        var ball = Ball("a_low", 1);
        ball.Positions[30] = new Vector3(1e30f, 0, 0);
        var offer = TakeIn(ball).Findings.Single(f => f.Code == "too-far").Mends[^1];
        var mended = TakeIn([ball], offer.Mend);
        var left = Assert.Single(mended.Scene.Meshes);
        Assert.InRange(ball.TriangleCount - left.TriangleCount, 1, 8);
        Assert.All(left.Positions, p => Assert.True(WorldLimit.Holds(p)));
    }

    [Fact]
    public void A_mend_that_would_lead_too_far_is_not_applied_and_can_be_taken_away()
    {
        Mend[] mends = [new TurnUpright(), new ScaleUnits(1e6), new ScaleUnits(1e6)];
        var result = TakeIn([Ball("a_low", 1), Ball("a_high", 1)], mends);
        var finding = Assert.Single(result.Findings, f => f.Code == "mend-leads-too-far");
        Assert.Equal(Severity.Stop, finding.Severity);
        // The first of the two is good as it is: it leads to the limit and no farther.
        Assert.Equal([2, 2, 0], result.Report.Mends.Select(m => m.Changed));
        var plan = new AssetPlan { Mends = mends }.With(finding.Mends[0].Mend);
        Assert.Equal([new TurnUpright()], plan.Mends);
        Assert.Null(plan.Problem());
    }

    [Fact]
    public void A_rule_of_the_kit_that_leads_too_far_is_said_with_where_to_switch_it_off()
    {
        var input = Input([Ball("a_low", 2e3f)]) with { Rules = new IntakeRules { Mends = [new ScaleUnits(1e6)] } };
        var finding = Assert.Single(IntakeStation.Run(input).Findings, f => f.Code == "mend-leads-too-far");
        Assert.Empty(finding.Mends);
        Assert.Contains("kit's rules", finding.Sentence, StringComparison.Ordinal);
    }

    [Fact]
    public void More_objects_than_are_worked_with_are_joined_by_material_with_one_press()
    {
        Mesh[] meshes = [.. Enumerable.Range(0, FarFindings.MostObjects + 10)
            .Select(i => Shapes.Plane($"p{i}_{(i % 2 == 0 ? "low" : "high")}",
            height: i * 0.01f) with { TriangleMaterials = [i % 4 < 2 ? 0 : 1, i % 4 < 2 ? 0 : 1] })];
        var result = TakeIn(meshes);
        var finding = Assert.Single(result.Findings, f => f.Code == "too-many-objects");
        Assert.Equal((Severity.Stop, meshes.Length, FarFindings.MostObjects), (finding.Severity, finding.Count, result.Report.Objects.Count));
        Assert.All(result.Findings.GroupBy(f => f.Code), g => Assert.InRange(g.Count(), 1, 201));
        var mended = TakeIn(meshes, finding.Mends[0].Mend);
        Assert.Equal(["rust_high", "rust_low", "wood_high", "wood_low"], mended.Report.Objects.Select(o => o.Name).Order(StringComparer.Ordinal));
        Assert.Equal(meshes.Sum(m => m.TriangleCount), mended.Scene.Meshes.Sum(m => m.TriangleCount));
        // Every triangle is still where it was, with its normals and UVs.
        static IEnumerable<(Vector3, Vector3, Vector2)> All(IEnumerable<Mesh> from) =>
            from.SelectMany(m => Enumerable.Range(0, m.Corners.Length).Select(c => (m.PositionAt(c), m.Normals![c], m.Uvs![c])));
        Assert.Equal(All(meshes).ToHashSet(), All(mended.Scene.Meshes).ToHashSet());
    }

    private static Mesh Ball(string name, float scale)
    {
        var ball = Shapes.Sphere(name, 12, 8);
        return ball with { Positions = Array.ConvertAll(ball.Positions, p => p * scale) };
    }

    private static IntakeResult TakeIn(params Mesh[] meshes) => IntakeStation.Run(Input(meshes));

    private static IntakeResult TakeIn(Mesh[] meshes, params Mend[] mends) => IntakeStation.Run(Input(meshes) with { Mends = mends });

    private static IntakeInput Input(Mesh[] meshes)
    {
        Material[] materials = [new("wood", Vector4.One, 1, 0), new("rust", Vector4.One, 1, 0)];
        var scene = new Scene("kit.obj", meshes, materials, []);
        return new IntakeInput([new SourceFile("kit.obj", "", 1)], _ => Stream.Null, Sides.DefaultPattern) { Scenes = _ => scene, Threads = 2 };
    }
}
