using Crumpet.Core.Bake;
using Crumpet.Core.Building;
using Crumpet.Core.Intake;
using Microsoft.EntityFrameworkCore;
using Xunit;

namespace Crumpet.Storage.Tests;

/// <summary>The store proves what it keeps, makes again what is not as it was put, and keeps to its room.</summary>
public sealed class StoreProofTests : IDisposable
{
    private static readonly AssetPlan Plan = new()
    {
        Bake = new BakeSettings
        {
            Size = 64,
            Samples = 1,
            OcclusionRays = 2,
            OutwardReachMetres = 0.1f,
            InwardReachMetres = 0.1f
        }
    };

    private readonly string folder = Directory.CreateTempSubdirectory("crumpet").FullName;
    private readonly FileStore store;

    public StoreProofTests()
    {
        store = new FileStore(Path.Combine(folder, "store"));
        Database.Prepare(folder);
        using var db = new CrumpetDb(Database.Options(folder));
        var asset = new Asset { Name = "crate", PlanJson = "" };
        asset.SetPlan(Plan);
        foreach (string side in (string[])["low", "high"])
        {
            byte[] mesh = System.Text.Encoding.ASCII.GetBytes(
                $"o crate_{side}\nv -0.5 0 0.5\nv 0.5 0 0.5\nv 0.5 0 -0.5\nv -0.5 0 -0.5\nvt 0.1 0.1\nvt 0.9 0.1\nvt 0.9 0.9\nvt 0.1 0.9\nvn 0 1 0\nf 1/1/1 "
                    + $"2/2/1 3/3/1 4/4/1\n");
            asset.AddSource($"{side}.obj", store.Put(mesh), mesh.Length, DateTime.UtcNow);
        }
        db.Kits.Add(new Kit { Name = "Crates", Assets = [asset] });
        db.SaveChanges();
    }

    public void Dispose() => Directory.Delete(folder, recursive: true);

    [Fact]
    public void What_is_cut_changed_or_lost_is_made_again_from_what_it_came_from()
    {
        string package = Deliver();
        byte[] bytes = store.Load(package);
        string[] blobs = [.. store.Blobs()];
        // Cut one, change one, lose one: each result's data but the sources.
        string[] victims = [.. Results().SelectMany(r => r.Files).Select(f => f.Within ?? f.Sha256).Distinct().Order(StringComparer.Ordinal)];
        for (int i = 0; i < victims.Length; i++)
        {
            string path = store.PathOf(victims[i]);
            byte[] was = File.ReadAllBytes(path);
            if (i % 3 == 0)
                File.Delete(path);
            else if (i % 3 == 1)
                File.WriteAllBytes(path, was[..Math.Max(0, was.Length - 1000)]);
            else
                File.WriteAllBytes(path, was.Length == 0 ? [1] : [.. was[..^1], (byte)(was[^1] ^ 1)]);
        }
        Assert.False(store.IsWhole(package));
        Assert.True(StoreCheck.Prove(new FileStore(store.Root), package, TestContext.Current.CancellationToken));
        Assert.Equal(bytes, store.Load(package));
        var report = StoreCheck.Run(folder, null, TestContext.Current.CancellationToken);
        Assert.Empty(report.Lost);
        Assert.Equal(blobs.Order(), store.Blobs().Order());
        Assert.All(store.Blobs(), b => Assert.True(store.IsWhole(b)));
        Assert.Equal((0, 0, 0), StoreCheck.Run(folder, null, TestContext.Current.CancellationToken) is var again ? (again.Damaged, again.Missing, again.Mended)
            : default);
    }

    [Fact]
    public void A_source_that_is_gone_is_told_with_what_to_do_and_nothing_is_made_up_for_it()
    {
        string package = Deliver();
        using var db = new CrumpetDb(Database.Options(folder));
        string source = db.Sources.First(s => s.Name == "low.obj").Sha256;
        File.Delete(store.PathOf(source));
        File.WriteAllText(store.PathOf(package), "cut");
        var report = StoreCheck.Run(folder, null, TestContext.Current.CancellationToken);
        Assert.Contains(report.Lost, l => l.Contains("low.obj, version 1, of crate; drop it again", StringComparison.Ordinal));
        // The package says what its sources were, and cannot be made without them.
        Assert.Contains(report.Lost, l => l.Contains("delivery 1 of crate", StringComparison.Ordinal));
        Assert.NotEmpty(Directory.GetFiles(Path.Combine(store.Root, StoreCheck.DamagedFolder)));
    }

    [Fact]
    public void Clearing_leaves_what_is_decided_now_what_undo_reaches_and_deliveries()
    {
        string package = Deliver();
        string[] current = Keys(Plan);
        foreach (int padding in (int[])[1, 2, 3, 4, 5])
            Build(Plan with { Bake = Plan.Bake with { PaddingPixels = padding } }).Run(Station.Deliver, true, 2, null, TestContext.Current.CancellationToken);
        var undone = Plan with { Bake = Plan.Bake with { PaddingPixels = 5 } };
        using (var db = new CrumpetDb(Database.Options(folder)))
        {
            // Decided and taken back a day ago; another one long before that.
            var asset = db.Assets.Include(a => a.Kit).Include(a => a.Sources).Include(a => a.Decisions).Single();
            var before = AssetState.Of(asset);
            asset.SetPlan(undone);
            asset.Record(before, "padding", DateTime.UtcNow.AddDays(-1));
            asset.GoTo(0);
            db.SaveChanges();
        }
        Age();
        var room = new StoreRoom(folder, new FileStore(store.Root));
        var report = room.Report();
        Assert.True(report.NeededBytes < report.TotalBytes && report.NeededBytes > 0);
        Assert.True(report.Kits[0].SourceBytes > 0 && report.Kits[0].ResultBytes > 0 && report.Kits[0].DeliveryBytes == store.SizeOf(package));
        Assert.Equal(0, room.Clear(report.TotalBytes + 1, TestContext.Current.CancellationToken).Results);
        var cleared = room.Clear(0, TestContext.Current.CancellationToken);
        Assert.InRange(cleared.Bytes, 1, report.TotalBytes - report.NeededBytes);
        var fresh = new FileStore(store.Root);
        Assert.All(current.Concat(Keys(undone)), k => Assert.NotNull(fresh.Find(k)));
        Assert.True(fresh.IsWhole(package));
        Assert.NotEmpty(Build(Plan with { Bake = Plan.Bake with { PaddingPixels = 2 } }, fresh).Forecast(Station.Deliver).Jobs);
        Assert.Empty(StoreCheck.Run(folder, null, TestContext.Current.CancellationToken).Lost);
    }

    [Fact]
    public void A_folder_in_use_names_who_has_it()
    {
        using var first = FolderLock.Take(folder, "the first", out string nobody);
        Assert.NotNull(first);
        Assert.Equal("", nobody);
        Assert.Null(FolderLock.Take(folder, "the second", out string owner));
        Assert.StartsWith($"the first, process {Environment.ProcessId}, since ", owner, StringComparison.Ordinal);
    }

    /// <summary>Delivers, and gives the package's hash.</summary>
    private string Deliver()
    {
        using var db = new CrumpetDb(Database.Options(folder));
        var asset = db.Assets.Include(a => a.Kit).Include(a => a.Sources).Include(a => a.Deliveries).Single();
        var file = asset.Build(store).Run(Station.Deliver, true, 2, null, TestContext.Current.CancellationToken).Result.Files[0];
        asset.Deliveries.Add(
            new Delivery { Number = 1, Key = "", FileName = file.Name, Sha256 = file.Sha256, Bytes = file.Bytes, CreatedAt = DateTime.UtcNow });
        db.SaveChanges();
        return file.Sha256;
    }

    private AssetBuild Build(AssetPlan plan, FileStore? from = null)
    {
        using var db = new CrumpetDb(Database.Options(folder));
        var asset = db.Assets.Include(a => a.Sources).AsNoTracking().Single();
        return new AssetBuild("crate", plan, [.. asset.Sources.Select(s => new SourceFile(s.Name, s.Sha256, s.Bytes))], from ?? store);
    }

    private string[] Keys(AssetPlan plan) => [.. Build(plan).Graph(Station.Deliver).Nodes.Select(n => n.Job!.Key)];

    private IEnumerable<Core.Jobs.JobResult> Results() => store.Results().Where(r => r.Job is not null);

    private void Age()
    {
        foreach (string file in Directory.GetFiles(store.Root, "*", SearchOption.AllDirectories))
            File.SetLastWriteTimeUtc(file, DateTime.UtcNow.AddDays(-2));
    }
}
