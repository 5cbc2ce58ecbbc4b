using System.Net;
using System.Text;
using Xunit;

namespace Crumpet.Web.Tests;

/// <summary>Parts, trays, names and cages over HTTP.</summary>
public sealed class PairsTests(SharedApp shared) : SharedAppTests(shared)
{
    [Fact]
    public async Task Parts_are_put_on_trays_by_hand_kept_apart_and_left_to_the_plan_again()
    {
        string pairs = await ThreePartsAsync(Client);
        Assert.Contains("3 parts on 1 tray", await Client.GetStringAsync(pairs), StringComparison.Ordinal);
        await PostAsync(Client, $"{pairs}?show=trays", "Tray", new() { ["part"] = "lid", ["tray"] = "1" });
        string page = await UntilAsync(Client, $"{pairs}?show=trays", "2 trays, 0 contacts");
        Assert.Contains("lid on tray 2", page, StringComparison.Ordinal);
        Assert.Contains("by-hand", page, StringComparison.Ordinal);
        await PostAsync(Client, $"{pairs}?show=trays&part=box", "Tie", new() { ["part"] = "box", ["other"] = "foot", ["together"] = "false" });
        page = await UntilAsync(Client, $"{pairs}?show=trays&part=box", "Kept apart from");
        await PostAsync(Client, $"{pairs}?show=trays&part=box", "Untie", new() { ["part"] = "box", ["other"] = "foot" });
        await PostAsync(Client, $"{pairs}?show=trays", "Tray", new() { ["part"] = "lid", ["tray"] = "-1" });
        Assert.DoesNotContain("by-hand", await UntilAsync(Client, $"{pairs}?show=trays", "1 tray, 0 contacts"), StringComparison.Ordinal);
        string history = WebUtility.HtmlDecode(await Client.GetStringAsync(pairs.Replace("/pairs", "/history", StringComparison.Ordinal)));
        foreach (string words in (string[])["lid put on tray 2", "box and foot kept apart", "box and foot no longer kept apart",
            "Tray of lid left to the plan"])
            Assert.Contains(words, history, StringComparison.Ordinal);
    }

    [Fact]
    public async Task A_part_and_a_tray_have_reaches_and_shade_of_their_own()
    {
        string pairs = await ThreePartsAsync(Client);
        await PostAsync(Client, $"{pairs}?part=lid", "Part",
            new() { ["part"] = "lid", ["tray"] = "-1", ["outward"] = "33.5", ["inward"] = "", ["sees"] = "Asset", ["cage"] = "", ["direction"] = "Split" });
        string page = await UntilAsync(Client, $"{pairs}?part=lid", "value=\"33.5\"");
        Assert.Contains("<option value=\"Split\" selected=\"selected\">", page, StringComparison.Ordinal);
        await PostAsync(Client, $"{pairs}?show=trays", "TraySettings", new() { ["tray"] = "0", ["outward"] = "", ["inward"] = "44", ["others"] = "true" });
        Assert.Contains("value=\"44\"", await UntilAsync(Client, $"{pairs}?show=trays", "value=\"44\""), StringComparison.Ordinal);
        Assert.Contains("must be a number from 0",
            await PostAsync(Client, $"{pairs}?part=lid", "Part", new() { ["part"] = "lid", ["tray"] = "-1", ["outward"] = "wide" }), StringComparison.Ordinal);
    }

    [Fact]
    public async Task A_name_dragged_onto_another_takes_its_part_and_all_are_renamed_to_the_convention()
    {
        string asset = await DropAsync(Client, ("a_low.obj", Box("crate_low", 0)), ("b_low.obj", Box("lid_low", 3)), ("a_high.obj", Box("crate_high", 0)),
            ("b_high.obj", Box("kk_high", 9))), pairs = $"{asset}/pairs";
        string page = await UntilAsync(Client, pairs, "no high side");
        await PostAsync(Client, pairs, "Join", new() { ["dragged"] = NumberOf(page, "kk_<wbr>high"), ["onto"] = NumberOf(page, "lid_<wbr>low") });
        page = await UntilAsync(Client, pairs, "2 parts paired, 0 not");
        Assert.Contains("lid_<wbr>high", page, StringComparison.Ordinal);
        Assert.Contains("Pair kk_high with lid_low as lid", WebUtility.HtmlDecode(await Client.GetStringAsync($"{asset}/intake")), StringComparison.Ordinal);
        Assert.Contains("Drag a high object onto a low one", await PostAsync(Client, pairs, "Join", new() { ["dragged"] = "0", ["onto"] = "0" }),
            StringComparison.Ordinal);
        // A pattern without detail cannot tell two objects of one side apart.
        await PostAsync(Client, $"{pairs}?show=names", "Pattern", new() { ["pattern"] = "{part}_{side}" });
        page = await UntilAsync(Client, pairs, "2 parts paired, 0 not");
        Assert.Contains("lid has a high object already",
            await PostAsync(Client, pairs, "Join", new() { ["dragged"] = NumberOf(page, "crate_<wbr>high"), ["onto"] = NumberOf(page, "lid_<wbr>low") }),
            StringComparison.Ordinal);
        await PostAsync(Client, $"{pairs}?show=names", "Pattern", new() { ["pattern"] = "{side}-{part} | {part}_{side}" });
        page = await UntilAsync(Client, $"{pairs}?show=names", "Rename all 2 to the convention");
        Assert.Contains("high-lid", page, StringComparison.Ordinal);
        await PostAsync(Client, $"{pairs}?show=names", "RenameAll", []);
        Assert.DoesNotContain("Rename all", await UntilAsync(Client, $"{pairs}?show=names", "<span class=\"piece piece-side\">high</span>-"),
            StringComparison.Ordinal);
    }

    [Fact]
    public async Task All_clear_suggestions_above_a_bar_are_accepted_at_once_and_thumbnails_go_by_content()
    {
        string asset = await DropAsync(Client, ("a_low.obj", Box("crate_low", 0) + Box("lid_low", 3, 8)),
            ("a_high.obj", Box("cratee_high", 0) + Box("lidd_high", 3, 8))), pairs = $"{asset}/pairs";
        string page = await UntilAsync(Client, pairs, "2 other sides are clear");
        string thumbnail = page[page.IndexOf("/thumbnails/", StringComparison.Ordinal)..][..("/thumbnails/".Length + 64)];
        Assert.Equal("image/png", (await Client.GetAsync(thumbnail)).Content.Headers.ContentType!.MediaType);
        Assert.Equal(HttpStatusCode.NotFound, (await Client.GetAsync("/thumbnails/" + new string('a', 64))).StatusCode);
        Assert.Contains("No suggestion is clear at 99 %", await PostAsync(Client, pairs, "AcceptAll", new() { ["bar"] = "99" }), StringComparison.Ordinal);
        Assert.Contains("must be a number of percent", await PostAsync(Client, pairs, "AcceptAll", new() { ["bar"] = "most" }), StringComparison.Ordinal);
        await PostAsync(Client, pairs, "AcceptAll", new() { ["bar"] = "70" });
        Assert.Contains("crate_<wbr>high", await UntilAsync(Client, pairs, "2 parts paired, 0 not"), StringComparison.Ordinal);
        Assert.Contains("Pair cratee_high with crate_low as crate", await Client.GetStringAsync($"{asset}/intake"), StringComparison.Ordinal);
    }

    [Fact]
    public async Task A_pattern_is_tried_on_the_names_without_being_kept()
    {
        string pairs = await ThreePartsAsync(Client);
        string tried = await Client.GetStringAsync($"{pairs}?handler=Try&pattern={Uri.EscapeDataString("{part}_{side}_{detail}")}");
        Assert.Contains("0 of 6 names are read", tried, StringComparison.Ordinal);
        Assert.Contains("expected _", tried, StringComparison.Ordinal);
        Assert.Contains("lacks {side}", await Client.GetStringAsync($"{pairs}?handler=Try&pattern=%7Bpart%7D"), StringComparison.Ordinal);
        Assert.Contains("All 6 names are read", await Client.GetStringAsync($"{pairs}?show=names"), StringComparison.Ordinal);
    }

    [Fact]
    public async Task Cages_are_fitted_brushed_written_out_and_taken_back_in()
    {
        string pairs = await ThreePartsAsync(Client), asset = pairs[..^"/pairs".Length];
        await PostAsync(Client, $"{pairs}?show=cage", "Cage",
            new() { ["kind"] = "Fitted", ["margin"] = "2", ["direction"] = "Smooth", ["blend"] = "50", ["outward"] = "12", ["inward"] = "20" });
        Assert.Contains("<td>fitted</td>", await UntilAsync(Client, $"{pairs}?show=cage", "<td>fitted</td>"), StringComparison.Ordinal);
        string fitted = await Client.GetStringAsync($"{asset}/cages.obj");
        Assert.Equal(["o box_cage", "o foot_cage", "o lid_cage"], fitted.Split('\n').Where(l => l.StartsWith("o ", StringComparison.Ordinal)));
        await PostAsync(Client, $"{pairs}?show=cage", "Stroke",
            new() { ["kind"] = "Cage", ["part"] = "lid", ["points"] = "3.5 0.5 0.5", ["radius"] = "100", ["amount"] = "7" });
        await UntilAsync(Client, $"{pairs}?show=cage", "1 stroke");
        string brushed = await Client.GetStringAsync($"{asset}/cages.obj");
        Assert.NotEqual(fitted, brushed);
        Assert.Contains("draw it again", await PostAsync(Client, $"{pairs}?show=cage", "Stroke",
            new() { ["kind"] = "Cage", ["part"] = "lid", ["points"] = "1 2", ["radius"] = "100", ["amount"] = "7" }), StringComparison.Ordinal);
        // Taken back like any decision.
        await PostAsync(Client, $"{asset}/history", "GoTo", new() { ["number"] = "1" });
        await UntilAsync(Client, $"{pairs}?show=cage", "<td>fitted</td>");
        Assert.Equal(fitted, await Client.GetStringAsync($"{asset}/cages.obj"));
        // A cage worked on elsewhere comes back as it is.
        await AddAsync(Client, asset, ("crate_cage.obj", Encoding.ASCII.GetBytes(brushed)));
        await UntilAsync(Client, $"{asset}/intake", "cage");
        await PostAsync(Client, $"{pairs}?show=cage", "Cage",
            new() { ["kind"] = "File", ["margin"] = "2", ["direction"] = "Smooth", ["blend"] = "50", ["outward"] = "12", ["inward"] = "20" });
        Assert.DoesNotContain("cage-mismatch", await UntilAsync(Client, $"{pairs}?show=cage", "<td>object</td>"), StringComparison.Ordinal);
        Assert.Equal(Positions(brushed), Positions(await Client.GetStringAsync($"{asset}/cages.obj")));
        Assert.Equal(HttpStatusCode.OK, (await Client.GetAsync($"{asset}/cages.glb")).StatusCode);
        Assert.Equal(HttpStatusCode.NotFound, (await Client.GetAsync($"{asset}/cages.txt")).StatusCode);
    }

    [Fact]
    public async Task Words_for_sides_are_rules_of_the_kit()
    {
        string asset = await DropAsync(Client, ("a.obj", Box("Crate_GAME", 0)), ("b.obj", Box("crate_sculpt", 0)));
        await UntilAsync(Client, $"{asset}/intake", "sign-stop");
        Assert.Contains("stands for two sides",
            WebUtility.HtmlDecode(await PostAsync(Client, Kit, "Names", new() { ["low"] = "x", ["high"] = "X", ["cage"] = "cage" })),
            StringComparison.Ordinal);
        await PostAsync(Client, Kit, "Names",
            new() { ["low"] = "game low", ["high"] = "sculpt", ["cage"] = "cage", ["prefixes"] = "", ["anyCase"] = "true" });
        Assert.Contains("1 part paired, 0 not", await UntilAsync(Client, $"{asset}/pairs", "1 part paired"), StringComparison.Ordinal);
    }

    private async Task<string> ThreePartsAsync(HttpClient client)
    {
        string asset = await DropAsync(client, ("crate_low.obj", Three("low")), ("crate_high.obj", Three("high")));
        await UntilAsync(client, $"{asset}/pairs", "3 parts paired, 0 not");
        return $"{asset}/pairs";
    }

    private static string Three(string side) => Box($"box_{side}", 0) + Box($"lid_{side}", 3, 8) + Box($"foot_{side}", 6, 16);

    /// <summary>A cube of side 1 with UVs, so far to the right.</summary>
    internal static string Box(string name, float right, int before = 0)
    {
        var text = new StringBuilder($"o {name}\n");
        for (int i = 0; i < 8; i++)
            text.Append(System.Globalization.CultureInfo.InvariantCulture,
                $"v {right + (i & 1) - 0.5f} {(i >> 1 & 1) - 0.5f} {(i >> 2) - 0.5f}\nvt {(i & 1) * 0.3f + right / 10} {(i >> 1) * 0.3f}\n");
        foreach (int[] f in (int[][])[[5, 6, 8, 7], [2, 1, 3, 4], [6, 2, 4, 8], [1, 5, 7, 3], [7, 8, 4, 3], [1, 2, 6, 5]])
            text.Append("f ").AppendJoin(' ', f.Select(c => $"{c + before}/{c + before}")).Append('\n');
        return text.ToString();
    }

    private static string[] Positions(string obj) => [.. obj.Split('\n').Where(l => l.StartsWith("v ", StringComparison.Ordinal))];

    /// <summary>Number of the object whose cell holds a text.</summary>
    private static string NumberOf(string page, string cell)
    {
        string before = page[..page.IndexOf(cell, StringComparison.Ordinal)];
        int at = before.LastIndexOf("data-object=\"", StringComparison.Ordinal) + "data-object=\"".Length;
        return before[at..before.IndexOf('"', at)];
    }
}
