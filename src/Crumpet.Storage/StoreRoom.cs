using System.Text.Json.Nodes;
using Crumpet.Core.Building;
using Crumpet.Core.Jobs;
using Microsoft.EntityFrameworkCore;

namespace Crumpet.Storage;

/// <summary>Room that a kit takes; data that two kits share counts for both.</summary>
/// <param name="KitId">Number of the kit.</param>
/// <param name="Kit">Its name.</param>
/// <param name="IsArchived">Whether it is put out of sight.</param>
/// <param name="SourceBytes">All versions of its source files.</param>
/// <param name="ResultBytes">Results that what is decided now needs.</param>
/// <param name="DeliveryBytes">Its deliveries.</param>
public sealed record KitRoom(int KitId, string Kit, bool IsArchived, long SourceBytes, long ResultBytes, long DeliveryBytes);

/// <summary>What is kept.</summary>
/// <param name="TotalBytes">All of it.</param>
/// <param name="NeededBytes">What sources, deliveries, what is decided now and what undo of the last days reaches need.</param>
/// <param name="Kits">The same by kit.</param>
public sealed record RoomReport(long TotalBytes, long NeededBytes, IReadOnlyList<KitRoom> Kits);

/// <summary>What was cleared.</summary>
/// <param name="Results">Results that are gone.</param>
/// <param name="Bytes">Room that is free again.</param>
public sealed record ClearedRoom(int Results, long Bytes);

/// <summary>Says what is kept and for whom, and keeps it within bounds.</summary>
/// <param name="folder">The data folder.</param>
/// <param name="store">Its store.</param>
public sealed class StoreRoom(string folder, FileStore store)
{
    /// <summary>Results above this go, those longest unused first, bytes.</summary>
    public const long DefaultLimitBytes = 20L << 30;

    /// <summary>How long what undo reaches is kept.</summary>
    public static readonly TimeSpan UndoKept = TimeSpan.FromDays(30);

    /// <summary>What is kept, and for whom.</summary>
    public RoomReport Report()
    {
        using var db = new CrumpetDb(Database.Options(folder));
        var kits = new List<KitRoom>();
        var neededBlobs = new HashSet<string>(StringComparer.Ordinal);
        long records = 0;
        foreach (var kit in Kits(db))
        {
            var sources = kit.Assets.SelectMany(a => a.Sources).Select(s => s.Sha256).ToHashSet(StringComparer.Ordinal);
            var deliveries = kit.Assets.SelectMany(a => a.Deliveries).Select(d => d.Sha256).ToHashSet(StringComparer.Ordinal);
            var keys = kit.Assets.SelectMany(a => KeysOf(a, withUndo: false)).ToHashSet(StringComparer.Ordinal);
            var results = keys.Select(store.Find).OfType<JobResult>().SelectMany(FileStore.BlobsOf).ToHashSet(StringComparer.Ordinal);
            long resultBytes = results.Sum(store.SizeOf) + keys.Sum(k => store.UseOf(k).Bytes);
            kits.Add(new KitRoom(kit.Id, kit.Name, kit.ArchivedAt is not null, sources.Sum(store.SizeOf), resultBytes, deliveries.Sum(store.SizeOf)));
            var kept = kit.Assets.SelectMany(a => KeysOf(a, withUndo: true)).ToHashSet(StringComparer.Ordinal);
            records += kept.Sum(k => store.UseOf(k).Bytes);
            neededBlobs.UnionWith(sources.Concat(deliveries).Concat(kept.Select(store.Find).OfType<JobResult>().SelectMany(FileStore.BlobsOf)));
        }
        long total = store.Blobs().Sum(store.SizeOf) + store.Results().Sum(r => store.UseOf(r.Key).Bytes);
        return new RoomReport(total, neededBlobs.Sum(store.SizeOf) + records, kits);
    }

    /// <summary>
    /// Clears results until all that is kept fits, those longest unused first; never what sources, deliveries, what is decided now or undo
    /// of the last days need.
    /// </summary>
    /// <param name="limitBytes">Room there is.</param>
    /// <param name="cancel">Ends the work early; what was cleared until then is gone, nothing is torn.</param>
    public ClearedRoom Clear(long limitBytes, CancellationToken cancel)
    {
        var needed = new HashSet<string>(StringComparer.Ordinal);
        var neededBlobs = new HashSet<string>(StringComparer.Ordinal);
        using (var db = new CrumpetDb(Database.Options(folder)))
        {
            foreach (var asset in Kits(db).SelectMany(k => k.Assets))
            {
                cancel.ThrowIfCancellationRequested();
                needed.UnionWith(KeysOf(asset, withUndo: true));
                neededBlobs.UnionWith(asset.Sources.Select(s => s.Sha256).Concat(asset.Deliveries.Select(d => d.Sha256)));
            }
        }
        var results = store.Results().Select(r => (Result: r, Use: store.UseOf(r.Key))).OrderBy(r => r.Use.Used).ToArray();
        // How many results need each piece of data: with the last of them it goes.
        var users = new Dictionary<string, int>(StringComparer.Ordinal);
        foreach (string blob in results.SelectMany(r => FileStore.BlobsOf(r.Result)))
            users[blob] = users.GetValueOrDefault(blob) + 1;
        long total = results.Sum(r => r.Use.Bytes);
        long cleared = 0;
        foreach (string blob in store.Blobs().ToArray())
        {
            long bytes = store.SizeOf(blob);
            total += bytes;
            // What nothing needs at all is left from results that are gone.
            if (users.ContainsKey(blob) || neededBlobs.Contains(blob) || !store.IsOld(blob))
                continue;
            store.RemoveBlob(blob);
            cleared += bytes;
        }
        int count = 0;
        foreach (var (result, use) in results)
        {
            cancel.ThrowIfCancellationRequested();
            if (total - cleared <= limitBytes)
                break;
            if (needed.Contains(result.Key))
                continue;
            store.RemoveResult(result.Key);
            count++;
            cleared += use.Bytes;
            foreach (string blob in FileStore.BlobsOf(result).Where(b => --users[b] == 0 && !neededBlobs.Contains(b) && store.IsOld(b)))
            {
                cleared += store.SizeOf(blob);
                store.RemoveBlob(blob);
            }
        }
        return new ClearedRoom(count, cleared);
    }

    private static List<Kit> Kits(CrumpetDb db) =>
        [.. db.Kits.Include(k => k.Assets).ThenInclude(a => a.Sources).Include(k => k.Assets).ThenInclude(a => a.Deliveries)
        .Include(k => k.Assets).ThenInclude(a => a.Decisions).AsSplitQuery().AsNoTrackingWithIdentityResolution().OrderBy(k => k.Id)];

    /// <summary>Keys of all results an asset needs as it stands, and as it stood within the time undo is kept.</summary>
    private HashSet<string> KeysOf(Asset asset, bool withUndo)
    {
        var keys = new HashSet<string>(StringComparer.Ordinal);
        Add();
        var since = DateTime.UtcNow - UndoKept;
        if (!withUndo || !asset.Decisions.Exists(d => d.At >= since))
            return keys;
        var standing = AssetState.Of(asset);
        int version = asset.Version, now = asset.NextToUndo()?.Number ?? 0;
        foreach (int number in asset.Decisions.Where(d => d.At >= since).Select(d => d.Number - 1).Append(asset.Decisions.Max(d => d.Number)).Distinct()
            .Where(n => n != now).Order().ToArray())
        {
            try
            {
                asset.GoTo(number);
                Add();
            }
            catch (Exception e) when (e is InvalidOperationException or System.Text.Json.JsonException)
            {
                // A history that was torn leads nowhere, and nothing there can be gone back to.
                break;
            }
        }
        standing.ApplyTo(asset);
        asset.Version = version;
        return keys;

        void Add()
        {
            var build = asset.Taking(asset.Kit!.Assets).Build(store);
            foreach (var node in build.Graph(Station.Deliver).Nodes.Where(n => n.Result is not null))
                keys.Add(node.Job!.Key);
        }
    }
}
