using System.Text.Json;
using Crumpet.Core.Bake;
using Crumpet.Core.Imaging;
using Xunit;

namespace Crumpet.Cli.Tests;

/// <summary>Many files in one go, by name, by folder or by pattern; and nothing that is misspelt goes by in silence.</summary>
public sealed class ManyFilesTests : CommandTests
{
    private const string Faces = "vt 0.1 0.1\nvt 0.4 0.1\nvt 0.4 0.4\nvt 0.1 0.4\nvn 0 1 0\n";

    /// <summary>A plate of 1 m, with a number of its own for UVs.</summary>
    private static string Plate(string name, float x, float y) => FormattableString.Invariant(
        $"o {name}\nv {x} {y} 0\nv {x + 1} {y} 0\nv {x + 1} {y} -1\nv {x} {y} -1\n{Faces}f 1/1/1 2/2/1 3/3/1 4/4/1\n");

    private void SaveParts()
    {
        Save("in/PX_Base_LP.obj", Plate("Base_LP", 0, 0));
        Save("in/PX_Lid_LP.obj", Plate("Lid_LP", 3, 0).Replace("vt 0.1 ", "vt 0.6 ", StringComparison.Ordinal)
            .Replace("vt 0.4 ", "vt 0.9 ", StringComparison.Ordinal));
        Save("in/PX_Base_HP.obj", Plate("Base_HP", 0, 0.004f));
        Save("in/PX_Lid_HP.obj", Plate("Lid_HP", 3, 0.05f));
        Save("in/notes.txt", "nothing");
    }

    private JsonElement Bake(params string[] more)
    {
        var run = Run(["bake", "--out", At("o"), "--size", "32", "--samples", "1", "--maps", "normal", "--json", .. more]);
        Assert.True(run.Code is 0 or 1, run.Error);
        return JsonDocument.Parse(run.Out).RootElement;
    }

    [Fact]
    public void Bake_takes_several_low_files_patterns_and_folders()
    {
        SaveParts();
        string[] forms = [At("in/*_LP.obj"), At("in/*_HP.obj")];
        var both = Bake("--low", forms[0], "--high", forms[1]);
        Assert.DoesNotContain(both.GetProperty("findings").EnumerateArray(), f => f.GetProperty("code").GetString() is "miss" or "low-without-high");
        // Named after what its files share.
        Assert.Equal("px", both.GetProperty("sheets")[0].GetProperty("sheet").GetString());
        var apart = Bake("--low", At("in/PX_Base_LP.obj"), At("in/PX_Lid_LP.obj"), "--high", forms[1]);
        Assert.Equal(both.GetProperty("sheets").ToString(), apart.GetProperty("sheets").ToString());
        Directory.CreateDirectory(At("low"));
        File.Move(At("in/PX_Base_LP.obj"), At("low/PX_Base_LP.obj"));
        File.Move(At("in/PX_Lid_LP.obj"), At("low/PX_Lid_LP.obj"));
        Assert.Equal(both.GetProperty("sheets").ToString(), Bake("--low", At("low"), "--high", At("in")).GetProperty("sheets").ToString());
        var nothing = Run("bake", "--low", At("low/*.glb"), "--high", At("in"), "--out", At("o"));
        Assert.Equal((3, true), (nothing.Code, nothing.Error.Contains("no mesh is there", StringComparison.Ordinal)));
    }

    [Fact]
    public void A_part_has_a_reach_of_its_own_and_a_part_that_is_not_there_is_said()
    {
        SaveParts();
        string[] files = ["--low", At("in/*_LP.obj"), "--high", At("in/*_HP.obj"), "--outward", "0.01", "--inward", "0.01"];
        Assert.Contains(Bake(files).GetProperty("findings").EnumerateArray(), f => f.GetProperty("code").GetString() == "miss");
        string lid = Bake(files).GetProperty("findings").EnumerateArray()
            .First(f => f.GetProperty("code").GetString() == "miss").GetProperty("place").GetString()!;
        Assert.DoesNotContain(Bake([.. files, "--part-reach", $"{lid}=0.06"]).GetProperty("findings").EnumerateArray(),
            f => f.GetProperty("code").GetString() == "miss");
        var odd = Run(["bake", "--out", At("o"), "--size", "32", .. files, "--part-reach", "Lidd=0.06"]);
        Assert.Equal(2, odd.Code);
        Assert.Contains("Lidd, which is no part", odd.Error, StringComparison.Ordinal);
        Assert.Equal(2, Run(["bake", "--out", At("o"), .. files, "--part-reach", "Lid=wide"]).Code);
        Assert.Equal(2, Run(["bake", "--out", At("o"), .. files, "--cage", "fit", "--cage-margin", "-1"]).Code);
    }

    [Fact]
    public void Bake_reads_names_by_a_pattern_and_rules()
    {
        Save("l.obj", Plate("LOW.a", 0, 0) + Plate("LOW.b", 3, 0).Replace("f 1/1/1 2/2/1 3/3/1 4/4/1", "f 5/5/2 6/6/2 7/7/2 8/8/2", StringComparison.Ordinal));
        Save("h.obj", Plate("UP.a", 0, 0) + Plate("UP.b", 3, 0).Replace("f 1/1/1 2/2/1 3/3/1 4/4/1", "f 5/5/2 6/6/2 7/7/2 8/8/2", StringComparison.Ordinal));
        Save("rules.json", """{"names":{"low":["LOW"],"high":["UP"]}}""");
        var read = Bake("--low", At("l.obj"), "--high", At("h.obj"), "--pattern", "{side}.{part}", "--rules", At("rules.json"));
        Assert.DoesNotContain(read.GetProperty("findings").EnumerateArray(), f => f.GetProperty("code").GetString() == "low-without-high");
        Assert.Equal(2, Run("bake", "--low", At("l.obj"), "--high", At("h.obj"), "--out", At("o"), "--pattern", "{part}").Code);
        Save("odd.json", """{"name":{"low":["LOW"]}}""");
        var odd = Run("bake", "--low", At("l.obj"), "--high", At("h.obj"), "--out", At("o"), "--rules", At("odd.json"));
        Assert.Equal(3, odd.Code);
        Assert.Contains("the key 'name' is not known", odd.Error, StringComparison.Ordinal);
    }

    [Fact]
    public void Build_meets_a_memory_over_all_assets_and_refuses_one_that_is_too_small()
    {
        Save("kit/kit.json", """{"version":3,"name":"k","assets":["a","b"],"settings":{"bake":{"size":256,"samples":1,"maps":["normal","occlusion"]} } }""");
        foreach (string asset in (string[])["a", "b"])
        {
            Save($"kit/assets/{asset}/asset.json", $$"""{"version":3,"name":"{{asset}}","sources":[{"path":"c_low.obj"},{"path":"c_high.obj"}]}""");
            Save($"kit/assets/{asset}/c_low.obj", Plate("c_low", 0, 0));
            Save($"kit/assets/{asset}/c_high.obj", Plate("c_high", 0, 0));
        }
        long all = Textures(), half = all / 2;
        string mebibytes = (half / 1048576.0).ToString(System.Globalization.CultureInfo.InvariantCulture);
        Assert.InRange(Textures("--budget", mebibytes), 1, half);
        var refused = Run("build", At("kit"), "--out", At("out"), "--budget", "0.01");
        Assert.Equal((2, true), (refused.Code, refused.Error.Contains("cannot be met: the textures take at least", StringComparison.Ordinal)));
        Assert.Equal(2, Run("build", At("kit"), "--out", At("out"), "--budget", "0").Code);
        Assert.Equal(2, Run("build", At("kit"), "--out", At("out"), "--budget", "1", "--explain").Code);

        // Blocks and levels as they lie in the packages: a DDS without its header, which may be 20 bytes shorter.
        long Textures(params string[] more)
        {
            var run = Run(["build", At("kit"), "--out", At("out"), "--json", .. more]);
            Assert.True(run.Code == 0, run.Error + run.Out);
            long bytes = Directory.GetFiles(At("out"), "*.zip").Sum(zip =>
            {
                using var archive = System.IO.Compression.ZipFile.OpenRead(zip);
                return archive.Entries.Where(e => e.Name.EndsWith(".dds", StringComparison.Ordinal)).Sum(e => e.Length - 148);
            });
            if (JsonDocument.Parse(run.Out).RootElement.GetProperty("budget") is { ValueKind: JsonValueKind.Object } told)
                Assert.InRange(told.GetProperty("bytes").GetInt64() - bytes, -256, 256);
            return bytes;
        }
    }

    [Fact]
    public void Build_takes_chosen_assets_of_several_kits()
    {
        foreach (string kit in (string[])["one", "two"])
        {
            Save($"kits/{kit}/kit.json", $$"""{"version":3,"name":"{{kit}}","assets":["a","b"],"settings":{"bake":{"size":32,"maps":["normal"]} } }""");
            foreach (string asset in (string[])["a", "b"])
            {
                Save($"kits/{kit}/assets/{asset}/asset.json",
                    $$"""{"version":3,"name":"{{kit}} {{asset}}","sources":[{"path":"c_low.obj"},{"path":"c_high.obj"}]}""");
                Save($"kits/{kit}/assets/{asset}/c_low.obj", Plate("c_low", 0, 0));
                Save($"kits/{kit}/assets/{asset}/c_high.obj", Plate("c_high", 0, 0));
            }
        }
        Assert.Equal(["one a", "one b", "two a", "two b"], Built(At("kits/*")));
        Assert.Equal(["one b", "two b"], Built(At("kits/one"), At("kits/two"), "--asset", "* b"));
        Assert.Equal(["two a"], Built(At("kits/two"), "--asset", "two a"));
        var odd = Run("build", At("kits/one"), "--out", At("out"), "--asset", "one aa");
        Assert.Equal(2, odd.Code);
        Assert.Contains("Perhaps 'one a' is meant", odd.Error, StringComparison.Ordinal);
        Assert.Equal(3, Run("build", At("kits/th*"), "--out", At("out")).Code);

        string[] Built(params string[] arguments)
        {
            var run = Run(["build", "--out", At("out"), "--json", .. arguments]);
            Assert.True(run.Code == 0, run.Error + run.Out);
            return [.. JsonDocument.Parse(run.Out).RootElement.GetProperty("assets").EnumerateArray().Select(a => a.GetProperty("name").GetString()!)];
        }
    }

    [Fact]
    public void Pack_reads_whatever_bake_writes_and_makes_nothing_of_nothing()
    {
        SaveParts();
        string[] bake = ["bake", "--low", At("in/PX_Base_LP.obj"), "--high", At("in/PX_Base_HP.obj"),
            "--size", "32", "--samples", "1", "--maps", "normal,height,ao",
            "--ao-rays", "4"];
        Assert.Equal(0, Run([.. bake, "--out", At("png")]).Code);
        Assert.Equal(0, Run([.. bake, "--out", At("other"), "--files", "normal=exr,height=exr,ao=tga"]).Code);
        Save("recipe.json", """
            {"outputs":[{"name":"n","meaning":"normal","format":"bc7","channels":[{"map":"normal"},
            {"map":"normal","channel":1},{"map":"height"},{"map":"ao"}]}]}
            """);
        foreach (string from in (string[])["png", "other"])
            Assert.Equal(0, Run("pack", "--maps", At(from), "--recipe", At("recipe.json"), "--out", At(from + "_packed")).Code);
        string made = Path.GetFileName(Assert.Single(Directory.GetFiles(At("png_packed"))));
        var one = (Bitmap8)ImageFile.Read(File.ReadAllBytes(At($"png_packed/{made}")), made);
        var two = (Bitmap8)ImageFile.Read(File.ReadAllBytes(At($"other_packed/{made}")), made);
        // 8 bits are dithered, 16 and floats are not: within a code of each other.
        Assert.All(one.Pixels.Zip(two.Pixels), p => Assert.InRange(p.First - p.Second, -1, 1));
        // The built-in recipe makes what it can of what is there, and says the rest.
        var some = Run("pack", "--maps", At("png"), "--recipe", "default", "--out", At("some"), "--json");
        Assert.Equal(0, some.Code);
        Assert.Contains("output-empty", some.Out, StringComparison.Ordinal);
        Assert.DoesNotContain(Directory.GetFiles(At("some")), f => f.EndsWith("_colour.png", StringComparison.Ordinal));
        // What somebody asked for and is not there is no success.
        Save("asks.json", """
            {"outputs":[{"name":"m","meaning":"linear","format":"bc7","channels":[{"map":"thickness"},{"map":"thickness"},{"map":"thickness"}]}]}
            """);
        Assert.Equal(1, Run("pack", "--maps", At("png"), "--recipe", At("asks.json"), "--out", At("none")).Code);
        Assert.False(Directory.Exists(At("none")));
        File.Copy(Directory.GetFiles(At("png"), "*_ao.png")[0], At($"other/{Path.GetFileName(Directory.GetFiles(At("png"), "*_ao.png")[0])}"));
        var twice = Run("pack", "--maps", At("other"), "--recipe", "default", "--out", At("none"));
        Assert.Equal((3, true), (twice.Code, twice.Error.Contains("are both ao of", StringComparison.Ordinal)));
    }

    [Theory]
    [InlineData("""{"outputs":[{"name":"m","meaning":"linear","format":"bc7","channels":[{"map":"roughnes"},{"map":"ao"},{"map":"ao"}]}]}""", "roughness")]
    [InlineData("{\n\"outputs\":[{\"name\":\"m\",\"meaning\":\"linear\",\"format\":\"bc7\",\n"
        + "\"channels\":[{\"frm\":[\"ao\"]},{\"from\":[\"ao\"]}]}]}", "line 3")]
    [InlineData("""{"outputs":[{"name":"m","meaning":"linear","format":"bc9","channels":[{"map":"ao"},{"map":"ao"},{"map":"ao"}]}]}""", "bc7")]
    [InlineData("""{"outputs":[{"name":"m","meaning":"linear","format":"bc7","channels":[]}]}""", "one to four")]
    public void A_recipe_that_is_misspelt_is_refused_with_what_was_meant(string recipe, string hint)
    {
        File.WriteAllBytes(Save("maps/x_ao.png", ""), ImageFile.WritePng(new Bitmap8(4, 4, 1)));
        var run = Run("pack", "--maps", At("maps"), "--recipe", Save("r.json", recipe), "--out", At("o"));
        Assert.Equal(3, run.Code);
        Assert.Contains(hint, run.Error, StringComparison.Ordinal);
        Assert.False(Directory.Exists(At("o")));
    }

    [Theory]
    [InlineData("occlusion", "ao")]
    [InlineData("objectNormal", "object_normal")]
    [InlineData("bentNormal", "bent_normal")]
    [InlineData("vertexColour", "vertex_colour")]
    public void A_map_has_one_word_and_what_earlier_files_say_is_read(string former, string word)
    {
        Assert.Equal(word, BakeMap.Table.Of(former).Word);
        Assert.Same(BakeMap.Table.Of(word), BakeMap.Table.Find(former.ToUpperInvariant()));
        Assert.All(BakeMaps.All, m => Assert.Same(m, BakeMaps.Find(m.Word)));
        Save("kit/kit.json", $$"""{"version":3,"name":"Kit","assets":[],"settings":{"bake":{"maps":["{{former}}"]} } }""");
        Assert.Equal(0, Run("build", At("kit"), "--out", At("o")).Code);
    }
}
