using System.Net;
using Xunit;

namespace Crumpet.Web.Tests;

/// <summary>Kits and assets made, renamed, copied, archived and found; decisions taken back and repeated; runs repeated.</summary>
public sealed class ShellTests(SharedApp shared) : SharedAppTests(shared)
{
    [Fact]
    public async Task A_decision_is_taken_back_and_repeated_and_its_result_is_fresh_at_once()
    {
        string asset = await DropAsync(Client, ("crate_low.obj", Low), ("crate_high.obj", High));
        await UntilAsync(Client, $"{asset}/layout", "laid.obj");
        await PostAsync(Client, $"{asset}/bake", "Bake", new(SmallBake));
        await UntilAsync(Client, $"{asset}/bake", "Texels covered");
        await PostAsync(Client, $"{asset}/bake", "Bake", new(SmallBake) { ["outward"] = "12.5" });
        await UntilAsync(Client, $"{asset}/bake", "Texels covered");
        string history = await Client.GetStringAsync($"{asset}/history");
        Assert.Contains("Outward reach set to 12.5 mm", history, StringComparison.Ordinal);
        string back = await PostAsync(Client, $"{asset}/history", null, new() { ["number"] = "1", ["back"] = $"{asset}/bake" });
        // No run is needed: the first result is still there.
        Assert.Contains("value=\"10\"", back, StringComparison.Ordinal);
        Assert.Contains("disc-fresh", back[back.IndexOf("data-station=\"bake\"", StringComparison.Ordinal)..][..400], StringComparison.Ordinal);
        Assert.Contains("Repeat: Outward reach set to 12.5 mm", back, StringComparison.Ordinal);
        string forth = await PostAsync(Client, $"{asset}/history", null, new() { ["number"] = "2", ["back"] = $"{asset}/bake" });
        Assert.Contains("value=\"12.5\"", forth, StringComparison.Ordinal);
    }

    [Fact]
    public async Task A_replaced_file_comes_back_when_its_replacement_is_taken_back()
    {
        string asset = await DropAsync(Client, ("crate_low.obj", Low), ("crate_high.obj", High));
        await UntilAsync(Client, $"{asset}/layout", "laid.obj");
        await PostAsync(Client, $"{asset}/intake", "LeaveOut", new() { ["name"] = "crate_high.obj" });
        await UntilAsync(Client, $"{asset}/intake", "No object is a high side");
        string page = await PostAsync(Client, $"{asset}/history", null, new() { ["number"] = "0", ["back"] = $"{asset}/intake" });
        Assert.Contains("crate_high.obj", page, StringComparison.Ordinal);
        Assert.DoesNotContain("No object is a high side", page, StringComparison.Ordinal);
    }

    [Fact]
    public async Task A_history_leads_nowhere_outside()
    {
        string asset = await DropAsync(Client, ("crate_low.obj", Low));
        string page = await PostAsync(Client, $"{asset}/history", null, new() { ["number"] = "0", ["back"] = "//elsewhere/" });
        Assert.Contains("History of Crate", page, StringComparison.Ordinal);
        Assert.Equal(HttpStatusCode.NotFound, (await Client.GetAsync("/assets/9999/history")).StatusCode);
    }

    [Fact]
    public async Task Assets_are_renamed_copied_archived_and_brought_back()
    {
        using var app = Start();
        using var client = app.CreateClient();
        string asset = await DropAsync(client, ("crate_low.obj", Low), ("crate_high.obj", High));
        await UntilAsync(client, $"{asset}/layout", "laid.obj");
        Assert.Contains(">Mast box<", await PostAsync(client, "/kits/1", "Rename", new() { ["asset"] = "1", ["name"] = " Mast box " }),
            StringComparison.Ordinal);
        Assert.Contains("Renamed to Mast box", await client.GetStringAsync($"{asset}/history"), StringComparison.Ordinal);
        string copied = await PostAsync(client, "/kits/1", "Copy", new() { ["asset"] = "1" });
        Assert.Contains(">Mast box copy<", copied, StringComparison.Ordinal);
        // The copy shares results by content: nothing is worked again, and nothing was decided for it yet.
        Assert.Contains("1 island on", await client.GetStringAsync("/assets/2/layout"), StringComparison.Ordinal);
        Assert.Contains("Nothing was decided", await client.GetStringAsync("/assets/2/history"), StringComparison.Ordinal);
        Assert.Contains("already has an asset Mast box copy",
            await PostAsync(client, "/kits/1", "Rename", new() { ["asset"] = "1", ["name"] = "MAST BOX copy" }), StringComparison.OrdinalIgnoreCase);
        Assert.Contains("name is empty", await PostAsync(client, "/kits/1", "Rename", new() { ["asset"] = "1", ["name"] = "  " }), StringComparison.Ordinal);
        string archived = await PostAsync(client, "/kits/1", "Archive", new() { ["asset"] = "1" });
        Assert.Contains("Archived assets (1)", archived, StringComparison.Ordinal);
        Assert.DoesNotContain("class=\"asset-name\" href=\"/assets/1/", archived, StringComparison.Ordinal);
        Assert.DoesNotContain("/assets/1/", await client.GetStringAsync("/find?q=mast"), StringComparison.Ordinal);
        Assert.DoesNotContain("Archived assets", await PostAsync(client, "/kits/1", "Restore", new() { ["asset"] = "1" }), StringComparison.Ordinal);
    }

    [Fact]
    public async Task Kits_are_made_renamed_copied_archived_and_brought_back()
    {
        using var app = Start();
        using var client = app.CreateClient();
        await DropAsync(client, ("crate_low.obj", Low), ("crate_high.obj", High));
        await UntilAsync(client, "/assets/1/layout", "laid.obj");
        Assert.Contains("<h1>Marsh", await PostAsync(client, "/kits", "Rename", new() { ["kit"] = "1", ["name"] = "Marsh" }), StringComparison.Ordinal);
        string copy = await PostAsync(client, "/kits", "Copy", new() { ["kit"] = "1" });
        Assert.Contains("<h1>Marsh copy", copy, StringComparison.Ordinal);
        Assert.Contains(">Crate<", copy, StringComparison.Ordinal);
        Assert.Contains("Archived kits (1)", await PostAsync(client, "/kits", "Archive", new() { ["kit"] = "1" }), StringComparison.Ordinal);
        Assert.EndsWith("/kits/2", (await client.GetAsync("/")).RequestMessage!.RequestUri!.AbsolutePath, StringComparison.Ordinal);
        Assert.DoesNotContain("Archived kits", await PostAsync(client, "/kits", "Restore", new() { ["kit"] = "1" }), StringComparison.Ordinal);
        Assert.EndsWith("/kits", (await client.GetAsync("/")).RequestMessage!.RequestUri!.AbsolutePath, StringComparison.Ordinal);
    }

    [Fact]
    public async Task Kits_assets_parts_outputs_and_findings_are_found_by_any_of_their_words()
    {
        using var app = Start();
        using var client = app.CreateClient();
        string asset = await DropAsync(client, ("crate_low.obj", Low), ("crate_high.obj", High),
            ("lost_high.obj", Low.Replace("crate_low", "lost_high", StringComparison.Ordinal)));
        await UntilAsync(client, $"{asset}/pairs", "has no low side");
        Assert.Contains("href=\"/kits/1\"", await client.GetStringAsync("/find?q=test"), StringComparison.Ordinal);
        string crate = await client.GetStringAsync("/find?q=CRA");
        Assert.Contains($"href=\"{asset}/pairs\"", crate, StringComparison.Ordinal);
        Assert.Contains($"href=\"{asset}/pairs?place=crate\"", crate, StringComparison.Ordinal);
        Assert.Contains("place=lost_high", await client.GetStringAsync("/find?q=low+side+no"), StringComparison.Ordinal);
        Assert.Contains("Nothing is called that", await client.GetStringAsync("/find?q=zzz"), StringComparison.Ordinal);
        using var request = new HttpRequestMessage(HttpMethod.Get, "/find?q=crate");
        request.Headers.Add("HX-Request", "true");
        string list = await (await client.SendAsync(request)).Content.ReadAsStringAsync();
        Assert.DoesNotContain("<html", list, StringComparison.Ordinal);
        Assert.Contains("role=\"option\"", list, StringComparison.Ordinal);
    }

    [Fact]
    public async Task A_run_that_ended_can_be_repeated()
    {
        using var app = Start();
        using var client = app.CreateClient();
        string asset = await DropAsync(client, ("crate_low.obj", Low), ("crate_high.obj", High));
        await UntilAsync(client, $"{asset}/layout", "laid.obj");
        await UntilAsync(client, "/runs", "Layout is done");
        await PostAsync(client, "/runs", "Repeat", new() { ["run"] = "1" });
        await UntilAsync(client, "/runs", "Layout: nothing had changed");
    }
}
