using Crumpet.Core.Bake;
using Crumpet.Core.Geometry;
using Crumpet.Core.Intake;
using Crumpet.Core.Pairs;
using Xunit;

namespace Crumpet.Core.Tests.Bake;

public sealed class FaultFindingsTests
{
    private static readonly PartRow[] Rows = [.. new[] { "a", "b", "c", "slat_07", "slat_08" }
        .Select(n => new PartRow(n, [0], [1], 0) { OutwardReachMetres = 0.012f, InwardReachMetres = 0.02f })];

    private static FaultContext Context(int covered, TrayMode trays) => new(
        "wood", covered, Rows, trays, [.. new[] { Side.Low, Side.High }
            .Select(s => new ObjectReport("f.obj", "o", "p", s, 1, 1, 3, [], 1, true, false, [1, 1, 1]) { SourceName = $"source_{s}" })], 1024);

    [Theory]
    [InlineData(FaultKind.Miss, "miss", "find no high surface within the 12 mm outward and 20 mm inward reach")]
    [InlineData(FaultKind.BackFace, "back-face", "only the back of the high surface")]
    [InlineData(FaultKind.ReachExhausted, "reach-exhausted", "an inward reach of 20 mm")]
    [InlineData(FaultKind.Overlap, "uv-overlap", "move the islands apart")]
    [InlineData(FaultKind.Neighbour, "neighbour", "slat_08")]
    public void Each_cause_is_said_with_its_part_its_numbers_and_what_helps(FaultKind kind, string code, string words)
    {
        FaultRegion[] faults = [new(kind, "slat_07", "slat_08", 300, 0, 0, 20, 20), new(kind, "slat_07", "slat_08", 112, 50, 0, 20, 20)];
        var finding = Assert.Single(FaultFindings.Explain(faults, Context(10000, TrayMode.One)));
        Assert.Equal((Severity.Warn, code, "slat_07", 412), (finding.Severity, finding.Code, finding.Place, finding.Count));
        Assert.Contains("412 texels in 2 places", finding.Sentence, StringComparison.Ordinal);
        Assert.Contains(words, finding.Sentence, StringComparison.Ordinal);
    }

    [Fact]
    public void The_cure_for_a_neighbour_depends_on_the_trays()
    {
        FaultRegion[] faults = [new(FaultKind.Neighbour, "a", "b", 100, 0, 0, 9, 9)];
        Assert.Contains("plan the trays", FaultFindings.Explain(faults, Context(1000, TrayMode.One))[0].Sentence, StringComparison.Ordinal);
        Assert.Contains("shorten the reach", FaultFindings.Explain(faults, Context(1000, TrayMode.Planned))[0].Sentence, StringComparison.Ordinal);
    }

    [Fact]
    public void A_neighbour_is_told_with_how_near_it_comes()
    {
        FaultRegion[] faults = [new(FaultKind.Neighbour, "a", "b", 100, 0, 0, 9, 9)];
        var near = Context(1000, TrayMode.Planned) with { Gaps = new Dictionary<(string, string), float> { [("b", "a")] = 0.0034f } };
        Assert.Contains("surface of b, 3.4 mm away:", FaultFindings.Explain(faults, near)[0].Sentence, StringComparison.Ordinal);
        var touching = near with { Gaps = new Dictionary<(string, string), float> { [("a", "b")] = 0 } };
        Assert.Contains("b, which it touches:", FaultFindings.Explain(faults, touching)[0].Sentence, StringComparison.Ordinal);
    }

    [Theory]
    [InlineData(TrayMode.One, true)]
    [InlineData(TrayMode.Planned, false)]
    public void Many_neighbours_are_told_in_one_sentence_with_one_mend_for_all_and_the_worst_of_them(TrayMode trays, bool canBePlanned)
    {
        string[] names = [.. Rows.Select(r => r.Name)];
        FaultRegion[] faults = [.. names.SelectMany(
            (one, i) => names.Where(two => two != one).Select((two, k) => new FaultRegion(FaultKind.Neighbour, one, two, 100 + 10 * i + k, i, k, 9, 9)))];
        var findings = FaultFindings.Explain(faults, Context(100000, trays));
        Assert.Equal(["neighbours", .. Enumerable.Repeat("neighbour", 5)], findings.Select(f => f.Code));
        Assert.StartsWith($"5 parts carry surfaces of others, 20 pairs with {faults.Sum(f => f.Texels)} texels in all", findings[0].Sentence,
            StringComparison.Ordinal);
        Assert.Equal(canBePlanned, findings[0].Mends.Any(m => m.Mend is PlanTrays));
        Assert.Equal(143, findings[1].Count);
    }

    [Fact]
    public void Every_mend_changes_the_plan_in_words()
    {
        var plan = new Core.Building.AssetPlan { Trays = TrayMode.One };
        foreach (BakeMend mend in (BakeMend[])[new WidenReach("a", 0.03f, null), new WidenReach("a", 0.03f, 0.04f), new SeparateTrays("a", "b"),
            new PlanTrays(), new StraightenDetail("a", [new PartSpot(0, 0, 0, 0.1f)]), new PackIslands(), new EnlargeSheet("wood", 4096)])
        {
            Assert.NotEmpty(mend.Words());
            Assert.NotEmpty(Core.Building.PlanWords.Changes(plan, Core.Building.PlanMends.With(plan, mend)));
        }
        Assert.Equal(4096, Core.Building.PlanMends.With(plan, new EnlargeSheet("wood", 4096)).Bake.SizeOf("wood"));
    }

    [Fact]
    public void A_few_texels_are_not_worth_a_sentence_and_skew_is_told_once_for_all()
    {
        FaultRegion[] faults = [new(FaultKind.Skew, "a", "", 500, 0, 0, 9, 9), new(FaultKind.Skew, "b", "", 300, 0, 0, 9, 9),
            new(FaultKind.Miss, "c", "", 3, 0, 0, 2, 2)];
        var finding = Assert.Single(FaultFindings.Explain(faults, Context(100000, TrayMode.Parts)));
        Assert.Equal((Severity.Note, 800), (finding.Severity, finding.Count));
        Assert.Contains("0.8 %", finding.Sentence, StringComparison.Ordinal);
    }

    [Theory]
    [InlineData(0.05f, true)]
    [InlineData(0.6f, false)]
    public void A_reach_is_offered_for_what_lies_under_a_hole_and_not_for_what_is_behind_the_whole_part(float depthMetres, bool isOffered)
    {
        var grid = Shapes.Grid("high", 20);
        var holed = MeshRepair.Keep(grid, t => (grid.PositionAt(3 * t) with { Y = 0 }).Length() > 0.12f, out _);
        var below = grid with { Positions = Array.ConvertAll(grid.Positions, p => p with { Y = -depthMetres }) };
        var result = Baker.Bake(new BakeInput("s", [new BakePart("lid", [Shapes.Plane("low")], [holed, below])], [new BakeTray([0])]),
            new BakeSettings { Size = 128, Samples = 1, Maps = [BakeMap.Normal], OutwardReachMetres = 0.01f, InwardReachMetres = 0.02f }, 2, null, default);
        var region = Assert.Single(result.Faults, f => f.Kind == FaultKind.Miss);
        Assert.Equal(isOffered ? depthMetres : 0, region.NeedsInwardMetres, 1e-4f);
        Assert.Equal(0, region.NeedsOutwardMetres);
        PartRow row = new("lid", [0], [1], 0) { OutwardReachMetres = 0.01f, InwardReachMetres = 0.02f };
        var finding = Assert.Single(FaultFindings.Explain(result.Faults, Context(1000, TrayMode.One) with { Rows = [row] }), f => f.Code == "miss");
        Assert.Equal(isOffered, finding.Mends.Any(m => m.Mend is WidenReach { InwardMetres: not null }));
        Assert.Contains(finding.Mends, m => m.Mend is FillMisses);
        Assert.Contains(isOffered ? "lies up to 50 mm deep" : "has a hole or ends there", finding.Sentence, StringComparison.Ordinal);
        // Where a cage says how far rays go, no reach is spoken of and none is offered.
        var fitted = row with { Cage = new CageReport(CageKind.Fitted, RayDirection.Smooth, 0.004f, 0.005f, 0.003f, 0, 0, null, 0, 0, null, 0) };
        var said = Assert.Single(FaultFindings.Explain(result.Faults, Context(1000, TrayMode.One) with { Rows = [fitted] }), f => f.Code == "miss");
        Assert.Contains("within the cage, which goes up to 5 mm outward and 3 mm inward", said.Sentence, StringComparison.Ordinal);
        Assert.DoesNotContain("reach", said.Sentence, StringComparison.Ordinal);
        Assert.IsType<FillMisses>(Assert.Single(said.Mends).Mend);
    }
}
