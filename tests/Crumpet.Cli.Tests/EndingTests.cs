using System.Text.Json;
using Crumpet.Core.Imaging;
using Xunit;

namespace Crumpet.Cli.Tests;

/// <summary>How commands end: no failure is silent, and no loss passes for success.</summary>
public sealed class EndingTests : CommandTests
{
    private const string Square = "v -0.5 0 0.5\nv 0.5 0 0.5\nv 0.5 0 -0.5\nv -0.5 0 -0.5\nvt 0.1 0.1\nvt 0.9 0.1\nvt 0.9 0.9\nvt 0.1 0.9\nvn 0 1 0\n";
    private const string Faces = "f 1/1/1 2/2/1 3/3/1 4/4/1\n";

    [Theory]
    [InlineData("frobnicate", "There is no command 'frobnicate'. Known are demo,")]
    [InlineData("bulid x", "There is no command 'bulid'. Perhaps 'build' is meant.")]
    public void A_command_that_is_none_is_named_with_what_could_be_meant(string line, string said)
    {
        var run = Run(line.Split(' '));
        Assert.Equal(2, run.Code);
        Assert.StartsWith(said, run.Error, StringComparison.Ordinal);
    }

    [Fact]
    public void A_failure_is_told_as_json_where_json_is_asked_for()
    {
        foreach (string[] line in (string[][])[["inspect", At("gone.obj"), "--json"], ["bake", "--json"], ["frobnicate", "--json"]])
        {
            var run = Run(line);
            using var json = JsonDocument.Parse(run.Out);
            Assert.Equal(run.Code, json.RootElement.GetProperty("code").GetInt32());
            Assert.StartsWith(json.RootElement.GetProperty("error").GetString()!, run.Error, StringComparison.Ordinal);
        }
    }

    [Fact]
    public void A_mend_that_leaves_a_stop_ends_with_1_as_json_too()
    {
        Save("far.obj", "v 0 0 0\nv 5e6 0 0\nv 5e6 1 0\nf 1 2 3\n");
        Save("rules.json", "{ \"mends\": [] }");
        foreach (string[] more in (string[][])[[], ["--json"]])
            Assert.Equal(1, Run(["mend", At("far.obj"), "--rules", At("rules.json"), "--out", At("o.glb"), .. more]).Code);
    }

    [Fact]
    public void Sixteen_bits_stored_in_eight_are_not_exact_and_what_a_format_cannot_hold_is_said()
    {
        var fine = new Bitmap16(16, 16, 1);
        for (int i = 0; i < fine.Pixels.Length; i++)
            fine.Pixels[i] = (ushort)(251 * i);
        File.WriteAllBytes(At("fine.png"), ImageFile.WritePng(fine));
        using var json = JsonDocument.Parse(Run("convert", At("fine.png"), "--format", "rgba8", "--colour", "linear", "--out", At("o.dds"), "--json").Out);
        // Rounding to 255 steps: a twelfth of a step squared.
        Assert.Equal(10 * Math.Log10(255 * 255 * 12), json.RootElement.GetProperty("quality").GetProperty("psnr").GetDouble(), 0.5);
        var height = new Bitmap32(16, 16, 1);
        for (int i = 0; i < height.Pixels.Length; i++)
            height.Pixels[i] = i / 128f - 1;
        File.WriteAllBytes(At("height.tif"), ImageFile.WriteTiff(height));
        var run = Run("convert", At("height.tif"), "--format", "bc4", "--colour", "linear", "--out", At("h.dds"), "--json");
        using var cut = JsonDocument.Parse(run.Out);
        var finding = Assert.Single(cut.RootElement.GetProperty("findings").EnumerateArray());
        Assert.Equal(("range-cut", 128), (finding.GetProperty("code").GetString(), finding.GetProperty("count").GetInt32()));
        Assert.InRange(cut.RootElement.GetProperty("quality").GetProperty("psnr").GetDouble(), 0, 20);
    }

    [Fact]
    public void A_build_says_which_asset_each_finding_is_of_and_that_texels_were_missed()
    {
        Kit("one", "two");
        var run = Run("build", At("kit"), "--out", At("out"), "--json");
        using var json = JsonDocument.Parse(run.Out);
        Assert.Equal(1, run.Code);
        foreach (var asset in json.RootElement.GetProperty("assets").EnumerateArray())
        {
            Assert.Equal("deliver", asset.GetProperty("reached").GetString());
            Assert.Contains(asset.GetProperty("findings").EnumerateArray(), f => f.GetProperty("code").GetString() == "miss");
        }
        Assert.Contains("two: ", Run("build", At("kit"), "--out", At("out")).Out, StringComparison.Ordinal);
    }

    [Fact]
    public void Two_assets_that_would_be_one_file_are_refused_and_an_empty_kit_is_said_to_be_empty()
    {
        Kit("one two", "One_two");
        var run = Run("build", At("kit"), "--out", At("out"));
        Assert.Equal(2, run.Code);
        Assert.Contains("one two and One_two would both be written as one_two.zip", run.Error, StringComparison.Ordinal);
        Assert.False(Directory.Exists(At("out")));
        Save("empty/kit.json", """{"version":3,"name":"Empty","assets":[]}""");
        Assert.Contains("has no assets; nothing was built", Run("build", At("empty"), "--out", At("out")).Out, StringComparison.Ordinal);
    }

    /// <summary>A kit of assets whose high side lies out of reach.</summary>
    private void Kit(params string[] names)
    {
        Save("kit/kit.json", """
            {"version":3,"name":"Kit","assets":["a","b"],"settings":{"bake":{"size":32,"occlusionRays":4,"outwardReachMetres":0.012,
            "inwardReachMetres":0.02}}}
            """);
        foreach (var (name, folder) in names.Zip((string[])["a", "b"]))
        {
            Save($"kit/assets/{folder}/asset.json", $$"""{"version":3,"name":"{{name}}","sources":[{"path":"c_low.obj"},{"path":"c_high.obj"}]}""");
            Save($"kit/assets/{folder}/c_low.obj", "o c_low\n" + Square + Faces);
            Save($"kit/assets/{folder}/c_high.obj", "o c_high\n" + Square.Replace(" 0 ", " 0.05 ", StringComparison.Ordinal) + Faces);
        }
    }
}
