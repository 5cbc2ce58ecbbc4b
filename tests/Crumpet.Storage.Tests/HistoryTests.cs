using System.Text.Json.Nodes;
using Crumpet.Core;
using Crumpet.Core.Building;
using Crumpet.Core.Imaging;
using Crumpet.Core.Intake;
using Crumpet.Core.Pack;
using Crumpet.Storage;
using Microsoft.EntityFrameworkCore;
using Microsoft.EntityFrameworkCore.Infrastructure;
using Microsoft.EntityFrameworkCore.Migrations;
using Xunit;

namespace Crumpet.Storage.Tests;

/// <summary>Decisions taken back and repeated, in memory and in the database.</summary>
public sealed class HistoryTests : IDisposable
{
    private readonly string folder = Directory.CreateTempSubdirectory("crumpet").FullName;

    public void Dispose() => Directory.Delete(folder, recursive: true);

    [Fact]
    public void What_was_decided_is_taken_back_and_repeated_in_order()
    {
        var asset = NewAsset();
        Decide(asset, a => a.SetPlan(a.Plan() with { NamePattern = "{side}_{part}" }), "pattern");
        Decide(asset, a => a.Name = "Other", "name");
        Assert.Equal("name", asset.NextToUndo()!.Sentence);
        Assert.True(asset.GoTo(1));
        Assert.Equal(("Gauge", "{side}_{part}"), (asset.Name, asset.Plan().NamePattern));
        Assert.Equal("name", asset.NextToRedo()!.Sentence);
        Assert.True(asset.GoTo(0));
        Assert.Equal(Sides.DefaultPattern, asset.Plan().NamePattern);
        Assert.Null(asset.NextToUndo());
        Assert.False(asset.GoTo(0));
        Assert.True(asset.GoTo(2));
        Assert.Equal(("Other", "{side}_{part}"), (asset.Name, asset.Plan().NamePattern));
    }

    [Fact]
    public void Files_that_were_added_replaced_told_their_side_or_left_out_come_back_as_they_were()
    {
        var asset = NewAsset();
        Decide(asset, a => a.AddSource("low.obj", new string('1', 64), 1, DateTime.UtcNow), "added");
        Decide(asset, a => a.AddSource("low.obj", new string('2', 64), 1, DateTime.UtcNow), "replaced");
        Decide(asset, a => a.Sources.Single(s => s.IsCurrent).ForcedSide = Side.High, "side");
        Decide(asset, a => a.Sources.Single(s => s.IsCurrent).IsCurrent = false, "left out");
        Assert.DoesNotContain(asset.Sources, s => s.IsCurrent);
        asset.GoTo(3);
        Assert.Equal((2, Side.High), Current(asset));
        asset.GoTo(2);
        Assert.Equal((2, null), Current(asset));
        asset.GoTo(1);
        Assert.Equal((1, null), Current(asset));
        asset.GoTo(4);
        Assert.DoesNotContain(asset.Sources, s => s.IsCurrent);

        static (int, Side?) Current(Asset a) => (a.Sources.Single(s => s.IsCurrent).Version, a.Sources.Single(s => s.IsCurrent).ForcedSide);
    }

    [Fact]
    public void A_new_decision_ends_what_could_be_repeated_and_no_change_is_no_decision()
    {
        var asset = NewAsset();
        Decide(asset, a => a.Name = "One", "one");
        Decide(asset, a => a.Name = "Two", "two");
        asset.GoTo(1);
        Decide(asset, a => a.Name = "Three", "three");
        Assert.Null(asset.NextToRedo());
        Assert.Equal(["one", "three"], asset.Decisions.Select(d => d.Sentence));
        Assert.False(asset.Record(AssetState.Of(asset), "nothing", DateTime.UtcNow));
    }

    [Fact]
    public void Any_walk_through_a_history_ends_where_it_should()
    {
        var asset = NewAsset();
        for (int i = 1; i <= 20; i++)
            Decide(asset, a => a.Name = $"Name {i}", $"{i}");
        var random = new Random(5);
        for (int step = 0; step < 200; step++)
        {
            int to = random.Next(0, 21);
            asset.GoTo(to);
            Assert.Equal(to == 0 ? "Gauge" : $"Name {to}", asset.Name);
            Assert.Equal(to, asset.NextToUndo()?.Number ?? 0);
        }
    }

    [Fact]
    public async Task The_database_keeps_a_history_through_taking_back_and_deciding_anew()
    {
        Database.Prepare(folder);
        await using (var db = new CrumpetDb(Database.Options(folder)))
        {
            var kit = new Kit { Name = "k" };
            kit.Assets.Add(NewAsset());
            db.Kits.Add(kit);
            await db.SaveChangesAsync();
        }
        // The third takes the second's number.
        foreach (string name in (string[])["One", "Two", "Three"])
        {
            await using var db = new CrumpetDb(Database.Options(folder));
            var asset = await db.Assets.Include(a => a.Kit).Include(a => a.Sources).Include(a => a.Decisions).SingleAsync();
            if (name == "Three")
            {
                asset.GoTo(1);
                await db.SaveChangesAsync();
            }
            Decide(asset, a => a.Name = name, name);
            await db.SaveChangesAsync();
        }
        await using var later = new CrumpetDb(Database.Options(folder));
        var kept = await later.Assets.Include(a => a.Decisions).SingleAsync();
        Assert.Equal("Three", kept.Name);
        Assert.Equal([(1, "One"), (2, "Three")], kept.Decisions.OrderBy(d => d.Number).Select(d => (d.Number, d.Sentence)));
    }

    [Fact]
    public void A_database_of_the_first_model_is_copied_and_brought_up_with_all_it_holds()
    {
        using (var db = new CrumpetDb(Database.Options(folder)))
        {
            db.GetService<IMigrator>().Migrate("Initial");
            db.Database.ExecuteSqlRaw("INSERT INTO Kits (Name) VALUES ('old'); INSERT INTO Assets (KitId, Name, PlanJson) VALUES (1, 'gauge', '{{}}');");
        }
        Assert.False(Database.Prepare(folder));
        Assert.Single(Directory.GetFiles(folder, "*.before-*_History"));
        using var now = new CrumpetDb(Database.Options(folder));
        var asset = now.Assets.Include(a => a.Kit).Include(a => a.Decisions).Single();
        Assert.Equal(("old", "gauge", 0, null), (asset.Kit!.Name, asset.Name, asset.Decisions.Count, asset.ArchivedAt));
    }

    [Fact]
    public void Decisions_kept_as_whole_states_are_turned_into_what_they_changed_even_where_two_at_once_tore_them()
    {
        using (var db = new CrumpetDb(Database.Options(folder)))
        {
            db.GetService<IMigrator>().Migrate("RunStarts");
            db.Database.ExecuteSqlRaw(
                "INSERT INTO Kits (Name) VALUES ('old'); INSERT INTO Runs (AssetId, UpTo, State, Station, Message, QueuedAt) SELECT 1, 7, 2, 3, '', "
                + "'2026-01-01' WHERE 0;");
            db.Database.ExecuteSql($"INSERT INTO Assets (KitId, Name, PlanJson) VALUES (1, 'gauge', {Plan("{part}_{side}", 9)})");
            db.Database.ExecuteSqlRaw(
                "INSERT INTO Sources (AssetId, Name, Sha256, Bytes, ForcedSide, Version, IsCurrent, AddedAt) VALUES (1, 'low.obj', 'x', 3, 2, 1, 1, "
                + "'2026-01-01')");
            db.Database.ExecuteSqlRaw(
                "INSERT INTO Marks (AssetId, Station, Key, FinishedAt, Seconds) VALUES (1, 3, 'k', '2026-01-01', 1), (1, 7, 'k', '2026-01-01', 1)");
            db.Database.ExecuteSqlRaw(
                "INSERT INTO Findings (AssetId, Station, [Order], Severity, Code, Place, Sentence, Count) VALUES (1, 0, 0, 1, 'c', 'p', 's', 1)");
            db.Database.ExecuteSqlRaw("INSERT INTO Runs (AssetId, UpTo, State, Station, Message, QueuedAt, Starts) VALUES (1, 7, 3, 1, '', '2026-01-01', 0)");
            Add(1, Plan("a_{part}_{side}", 1), Plan("{part}_{side}", 1), false);
            // What it began with is not what the one before it ended with.
            Add(2, Plan("torn_{part}_{side}", 3), Plan("{part}_{side}", 9), false);
            Add(3, Plan("{part}_{side}", 9), Plan("{part}_{side}", 27), true);

            void Add(int number, string before, string after, bool isUndone) => db.Database.ExecuteSql($"""
                INSERT INTO Decisions (AssetId, Number, At, Sentence, BeforeJson, AfterJson, IsUndone)
                VALUES (1, {number}, '2026-01-01', {$"decision {number}"}, {State(before)}, {State(after)}, {isUndone})
                """);
        }
        Assert.False(Database.Prepare(folder));
        using var now = new CrumpetDb(Database.Options(folder));
        var asset = now.Assets.Include(a => a.Kit).Include(a => a.Sources).Include(a => a.Decisions).Include(a => a.Marks).Include(a => a.Findings).Single();
        Assert.Equal(["decision 1", "decision 2", "decision 3"], asset.Decisions.OrderBy(d => d.Number).Select(d => d.Sentence));
        Assert.Equal([Station.Bake, Station.Deliver], asset.Marks.Select(m => m.Station).Order(Station.Table));
        Assert.Equal((Station.Intake, Severity.Warn), (asset.Findings[0].Station, asset.Findings[0].Severity));
        Assert.Equal((Station.Deliver, RunState.Blocked, Station.Pairs), now.Runs.Select(r => new { r.UpTo, r.State, r.Station }).AsEnumerable()
            .Select(r => (r.UpTo, r.State, r.Station)).Single());
        Assert.Equal(Side.High, asset.Sources[0].ForcedSide);
        Assert.True(asset.GoTo(3));
        Assert.Equal(27, asset.Plan().Bake.OcclusionRays);
        Assert.True(asset.GoTo(1));
        Assert.Equal(("{part}_{side}", 1), (asset.Plan().NamePattern, asset.Plan().Bake.OcclusionRays));
        Assert.True(asset.GoTo(0));
        Assert.Equal("a_{part}_{side}", asset.Plan().NamePattern);
        Assert.True(asset.GoTo(2));
        Assert.Equal(9, asset.Plan().Bake.OcclusionRays);

        static string Plan(string pattern, int rays) =>
            System.Text.Json.JsonSerializer.Serialize(new AssetPlan { NamePattern = pattern, Bake = new() { OcclusionRays = rays } }, BuildJson.Options);

        static string State(string plan) =>
            System.Text.Json.JsonSerializer.Serialize(
            new { name = "gauge", planJson = plan, sources = new[] { new { name = "low.obj", version = 1, forcedSide = "high" } } });
    }

    [Fact]
    public void Sixty_strokes_are_kept_in_the_room_of_sixty_strokes()
    {
        var asset = NewAsset();
        for (int i = 0; i < 60; i++)
        {
            var stroke = new Crumpet.Core.Pairs.BrushStroke(Crumpet.Core.Pairs.BrushKind.Cage, "p", [.. Enumerable.Range(0, 600).Select(n => n + i * 0.5f)],
                0.1f, 0.01f);
            Decide(asset, a => a.SetPlan(a.Plan() with { Pairs = a.Plan().Pairs with { Strokes = [.. a.Plan().Pairs.Strokes, stroke] } }), $"{i}");
        }
        Assert.InRange(asset.Decisions.Sum(d => (long)d.ChangeJson.Length), 1, 2L * asset.PlanJson.Length);
        asset.GoTo(0);
        Assert.Empty(asset.Plan().Pairs.Strokes);
        asset.GoTo(60);
        Assert.Equal(60, asset.Plan().Pairs.Strokes.Count);
    }

    private static void Decide(Asset asset, Action<Asset> act, string sentence)
    {
        var before = AssetState.Of(asset);
        act(asset);
        Assert.True(asset.Record(before, sentence, DateTime.UtcNow));
    }

    private static Asset NewAsset()
    {
        var asset = new Asset { Name = "Gauge", PlanJson = "" };
        asset.SetPlan(new AssetPlan());
        return asset;
    }

    [Fact]
    public void What_bakes_and_rules_said_of_the_target_is_the_targets_in_old_kits_assets_and_every_decision()
    {
        Database.Prepare(folder);
        using (var db = new CrumpetDb(Database.Options(folder)))
        {
            // As the program before wrote them: green among the bake's settings, sizes among the rules; the last decision is taken back.
            string State(string plan) => $$"""{"name":"crate","plan":{{plan}},"sources":[]}""";
            string[] plans = ["{}", """{"bake":{"green":"down"}}""", """{"bake":{"green":"down","size":512}}""", """{"bake":{"size":512}}"""];
            var crate = new Asset { Name = "crate", PlanJson = plans[2] };
            db.Kits.Add(new Kit { Name = "k", RulesJson = """{"largestTexture":1024,"expectedSizeMetres":2}""", Assets = [crate] });
            db.SaveChanges();
            for (int i = 1; i < plans.Length; i++)
            {
                string change = JsonDelta.Between(JsonNode.Parse(State(plans[i - 1])), JsonNode.Parse(State(plans[i])))!.ToJsonString();
                db.Decisions.Add(new Decision { AssetId = 1, Number = i, Sentence = $"decision {i}", ChangeJson = change, IsUndone = i == 3 });
            }
            db.SaveChanges();
            db.Database.ExecuteSqlRaw("DELETE FROM __EFMigrationsHistory WHERE MigrationId = '20261127160000_Targets'");
        }
        // Twice, as if it had been ended half way.
        Database.Prepare(folder);
        using (var db = new CrumpetDb(Database.Options(folder)))
            db.Database.ExecuteSqlRaw("DELETE FROM __EFMigrationsHistory WHERE MigrationId = '20261127160000_Targets'");
        Database.Prepare(folder);
        using var now = new CrumpetDb(Database.Options(folder));
        var asset = now.Assets.Include(a => a.Kit).Include(a => a.Sources).Include(a => a.Decisions).Single();
        Assert.Equal((1024, 2.0), (asset.Kit!.Plan().Target.LargestTexture, asset.Kit!.Rules().ExpectedSizeMetres));
        (int, GreenDirection)[] told = [(2048, GreenDirection.Up), (2048, GreenDirection.Down), (512, GreenDirection.Down), (512, GreenDirection.Up)];
        foreach (int number in (int[])[2, 3, 2, 1, 0, 1, 3, 0])
        {
            if (number != 2 || asset.Plan().Bake.Size != 512 || asset.Plan().Target.Green != GreenDirection.Down)
                Assert.True(asset.GoTo(number));
            Assert.Equal(told[number], (asset.Plan().Bake.Size, asset.Plan().Target.Green));
        }
    }

    [Fact]
    public void Recipes_of_the_version_before_say_the_same_in_old_assets_and_every_decision()
    {
        Database.Prepare(folder);
        string Own(string inverted) => $$$"""
            {"recipe":{"outputs":[{"name":"m","meaning":"linear","format":"bc7","channels":[{"map":"ao","channel":0,"invert":{{{inverted}}},"fallback":1},
            {"map":"normal","channel":2,"invert":false,"fallback":0.25},{"map":null,"channel":0,"invert":false,"fallback":0.5}]}]}}
            """;
        using (var db = new CrumpetDb(Database.Options(folder)))
        {
            var crate = new Asset { Name = "crate", PlanJson = Own("true") };
            db.Kits.Add(new Kit { Name = "k", Assets = [crate] });
            db.SaveChanges();
            string State(string plan) => $$"""{"name":"crate","plan":{{plan}},"sources":[]}""";
            string change = JsonDelta.Between(JsonNode.Parse(State(Own("false"))), JsonNode.Parse(State(Own("true"))))!.ToJsonString();
            db.Decisions.Add(new Decision { AssetId = 1, Number = 1, Sentence = "inverted", ChangeJson = change });
            db.SaveChanges();
            db.Database.ExecuteSqlRaw("DELETE FROM __EFMigrationsHistory WHERE MigrationId = '20261201140000_Recipes'");
        }
        Database.Prepare(folder);
        using var now = new CrumpetDb(Database.Options(folder));
        var asset = now.Assets.Include(a => a.Kit).Include(a => a.Sources).Include(a => a.Decisions).Single();
        foreach (bool inverted in (bool[])[true, false, true])
        {
            var output = Assert.Single(asset.Plan().Recipe.Outputs);
            Assert.Equal([new Feed(["ao"], FeedChannel.R, inverted, 1), new Feed(["normal"], FeedChannel.B, false, 0.25), new Feed([], Else: 0.5)],
                output.Channels);
            Assert.Null(asset.Plan().Problem());
            asset.GoTo(inverted ? 0 : 1);
        }
    }
}
