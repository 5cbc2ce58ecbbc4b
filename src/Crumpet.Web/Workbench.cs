using System.Text.Json;
using System.Text.Json.Nodes;
using Crumpet.Core;
using Crumpet.Core.Building;
using Crumpet.Core.Checking;
using Crumpet.Core.Intake;
using Crumpet.Core.Layout;
using Crumpet.Storage;
using Crumpet.Web.Runs;
using Microsoft.EntityFrameworkCore;

namespace Crumpet.Web;

/// <summary>What pages ask for and do: loads assets, takes files in, records decisions, queues runs. One transaction a user action.</summary>
public sealed partial class Workbench(CrumpetDb db, FileStore store, RunService queue, IntakeService intake, ChangeOrder order)
{
    private const int LatestRuns = 6;

    private Kit? kitOf;
    private string? conflict;

    /// <summary>What the last change would do beside what it did, where somebody else changed the same meanwhile; null where it did all.</summary>
    public ChangeOffer? Offer { get; private set; }

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
        var ended = await db.Runs.Include(r => r.Asset).Where(r => r.Asset!.KitId == id && r.EndedAt != null).OrderByDescending(r => r.EndedAt).Take(LatestRuns)
            .AsNoTracking().ToListAsync();
        return new KitView(kit, [.. assets.Select(a => new AssetView(a.Taking(assets), active.Find(r => r.AssetId == a.Id), store))], archived, ended);
    }

    /// <summary>An asset with all that its stations show, or null.</summary>
    public async Task<AssetView?> AssetAsync(int id)
    {
        var asset = await Whole().FirstOrDefaultAsync(a => a.Id == id);
        if (asset is null)
            return null;
        // What could be taken back or repeated next is all a page tells of the history.
        var told = Told(id);
        if (await told.Where(d => !d.IsUndone).OrderByDescending(d => d.Number).FirstOrDefaultAsync() is { } last)
            asset.Decisions.Add(last);
        if (await told.Where(d => d.IsUndone).OrderBy(d => d.Number).FirstOrDefaultAsync() is { } next)
            asset.Decisions.Add(next);
        var ended = await db.Runs.Where(r => r.AssetId == id && r.EndedAt != null).OrderByDescending(r => r.Id).AsNoTracking().FirstOrDefaultAsync();
        return new AssetView(await db.LoadSharedAsync(asset), (await ActiveRunsAsync()).Find(r => r.AssetId == id), store) { LastRun = ended };
    }

    /// <summary>All decisions of an asset, without what they changed.</summary>
    public Task<List<Decision>> DecisionsAsync(int id) => Told(id).OrderBy(d => d.Number).ToListAsync();

    private IQueryable<Decision> Told(int id) => db.Decisions.Where(d => d.AssetId == id)
        .Select(d => new Decision { Id = d.Id, AssetId = id, Number = d.Number, At = d.At, Sentence = d.Sentence, IsUndone = d.IsUndone, ChangeJson = "" })
            .AsNoTracking();

    /// <summary>An asset as far as its files tell, or null: no findings, no history, no run.</summary>
    public async Task<AssetBuild?> BuildAsync(int id) =>
        await db.Assets.Include(a => a.Kit).Include(a => a.Sources.Where(s => s.IsCurrent)).AsSplitQuery().AsNoTracking()
            .FirstOrDefaultAsync(a => a.Id == id) is { } asset ? (await db.LoadSharedAsync(asset)).Build(store) : null;

    /// <summary>Density of a kit's other assets as they were laid out last, px/m, by their names.</summary>
    public async Task<IReadOnlyList<(string Asset, double Density)>> DensitiesAsync(int kitId, int exceptId)
    {
        var marks = await db.Marks.Where(m => m.Station == Station.Layout && m.AssetId != exceptId)
            .Join(db.Assets.Where(a => a.KitId == kitId && a.ArchivedAt == null), m => m.AssetId, a => a.Id, (m, a) => new { a.Id, a.Name, m.Key })
                .OrderBy(m => m.Id).ToListAsync();
        return [.. marks.Select(m => (m.Name, AssetBuild.Shown(Station.Layout, m.Key, store)?.As<LayoutReport>().MedianDensity ?? 0)).Where(o => o.Item2 > 0)];
    }

    /// <summary>Name of an asset's source of this content, or null.</summary>
    public Task<string?> SourceNameAsync(int id, string sha256) =>
        db.Sources.Where(s => s.AssetId == id && s.Sha256 == sha256).Select(s => s.Name).FirstOrDefaultAsync();

    /// <summary>Whether there is an asset of this number, and of this kit where one is given.</summary>
    public Task<bool> HasAssetAsync(int id, int? kit = null) => db.Assets.AnyAsync(a => a.Id == id && (kit == null || a.KitId == kit));

    /// <summary>Whether there is a kit of this number.</summary>
    public Task<bool> HasKitAsync(int id) => db.Kits.AnyAsync(k => k.Id == id);

    /// <summary>All assets in use, of all kits in use.</summary>
    public async Task<IReadOnlyList<AssetView>> AssetsAsync() =>
        [.. (await Whole().Where(a => a.ArchivedAt == null && a.Kit!.ArchivedAt == null).OrderBy(a => a.Id).ToListAsync()).GroupBy(a => a.KitId)
            .SelectMany(kit => kit.Select(a => new AssetView(a.Taking([.. kit]), null, store))).OrderBy(v => v.Asset.Id)];

    /// <summary>Numbers and names of a kit's assets in use beside one of them, by name.</summary>
    public async Task<IReadOnlyList<(int Id, string Name)>> OthersAsync(int assetId) =>
        [.. (await db.Assets.Where(a => a.Id == assetId).SelectMany(a => a.Kit!.Assets).Where(a => a.Id != assetId && a.ArchivedAt == null)
            .OrderBy(a => a.Name).Select(a => new { a.Id, a.Name }).ToListAsync()).Select(a => (a.Id, a.Name))];

    /// <summary>The latest runs, newest first, with their logs.</summary>
    public async Task<IReadOnlyList<Run>> RunsAsync(int most) =>
        await db.Runs.Include(r => r.Asset).Include(r => r.Log).OrderByDescending(r => r.Id).Take(most).AsSplitQuery().AsNoTracking().ToListAsync();

    /// <summary>A delivery, or null.</summary>
    public Task<Delivery?> DeliveryAsync(int id) => db.Deliveries.AsNoTracking().FirstOrDefaultAsync(d => d.Id == id);

    /// <summary>Makes an asset of the files and queues its intake.</summary>
    /// <param name="kitId">Kit it belongs to.</param>
    /// <param name="files">Uploaded files.</param>
    /// <param name="cancel">Ends the work when nobody waits for it any more.</param>
    /// <returns>The new asset's number, or null with what was refused.</returns>
    public async Task<(int? Id, string? Problem)> AddAssetAsync(int kitId, IReadOnlyList<IFormFile> files, CancellationToken cancel)
    {
        var (arrived, refused) = intake.Take(files, cancel);
        using var turn = await order.EnterAsync(kitId, cancel);
        var taken = await db.Assets.Where(a => a.KitId == kitId).Select(a => a.Name).ToListAsync(cancel);
        var asset = new Asset { KitId = kitId, Name = "", PlanJson = "{}" };
        if (IntakeService.Add(asset, arrived) == 0)
            return (null, refused.Count > 0 ? string.Join(' ', refused)
                : "No file arrived; drop OBJ, glTF, GLB, PLY or STL meshes, their textures, or a zip of them.");
        asset.Name = Names.Free(SharedName.Of([.. asset.Sources.Select(s => s.Name)]), taken);
        db.Assets.Add(asset);
        await db.SaveChangesAsync(cancel);
        await queue.AddAsync(db, asset.Id, Station.Layout);
        return (asset.Id, refused.Count > 0 ? string.Join(' ', refused) : null);
    }

    /// <summary>Adds files to an asset, newer ones in place of older ones of the same name, and queues its intake.</summary>
    /// <returns>What was refused, or null.</returns>
    public async Task<string?> AddFilesAsync(int assetId, IReadOnlyList<IFormFile> files, CancellationToken cancel)
    {
        var (arrived, refused) = intake.Take(files, cancel);
        int count = 0;
        await ChangeAsync(assetId, asset =>
        {
            count = IntakeService.Add(asset, arrived);
            return files.Count == 1 ? $"Added {IntakeService.Clean(files[0].FileName)}" : $"Added {count} files";
        });
        return refused.Count > 0 ? string.Join(' ', refused) : count == 0 ? "Nothing changed: the same files are here already." : null;
    }

    /// <summary>Records mends and takes the files in again where they change what arrived.</summary>
    /// <returns>What is wrong with them, one sentence, or null.</returns>
    public async Task<string?> MendAsync(int assetId, IReadOnlyList<Mend> mends)
    {
        // Each by itself first: a plan can only take in what is one.
        if (FieldRules.Problem(mends) is { } odd)
            return odd;
        string? problem = await DecideAsync(assetId, plan => mends.Aggregate(plan, PlanMends.With));
        if (problem is null)
            await TakeInAsync(await TrackedAsync(assetId));
        return problem;
    }

    /// <summary>Switches a mend on or off.</summary>
    public Task<string?> SwitchMendAsync(int assetId, int number, bool isOn, int? asOf = null) =>
        ChangeMendsAsync(assetId, mends => [.. mends.Select((m, i) => i == number ? m with { IsOn = isOn } : m)], asOf);

    /// <summary>Takes a mend away.</summary>
    public Task<string?> RemoveMendAsync(int assetId, int number, int? asOf = null) =>
        ChangeMendsAsync(assetId, mends => [.. mends.Where((_, i) => i != number)], asOf);

    /// <summary>Makes a mend a rule for every file of the kit.</summary>
    /// <returns>What is wrong with that, one sentence, or null.</returns>
    public async Task<string?> ShareMendAsync(int assetId, int number)
    {
        int kitId = await KitOfAsync(assetId);
        using (await order.EnterAsync(kitId))
        {
            var asset = await TrackedAsync(assetId);
            var plan = asset.Plan();
            if (number < 0 || number >= plan.Mends.Count || plan.Mends[number] is not IntakeMend mend)
                return "That mend is not there any more; reload the page.";
            if (IntakeMendKinds.ForKit(mend) is not { } shared)
                return $"'{mend.Words()}' is about this asset alone and cannot be a rule of the kit.";
            var before = AssetState.Of(asset);
            var rules = asset.Kit!.Rules();
            rules = rules with { Mends = [.. rules.Mends, shared] };
            if (FieldRules.Problem(rules) is { } problem)
                return problem;
            asset.Kit!.SetRules(rules);
            asset.SetPlan(plan with { Mends = [.. plan.Mends.Where((_, i) => i != number)] });
            asset.Record(before, $"'{mend.Words()}' made a rule of the kit", DateTime.UtcNow);
            await db.SaveChangesAsync();
        }
        await TakeInKitAsync(kitId);
        return null;
    }

    private async Task<string?> ChangeMendsAsync(int assetId, Func<IReadOnlyList<Mend>, IReadOnlyList<Mend>> change, int? asOf)
    {
        string? problem = await DecideAsync(assetId, plan => plan with { Mends = change(plan.Mends) }, asOf);
        if (problem is null)
            await TakeInAsync(await TrackedAsync(assetId));
        return problem;
    }

    /// <summary>Leaves a source file out; its versions stay in the store.</summary>
    public Task LeaveOutAsync(int assetId, string fileName) => ChangeAsync(assetId, asset =>
    {
        if (asset.Sources.Find(s => s.Name == fileName && s.IsCurrent) is { } source)
            source.IsCurrent = false;
        return $"Left out {fileName}";
    });

    /// <summary>Gives an asset another name.</summary>
    /// <returns>What is wrong with it, one sentence, or null when it was recorded.</returns>
    public async Task<string?> RenameAsync(int assetId, string? name)
    {
        name = (name ?? "").Trim();
        if (Names.Problem(name) is { } problem)
            return problem;
        bool isTaken = false;
        await ChangeAsync(assetId, asset =>
        {
            isTaken = db.Assets.Where(a => a.KitId == asset.KitId && a.Id != assetId).Select(a => a.Name).AsEnumerable()
                .Contains(name, StringComparer.OrdinalIgnoreCase);
            if (!isTaken)
                asset.Name = name;
            return $"Renamed to {name}";
        });
        return isTaken ? $"The kit already has an asset {name}; choose another name." : null;
    }

    /// <summary>Records a decision.</summary>
    /// <param name="assetId">The asset.</param>
    /// <param name="change">The decision.</param>
    /// <param name="asOf">Version it was made on; null for how the asset stands.</param>
    /// <returns>What is wrong with it, one sentence, or null when it was recorded.</returns>
    public async Task<string?> DecideAsync(int assetId, Func<AssetPlan, AssetPlan> change, int? asOf = null)
    {
        using var turn = await order.EnterAsync(await KitOfAsync(assetId));
        var asset = await TrackedAsync(assetId);
        var plan = asset.Plan();
        var (changed, forced) = (change(plan), (AssetPlan?)null);
        if (asOf is { } version && version != VersionOf(asset))
        {
            if (order.Find("asset", assetId, version) is not { } json)
                return ChangeMerge.TooOld;
            (changed, forced) = ChangeMerge.Merge(JsonSerializer.Deserialize<AssetPlan>(json, BuildJson.Kept)!, plan, change);
        }
        changed = changed.KeepingIslands(plan, () => PlacesOf(asset));
        if (changed.Problem() is { } problem)
            return problem;
        var before = AssetState.Of(asset);
        asset.SetPlan(changed);
        if (asset.Record(before, string.Join("; ", PlanWords.Changes(plan, changed)), DateTime.UtcNow))
            await db.SaveChangesAsync();
        if (forced is null)
            return null;
        string mine = string.Join("; ", PlanWords.Changes(changed, forced)), theirs = string.Join("; ", PlanWords.Changes(forced, changed));
        Offer = new ChangeOffer(JsonDelta.Between(ChangeMerge.Node(changed), ChangeMerge.Node(forced))!.ToJsonString(BuildJson.Options), mine);
        return $"Somebody else decided the same meanwhile: {theirs}. That was kept, and the rest of yours was added.";
    }

    /// <summary>Makes a change that was offered again, where nothing it is about changed since.</summary>
    /// <returns>What is wrong with it, one sentence, or null when it was recorded.</returns>
    public Task<string?> DecideAgainAsync(int assetId, string? patch)
    {
        return DecideAsync(assetId, plan =>
        {
            try
            {
                return ChangeMerge.Of<AssetPlan>(JsonDelta.Apply(ChangeMerge.Node(plan), JsonNode.Parse(patch ?? "")!.AsObject(), isBack: false)!);
            }
            catch (Exception e) when (e is JsonException or InvalidOperationException or NotSupportedException or NullReferenceException)
            {
                throw new FormatException("What this change is about was changed once more; look at how things stand, and change it again.", e);
            }
        });
    }

    /// <summary>Takes decisions back, or repeats them, until those up to a number hold.</summary>
    /// <param name="assetId">The asset.</param>
    /// <param name="number">Number of the last decision that shall hold; 0 for none.</param>
    /// <param name="asOf">Version this was pressed on; null for how the asset stands.</param>
    /// <returns>Why it was not done, one sentence, or null.</returns>
    public async Task<string?> GoToAsync(int assetId, int number, int? asOf = null)
    {
        using var turn = await order.EnterAsync(await KitOfAsync(assetId));
        var asset = await TrackedAsync(assetId);
        if (asOf is { } version && version != VersionOf(asset))
            return "Something was decided meanwhile, and going back would take that away too; here is all that was decided, go back to what you meant.";
        if (!asset.GoTo(number))
            return null;
        await db.SaveChangesAsync();
        await TakeInAsync(asset);
        return null;
    }

    /// <summary>Queues a run of one asset.</summary>
    public Task RunAsync(int assetId, Station upTo) => queue.AddAsync(db, assetId, upTo);

    /// <summary>Queues a run of every asset of a kit to its delivery.</summary>
    public async Task BuildAllAsync(int kitId)
    {
        foreach (int id in await db.Assets.Where(a => a.KitId == kitId && a.ArchivedAt == null).OrderBy(a => a.Id).Select(a => a.Id).ToListAsync())
            await queue.AddAsync(db, id, Station.Deliver);
    }

    /// <summary>Ends a run early, where it belongs to the asset or the kit that is given.</summary>
    public async Task CancelAsync(int runId, int? ofAsset = null, int? ofKit = null)
    {
        if (await db.Runs.AnyAsync(r => r.Id == runId && (ofAsset == null || r.AssetId == ofAsset) && (ofKit == null || r.Asset!.KitId == ofKit)))
            await queue.CancelAsync(db, runId);
    }

    /// <summary>Queues a run that ended once more.</summary>
    public async Task RepeatAsync(int runId)
    {
        if (await db.Runs.AsNoTracking().FirstOrDefaultAsync(r => r.Id == runId) is { } run)
            await queue.AddAsync(db, run.AssetId, run.UpTo);
    }

    private IQueryable<Asset> Whole() => db.Assets.Include(a => a.Kit).Include(a => a.Sources).Include(a => a.Marks)
        .Include(a => a.Findings).Include(a => a.Deliveries).AsSplitQuery().AsNoTracking();

    private Task<List<Run>> ActiveRunsAsync() =>
        db.Runs.Where(r => r.State == RunState.Running || r.State == RunState.Queued).OrderBy(r => r.Id).AsNoTracking().ToListAsync();

    private static int VersionOf(Asset asset) => asset.Version + asset.Kit!.Version;

    private Task<int> KitOfAsync(int assetId) => db.Assets.Where(a => a.Id == assetId).Select(a => a.KitId).FirstAsync();

    /// <summary>The asset as it stands in the database, whatever was loaded before.</summary>
    private async Task<Asset> TrackedAsync(int assetId)
    {
        db.ChangeTracker.Clear();
        var asset = await db.Assets.Include(a => a.Kit).Include(a => a.Sources).Include(a => a.Decisions).AsSplitQuery().FirstAsync(a => a.Id == assetId);
        kitOf = asset.Kit;
        order.Remember("asset", assetId, VersionOf(asset), JsonSerializer.Serialize(asset.Plan(), BuildJson.Options));
        return asset;
    }

    /// <summary>Changes an asset, records it in one sentence, and queues intake where the files now in use were not read yet.</summary>
    private async Task ChangeAsync(int assetId, Func<Asset, string> change)
    {
        using var turn = await order.EnterAsync(await KitOfAsync(assetId));
        var asset = await TrackedAsync(assetId);
        var (before, places) = (AssetState.Of(asset), PlacesOf(asset));
        string sentence = change(asset);
        // What the new files leave as it was stays where it lies.
        if (asset.Plan() is var plan && !AssetState.Of(asset).Sources.SequenceEqual(before.Sources))
            asset.SetPlan(plan with { Layout = plan.Layout.Holding(places) });
        if (!asset.Record(before, sentence, DateTime.UtcNow))
            return;
        await db.SaveChangesAsync();
        await TakeInAsync(asset);
    }

    /// <summary>Where the asset's islands lie now; none where nothing packed them.</summary>
    private IReadOnlyList<LaidIsland> PlacesOf(Asset asset) => new AssetFiles(asset.Build(store), asset.Plan(), store).Places();

    private async Task TakeInAsync(Asset asset)
    {
        var build = asset.Build(store);
        if (asset.Sources.Exists(s => s.IsCurrent) && (build.ResultOf(Station.Intake) is null || build.ResultOf(Station.Layout) is null))
            await queue.AddAsync(db, asset.Id, Station.Layout);
    }
}
