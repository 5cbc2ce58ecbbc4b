using Crumpet.Core.Building;
using Crumpet.Core.Intake;
using Crumpet.Storage;
using Crumpet.Web.Runs;
using Microsoft.EntityFrameworkCore;

namespace Crumpet.Web;

/// <summary>What pages ask for and do: loads assets, takes files in, records decisions, queues runs. One transaction a user action.</summary>
public sealed class Workbench(CrumpetDb db, FileStore store, RunDesk desk)
{
    private const int LatestRuns = 6;

    /// <summary>Kits with their assets, by name.</summary>
    public async Task<IReadOnlyList<Kit>> KitsAsync(bool archived = false) =>
        await db.Kits.Include(k => k.Assets).Where(k => k.ArchivedAt.HasValue == archived).OrderBy(k => k.Name).AsSplitQuery().AsNoTracking().ToListAsync();

    /// <summary>A kit with all that its page shows, or null.</summary>
    public async Task<KitView?> KitAsync(int id)
    {
        var kit = await db.Kits.AsNoTracking().FirstOrDefaultAsync(k => k.Id == id);
        if (kit is null)
            return null;
        var assets = await Whole().Where(a => a.KitId == id && a.ArchivedAt == null).OrderBy(a => a.Id).ToListAsync();
        var archived = await db.Assets.Where(a => a.KitId == id && a.ArchivedAt != null).OrderBy(a => a.Name).AsNoTracking().ToListAsync();
        var active = await ActiveRunsAsync();
        var ended = await db.Runs.Include(r => r.Asset).Where(r => r.Asset!.KitId == id && r.EndedAt != null).OrderByDescending(r => r.EndedAt).Take(LatestRuns).AsNoTracking().ToListAsync();
        return new KitView(kit, [.. assets.Select(a => new AssetView(a, active.Find(r => r.AssetId == a.Id), store))], archived, ended);
    }

    /// <summary>An asset with all that its stations show, or null.</summary>
    public async Task<AssetView?> AssetAsync(int id)
    {
        var asset = await Whole().Include(a => a.Decisions).FirstOrDefaultAsync(a => a.Id == id);
        return asset is null ? null : new AssetView(asset, (await ActiveRunsAsync()).Find(r => r.AssetId == id), store);
    }

    /// <summary>All assets in use, of all kits in use.</summary>
    public async Task<IReadOnlyList<AssetView>> AssetsAsync() =>
        [.. (await Whole().Where(a => a.ArchivedAt == null && a.Kit!.ArchivedAt == null).OrderBy(a => a.Id).ToListAsync()).Select(a => new AssetView(a, null, store))];

    /// <summary>The latest runs, newest first, with their logs.</summary>
    public async Task<IReadOnlyList<Run>> RunsAsync(int most) =>
        await db.Runs.Include(r => r.Asset).Include(r => r.Log).OrderByDescending(r => r.Id).Take(most).AsSplitQuery().AsNoTracking().ToListAsync();

    /// <summary>A delivery, or null.</summary>
    public Task<Delivery?> DeliveryAsync(int id) => db.Deliveries.AsNoTracking().FirstOrDefaultAsync(d => d.Id == id);

    /// <summary>Makes an asset of the files and queues its intake.</summary>
    /// <param name="kitId">Kit it belongs to.</param>
    /// <param name="files">Uploaded files.</param>
    /// <returns>The new asset's number.</returns>
    public async Task<int> AddAssetAsync(int kitId, IReadOnlyList<IFormFile> files)
    {
        string first = files.FirstOrDefault(f => MeshFiles.IsMesh(f.FileName))?.FileName ?? files[0].FileName;
        var taken = await db.Assets.Where(a => a.KitId == kitId).Select(a => a.Name).ToListAsync();
        var asset = new Asset { KitId = kitId, Name = Names.Free(Names.FromFile(first), taken), PlanJson = "" };
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
        var asset = await TrackedAsync(assetId);
        var before = AssetState.Of(asset);
        await TakeAsync(asset, files);
        string what = files.Count == 1 ? Names.OfUpload(files[0]) : $"{files.Count} files";
        await KeepAsync(asset, before, $"Added {what}");
    }

    /// <summary>Leaves a source file out; its versions stay in the store.</summary>
    public async Task LeaveOutAsync(int assetId, string fileName)
    {
        var asset = await TrackedAsync(assetId);
        if (asset.Sources.Find(s => s.Name == fileName && s.IsCurrent) is not { } source)
            return;
        var before = AssetState.Of(asset);
        source.IsCurrent = false;
        await KeepAsync(asset, before, $"Left out {fileName}");
    }

    /// <summary>Gives an asset another name.</summary>
    /// <returns>What is wrong with it, one sentence, or null when it was recorded.</returns>
    public async Task<string?> RenameAsync(int assetId, string? name)
    {
        if (string.IsNullOrWhiteSpace(name))
            return "The new name is empty; type one.";
        var asset = await TrackedAsync(assetId);
        name = name.Trim();
        var taken = await db.Assets.Where(a => a.KitId == asset.KitId && a.Id != assetId).Select(a => a.Name).ToListAsync();
        if (taken.Contains(name, StringComparer.OrdinalIgnoreCase))
            return $"The kit already has an asset {name}; choose another name.";
        var before = AssetState.Of(asset);
        asset.Name = name;
        await KeepAsync(asset, before, $"Renamed to {name}");
        return null;
    }

    /// <summary>Records a decision.</summary>
    /// <returns>What is wrong with it, one sentence, or null when it was recorded.</returns>
    public async Task<string?> DecideAsync(int assetId, Func<AssetPlan, AssetPlan> change)
    {
        var asset = await TrackedAsync(assetId);
        var plan = asset.Plan();
        var changed = change(plan);
        if (changed.Problem() is { } problem)
            return problem;
        var before = AssetState.Of(asset);
        var words = PlanWords.Changes(plan, changed);
        if (words.Count == 0)
            return null;
        asset.SetPlan(changed);
        asset.Record(before, string.Join("; ", words), DateTime.UtcNow);
        await db.SaveChangesAsync();
        return null;
    }

    /// <summary>Takes decisions back, or repeats them, until those up to a number hold.</summary>
    public async Task GoToAsync(int assetId, int number)
    {
        var asset = await TrackedAsync(assetId);
        if (asset.GoTo(number))
            await KeepAsync(asset);
    }

    /// <summary>Queues a run of one asset.</summary>
    public Task RunAsync(int assetId, Station upTo) => desk.AddAsync(db, assetId, upTo);

    /// <summary>Queues a run of every asset of a kit to its delivery.</summary>
    public async Task BuildAllAsync(int kitId)
    {
        foreach (int id in await db.Assets.Where(a => a.KitId == kitId && a.ArchivedAt == null).OrderBy(a => a.Id).Select(a => a.Id).ToListAsync())
            await desk.AddAsync(db, id, Station.Deliver);
    }

    /// <summary>Ends a run early.</summary>
    public Task CancelAsync(int runId) => desk.CancelAsync(db, runId);

    /// <summary>Queues a run that ended once more.</summary>
    public async Task RepeatAsync(int runId)
    {
        if (await db.Runs.AsNoTracking().FirstOrDefaultAsync(r => r.Id == runId) is { } run)
            await desk.AddAsync(db, run.AssetId, run.UpTo);
    }

    private IQueryable<Asset> Whole() => db.Assets.Include(a => a.Kit).Include(a => a.Sources).Include(a => a.Marks)
        .Include(a => a.Findings).Include(a => a.Deliveries).AsSplitQuery().AsNoTracking();

    private Task<List<Run>> ActiveRunsAsync() =>
        db.Runs.Where(r => r.State == RunState.Running || r.State == RunState.Queued).OrderBy(r => r.Id).AsNoTracking().ToListAsync();

    private Task<Asset> TrackedAsync(int assetId) => db.Assets.Include(a => a.Sources).Include(a => a.Decisions).AsSplitQuery().FirstAsync(a => a.Id == assetId);

    private async Task KeepAsync(Asset asset, AssetState before, string sentence)
    {
        if (asset.Record(before, sentence, DateTime.UtcNow))
            await KeepAsync(asset);
    }

    /// <summary>Saves, and queues intake where the files now in use were not read yet.</summary>
    private async Task KeepAsync(Asset asset)
    {
        await db.SaveChangesAsync();
        if (asset.Build(store).ResultOf(Station.Intake) is null && asset.Sources.Exists(s => s.IsCurrent))
            await desk.AddAsync(db, asset.Id, Station.Layout);
    }

    private async Task TakeAsync(Asset asset, IReadOnlyList<IFormFile> files)
    {
        foreach (var file in files)
        {
            string aside = Path.GetTempFileName();
            await using (var stream = File.Create(aside))
                await file.CopyToAsync(stream);
            asset.AddSource(Names.OfUpload(file), store.PutFile(aside), file.Length, DateTime.UtcNow);
        }
    }
}
