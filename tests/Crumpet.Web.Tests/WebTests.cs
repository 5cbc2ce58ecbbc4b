using System.Net;
using Crumpet.Core.Building;
using Crumpet.Storage;
using Xunit;

namespace Crumpet.Web.Tests;

/// <summary>Pages, uploads, runs and restarts, over HTTP in process.</summary>
public sealed class WebTests(SharedApp shared) : SharedAppTests(shared)
{
    private static readonly string[] Stations = ["intake", "pairs", "layout", "bake", "pack", "convert", "bind", "deliver"];

    [Fact]
    public async Task Dropped_files_go_along_the_line_to_a_delivery_that_survives_a_restart()
    {
        string asset;
        using (var app = Start())
        {
            using var client = app.CreateClient();
            asset = await DropAsync(client, ("crate_low.obj", Low), ("crate_high.obj", Low.Replace("_low", "_high", StringComparison.Ordinal)));
            await UntilAsync(client, $"{asset}/layout", "laid.obj");
            await PostAsync(client, $"{asset}/bake", "Bake",
                new()
                {
                    ["size"] = "64",
                    ["samples"] = "1",
                    ["outward"] = "10",
                    ["inward"] = "10",
                    ["rays"] = "4",
                    ["occluders"] = "Tray",
                    ["padding"] = "2",
                    ["bits"] = "8",
                    ["green"] = "Up",
                    ["maps"] = "Normal"
                });
            await UntilAsync(client, $"{asset}/bake", "Texels covered");
            await PostAsync(client, $"{asset}/deliver", "Run", []);
            await UntilAsync(client, $"{asset}/deliver", "Delivery 1 is current");
            foreach (string station in Stations)
                Assert.Equal(HttpStatusCode.OK, (await client.GetAsync($"{asset}/{station}")).StatusCode);
            var zip = await client.GetAsync("/deliveries/1");
            Assert.Equal("application/zip", zip.Content.Headers.ContentType!.MediaType);
            // Ambient occlusion was not asked for, so the recipe's fallback is said.
            Assert.Contains("asks for ao", await client.GetStringAsync($"{asset}/pack"), StringComparison.Ordinal);
        }
        using var again = Start();
        using var later = again.CreateClient();
        Assert.Contains("Delivery 1 is current", await later.GetStringAsync($"{asset}/deliver"), StringComparison.Ordinal);
        await PostAsync(later, $"{asset}/bake", "Bake",
            new()
            {
                ["size"] = "128",
                ["samples"] = "1",
                ["outward"] = "10",
                ["inward"] = "10",
                ["rays"] = "4",
                ["occluders"] = "Tray",
                ["padding"] = "2",
                ["bits"] = "8",
                ["green"] = "Up",
                ["maps"] = "Normal"
            });
        await UntilAsync(later, $"{asset}/bake", "Bake 1 map at 128");
        Assert.Contains("disc-stale", await later.GetStringAsync($"{asset}/deliver"), StringComparison.Ordinal);
    }

    [Theory]
    [InlineData("empty_low.obj", "", "the file is empty")]
    [InlineData("cut_low.glb", "glTF\u0002\0\0\0", "its header is cut")]
    [InlineData("range_low.obj", "o b\nv 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 9\n", "out of range")]
    [InlineData("fake.png", "text", "not a picture")]
    [InlineData("none_low.obj", "v 0 0 0\n", "no triangle")]
    [InlineData("nan_low.obj", "v nan 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 3\n", "is no usable number")]
    public async Task A_broken_file_blocks_intake_with_a_sentence(string name, string text, string sentence)
    {
        string asset = await DropAsync(Client, (name, text), ("crate_high.obj", Low));
        string page = await UntilAsync(Client, $"{asset}/intake", "sign-stop");
        Assert.Contains(sentence, page, StringComparison.Ordinal);
        Assert.Contains(name, page, StringComparison.Ordinal);
        Assert.Contains("disc-blocked", page, StringComparison.Ordinal);
    }

    [Fact]
    public async Task Settings_that_cannot_be_are_refused_with_a_sentence_and_nothing_changes()
    {
        string asset = await DropAsync(Client, ("a_low.obj", Low));
        Assert.Contains("lacks {side}", await PostAsync(Client, $"{asset}/pairs", "Pattern", new() { ["pattern"] = "{part}" }), StringComparison.Ordinal);
        Assert.Contains("must be 1, 2, 4 or 8",
            await PostAsync(Client, $"{asset}/bake", "Bake",
            new()
            {
                ["size"] = "64",
                ["samples"] = "3",
                ["outward"] = "1",
                ["inward"] = "1",
                ["rays"] = "1",
                ["occluders"] = "Tray",
                ["padding"] = "1",
                ["bits"] = "8",
                ["green"] = "Up",
                ["maps"] = "Normal"
            }), StringComparison.Ordinal);
        Assert.Contains("value=\"{part}_{side}{_detail*}\"", await Client.GetStringAsync($"{asset}/pairs?show=names"), StringComparison.Ordinal);
    }

    [Fact]
    public async Task A_run_that_was_interrupted_is_taken_up_again_at_the_next_start()
    {
        using (var app = Start())
        {
            using var client = app.CreateClient();
            string asset = await DropAsync(client, ("a_low.obj", Low), ("a_high.obj", Low.Replace("_low", "_high", StringComparison.Ordinal)));
            await UntilAsync(client, $"{asset}/layout", "laid.obj");
        }
        await using (var db = new CrumpetDb(Database.Options(DataFolder)))
        {
            db.Runs.Add(new Run { AssetId = 1, UpTo = Station.Layout, State = RunState.Running, QueuedAt = DateTime.UtcNow, StartedAt = DateTime.UtcNow });
            await db.SaveChangesAsync();
        }
        using var again = Start();
        using var later = again.CreateClient();
        string page = await UntilAsync(later, "/runs", "Layout is done, ");
        Assert.Contains("Taken up again after a restart.", page, StringComparison.Ordinal);
    }

    [Fact]
    public async Task Build_all_takes_every_asset_to_its_own_delivery_and_tells_equal_names_apart()
    {
        using var app = Start();
        using var client = app.CreateClient();
        (string, string)[] files = [("crate_low.obj", Low), ("crate_high.obj", Low.Replace("_low", "_high", StringComparison.Ordinal))];
        foreach (string asset in (string[])[await DropAsync(client, files), await DropAsync(client, files)])
        {
            await UntilAsync(client, $"{asset}/layout", "laid.obj");
            await PostAsync(client, $"{asset}/bake", "Bake",
                new()
                {
                    ["size"] = "32",
                    ["samples"] = "1",
                    ["outward"] = "10",
                    ["inward"] = "10",
                    ["rays"] = "1",
                    ["occluders"] = "Tray",
                    ["padding"] = "2",
                    ["bits"] = "16",
                    ["green"] = "Down",
                    ["maps"] = "Normal"
                });
        }
        await PostAsync(client, "/kits/1", "BuildAll", []);
        await UntilAsync(client, "/assets/2/deliver", "Delivery 1 is current");
        string kit = await UntilAsync(client, "/kits/1", "/deliveries/2");
        Assert.Contains(">Crate<", kit, StringComparison.Ordinal);
        Assert.Contains(">Crate 2<", kit, StringComparison.Ordinal);
        Assert.Contains("crate_2_normal.dds", await client.GetStringAsync("/assets/2/bind"), StringComparison.Ordinal);
    }

    [Fact]
    public async Task Pictures_are_served_whole_and_small_and_a_file_can_be_left_out()
    {
        string asset = await DropAsync(Client, ("crate_low.obj", Low), ("crate_high.obj", Low.Replace("_low", "_high", StringComparison.Ordinal)),
            ("more_high.obj", Low.Replace("crate_low", "more_high", StringComparison.Ordinal)));
        await UntilAsync(Client, $"{asset}/pairs", "has no low side");
        await PostAsync(Client, $"{asset}/intake", "LeaveOut", new() { ["name"] = "more_high.obj" });
        await UntilAsync(Client, $"{asset}/layout", "laid.obj");
        await PostAsync(Client, $"{asset}/bake", "Bake",
            new()
            {
                ["size"] = "64",
                ["samples"] = "1",
                ["outward"] = "10",
                ["inward"] = "10",
                ["rays"] = "1",
                ["occluders"] = "Tray",
                ["padding"] = "2",
                ["bits"] = "8",
                ["green"] = "Up",
                ["maps"] = "Normal"
            });
        await PostAsync(Client, $"{asset}/convert", "Convert",
            new() { ["formats[colour]"] = "Bc1", ["formats[normal]"] = "Bc5", ["formats[masks]"] = "Rgba8" });
        await UntilAsync(Client, $"{asset}/convert", "crate_masks.dds");
        Assert.Equal((64, 64), await SizeAsync($"{asset}/files/bake/crate_normal.png"));
        Assert.Equal((32, 32), await SizeAsync($"{asset}/thumbs/pack/crate_normal.png?size=32"));
        Assert.Equal((256, 256), await SizeAsync($"{asset}/files/intake/thumbnail.png"));
        foreach (string path in (string[])["thumbs/pack/crate_normal.png?size=9999", "files/pack/..%2f..%2fcrumpet.db"])
            Assert.Equal(HttpStatusCode.NotFound, (await Client.GetAsync($"{asset}/{path}")).StatusCode);

        async Task<(int, int)> SizeAsync(string path)
        {
            var bitmap = Core.Imaging.ImageFile.Read(await Client.GetByteArrayAsync(path), path);
            return (bitmap.Width, bitmap.Height);
        }
    }

    [Fact]
    public async Task Forms_without_their_token_are_refused()
    {
        using var empty = new FormUrlEncodedContent([]);
        Assert.Equal(HttpStatusCode.BadRequest, (await Client.PostAsync("/kits?handler=Make", empty)).StatusCode);
    }

    [Fact]
    public async Task Every_answer_forbids_what_comes_from_elsewhere_and_what_is_not_there_is_said()
    {
        var answer = await Client.GetAsync("/kits/9999");
        Assert.Equal(HttpStatusCode.NotFound, answer.StatusCode);
        Assert.Contains("There is nothing here", await answer.Content.ReadAsStringAsync(), StringComparison.Ordinal);
        string policy = answer.Headers.GetValues("Content-Security-Policy").Single();
        Assert.Contains("script-src 'self'", policy, StringComparison.Ordinal);
        Assert.DoesNotContain("unsafe", policy, StringComparison.Ordinal);
        foreach (string path in (string[])["/assets/9999/files/bake/x.png", "/assets/9999/files/nowhere/x", "/assets/9999/intake", "/deliveries/9999"])
            Assert.Equal(HttpStatusCode.NotFound, (await Client.GetAsync(path)).StatusCode);
    }
}
