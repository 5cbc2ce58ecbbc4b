using System.Text.Json;
using Xunit;

namespace Crumpet.Cli.Tests;

public sealed class LayoutCommandTests : CommandTests
{
    private const string Box = "o box_low\nv 0 0 0\nv 2 0 0\nv 2 1 0\nv 0 1 0\nv 0 0 1\nv 2 0 1\nv 2 1 1\nv 0 1 1\nf 4 3 2 1\nf 5 6 7 8\nf 1 2 6 5\nf 2 3 7 "
        + "6\nf 3 4 8 7\nf 4 1 5 8\n";

    [Fact]
    public void All_numbers_are_one_json_object_and_the_mesh_carries_its_new_uvs()
    {
        string box = Save("box.obj", Box);
        var laid = Run("layout", box, "--out", At("laid.obj"), "--size", "512", "--padding", "4", "--slack", "10", "--rotate", "90", "--sheets", "2",
            "--angle", "75", "--json");
        Assert.True(laid.Code == 0, laid.Error);
        using var json = JsonDocument.Parse(laid.Out);
        var report = json.RootElement.GetProperty("report");
        Assert.Equal((6, 512, 0, 0), (report.GetProperty("islands").GetInt32(), report.GetProperty("size").GetInt32(), report.GetProperty("overlapTexels")
            .GetInt32(), report.GetProperty("flippedTriangles").GetInt32()));
        Assert.InRange(report.GetProperty("paddingPixels").GetDouble(), 4 - 1e-3, 64);
        Assert.Equal(1, report.GetProperty("angleStretch").GetProperty("worst").GetDouble(), 4);
        Assert.Contains("vt ", File.ReadAllText(At("laid.obj")), StringComparison.Ordinal);
        // What was written is read again, kept as it lies, and measures the same.
        var again = Run("layout", At("laid.obj"), "--out", At("again.glb"), "--size", "512", "--keep-uvs", "--density", "60");
        Assert.Contains("60.0 px/m median", again.Out, StringComparison.Ordinal);
        Assert.True(File.Exists(At("again.glb")));
    }

    [Fact]
    public void Wrong_numbers_and_endings_are_refused_before_anything_is_read()
    {
        string box = Save("box.obj", Box);
        (string Option, string Value, string Said)[] wrong = [("--rotate", "45", "free, 90 or none"), ("--padding", "999", "0 to 256 px"),
            ("--density", "-1", "0.001 to 10000000 px/m"), ("--sheets", "0", "number of sheets is 0; it must be 1 to 16"), ("--slack", "95", "0 to 90 %"),
            ("--stretch", "0", "stretch limit")];
        foreach (var (option, value, said) in wrong)
        {
            var refused = Run("layout", box, "--out", At("laid.obj"), option, value);
            Assert.Equal(2, refused.Code);
            Assert.Contains(said, refused.Error, StringComparison.Ordinal);
        }
        Assert.Equal(2, Run("layout", box, "--out", At("laid.txt")).Code);
        Assert.Equal(3, Run("layout", Save("bad.obj", "f 1 2 3\n"), "--out", At("laid.obj")).Code);
        var empty = Run("layout", Save("paint.mtl", "newmtl paint\n"), "--out", At("laid.obj"));
        Assert.Equal(3, empty.Code);
        Assert.Contains("paint.mtl holds no triangles", empty.Error, StringComparison.Ordinal);
        Assert.False(File.Exists(At("laid.obj")));
    }
}
