using Crumpet.Core.Bake;
using Crumpet.Core.Building;
using Crumpet.Core.Geometry;
using Crumpet.Core.Intake;
using Crumpet.Core.Pairs;
using Xunit;

namespace Crumpet.Core.Tests.Building;

/// <summary>A pair that was accepted stays one, whatever words and patterns say later.</summary>
public sealed class AcceptedPairTests
{
    private readonly MemoryResultStore store = new();

    private SourceFile Source(string name, Side side, params Mesh[] meshes)
    {
        using var stream = new MemoryStream();
        ObjWriter.Write(new Scene("", meshes, [Material.Plain], []), stream, null);
        return new SourceFile(name, store.Put(stream.ToArray()), stream.Length, side);
    }

    private static Mesh At(string name, float x)
    {
        var cube = Shapes.Cube(name);
        return cube with { Positions = Array.ConvertAll(cube.Positions, p => p with { X = p.X + x }) };
    }

    private (IntakeReport Intake, PairReport Pairs) Run(AssetPlan plan, NameRules names, SourceFile[] files)
    {
        var build = new AssetBuild("a", plan, files, store, new IntakeRules { Names = names });
        build.Run(Station.Pairs, true, 1, null, default);
        return (build.ResultOf(Station.Intake)!.As<IntakeReport>(), build.ResultOf(Station.Pairs)!.As<PairReport>());
    }

    [Fact]
    public void It_is_named_as_the_pattern_writes_and_outlives_other_words_patterns_and_searches()
    {
        // Words that nobody knows yet: LD and HD.
        SourceFile[] files = [Source("l.obj", Side.Low, At("PX_Anchor_LD", 0), At("PX_Hatch_LD", 3)),
            Source("h.obj", Side.High, At("PX_Anchor_HD", 0), At("PX_Hatch_HD", 3))];
        var plan = new AssetPlan();
        var (intake, pairs) = Run(plan, new NameRules(), files);
        Assert.DoesNotContain(pairs.Parts, p => p.IsPaired);
        Mend[] accepted = [.. pairs.ClearSuggestions(0.5).Select(s => pairs.MendOf(s, intake.Objects))];
        Assert.Equal(2, accepted.Length);
        Assert.All(accepted, m => Assert.NotEmpty(m.Words()));
        plan = plan with { Mends = accepted };
        NameRules[] words = [new(), new() { FindsWords = false }, new() { Low = ["LD"], High = ["HD"] }, new() { Low = ["game"], High = ["sculpt"] },
            new() { IgnoresCase = true }];
        foreach (var rules in words)
        {
            foreach (string pattern in (string[])[Sides.DefaultPattern, "{side}_{part}", "{part}.{side}{.detail?}"])
            {
                (intake, pairs) = Run(plan with { NamePattern = pattern }, rules, files);
                Assert.Equal(["PX_Anchor", "PX_Hatch"], pairs.Paired.Select(p => p.Name));
                Assert.DoesNotContain(pairs.Parts, p => !p.IsPaired);
                // The names are what this pattern reads and these words say.
                var reader = NameReader.Create(pattern, rules);
                Assert.All(intake.Objects, o => Assert.Equal(o.Side, reader.Read(o.Name)!.Side));
                Assert.All(intake.Objects, o => Assert.Equal(reader.Write(o.Part, o.Side), o.Name));
            }
        }
    }

    [Fact]
    public void What_joins_a_part_stays_with_it_and_another_of_the_same_name_does_not()
    {
        SourceFile[] files = [Source("l.obj", Side.Low, At("base_low", 0)), Source("h.obj", Side.High, At("base_high", 0), At("rivet", 0.02f))];
        var (intake, pairs) = Run(new AssetPlan(), new NameRules(), files);
        var suggestion = pairs.Suggestions.First(s => intake.Objects[s.High].SourceName == "rivet");
        var plan = new AssetPlan { Mends = [pairs.MendOf(suggestion, intake.Objects)] };
        (intake, pairs) = Run(plan, new NameRules { Low = ["game"], High = ["sculpt"] }, files);
        var row = Assert.Single(pairs.Parts);
        Assert.Equal(("base", 1, 2), (row.Name, row.Low.Count, row.High.Count));
        Assert.Equal(3, intake.Objects.Select(o => o.Name).Distinct().Count());
    }
}
