using Crumpet.Core;
using Crumpet.Core.Building;
using Crumpet.Core.Intake;
using Crumpet.Demo;
using Crumpet.Storage;
using Crumpet.Web.Runs;
using Microsoft.EntityFrameworkCore;

namespace Crumpet.Web;

/// <summary>Makes, renames, copies and archives kits and assets. What is archived is put out of sight and can be brought back.</summary>
public sealed class KitService(CrumpetDb db, FileStore store, RunService runs, ChangeOrder order)
{
    // Names of kits are given one after another, as those of a kit's assets are.
    private const int AllKits = 0;

    /// <summary>Makes an empty kit.</summary>
    /// <returns>Its number, or null with what is wrong with the name.</returns>
    public async Task<(int? Id, string? Problem)> AddKitAsync(string? name)
    {
        name = string.IsNullOrWhiteSpace(name) ? "New kit" : name.Trim();
        if (Names.Problem(name) is { } problem)
            return (null, problem);
        using var turn = await order.EnterAsync(AllKits);
        var kit = new Kit { Name = Names.Free(name, await KitNamesAsync()) };
        db.Kits.Add(kit);
        await db.SaveChangesAsync();
        return (kit.Id, null);
    }

    /// <summary>Gives a kit another name.</summary>
    /// <returns>What is wrong with it, one sentence, or null when it was done.</returns>
    public async Task<string?> RenameKitAsync(int kitId, string? name)
    {
        name = (name ?? "").Trim();
        if (Names.Problem(name) is { } problem)
            return problem;
        using var turn = await order.EnterAsync(kitId);
        var kit = await db.Kits.FirstAsync(k => k.Id == kitId);
        kit.Name = name;
        await db.SaveChangesAsync();
        return null;
    }

    /// <summary>Copies a kit with its assets in use. Results are shared by content, so nothing is worked again.</summary>
    /// <returns>The copy's number.</returns>
    public async Task<int> CopyKitAsync(int kitId)
    {
        using var turn = await order.EnterAsync(AllKits);
        var kit = await db.Kits.AsNoTracking().FirstAsync(k => k.Id == kitId);
        var copy = new Kit { Name = Names.Free($"{kit.Name} copy", await KitNamesAsync()), RulesJson = kit.RulesJson, PlanJson = kit.PlanJson };
        foreach (var asset in await ToCopy().Where(a => a.KitId == kitId && a.ArchivedAt == null).OrderBy(a => a.Id).ToListAsync())
            copy.Assets.Add(CopyOf(asset, asset.Name));
        db.Kits.Add(copy);
        await db.SaveChangesAsync();
        return copy.Id;
    }

    /// <summary>Puts a kit out of sight, or brings it back.</summary>
    public async Task ArchiveKitAsync(int kitId, bool archived)
    {
        using var turn = await order.EnterAsync(kitId);
        var kit = await db.Kits.FirstAsync(k => k.Id == kitId);
        kit.ArchivedAt = archived ? DateTime.UtcNow : null;
        await db.SaveChangesAsync();
        if (archived)
            await CancelRunsAsync(r => r.Asset!.KitId == kitId);
    }

    /// <summary>A kit as a folder, with the source of each of its files; null where there is no such kit.</summary>
    public async Task<(KitFolder Folder, IReadOnlyList<(string Path, string Sha256)> Sources)?> FolderAsync(int kitId)
    {
        var kit = await db.Kits.Include(k => k.Assets).ThenInclude(a => a.Sources).AsSplitQuery().AsNoTrackingWithIdentityResolution()
            .FirstOrDefaultAsync(k => k.Id == kitId);
        if (kit is null)
            return null;
        var folders = new HashSet<string>(StringComparer.Ordinal);
        var assets = new List<KitFolderAsset>();
        var sources = new List<(string, string)>();
        foreach (var asset in kit.Assets.Where(a => a.ArchivedAt is null).OrderBy(a => a.Id))
        {
            // Two names may come to one folder.
            string folder = KitFolder.FolderOf(asset.Name);
            for (int i = 2; !folders.Add(folder); i++)
                folder = $"{KitFolder.FolderOf(asset.Name)}_{i}";
            AssetSource[] own = [.. asset.Sources.Where(s => s.IsCurrent).OrderBy(s => s.Name, StringComparer.Ordinal)];
            assets.Add(new KitFolderAsset(asset.Name, folder, [.. own.Select(s => new KitFolderSource(s.Name, s.ForcedSide))], asset.Own()));
            sources.AddRange(own.Select(s => ($"{folder}/{s.Name}", s.Sha256)));
        }
        return (new KitFolder(kit.Name, kit.Rules(), kit.Plan(), assets), sources);
    }

    /// <summary>Makes a kit of a kit folder and queues the intake of its assets.</summary>
    /// <param name="files">Its files by their paths below the folder: hash and size of each, as it lies in the store.</param>
    /// <exception cref="SourceFileException">The folder is no kit, or a source is missing.</exception>
    public async Task<int> OpenFolderAsync(IReadOnlyDictionary<string, (string Sha256, long Bytes)> files)
    {
        var folder = KitFolder.Read(path => files.TryGetValue(path, out var file) ? store.Load(file.Sha256) : null);
        using var turn = await order.EnterAsync(AllKits);
        var kit = new Kit { Name = Names.Free(folder.Name, await KitNamesAsync()) };
        kit.SetRules(folder.Rules);
        kit.SetPlan(folder.Plan);
        foreach (var own in folder.Assets)
        {
            var asset = new Asset { Name = own.Name, PlanJson = own.Own.ToJsonString(BuildJson.Options), Kit = kit };
            foreach (var source in own.Sources)
            {
                if (!files.TryGetValue($"{own.Folder}/{source.Path}", out var file))
                    throw new SourceFileException($"{own.Folder}/{KitFolder.AssetFile}", "sources", $"there is no file {own.Folder}/{source.Path}",
                        "Add it, or take it out of the list");
                asset.Sources.Add(new AssetSource
                {
                    Name = source.Path,
                    Sha256 = file.Sha256,
                    Bytes = file.Bytes,
                    ForcedSide = source.Side,
                    Version = 1,
                    IsCurrent = true,
                    AddedAt = DateTime.UtcNow
                });
            }
            kit.Assets.Add(asset);
        }
        db.Kits.Add(kit);
        await db.SaveChangesAsync();
        foreach (var asset in kit.Assets)
            await runs.AddAsync(db, asset.Id, Station.Layout);
        return kit.Id;
    }

    /// <summary>Deletes an archived kit for good, with its history and deliveries; its room is free as soon as nothing else needs what it held.</summary>
    /// <returns>Why it was not deleted, one sentence, or null.</returns>
    public async Task<string?> DeleteKitAsync(int kitId)
    {
        using var turn = await order.EnterAsync(kitId);
        var kit = await db.Kits.FirstAsync(k => k.Id == kitId);
        if (kit.ArchivedAt is null)
            return $"{kit.Name} is in use; archive it first.";
        if (await db.Runs.AnyAsync(r => r.Asset!.KitId == kitId && r.State == RunState.Running))
            return $"A run of {kit.Name} is at work; cancel it first.";
        await db.Runs.Where(r => r.Asset!.KitId == kitId).ExecuteDeleteAsync();
        db.Kits.Remove(kit);
        await db.SaveChangesAsync();
        return null;
    }

    /// <summary>Copies an asset within its kit; its history begins anew.</summary>
    /// <returns>The copy's number.</returns>
    public async Task<int> CopyAssetAsync(int assetId)
    {
        using var turn = await order.EnterAsync(await db.Assets.Where(a => a.Id == assetId).Select(a => a.KitId).FirstAsync());
        var asset = await ToCopy().FirstAsync(a => a.Id == assetId);
        var copy = CopyOf(asset, Names.Free($"{asset.Name} copy", await db.Assets.Where(a => a.KitId == asset.KitId).Select(a => a.Name).ToListAsync()));
        copy.KitId = asset.KitId;
        db.Assets.Add(copy);
        await db.SaveChangesAsync();
        return copy.Id;
    }

    /// <summary>Makes an asset of several, whose low sides share one sheet, and queues its intake. The members stay.</summary>
    /// <param name="kitId">Kit they belong to.</param>
    /// <param name="assetIds">Members.</param>
    /// <returns>The atlas's number, or null with what is wrong.</returns>
    public async Task<(int? Id, string? Problem)> JoinAsync(int kitId, IReadOnlyCollection<int> assetIds)
    {
        var members = await db.Assets.Include(a => a.Kit).Include(a => a.Sources)
            .Where(a => a.KitId == kitId && a.ArchivedAt == null && assetIds.Contains(a.Id)).OrderBy(a => a.Id).AsNoTracking().ToListAsync();
        if (Atlas.Problem([.. members.Select(m => m.Name)]) is { } problem)
            return (null, problem);
        using var turn = await order.EnterAsync(kitId);
        var taken = await db.Assets.Where(a => a.KitId == kitId).Select(a => a.Name).ToListAsync();
        var atlas = new Asset { KitId = kitId, Kit = await db.Kits.FirstAsync(k => k.Id == kitId), Name = Names.Free("Atlas", taken), PlanJson = "" };
        atlas.SetPlan(Atlas.Join([.. members.Select(m => new AtlasMember(m.Name, m.Plan(), PartsOf(m)))]));
        foreach (var member in members)
        {
            foreach (var source in member.Sources.Where(s => s.IsCurrent))
                atlas.Sources.Add(new AssetSource
                {
                    Name = Atlas.FileOf(member.Name, source.Name),
                    Sha256 = source.Sha256,
                    Bytes = source.Bytes,
                    ForcedSide = source.ForcedSide,
                    Version = 1,
                    IsCurrent = true,
                    AddedAt = DateTime.UtcNow
                });
        }
        db.Assets.Add(atlas);
        await db.SaveChangesAsync();
        await runs.AddAsync(db, atlas.Id, Station.Layout);
        return (atlas.Id, null);
    }

    private HashSet<string> PartsOf(Asset asset) =>
        [.. asset.Build(store).ResultOf(Station.Intake)?.As<IntakeReport>().Objects.Select(o => o.Part) ?? []];

    /// <summary>Puts an asset out of sight, or brings it back.</summary>
    public async Task ArchiveAssetAsync(int assetId, bool archived)
    {
        using var turn = await order.EnterAsync(await db.Assets.Where(a => a.Id == assetId).Select(a => a.KitId).FirstAsync());
        var asset = await db.Assets.FirstAsync(a => a.Id == assetId);
        asset.ArchivedAt = archived ? DateTime.UtcNow : null;
        await db.SaveChangesAsync();
        if (archived)
            await CancelRunsAsync(r => r.AssetId == assetId);
    }

    /// <summary>Puts the demo kit into an empty database.</summary>
    /// <param name="isCoarse">Whether its high sides are coarse.</param>
    public async Task AddDemoKitAsync(bool isCoarse)
    {
        var kit = new Kit { Name = DemoKit.KitName };
        kit.SetRules(DemoKit.Rules);
        kit.SetPlan(DemoKit.Plan);
        foreach (var source in DemoKit.Assets(isCoarse))
        {
            var asset = new Asset { Name = source.Name, PlanJson = "", Kit = kit };
            asset.SetPlan(source.Plan);
            foreach (var (name, bytes) in source.Files)
                asset.AddSource(name, store.Put(bytes), bytes.Length, DateTime.UtcNow);
            kit.Assets.Add(asset);
        }
        db.Kits.Add(kit);
        await db.SaveChangesAsync();
        // Their geometry is there to be looked at from the first page on.
        foreach (var asset in kit.Assets)
            await runs.AddAsync(db, asset.Id, Station.Layout);
    }

    private static Asset CopyOf(Asset asset, string name) => new()
    {
        Name = name,
        PlanJson = asset.PlanJson,
        Sources = [.. asset.Sources.Where(s => s.IsCurrent)
            .Select(s => new AssetSource { Name = s.Name, Sha256 = s.Sha256, Bytes = s.Bytes, ForcedSide = s.ForcedSide, Version = 1, IsCurrent = true,
            AddedAt = s.AddedAt })],
        Marks = [.. asset.Marks.Select(m => new StationMark { Station = m.Station, Key = m.Key, FinishedAt = m.FinishedAt, Seconds = m.Seconds })],
        Findings = [.. asset.Findings.Select(f =>
            new FindingRow { Station = f.Station, Order = f.Order, Severity = f.Severity, Code = f.Code, Place = f.Place, Sentence = f.Sentence,
            Count = f.Count })],
    };

    private IQueryable<Asset> ToCopy() => db.Assets.Include(a => a.Sources).Include(a => a.Marks).Include(a => a.Findings).AsSplitQuery().AsNoTracking();

    private Task<List<string>> KitNamesAsync() => db.Kits.Select(k => k.Name).ToListAsync();

    private async Task CancelRunsAsync(System.Linq.Expressions.Expression<Func<Run, bool>> which)
    {
        foreach (int run in await db.Runs.Where(r => r.State == RunState.Queued || r.State == RunState.Running).Where(which).Select(r => r.Id).ToListAsync())
            await runs.CancelAsync(db, run);
    }
}
