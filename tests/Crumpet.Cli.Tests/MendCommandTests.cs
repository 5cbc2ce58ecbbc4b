using System.Text.Json;
using Crumpet.Core.Imaging;
using Xunit;

namespace Crumpet.Cli.Tests;

/// <summary><c>inspect</c> and <c>mend</c> as a script calls them.</summary>
public sealed class MendCommandTests : CommandTests
{
    private const string Box = "mtllib box.mtl\no yard:lid_low\nv 0 0 0\nv 100 0 0\nv 100 0 100\nv 0 0 100\nvt 0 0\nvt 1 0\nvt 1 1\nvt 0 1\nvn 0 -1 "
        + "0\nusemtl paint\nf 1/1/1 2/2/1 3/3/1 4/4/1\n";

    [Fact]
    public void Inspect_tells_facts_findings_and_their_mends()
    {
        string obj = Save("box.obj", Box);
        Save("box.mtl", "newmtl paint\nmap_Kd D:/gone/paint.png\n");
        var (code, output, _) = Run("inspect", obj, "--json");
        Assert.Equal(0, code);
        using var json = JsonDocument.Parse(output);
        var box = json.RootElement.GetProperty("objects")[0];
        Assert.Equal((2, 1, 1, 4), (box.GetProperty("triangles").GetInt32(), box.GetProperty("polygons").GetInt32(), box.GetProperty("shells").GetInt32(),
            box.GetProperty("borderEdges").GetInt32()));
        var findings = json.RootElement.GetProperty("findings").EnumerateArray().ToDictionary(f => f.GetProperty("code").GetString()!);
        Assert.True(findings.ContainsKey("unit-suspect") && findings.ContainsKey("texture-missing"));
        Assert.Equal("stripPrefix", findings["name-prefix"].GetProperty("mends")[0].GetProperty("mend").GetProperty("mend").GetString());
    }

    [Theory]
    [InlineData("out.glb")]
    [InlineData("out.obj")]
    [InlineData("out.ply")]
    [InlineData("out.stl")]
    public void Rules_are_applied_to_a_mesh_and_the_source_stays(string target)
    {
        string obj = Save("box.obj", Box), rules = Save("rules.json", """
            {"mends":[{"mend":"units","factor":0.01},{"mend":"stripPrefix","prefix":"yard:"},{"mend":"upright","isOn":false}]}
            """);
        Assert.Equal(0, Run("mend", "--rules", rules, obj, "--out", At(target)).Code);
        Assert.Equal(Box, File.ReadAllText(obj));
        using var json = JsonDocument.Parse(Run("inspect", At(target), "--json").Out);
        var box = json.RootElement.GetProperty("objects")[0];
        Assert.Equal([1f, 0f, 1f], box.GetProperty("sizeMetres").EnumerateArray().Select(v => v.GetSingle()));
        Assert.Equal(Path.GetExtension(target) is ".ply" or ".stl" ? "out" : "lid_low", box.GetProperty("name").GetString());
    }

    [Fact]
    public void A_mend_that_leads_too_far_is_said_with_an_exit_code_of_its_own()
    {
        string obj = Save("box.obj", Box), rules = Save("rules.json", """{"mends":[{"mend":"units","factor":1000000},{"mend":"units","factor":0.01}]}""");
        var run = Run("mend", "--rules", rules, obj, "--out", At("out.glb"));
        Assert.Equal(1, run.Code);
        Assert.Contains("so it is not applied", run.Out, StringComparison.Ordinal);
        Assert.Contains("centimetres: 1 changed", run.Out, StringComparison.Ordinal);
    }

    [Fact]
    public void Rules_are_applied_to_a_texture()
    {
        File.WriteAllBytes(At("bump_normal.png"), ImageFile.WritePng(new Bitmap8(10, 10, 1, [.. Enumerable.Range(0, 100).Select(i => (byte)(2 * i))])));
        string rules = Save("rules.json", """
            {"mends":[{"mend":"heightToNormal","strength":2,"kernel":5,"wrap":true},{"mend":"resize","width":16,"height":8}]}
            """);
        Assert.Equal(0, Run("mend", "--rules", rules, At("bump_normal.png"), "--out", At("made.png")).Code);
        var made = ImageFile.Read(File.ReadAllBytes(At("made.png")), "made.png");
        Assert.Equal((16, 8, 3), (made.Width, made.Height, made.Channels));
    }

    [Theory]
    [InlineData("not json", 3)]
    [InlineData("""{"mends":[{"mend":"levitate"}]}""", 3)]
    [InlineData("""{"mends":null}""", 3)]
    [InlineData("""{"mends":[null]}""", 3)]
    [InlineData("""{"mends":[{"mend":"rename"}]}""", 3)]
    [InlineData("""{"mends":[{"mend":"side","side":99}]}""", 3)]
    [InlineData("""{"mends":[{"mend":"units","factor":1e300}]}""", 3)]
    [InlineData("""{"mends":[{"mend":"resize","width":17000,"height":100}]}""", 3)]
    [InlineData("""{"mends":[{"mend":"heightToNormal","strength":1,"kernel":1000001,"wrap":true}]}""", 3)]
    [InlineData("""{"mends":[],"largestTexture":1e9}""", 3)]
    [InlineData("""{"mends":[{"mend":"renameByPattern","from":"{a}","to":"{b}"}]}""", 3)]
    public void Rules_that_cannot_be_read_are_refused_with_a_sentence(string text, int code)
    {
        string obj = Save("box.obj", Box), rules = Save("rules.json", text);
        var run = Run("mend", "--rules", rules, obj, "--out", At("out.glb"));
        Assert.Equal((code, false), (run.Code, File.Exists(At("out.glb"))));
        Assert.StartsWith("rules.json", run.Error.Trim().Split('\n')[^1], StringComparison.Ordinal);
    }

    [Theory]
    [InlineData("out.fox")]
    [InlineData("box.obj")]
    public void A_target_that_cannot_be_written_is_wrong_usage(string target)
    {
        string obj = Save("box.obj", Box), rules = Save("rules.json", """{"mends":[]}""");
        Assert.Equal(2, Run("mend", "--rules", rules, obj, "--out", At(target)).Code);
        Assert.Equal(Box, File.ReadAllText(obj));
    }
}
