using Crumpet.Core.Intake;
using Crumpet.Core.Pairs;
using Xunit;

namespace Crumpet.Core.Tests.Pairs;

public sealed class PairsTests
{
    [Fact]
    public void Names_pair_to_the_letter_and_each_part_gets_its_tray()
    {
        var (report, findings) = Run(TrayMode.Parts, ("b", Side.Low), ("a", Side.Low), ("a", Side.High), ("b", Side.High), ("b", Side.High));
        Assert.Empty(findings);
        Assert.Equal(["a", "b"], report.Parts.Select(p => p.Name));
        Assert.Equal([0, 1], report.Parts.Select(p => p.Tray));
        Assert.Equal([3, 4], report.Parts[1].High);
        Assert.Equal(2, report.TrayCount);
    }

    [Fact]
    public void One_tray_holds_all_parts()
    {
        var (report, _) = Run(TrayMode.One, ("a", Side.Low), ("a", Side.High), ("b", Side.Low), ("b", Side.High));
        Assert.All(report.Parts, p => Assert.Equal(0, p.Tray));
        Assert.Equal(1, report.TrayCount);
    }

    [Fact]
    public void One_low_and_one_high_are_paired_whatever_their_names()
    {
        var (report, findings) = Run(TrayMode.One, ("crate", Side.Low), ("sculpt", Side.High));
        Assert.DoesNotContain(findings, f => f.Severity == Severity.Stop);
        Assert.Single(report.Paired);
    }

    [Fact]
    public void What_has_no_other_side_is_said_and_stands_on_top()
    {
        var (report, findings) = Run(TrayMode.Parts, ("a", Side.Low), ("a", Side.High), ("x", Side.Low), ("y", Side.High));
        Assert.Equal(["low-without-high", "high-without-low"], findings.Select(f => f.Code).OrderByDescending(c => c, StringComparer.Ordinal));
        Assert.False(report.Parts[0].IsPaired);
        Assert.Contains(findings, f => f.Sentence.Contains("x_high", StringComparison.Ordinal));
    }

    [Fact]
    public void A_difference_in_case_alone_is_named_as_such_once()
    {
        var (_, findings) = Run(TrayMode.Parts, ("Hinge", Side.Low), ("hinge", Side.High), ("a", Side.Low), ("a", Side.High));
        var finding = Assert.Single(findings);
        Assert.Equal("case-only", finding.Code);
        Assert.Contains("Hinge_low", finding.Sentence, StringComparison.Ordinal);
        Assert.Contains("hinge_high", finding.Sentence, StringComparison.Ordinal);
        Assert.Equal(("Rename Hinge_low to hinge_low", true), (finding.Mends[0].Label, finding.Mends[0].IsSafe));
    }

    [Fact]
    public void Nothing_to_pair_stops_the_line() => Assert.Contains(Run(TrayMode.One).Findings, f => f.Severity == Severity.Stop);

    private static (PairReport Report, IReadOnlyList<Finding> Findings) Run(TrayMode trays, params (string Part, Side Side)[] objects)
    {
        var names = NameReader.Create(Sides.DefaultPattern, new NameRules());
        var meshes = objects.Select((o, i) => Shapes.Plane(names.Write(o.Part, o.Side),
            height: objects.Select(x => x.Part.ToLowerInvariant()).Distinct().ToList().IndexOf(o.Part.ToLowerInvariant()))).ToArray();
        var reports = meshes.Select((m, i) => new ObjectReport("f", m.Name, objects[i].Part, objects[i].Side, 2, 1, 4, [], 1, true, false,
            [1, 0, 1])
        { SourceName = m.Name }).ToArray();
        var result = PairsStation.Run(new PairInput(new MatchInput(reports, names), meshes, trays, new PairSettings(), 0.01f, 0.01f));
        return (result.Report, result.Findings);
    }
}
