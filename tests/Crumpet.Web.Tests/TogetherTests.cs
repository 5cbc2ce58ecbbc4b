using System.Net;
using System.Text.RegularExpressions;
using Crumpet.Core.Bake;
using Crumpet.Core.Imaging;
using Crumpet.Storage;
using Microsoft.EntityFrameworkCore;
using Xunit;

namespace Crumpet.Web.Tests;

/// <summary>Two tabs, two people: no change is lost, and none goes over another without a word.</summary>
public sealed partial class TogetherTests(SharedApp shared) : SharedAppTests(shared)
{
    [Fact]
    public async Task Fifty_decisions_at_once_are_all_kept_and_all_taken_back()
    {
        string asset = await DropAsync(Client, ("crate_low.obj", Low), ("crate_high.obj", High));
        string token = TokenOf(await Client.GetStringAsync($"{asset}/pairs"));
        var answers = await Task.WhenAll(Enumerable.Range(0, 50).Select(async i =>
        {
            using var form = new FormUrlEncodedContent(
                new Dictionary<string, string> { ["__RequestVerificationToken"] = token, ["part"] = $"part_{i}", ["tray"] = "2" });
            return (await Client.PostAsync($"{asset}/pairs?handler=Tray", form)).StatusCode;
        }));
        Assert.All(answers, a => Assert.Equal(HttpStatusCode.OK, a));
        await using var db = new CrumpetDb(Database.Options(Shared.DataFolder));
        var kept = await db.Assets.Include(a => a.Kit).Include(a => a.Decisions).Include(a => a.Sources)
            .SingleAsync(a => a.Id == IdOf(asset), TestContext.Current.CancellationToken);
        Assert.Equal(50, kept.Plan().Pairs.TrayByHand.Count);
        Assert.Equal(Enumerable.Range(1, 50), kept.Decisions.Select(d => d.Number).Order());
        await PostAsync(Client, $"{asset}/history", null, new() { ["number"] = "0" });
        await using var later = new CrumpetDb(Database.Options(Shared.DataFolder));
        var taken = await later.Assets.Include(a => a.Kit).SingleAsync(a => a.Id == IdOf(asset), TestContext.Current.CancellationToken);
        Assert.Empty(taken.Plan().Pairs.TrayByHand);
    }

    [Fact]
    public async Task A_stale_tab_keeps_what_another_said_and_offers_its_own_again()
    {
        string asset = await DropAsync(Client, ("crate_low.obj", Low), ("crate_high.obj", High));
        string version = AsOf(await Client.GetStringAsync($"{asset}/bake"));
        await PostAsync(Client, $"{asset}/bake", "Bake", new(SmallBake) { ["rays"] = "33", ["asOf"] = version });
        // The other tab was made before: it says 16 rays, and turns green down.
        string page = await PostAsync(Client, $"{asset}/bake", "Bake", new(SmallBake) { ["rays"] = "16", ["green"] = "Down", ["asOf"] = version });
        Assert.Contains("Somebody else decided the same meanwhile: Occlusion rays set to 33", page, StringComparison.Ordinal);
        Assert.Equal((33, GreenDirection.Down), await RaysAsync());
        string patch = WebUtility.HtmlDecode(Patch().Match(page).Groups[1].Value);
        Assert.Contains("Occlusion rays set to 16 all the same", page, StringComparison.Ordinal);
        await PostAsync(Client, $"{asset}/bake", "DecideAgain", new() { ["patch"] = patch });
        Assert.Equal((16, GreenDirection.Down), await RaysAsync());
        Assert.Contains("was changed once more", await PostAsync(Client, $"{asset}/bake", "DecideAgain", new() { ["patch"] = patch }),
            StringComparison.Ordinal);
        Assert.Contains("older than what is remembered", await PostAsync(Client, $"{asset}/bake", "Bake", new(SmallBake) { ["rays"] = "8", ["asOf"] = "-7" }),
            StringComparison.Ordinal);

        async Task<(int, GreenDirection)> RaysAsync()
        {
            await using var db = new CrumpetDb(Database.Options(Shared.DataFolder));
            var plan = (await db.Assets.Include(a => a.Kit).SingleAsync(a => a.Id == IdOf(asset))).Plan();
            return (plan.Bake.OcclusionRays, plan.Target.Green);
        }
    }

    [Fact]
    public async Task Going_back_on_an_old_page_takes_nothing_away_that_was_decided_since()
    {
        string asset = await DropAsync(Client, ("crate_low.obj", Low), ("crate_high.obj", High));
        await PostAsync(Client, $"{asset}/pairs", "Tray", new() { ["part"] = "one", ["tray"] = "1" });
        string version = AsOf(await Client.GetStringAsync($"{asset}/history"));
        await PostAsync(Client, $"{asset}/pairs", "Tray", new() { ["part"] = "two", ["tray"] = "1" });
        Assert.Contains("was decided meanwhile", await PostAsync(Client, $"{asset}/history", null, new() { ["number"] = "0", ["asOf"] = version }),
            StringComparison.Ordinal);
        await using var db = new CrumpetDb(Database.Options(Shared.DataFolder));
        Assert.Equal(["one", "two"], (await db.Assets.Include(a => a.Kit).SingleAsync(a => a.Id == IdOf(asset), TestContext.Current.CancellationToken))
            .Plan().Pairs.TrayByHand.Keys.Order());
    }

    [Fact]
    public async Task Rules_and_names_of_a_kit_posted_together_are_both_kept_and_uploads_at_once_have_names_of_their_own()
    {
        await DropAsync(Client, ("crate_low.obj", Low));
        string page = await Client.GetStringAsync(Kit), token = TokenOf(page), version = AsOf(page);
        for (int i = 0; i < 8; i++)
        {
            int size = 2 + i;
            await Task.WhenAll(
                Send("Rules", new() { ["size"] = $"{size}", ["largest"] = "4096" }),
                Send("Names", new() { ["low"] = "lo", ["high"] = $"hi{i}", ["cage"] = "ca" }));
            await using var db = new CrumpetDb(Database.Options(Shared.DataFolder));
            var rules = (await db.Kits.SingleAsync(k => k.Id == IdOf(Kit), TestContext.Current.CancellationToken)).Rules();
            Assert.Equal((size, $"hi{i}"), ((int)rules.ExpectedSizeMetres!.Value, Assert.Single(rules.Names.High)));
            version = AsOf(await Client.GetStringAsync(Kit));
        }
        await Task.WhenAll(Enumerable.Range(0, 8).Select(_ => DropAsync(Client, ("crate_low.obj", Low))));
        await using var later = new CrumpetDb(Database.Options(Shared.DataFolder));
        var names = await later.Assets.Where(a => a.KitId == IdOf(Kit)).Select(a => a.Name).ToListAsync(TestContext.Current.CancellationToken);
        Assert.Equal(9, names.Distinct(StringComparer.OrdinalIgnoreCase).Count());

        async Task Send(string handler, Dictionary<string, string> fields)
        {
            (fields["__RequestVerificationToken"], fields["asOf"]) = (token, version);
            using var form = new FormUrlEncodedContent(fields);
            Assert.Equal(HttpStatusCode.OK, (await Client.PostAsync($"{Kit}?handler={handler}", form)).StatusCode);
        }
    }

    [Fact]
    public async Task A_delivery_that_was_cut_is_made_again_before_it_is_served_and_one_that_cannot_be_says_so()
    {
        using var app = Start();
        using var client = app.CreateClient();
        string asset = await DropAsync(client, ("crate_low.obj", Low), ("crate_high.obj", High));
        await PostAsync(client, $"{asset}/bake", "Bake", new(SmallBake));
        await PostAsync(client, $"{asset}/deliver", "Run", []);
        await UntilAsync(client, $"{asset}/deliver", "Delivery 1 is current");
        byte[] whole = await client.GetByteArrayAsync("/deliveries/1");
        var store = new FileStore(Path.Combine(DataFolder, "store"));
        await using var db = new CrumpetDb(Database.Options(DataFolder));
        string path = store.PathOf((await db.Deliveries.SingleAsync(TestContext.Current.CancellationToken)).Sha256);
        await File.WriteAllBytesAsync(path, whole[..^1000], TestContext.Current.CancellationToken);
        Assert.Equal(whole, await client.GetByteArrayAsync("/deliveries/1"));
        // Its sources are gone too.
        File.Delete(path);
        File.Delete(store.PathOf((await db.Sources.FirstAsync(TestContext.Current.CancellationToken)).Sha256));
        var gone = await client.GetAsync("/deliveries/1");
        Assert.Equal(HttpStatusCode.Gone, gone.StatusCode);
        Assert.Contains("cannot be made again as it was", WebUtility.HtmlDecode(await gone.Content.ReadAsStringAsync()), StringComparison.Ordinal);
    }

    [Fact]
    public async Task What_the_kit_decides_holds_for_every_asset_but_where_it_says_otherwise()
    {
        string one = await DropAsync(Client, ("crate_low.obj", Low)), two = await DropAsync(Client, ("crate_low.obj", Low));
        await PostAsync(Client, $"{one}/bake", "Bake", new(SmallBake) { ["size"] = "512" });
        Assert.Contains("of its own, the rest as the kit says", await Client.GetStringAsync($"{one}/bake"), StringComparison.Ordinal);
        Assert.Contains("All settings here are as the kit says", await Client.GetStringAsync($"{two}/bake"), StringComparison.Ordinal);
        await PostAsync(Client, Kit, "Settings", new() { ["set[bake.size]"] = "1024", ["set[bake.samples]"] = "4" });
        Assert.Equal([(512, 1), (1024, 4)], await SizesAsync());
        // As the kit says, and what the kit says next.
        await PostAsync(Client, $"{one}/bake", "AsKit", new() { ["path"] = "bake.size" });
        await PostAsync(Client, Kit, "Settings", new() { ["set[bake.size]"] = "256" });
        Assert.Equal([(256, 1), (256, 4)], await SizesAsync());
        // What one says becomes what all say.
        await PostAsync(Client, $"{one}/bake", "KitsOwn", new() { ["path"] = "bake.samples" });
        Assert.Equal([(256, 1), (256, 1)], await SizesAsync());
        await PostAsync(Client, $"{one}/history", null, new() { ["number"] = "0" });
        Assert.Equal([(256, 1), (256, 1)], await SizesAsync());
        Assert.Contains("it must be 16 to 8192 px", await PostAsync(Client, Kit, "Settings", new() { ["set[bake.size]"] = "7" }),
            StringComparison.Ordinal);

        async Task<(int, int)[]> SizesAsync()
        {
            await using var db = new CrumpetDb(Database.Options(Shared.DataFolder));
            var assets = await db.Assets.Include(a => a.Kit).Where(a => a.KitId == IdOf(Kit)).OrderBy(a => a.Id).ToListAsync();
            return [.. assets.Select(a => (a.Plan().Bake.Size, a.Plan().Bake.Samples))];
        }
    }

    [Fact]
    public async Task A_kit_saved_as_a_folder_and_opened_again_needs_no_job_and_one_with_a_wrong_key_says_where()
    {
        using var app = Start();
        using var client = app.CreateClient();
        string asset = await DropAsync(client, ("crate_low.obj", Low), ("crate_high.obj", High));
        await PostAsync(client, "/kits/1", "Settings", new() { ["set[bake.size]"] = "64" });
        await PostAsync(client, $"{asset}/bake", "Bake", new(SmallBake) { ["size"] = "64" });
        await PostAsync(client, $"{asset}/deliver", "Run", []);
        await UntilAsync(client, $"{asset}/deliver", "Delivery 1 is current");
        byte[] zip = await client.GetByteArrayAsync("/kits/1/folder.zip");
        Assert.Equal(zip, await client.GetByteArrayAsync("/kits/1/folder.zip"));
        var opened = await OpenAsync(zip);
        Assert.EndsWith("/kits/2", opened.Path, StringComparison.Ordinal);
        // What was worked for the one holds for the other.
        Assert.Contains("Make delivery 1", await client.GetStringAsync("/assets/2/deliver"), StringComparison.Ordinal);
        await using (var db = new CrumpetDb(Database.Options(DataFolder)))
        {
            var kits = await db.Kits.Include(k => k.Assets).OrderBy(k => k.Id).AsNoTracking().ToListAsync(TestContext.Current.CancellationToken);
            Assert.Equal(kits[0].PlanJson, kits[1].PlanJson);
            Assert.Equal(kits[0].Assets[0].PlanJson, kits[1].Assets[0].PlanJson);
        }
        using var broken = new MemoryStream();
        await broken.WriteAsync(zip, TestContext.Current.CancellationToken);
        using (var archive = new System.IO.Compression.ZipArchive(broken, System.IO.Compression.ZipArchiveMode.Update, leaveOpen: true))
        {
            archive.GetEntry("kit.json")!.Delete();
            await using var entry = archive.CreateEntry("kit.json").Open();
            await entry.WriteAsync("{\"version\":2,\n\"nmae\":\"x\",\"name\":\"x\",\"assets\":[]}"u8.ToArray(), TestContext.Current.CancellationToken);
        }
        var refused = await OpenAsync(broken.ToArray());
        Assert.Contains("kit.json, line 2: the key 'nmae' is not known. Perhaps 'name' is meant.", refused.Page, StringComparison.Ordinal);

        async Task<(string Path, string Page)> OpenAsync(byte[] bytes)
        {
            using var form = new MultipartFormDataContent { { new StringContent(TokenOf(await client.GetStringAsync("/kits"))), "__RequestVerificationToken" },
                { new ByteArrayContent(bytes), "zip", "kit.zip" } };
            var answer = await client.PostAsync("/kits?handler=Open", form);
            return (answer.RequestMessage!.RequestUri!.AbsolutePath, WebUtility.HtmlDecode(await answer.Content.ReadAsStringAsync()));
        }
    }

    [Fact]
    public async Task An_archived_kit_is_deleted_for_good_with_all_that_is_its_own()
    {
        using var app = Start();
        using var client = app.CreateClient();
        await DropAsync(client, ("crate_low.obj", Low));
        await UntilAsync(client, "/runs", "Stopped at Intake");
        Assert.Contains("is in use; archive it first", await PostAsync(client, "/room", "Delete", new() { ["kit"] = "1" }), StringComparison.Ordinal);
        await PostAsync(client, "/kits", "Archive", new() { ["kit"] = "1" });
        Assert.Contains("Delete Test kit for good", await client.GetStringAsync("/room"), StringComparison.Ordinal);
        Assert.DoesNotContain("Test kit", await PostAsync(client, "/room", "Delete", new() { ["kit"] = "1" }), StringComparison.Ordinal);
        await using var db = new CrumpetDb(Database.Options(DataFolder));
        Assert.Empty(db.Assets);
        Assert.Empty(db.Sources);
        Assert.Empty(db.Runs);
    }

    private static int IdOf(string address) => int.Parse(address[(address.LastIndexOf('/') + 1)..], System.Globalization.CultureInfo.InvariantCulture);

    private static string AsOf(string page) => AsOfField().Match(page).Groups[1].Value;

    [GeneratedRegex("name=\"asOf\" value=\"(\\d+)\"")]
    private static partial Regex AsOfField();

    [GeneratedRegex("name=\"patch\" value=\"([^\"]*(?:\"(?!>)[^\"]*)*)\">")]
    private static partial Regex Patch();
}
