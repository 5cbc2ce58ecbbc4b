using System.Text;
using Crumpet.Core.Intake;
using Xunit;

namespace Crumpet.Core.Tests.Intake;

public sealed class IntakeTests
{
    private const string Triangle = "v 0 0 0\nv 1 0 0\nv 0 1 0\nvt 0 0\nvt 1 0\nvt 0 1\ns 1\n";

    [Fact]
    public void Objects_tell_part_and_side_by_name_and_failing_that_by_their_file()
    {
        var result = Run(("a.obj", Triangle + "o lid_low\nf 1/1 2/2 3/3\n"), ("crate_high.obj", Triangle + "o Cube\nf 1 2 3\n"));
        Assert.Equal([("lid", Side.Low), ("crate", Side.High)], result.Report.Objects.Select(o => (o.Part, o.Side)));
        Assert.All(result.Findings, f => Assert.Equal(Severity.Note, f.Severity));
        Assert.Equal([1f, 1f, 0f], result.Report.Objects[0].SizeMetres);
    }

    [Fact]
    public void What_would_hurt_later_is_said()
    {
        var result = Run(("a.obj", Triangle + "o lid_low\nusemtl one\nf 1 2 3\no base_low\nusemtl two\nf 1/1 2/2 3/3\n"),
            ("b.obj", Triangle + "o thing\nf 1 2 3\n"));
        Assert.Equal(["low-without-uvs", "no-high", "side-unknown", "several-low-materials"], result.Findings.Where(f => f.Severity != Severity.Note)
            .Select(f => f.Code).Order(Comparer<string>.Create((x, y) => Order(x) - Order(y))));
        Assert.Contains(result.Findings, f => f.Sentence.Contains("lid_low", StringComparison.Ordinal)
            && f.Sentence.Contains("no UVs", StringComparison.Ordinal));

        static int Order(string code) => Array.IndexOf(["low-without-uvs", "no-high", "side-unknown", "several-low-materials"], code);
    }

    [Theory]
    [InlineData("empty_low.obj", "", "empty")]
    [InlineData("cut_low.glb", "glTF\u0002\0\0\0", "its header is cut")]
    [InlineData("range_low.obj", "v 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 7\n", "out of range")]
    [InlineData("fake.png", "I am a text", "not a picture")]
    [InlineData("none_low.obj", "v 0 0 0\n", "no triangle")]
    [InlineData("nan_low.obj", "v nan 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 3\n", "number")]
    public void A_broken_file_is_a_finding_and_the_others_are_still_read(string name, string text, string what)
    {
        var result = Run((name, text), ("good_low.obj", Triangle + "o good_low\nf 1/1 2/2 3/3\n"));
        var finding = Assert.Single(result.Findings, f => f.Code == "unreadable-file");
        Assert.Equal(Severity.Stop, finding.Severity);
        Assert.StartsWith(name, finding.Sentence, StringComparison.Ordinal);
        Assert.Contains(what, finding.Sentence, StringComparison.Ordinal);
        Assert.Single(result.Report.Objects);
    }

    [Fact]
    public void Materials_come_from_the_library_beside_the_mesh()
    {
        var result = Run(("a_low.obj", "mtllib C:\\work\\paint.mtl\n" + Triangle + "o a_low\nusemtl red\nf 1/1 2/2 3/3\n"),
            ("paint.mtl", "newmtl red\nKd 1 0 0.5\nPr 0.25\nPm 1\n"));
        var material = Assert.Single(result.Scene.Materials);
        Assert.Equal((1f, 0f, 0.25f, 1f), (material.BaseColour.X, material.BaseColour.Y, material.Roughness, material.Metalness));
        Assert.Equal(0.214f, material.BaseColour.Z, 3);
        Assert.DoesNotContain(result.Findings, f => f.Code.StartsWith("material", StringComparison.Ordinal));
    }

    [Theory]
    [InlineData("{part}_{side}", "slat_01_low", "slat_01", "low")]
    [InlineData("{side}.{part}", "high.lid", "lid", "high")]
    [InlineData("SM_{part}-{side}", "SM_a-b-low", "a-b", "low")]
    public void Conventions_read_and_write_the_same_names(string pattern, string name, string part, string side)
    {
        var convention = NameReader.Create(pattern, new NameRules()).Convention;
        var fields = convention.Read(name)!;
        Assert.Equal((part, side), (fields["part"], fields["side"]));
        Assert.Equal(name, convention.Write(fields));
    }

    [Theory]
    [InlineData("{part}")]
    [InlineData("{part}_{part}_{side}")]
    [InlineData("{part_{side}")]
    [InlineData("")]
    public void A_pattern_that_cannot_work_is_refused_with_a_sentence(string pattern) =>
        Assert.EndsWith(".", Assert.Throws<FormatException>(() => NameReader.Create(pattern, new NameRules())).Message, StringComparison.Ordinal);

    [Fact]
    public void Words_are_read_in_any_case_and_parts_as_they_are_written()
    {
        var names = NameReader.Create("{part}_{side}", new NameRules());
        Assert.Equal(new NameReading("Lid", Side.High, "HIGH", ""), names.Read("Lid_HIGH"));
        Assert.Equal(new NameReading("lid", Side.High, "High", ""), NameReader.Create("{part}_{side}", new NameRules { IgnoresCase = true }).Read("Lid_High"));
    }

    private static IntakeResult Run(params (string Name, string Text)[] files)
    {
        var sources = files.Select((f, i) => new SourceFile(f.Name, $"{i}", f.Text.Length)).ToArray();
        return IntakeStation.Run(new IntakeInput(sources,
            s => new MemoryStream(Encoding.Latin1.GetBytes(files[int.Parse(s.Sha256, System.Globalization.CultureInfo.InvariantCulture)].Text)),
            Sides.DefaultPattern));
    }
}
