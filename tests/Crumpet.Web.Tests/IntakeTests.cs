using System.IO.Compression;
using System.Text;
using Xunit;

namespace Crumpet.Web.Tests;

/// <summary>Mends, rules, folders and zips over HTTP.</summary>
public sealed class IntakeTests(SharedApp shared) : SharedAppTests(shared)
{
    private static readonly string Prefixed = Low.Replace("o crate_low", "o shed:crate_low", StringComparison.Ordinal);

    [Fact]
    public async Task A_mend_is_recorded_switched_undone_repeated_and_taken_away()
    {
        string asset = await DropAsync(Client, ("crate_low.obj", Prefixed), ("crate_high.obj", High)), intake = $"{asset}/intake";
        string page = await UntilAsync(Client, intake, "Strip shed: from 1 name");
        await PostAsync(Client, intake, "Mend", new() { ["mend"] = ValueOf(page, "Strip shed: from 1 name") });
        page = await UntilAsync(Client, intake, "1 changed");
        Assert.DoesNotContain("shed:crate_low</span>", page, StringComparison.Ordinal);
        Assert.Contains("data-place=\"crate_low\"", page, StringComparison.Ordinal);
        await PostAsync(Client, intake, "Switch", new() { ["number"] = "0", ["on"] = "false" });
        Assert.Contains("· off", await UntilAsync(Client, intake, "data-place=\"shed:crate_low\""), StringComparison.Ordinal);
        Assert.Contains("Mend 'Strip shed: from names of crate_low.obj' switched off", await Client.GetStringAsync($"{asset}/history") is var history
            ? System.Net.WebUtility.HtmlDecode(history) : "", StringComparison.Ordinal);
        await PostAsync(Client, $"{asset}/history", "GoTo", new() { ["number"] = "1" });
        Assert.Contains("data-place=\"crate_low\"", await UntilAsync(Client, intake, "1 changed"), StringComparison.Ordinal);
        await PostAsync(Client, intake, "TakeAway", new() { ["number"] = "0" });
        page = await UntilAsync(Client, intake, "Strip shed: from 1 name");
        Assert.DoesNotContain("class=\"mends\"", page, StringComparison.Ordinal);
    }

    [Fact]
    public async Task All_that_is_safe_is_mended_at_once_and_what_it_was_can_be_seen()
    {
        string asset = await DropAsync(Client, ("crate_low.obj", Prefixed.Replace("0.5", "50", StringComparison.Ordinal)),
            ("crate_high.obj", High.Replace("0.5", "50", StringComparison.Ordinal)));
        await UntilAsync(Client, $"{asset}/intake", "Mend all 2 that are safe");
        await PostAsync(Client, $"{asset}/intake", "MendSafe", []);
        string page = await UntilAsync(Client, $"{asset}/layout", "laid.obj");
        Assert.Contains("island", page, StringComparison.Ordinal);
        string intake = System.Net.WebUtility.HtmlDecode(await Client.GetStringAsync($"{asset}/intake"));
        Assert.Contains("1.00\u200a×\u200a0.000\u200a×\u200a1.00", intake, StringComparison.Ordinal);
    }

    [Theory]
    [InlineData("rename", "Type the new name")]
    [InlineData("renameByPattern", "lacks", "{part}_{side}", "{piece}")]
    [InlineData("weld", "must be a number")]
    [InlineData("side", "Tick the objects")]
    [InlineData("resize", "The width is 0 px; it must be 1 to 16384 px.")]
    [InlineData("no such thing", "Choose what to do")]
    [InlineData("", "The field What is missing")]
    public async Task A_mend_by_hand_that_cannot_be_is_refused_with_a_sentence(string what, string sentence, string from = "", string to = "")
    {
        string asset = await DropAsync(Client, ("crate_low.obj", Low), ("crate_high.obj", High));
        await UntilAsync(Client, $"{asset}/layout", "laid.obj");
        string page = await PostAsync(Client, $"{asset}/intake", "ByHand",
            new() { ["What"] = what, ["From"] = from, ["To"] = to, ["Amount"] = "soft", ["Textures"] = "a.png" });
        Assert.Contains(sentence == "lacks" ? "does not read" : sentence, page, StringComparison.Ordinal);
        Assert.DoesNotContain("class=\"mends\"", page, StringComparison.Ordinal);
    }

    [Fact]
    public async Task Objects_are_renamed_by_pattern_and_their_side_said_by_hand()
    {
        string asset = await DropAsync(Client, ("crate.obj", Low.Replace("crate_low", "crate-low", StringComparison.Ordinal)),
            ("shape.obj", High.Replace("crate_high", "crate", StringComparison.Ordinal))), intake = $"{asset}/intake";
        await UntilAsync(Client, intake, "tells its side neither");
        await PostAsync(Client, intake, "ByHand", new() { ["What"] = "renameByPattern", ["From"] = "{part}-{side}", ["To"] = "{part}_{side}" });
        await UntilAsync(Client, intake, "1 changed");
        await PostAsync(Client, intake, "ByHand", new() { ["What"] = "side", ["Side"] = "High", ["Objects"] = "crate" });
        await UntilAsync(Client, $"{asset}/pairs", "1 part paired, 0 not");
    }

    [Fact]
    public async Task A_mend_becomes_a_rule_for_every_file_of_the_kit_and_can_be_switched_off_there()
    {
        string one = await DropAsync(Client, ("crate_low.obj", Low), ("crate_high.obj", High)),
            two = await DropAsync(Client, ("crate_low.obj", Low), ("crate_high.obj", High));
        await UntilAsync(Client, $"{two}/layout", "laid.obj");
        await PostAsync(Client, $"{one}/intake", "ByHand", new() { ["What"] = "units", ["Factor"] = "100" });
        await UntilAsync(Client, $"{one}/intake", "2 changed");
        await PostAsync(Client, $"{one}/intake", "ForKit", new() { ["number"] = "0" });
        Assert.Contains("100.0\u200a×", System.Net.WebUtility.HtmlDecode(await UntilAsync(Client, $"{two}/intake", "100.0")), StringComparison.Ordinal);
        await PostAsync(Client, Kit, "Switch", new() { ["number"] = "0", ["on"] = "false" });
        await UntilAsync(Client, $"{two}/intake", "1.00\u200a×");
        await PostAsync(Client, Kit, "Rules", new() { ["size"] = "50", ["largest"] = "1024", ["square"] = "true", ["colours"] = "false" });
        await UntilAsync(Client, $"{two}/intake", "while the kit");
        Assert.Contains("must be a number from 0.001 to 100000",
            await PostAsync(Client, Kit, "Rules", new() { ["size"] = "big", ["largest"] = "1024", ["square"] = "false", ["colours"] = "false" }),
            StringComparison.Ordinal);
    }

    [Fact]
    public async Task Zips_and_folders_keep_their_paths_and_newer_files_take_the_place_of_older_ones()
    {
        string asset = await DropAsync(Client,
            ("meshes/crate_low.obj", "mtllib crate.mtl\n" + Low.Replace("f 1", "usemtl paint\nf 1", StringComparison.Ordinal)),
            ("meshes/crate_high.obj", High));
        await UntilAsync(Client, $"{asset}/layout", "laid.obj");
        await AddAsync(Client, asset, ("kit.zip", Zip(("gauge/meshes/crate.mtl", "newmtl paint\nmap_Kd maps/paint.png\n"), ("gauge/readme.txt", "hello"))));
        Assert.Contains("meshes/crate.mtl", await UntilAsync(Client, $"{asset}/intake?show=files", "drop paint.png here"), StringComparison.Ordinal);
        await AddAsync(Client, asset, ("crate_low.obj", Encoding.Latin1.GetBytes(Low)));
        await UntilAsync(Client, $"{asset}/intake?show=files", "<td class=\"number\">2</td>");
        Assert.Contains("the same files are here already", await AddAsync(Client, asset, ("crate_low.obj", Encoding.Latin1.GetBytes(Low))),
            StringComparison.Ordinal);
        Assert.Contains("leads out of the zip", await AddAsync(Client, asset, ("bad.zip", Zip(("../x.obj", "v")))), StringComparison.Ordinal);
    }

    [Fact]
    public async Task Several_hundred_files_arrive_at_once_and_equal_ones_are_kept_once()
    {
        using var app = Start();
        using var client = app.CreateClient();
        string asset = await DropAsync(client,
            [.. Enumerable.Range(0, 300).Select(i => ($"set/part{i:000}_low.obj", Low.Replace("crate", $"part{i % 3}", StringComparison.Ordinal))),
            ("crate_high.obj", High)]);
        await UntilAsync(client, $"{asset}/intake?show=files", "301 files");
        await UntilAsync(client, $"{asset}/intake", "data-place=\"part2_low\"");
        // Whatever is still being written has a name of its own.
        Assert.Equal(4, Directory.GetFiles(Path.Combine(DataFolder, "store", "blobs"), "*", SearchOption.AllDirectories)
            .Count(f => Path.GetFileName(f).Length == 64 && new FileInfo(f).Length < 1000 && File.ReadAllText(f).StartsWith("o ", StringComparison.Ordinal)));
    }

    [Fact]
    public async Task A_newer_file_with_one_part_a_little_larger_moves_the_islands_of_that_part_alone()
    {
        var small = new Dictionary<string, string> { ["set[layout.sizePixels]"] = "256", ["set[layout.paddingPixels]"] = "2" };
        string asset = await DropAsync(Client, small, ("row_low.obj", Row(1)),
                ("row_high.obj", Row(1).Replace("_low", "_high", StringComparison.Ordinal))), layout = $"{asset}/layout";
        await UntilAsync(Client, layout, "laid.obj");
        Assert.Contains("packed, as not all came with UVs", await Client.GetStringAsync(layout), StringComparison.Ordinal);
        string before = await Client.GetStringAsync($"{asset}/laid.obj");
        await AddAsync(Client, asset, ("row_low.obj", Encoding.Latin1.GetBytes(Row(1.004f))));
        await UntilAsync(Client, layout, "fitted in; the other");
        string after = await Client.GetStringAsync($"{asset}/laid.obj");
        Assert.Equal(UvsOf(before, "crate0_low"), UvsOf(after, "crate0_low"));
        Assert.Equal(UvsOf(before, "crate6_low"), UvsOf(after, "crate6_low"));
        Assert.NotEqual(UvsOf(before, "crate7_low"), UvsOf(after, "crate7_low"));
        // Going back is back.
        await PostAsync(Client, $"{asset}/history", null, new() { ["number"] = "0" });
        Assert.Equal(before, await Client.GetStringAsync($"{asset}/laid.obj"));

        // Eight crates without UVs, of which the last is small.
        static string Row(float last)
        {
            var text = new StringBuilder();
            for (int k = 0; k < 8; k++)
            {
                float half = k == 7 ? 0.2f * last : 0.5f;
                text.Append(System.Globalization.CultureInfo.InvariantCulture, $"o crate{k}_low\n");
                for (int i = 0; i < 8; i++)
                    text.Append(System.Globalization.CultureInfo.InvariantCulture,
                        $"v {2 * k + ((i & 1) - 0.5f) * 2 * half} {((i >> 1 & 1) - 0.5f) * 2 * half} {((i >> 2) - 0.5f) * 2 * half}\n");
                foreach (int[] f in (int[][])[[5, 6, 8, 7], [2, 1, 3, 4], [6, 2, 4, 8], [1, 5, 7, 3], [7, 8, 4, 3], [1, 2, 6, 5]])
                    text.Append("f ").AppendJoin(' ', f.Select(c => c + 8 * k)).Append('\n');
            }
            return text.ToString();
        }

        static string[] UvsOf(string obj, string name)
        {
            string own = obj[obj.IndexOf($"o {name}", StringComparison.Ordinal)..];
            int next = own.IndexOf("\no ", StringComparison.Ordinal);
            return [.. (next < 0 ? own : own[..next]).Split('\n').Where(l => l.StartsWith("vt ", StringComparison.Ordinal))];
        }
    }

    private static byte[] Zip(params (string Path, string Text)[] files)
    {
        using var stream = new MemoryStream();
        using (var zip = new ZipArchive(stream, ZipArchiveMode.Create, leaveOpen: true))
        {
            foreach (var (path, text) in files)
            {
                using var entry = zip.CreateEntry(path).Open();
                entry.Write(Encoding.Latin1.GetBytes(text));
            }
        }
        return stream.ToArray();
    }

    /// <summary>What a mend's button sends.</summary>
    private static string ValueOf(string page, string label)
    {
        int end = page.IndexOf($"\">{label}</button>", StringComparison.Ordinal), start = page.LastIndexOf("value=\"", end, StringComparison.Ordinal) + 7;
        return page[start..end];
    }
}
