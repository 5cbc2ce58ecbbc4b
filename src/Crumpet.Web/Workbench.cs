using Crumpet.Core.Building;
using Crumpet.Core.Intake;
using Crumpet.Demo;
using Crumpet.Storage;
using Crumpet.Web.Runs;
using Microsoft.EntityFrameworkCore;

namespace Crumpet.Web;

/// <summary>What pages ask for and do: loads assets, takes files in, records decisions, queues runs. One transaction a user action.</summary>
public sealed class Workbench(CrumpetDb db, FileStore store, RunDesk desk)
{
    /// <summary>Kits with their assets, by name.</summary>
    public async Task<IReadOnlyList<Kit>> KitsAsync() =>
        await db.Kits.Include(k => k.Assets).OrderBy(k => k.Name).AsSplitQuery().AsNoTracking().ToListAsync();

    /// <summary>A kit with all that its page shows, or null.</summary>
    public async Task<KitView?> KitAsync(int id)
    {
        var kit = await db.Kits.AsNoTracking().FirstOrDefaultAsync(k => k.Id == id);
        if (kit is null)
            return null;
        var assets = await Whole().Where(a => a.KitId == id).OrderBy(a => a.Id).ToListAsync();
        var active = await ActiveRunsAsync();
        return new KitView(kit, [.. assets.Select(a => new AssetView(a, active.Find(r => r.AssetId == a.Id), store))]);
    }

    /// <summary>An asset with all that its stations show, or null.</summary>
    public async Task<AssetView?> AssetAsync(int id)
    {
        var asset = await Whole().FirstOrDefaultAsync(a => a.Id == id);
        return asset is null ? null : new AssetView(asset, (await ActiveRunsAsync()).Find(r => r.AssetId == id), store);
    }

    /// <summary>The latest runs, newest first, with their logs.</summary>
    public async Task<IReadOnlyList<Run>> RunsAsync(int most) =>
        await db.Runs.Include(r => r.Asset).Include(r => r.Log).OrderByDescending(r => r.Id).Take(most).AsSplitQuery().AsNoTracking().ToListAsync();

    /// <summary>A delivery, or null.</summary>
    public Task<Delivery?> DeliveryAsync(int id) => db.Deliveries.AsNoTracking().FirstOrDefaultAsync(d => d.Id == id);

    /// <summary>Makes an empty kit.</summary>
    /// <returns>Its number.</returns>
    public async Task<int> AddKitAsync(string? name)
    {
        var kit = new Kit { Name = string.IsNullOrWhiteSpace(name) ? "New kit" : name.Trim() };
        db.Kits.Add(kit);
        await db.SaveChangesAsync();
        return kit.Id;
    }

    /// <summary>Makes an asset of the files and queues its intake.</summary>
    /// <param name="kitId">Kit it belongs to.</param>
    /// <param name="files">Uploaded files.</param>
    /// <returns>The new asset's number.</returns>
    public async Task<int> AddAssetAsync(int kitId, IReadOnlyList<IFormFile> files)
    {
        string first = files.FirstOrDefault(f => MeshFiles.IsMesh(f.FileName))?.FileName ?? files[0].FileName;
        var taken = await db.Assets.Where(a => a.KitId == kitId).Select(a => a.Name).ToListAsync();
        var asset = new Asset { KitId = kitId, Name = Free(NameFromFile(first), taken), PlanJson = "" };
        asset.SetPlan(new AssetPlan());
        await TakeAsync(asset, files);
        db.Assets.Add(asset);
        await db.SaveChangesAsync();
        await desk.AddAsync(db, asset.Id, Station.Layout);
        return asset.Id;
    }

    /// <summary>Adds files to an asset, newer ones in place of older ones of the same name, and queues its intake.</summary>
    public async Task AddFilesAsync(int assetId, IReadOnlyList<IFormFile> files)
    {
        var asset = await db.Assets.Include(a => a.Sources).FirstAsync(a => a.Id == assetId);
        await TakeAsync(asset, files);
        await db.SaveChangesAsync();
        await desk.AddAsync(db, assetId, Station.Layout);
    }

    /// <summary>Leaves a source file out; its versions stay in the store.</summary>
    public async Task LeaveOutAsync(int assetId, string fileName)
    {
        var source = await db.Sources.FirstOrDefaultAsync(s => s.AssetId == assetId && s.Name == fileName && s.IsCurrent);
        if (source is null)
            return;
        source.IsCurrent = false;
        await db.SaveChangesAsync();
        await desk.AddAsync(db, assetId, Station.Layout);
    }

    /// <summary>Records a decision.</summary>
    /// <returns>What is wrong with it, one sentence, or null when it was recorded.</returns>
    public async Task<string?> DecideAsync(int assetId, Func<AssetPlan, AssetPlan> change)
    {
        var asset = await db.Assets.FirstAsync(a => a.Id == assetId);
        var plan = change(asset.Plan());
        if (plan.Problem() is { } problem)
            return problem;
        asset.SetPlan(plan);
        await db.SaveChangesAsync();
        return null;
    }

    /// <summary>Queues a run of one asset.</summary>
    public Task RunAsync(int assetId, Station upTo) => desk.AddAsync(db, assetId, upTo);

    /// <summary>Queues a run of every asset of a kit to its delivery.</summary>
    public async Task BuildAllAsync(int kitId)
    {
        foreach (int id in await db.Assets.Where(a => a.KitId == kitId).OrderBy(a => a.Id).Select(a => a.Id).ToListAsync())
            await desk.AddAsync(db, id, Station.Deliver);
    }

    /// <summary>Ends a run early.</summary>
    public Task CancelAsync(int runId) => desk.CancelAsync(db, runId);

    /// <summary>Puts the demo kit into an empty database.</summary>
    public async Task AddDemoKitAsync()
    {
        var kit = new Kit { Name = DemoKit.KitName };
        var asset = new Asset { Name = DemoKit.AssetName, PlanJson = "" };
        asset.SetPlan(DemoKit.Plan);
        foreach (var (name, bytes) in DemoKit.SourceFiles())
            asset.AddSource(name, store.Put(bytes), bytes.Length, DateTime.UtcNow);
        kit.Assets.Add(asset);
        db.Kits.Add(kit);
        await db.SaveChangesAsync();
        // Its geometry is there to be looked at from the first page on.
        await desk.AddAsync(db, asset.Id, Station.Layout);
    }

    private IQueryable<Asset> Whole() => db.Assets.Include(a => a.Kit).Include(a => a.Sources).Include(a => a.Marks)
        .Include(a => a.Findings).Include(a => a.Deliveries).AsSplitQuery().AsNoTracking();

    private Task<List<Run>> ActiveRunsAsync() =>
        db.Runs.Where(r => r.State == RunState.Running || r.State == RunState.Queued).OrderBy(r => r.Id).AsNoTracking().ToListAsync();

    private async Task TakeAsync(Asset asset, IReadOnlyList<IFormFile> files)
    {
        foreach (var file in files)
        {
            string aside = Path.GetTempFileName();
            await using (var stream = File.Create(aside))
                await file.CopyToAsync(stream);
            // Browsers may send a path; only the name counts.
            string name = Path.GetFileName(file.FileName.Replace('\\', '/'));
            asset.AddSource(name, store.PutFile(aside), file.Length, DateTime.UtcNow);
        }
    }

    // Names begin file names, so those that differ in case alone are as good as equal.
    private static string Free(string name, List<string> taken)
    {
        string free = name;
        for (int i = 2; taken.Contains(free, StringComparer.OrdinalIgnoreCase); i++)
            free = $"{name} {i}";
        return free;
    }

    private static string NameFromFile(string fileName)
    {
        string stem = Path.GetFileNameWithoutExtension(fileName);
        int cut = stem.LastIndexOfAny(['_', '-', '.', ' ']);
        if (cut > 0 && Sides.OfFileName(fileName) != Side.Unknown)
            stem = stem[..cut];
        string words = stem.Replace('_', ' ').Trim();
        return words.Length > 0 ? char.ToUpperInvariant(words[0]) + words[1..] : "New asset";
    }
}
