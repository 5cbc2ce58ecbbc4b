using System.Text;
using Crumpet.Core;
using Crumpet.Core.Building;
using Crumpet.Core.Intake;
using Crumpet.Core.Jobs;
using Crumpet.Core.Pairs;
using Crumpet.Storage;
using Xunit;

namespace Crumpet.Web.Tests;

/// <summary>What pages know of an asset.</summary>
public sealed class AssetViewTests
{
    [Fact]
    public void Results_and_reports_are_fetched_once_however_many_rows_ask()
    {
        var store = new CountingStore();
        var asset = Boxes(store);
        asset.Build(store).Run(Station.Pairs, false, 1, null, TestContext.Current.CancellationToken);
        store.Finds = 0;
        var view = new AssetView(asset, null, store);
        int found = store.Finds;
        for (int row = 0; row < 100; row++)
        {
            Assert.Same(view.Intake, view.Report<IntakeReport>(Station.Intake));
            Assert.Same(view.Report<PairReport>(Station.Pairs), view.LastResult(Station.Pairs)!.As<PairReport>());
        }
        Assert.Equal(found, store.Finds);
        Assert.Equal(2, view.Intake!.Objects.Count);
    }

    [Fact]
    public void A_stale_station_still_has_the_result_it_gave_last()
    {
        var store = new CountingStore();
        var asset = Boxes(store);
        var (_, paired) = asset.Build(store).Run(Station.Pairs, false, 1, null, TestContext.Current.CancellationToken);
        asset.Marks.Add(new StationMark { Station = Station.Pairs, Key = paired.Key, FinishedAt = DateTime.UnixEpoch, Seconds = 1 });
        asset.SetPlan(asset.Plan() with { Trays = TrayMode.One });
        store.Finds = 0;
        var view = new AssetView(asset, null, store);
        int found = store.Finds;
        for (int row = 0; row < 100; row++)
            Assert.Equal(paired.Key, view.LastResult(Station.Pairs)?.Key);
        Assert.Equal(found + 1, store.Finds);
        Assert.Null(view.Result(Station.Pairs));
        Assert.Equal(StopState.Stale, view.Line[Station.Pairs.Number - 1].State);
        // What was never worked has neither.
        Assert.Null(view.LastResult(Station.Bake));
        Assert.Equal(StopState.Open, view.Line[Station.Bake.Number - 1].State);
    }

    private static Asset Boxes(CountingStore store)
    {
        var asset = new Asset { Name = "Box", Kit = new Kit { Name = "Kit" }, PlanJson = "" };
        asset.SetPlan(new AssetPlan());
        foreach (string side in (string[])["low", "high"])
        {
            byte[] mesh = Encoding.UTF8.GetBytes(PairsTests.Box($"box_{side}", 0));
            asset.AddSource($"{side}.obj", store.Put(mesh), mesh.Length, DateTime.UnixEpoch);
        }
        return asset;
    }

    /// <summary>Keeps results in memory and counts how often one is asked for.</summary>
    private sealed class CountingStore : IResultStore
    {
        private readonly MemoryResultStore inner = new();

        public int Finds { get; set; }

        public JobResult? Find(string key)
        {
            Finds++;
            return inner.Find(key);
        }

        public void Save(JobResult result) => inner.Save(result);

        public byte[]? FindNote(string name) => inner.FindNote(name);

        public void KeepNote(string name, byte[] bytes) => inner.KeepNote(name, bytes);

        public string Put(byte[] bytes) => inner.Put(bytes);

        public byte[] Load(string sha256) => inner.Load(sha256);

        public Stream Open(string sha256) => inner.Open(sha256);
    }
}
