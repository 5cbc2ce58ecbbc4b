using Crumpet.Core.Building;
using Crumpet.Core.Intake;
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
            var asset = await db.Assets.Include(a => a.Sources).Include(a => a.Decisions).SingleAsync();
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
}
