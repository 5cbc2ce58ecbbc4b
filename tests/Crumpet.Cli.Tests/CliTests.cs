using System.Text.Json;
using Crumpet.Core.Imaging;
using Xunit;

namespace Crumpet.Cli.Tests;

/// <summary>Runs the command as a user does: exit code, one sentence on standard error, one JSON object on standard output.</summary>
public sealed class CliTests : CommandTests
{
    private const string Low = "o crate\nv -0.5 0 0.5\nv 0.5 0 0.5\nv 0.5 0 -0.5\nv -0.5 0 -0.5\nvt 0.1 0.1\nvt 0.9 0.1\nvt 0.9 0.9\nvt 0.1 0.9\nvn 0 1 0\nf "
        + "1/1/1 2/2/1 3/3/1 4/4/1\n";

    [Fact]
    public void Bake_pack_convert_decode_and_inspect_work_one_after_another()
    {
        string low = Save("crate.obj", Low), high = Save("sculpt.obj", Low.Replace("0 0 -0.5", "0 0.001 -0.5", StringComparison.Ordinal));
        var bake = Run("bake", "--low", low, "--high", high, "--out", At("maps"), "--size", "64", "--samples", "2", "--ao-rays", "8", "--json");
        Assert.Equal(0, bake.Code);
        using (var json = JsonDocument.Parse(bake.Out))
            Assert.True(json.RootElement.GetProperty("sheets")[0].GetProperty("coveredTexels").GetInt32() > 2000);
        Assert.Equal(["crate_ao.png", "crate_faults.png", "crate_normal.png", "faults.json"], Directory.GetFiles(At("maps")).Select(Path.GetFileName).Order());
        Assert.Equal(0, Run("pack", "--maps", At("maps"), "--recipe", "default", "--out", At("packed")).Code);
        Assert.Equal(["crate_masks.png", "crate_normal.png"], Directory.GetFiles(At("packed")).Select(Path.GetFileName).Order());
        var convert = Run("convert", At("packed/crate_normal.png"), "--format", "bc5", "--colour", "normal", "--out", At("n.dds"), "--json");
        Assert.Equal(0, convert.Code);
        Assert.Equal(7, JsonDocument.Parse(convert.Out).RootElement.GetProperty("mips").GetInt32());
        Assert.Equal(0, Run("decode", At("n.dds"), "--mip", "2", "--out", At("n.png")).Code);
        var inspect = Run("inspect", At("n.png"), At("n.dds"), low, "--json");
        using var report = JsonDocument.Parse(inspect.Out);
        Assert.Equal([16, 64], report.RootElement.GetProperty("pictures").EnumerateArray().Select(p => p.GetProperty("width").GetInt32()));
        Assert.Equal(2, report.RootElement.GetProperty("objects")[0].GetProperty("triangles").GetInt32());
    }

    [Theory]
    [InlineData("png", 0.5f)]
    [InlineData("exr", 2f)]
    public void A_cube_is_decoded_side_by_side_or_one_side(string ending, float value)
    {
        var format = ending == "exr" ? TextureFormat.Table.Of("rgba32f") : TextureFormat.Rgba8;
        var white = new Bitmap32(4, 4, 4, [.. Enumerable.Repeat(value, 64)]);
        byte[] side = BlockCodec.Encode(white, format);
        var cube = new Texture(4, 4, format, false, [[.. Enumerable.Repeat(side, 6).SelectMany(s => s)]]) { Sides = 6 };
        File.WriteAllBytes(At("sky.ktx2"), KtxFile.Write(cube, true));
        string all = At("all." + ending), one = At("one." + ending);
        Assert.Equal(0, Run("decode", At("sky.ktx2"), "--out", all).Code);
        Assert.Equal(0, Run("decode", At("sky.ktx2"), "--side", "3", "--out", one).Code);
        Bitmap net = ImageFile.Read(File.ReadAllBytes(all), all), single = ImageFile.Read(File.ReadAllBytes(one), one);
        Assert.Equal((16, 12, 4, 4), (net.Width, net.Height, single.Width, single.Height));
        Assert.Equal(value, net.Unit(5, 5, 0), 0.01f);
        Assert.Equal(0, net.Unit(15, 11, 0));
        Assert.Equal(2, Run("decode", At("sky.ktx2"), "--side", "6", "--out", one).Code);
    }

    [Fact]
    public void A_process_ends_with_the_same_code_and_says_the_same_as_the_tests_here_see()
    {
        string low = Save("a.obj", Low);
        (int Code, string[] Line)[] lines =
        [
            (0, ["inspect", low, "--json"]), (1, ["bake", "--low", low, "--high", low, "--out", At("maps"), "--size", "32"]), (2, ["dance"]),
            (3, ["inspect", At("gone.obj")]),
        ];
        foreach (var (code, line) in lines)
        {
            var (here, process) = (Run(line), StartProcess(line));
            Assert.Equal((code, here.Out), (here.Code, process.Out));
            Assert.Equal(code, process.Code);
            // How often progress is told differs with the time work takes.
            Assert.Equal(here.Error.Split('\n').TakeLast(2), process.Error.Split('\n').TakeLast(2));
        }
    }

    [Fact]
    public void Every_map_is_baked_with_its_file_legend_and_scales()
    {
        string low = Save("crate.obj", Low), high = Save("sculpt.obj", Low.Replace("0 0 -0.5", "0 0.001 -0.5", StringComparison.Ordinal));
        var bake = Run("bake", "--low", low, "--high", high, "--out", At("all"), "--size", "32", "--maps", "all", "--ao-rays", "4", "--files",
            "height=exr,normal=tga,position=png8", "--sheet-size", "crate=64", "--id-by", "part", "--padding", "all", "--alpha", "--denoise", "--ground",
            "--curvature-full", "0.005");
        Assert.Equal(0, bake.Code);
        var files = Directory.GetFiles(At("all")).Select(f => Path.GetFileName(f)!).ToHashSet();
        foreach (string name in (string[])["crate_height.exr", "crate_normal.tga", "crate_position.png", "crate_bent_normal.png", "crate_id_legend.json",
            "crate_scales.json", "crate_faults.png"])
            Assert.Contains(name, files);
        using var scales = JsonDocument.Parse(File.ReadAllBytes(At("all/crate_scales.json")));
        Assert.Contains(scales.RootElement.EnumerateArray(), s => s.GetProperty("map").GetString() == "curvature" && s.GetProperty("to")[0].GetSingle() == 200);
        using var seen = JsonDocument.Parse(Run("inspect", At("all/crate_normal.tga"), "--json").Out);
        Assert.Equal(64, seen.RootElement.GetProperty("pictures")[0].GetProperty("width").GetInt32());
        Assert.Equal(0, Run("make", At("all/crate_position.png"), "--from", "height", "--to", "ao", "--out", At("made.png"), "--no-wrap").Code);
        Assert.True(File.Exists(At("made.png")));
    }

    [Fact]
    public void Threads_do_not_change_a_byte()
    {
        string low = Save("a_low.obj", Low), high = Save("a_high.obj", Low);
        foreach (string threads in (string[])["1", "2"])
            Assert.Equal(0, Run("bake", "--low", low, "--high", high, "--out", At("t" + threads), "--size", "128", "--threads", threads).Code);
        foreach (string file in Directory.GetFiles(At("t1")))
            Assert.Equal(File.ReadAllBytes(file), File.ReadAllBytes(file.Replace("/t1/", "/t2/", StringComparison.Ordinal)));
    }

    [Fact]
    public void A_kit_folder_builds_to_the_same_package_twice()
    {
        Save("crate/crate_low.obj", Low);
        Save("crate/crate_high.obj", Low);
        Save("kit.json", """
            {"version":1,"name":"Crates","assets":[
              {"name":"Crate","folder":"crate","sources":["crate_low.obj","crate_high.obj"],"plan":{"bake":{"size":64,"occlusionRays":4}}}]}
            """);
        var one = Run("build", Folder, "--out", At("one"), "--json");
        Assert.Equal(0, one.Code);
        Assert.Equal(0, Run("build", Folder, "--out", At("two")).Code);
        Assert.Equal(File.ReadAllBytes(At("one/crate.zip")), File.ReadAllBytes(At("two/crate.zip")));
        Assert.Equal("deliver", JsonDocument.Parse(one.Out).RootElement.GetProperty("assets")[0].GetProperty("reached").GetString());
    }

    [Theory]
    [InlineData("bake --low {0}/a.obj --high {0}/a.obj --out {0}/o --samples 3")]
    [InlineData("bake --low {0}/a.obj --high {0}/a.obj --out {0}/o --maps normal,sparkle")]
    [InlineData("bake --low {0}/a.obj --high {0}/a.obj --out {0}/o --size huge")]
    [InlineData("bake --low {0}/a.obj --out {0}/o")]
    [InlineData("bake --low {0}/a.obj --high {0}/a.obj --out {0}/o --outward -1")]
    [InlineData("convert {0}/a.png --format bc9 --colour srgb --out {0}/o.dds")]
    [InlineData("bench rays --mesh {0}/a.obj --kind spiral --rays 10")]
    [InlineData("bench bake --triangles 10")]
    [InlineData("bake --low {0}/a.obj --high {0}/a.obj --out {0}/o --files height=bmp")]
    [InlineData("bake --low {0}/a.obj --high {0}/a.obj --out {0}/o --sheet-size wood")]
    [InlineData("bake --low {0}/a.obj --high {0}/a.obj --out {0}/o --padding lots")]
    [InlineData("bake --low {0}/a.obj --high {0}/a.obj --out {0}/o --ao-falloff 1 --ao-range 0")]
    [InlineData("make {0}/a.obj --to id --out {0}/o.png")]
    [InlineData("make {0}/a.obj --from normal --to normal --out {0}/o.png")]
    [InlineData("convert {0}/a.png --format bc7 --colour srgb --out {0}/o.png")]
    [InlineData("dance")]
    public void Wrong_usage_exits_with_2_and_one_sentence(string line)
    {
        Save("a.obj", Low);
        var (code, _, error) = Run([.. line.Split(' ').Select(w => w.Replace("{0}", Folder, StringComparison.Ordinal))]);
        Assert.Equal(2, code);
        Assert.Single(error.Trim().Split('\n'));
        Assert.False(Directory.Exists(At("o")));
    }

    [Theory]
    [InlineData("empty.obj", "")]
    [InlineData("cut.glb", "glTF\u0002\0\0\0\u0010\0\0\0")]
    [InlineData("range.obj", "o box\nv 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 9\n")]
    [InlineData("none.obj", "v 0 0 0\n")]
    [InlineData("nan.obj", "v nan 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 3\n")]
    [InlineData("text.png", "not a picture")]
    [InlineData("missing.obj", null)]
    public void What_cannot_be_read_exits_with_3_names_the_file_and_writes_nothing(string name, string? text)
    {
        string bad = text is null ? At(name) : Save(name, text), good = Save("good.obj", Low);
        string[][] commands = name.EndsWith(".png", StringComparison.Ordinal)
            ? [["convert", bad, "--format", "bc1", "--colour", "srgb", "--out", At("out/x.dds")], ["inspect", bad]]
            : [["bake", "--low", bad, "--high", good, "--out", At("out"), "--size", "64"],
                ["bake", "--low", good, "--high", bad, "--out", At("out"), "--size", "64"], ["inspect", bad]];
        foreach (string[] command in commands)
        {
            var (code, output, error) = Run(command);
            Assert.Equal(3, code);
            Assert.Empty(output);
            string sentence = error.Trim().Split('\n')[^1];
            Assert.StartsWith(name, sentence, StringComparison.Ordinal);
            Assert.EndsWith(".", sentence, StringComparison.Ordinal);
            Assert.False(Directory.Exists(At("out")));
        }
    }

    [Fact]
    public void A_low_without_uvs_is_unwrapped_and_baked()
    {
        string low = Save("a_low.obj", "o a_low\nv 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 3\n"), high = Save("a_high.obj", Low);
        var (_, output, _) = Run("bake", "--low", low, "--high", high, "--out", At("out"), "--size", "64", "--maps", "normal");
        Assert.Contains("has no UVs", output, StringComparison.Ordinal);
        Assert.True(File.Exists(At("out/a_low_normal.png")));
    }
}
