using Crumpet.Core.Building;
using Microsoft.EntityFrameworkCore;

namespace Crumpet.Storage;

/// <summary>What a look through a store found.</summary>
/// <param name="Blobs">Pieces of data that were looked at.</param>
/// <param name="Results">Results that were looked at.</param>
/// <param name="Damaged">Data whose bytes no longer have their hash; it was put aside.</param>
/// <param name="Missing">Data that something needs and that was not there.</param>
/// <param name="Mended">Data that was damaged or missing and was made again.</param>
/// <param name="Lost">What could not be made again, and what needs it, one sentence each.</param>
public sealed record StoreCheckReport(int Blobs, int Results, int Damaged, int Missing, int Mended, IReadOnlyList<string> Lost);

/// <summary>Looks whether all that is kept is as it was put, and makes again what is not.</summary>
public static class StoreCheck
{
    /// <summary>Folder below the store's for data that was damaged: nothing is thrown away that somebody might still read.</summary>
    public const string DamagedFolder = "damaged";

    /// <summary>Looks through a data folder.</summary>
    /// <param name="folder">The data folder.</param>
    /// <param name="progress">Told the share that is done, 0 to 1.</param>
    /// <param name="cancel">Ends the work early.</param>
    public static StoreCheckReport Run(string folder, Action<double>? progress, CancellationToken cancel)
    {
        string root = Path.Combine(folder, "store");
        var store = new FileStore(root);
        string[] blobs = [.. store.Blobs()];
        int damaged = 0;
        for (int i = 0; i < blobs.Length; i++)
        {
            cancel.ThrowIfCancellationRequested();
            if (!store.IsWhole(blobs[i]))
            {
                damaged++;
                PutAside(store, blobs[i]);
            }
            progress?.Invoke((i + 1.0) / blobs.Length);
        }
        var results = store.Results().ToArray();
        var needed = new Dictionary<string, string>(StringComparer.Ordinal);
        foreach (var result in results)
        {
            foreach (string blob in FileStore.BlobsOf(result))
                needed.TryAdd(blob, $"a result of {result.Kind}");
        }
        if (File.Exists(Path.Combine(folder, Database.FileName)))
        {
            using var db = new CrumpetDb(Database.Options(folder));
            foreach (var source in db.Sources.AsNoTracking()
                .Join(db.Assets, s => s.AssetId, a => a.Id, (s, a) => new { s.Sha256, s.Name, s.Version, Asset = a.Name }))
                needed[source.Sha256] = $"{source.Name}, version {source.Version}, of {source.Asset}; drop it again";
            foreach (var delivery in db.Deliveries.AsNoTracking()
                .Join(db.Assets, d => d.AssetId, a => a.Id, (d, a) => new { d.Sha256, d.Number, Asset = a.Name }))
                needed[delivery.Sha256] = $"delivery {delivery.Number} of {delivery.Asset}; deliver it again";
        }
        string[] missing = [.. needed.Keys.Where(b => !store.Has(b)).Order(StringComparer.Ordinal)];
        var healer = new StoreHealer(store, results, store.IsWhole);
        var lost = new List<string>();
        int mended = 0;
        foreach (string blob in missing)
        {
            if (healer.Heal(blob, cancel))
                mended++;
            // A result without its data is worked again when somebody asks for it.
            else if (!needed[blob].StartsWith("a result", StringComparison.Ordinal))
                lost.Add($"{blob[..12]}… is gone: {needed[blob]}.");
        }
        return new StoreCheckReport(blobs.Length, results.Length, damaged, missing.Length, mended, lost);
    }

    /// <summary>Whether data is as it was put; where it is not, it is put aside and made again.</summary>
    /// <param name="store">The store.</param>
    /// <param name="sha256">The data.</param>
    /// <param name="cancel">Ends the work early.</param>
    /// <returns>Whether it is whole now.</returns>
    public static bool Prove(FileStore store, string sha256, CancellationToken cancel)
    {
        if (store.IsWhole(sha256))
            return true;
        return new StoreHealer(store, store.Results(), IsWholeOrAside).Heal(sha256, cancel);

        bool IsWholeOrAside(string blob)
        {
            if (store.IsWhole(blob))
                return true;
            if (store.Has(blob))
                PutAside(store, blob);
            return false;
        }
    }

    /// <summary>Puts damaged data aside, so that it is as good as missing.</summary>
    public static void PutAside(FileStore store, string sha256)
    {
        string aside = Path.Combine(store.Root, DamagedFolder);
        Directory.CreateDirectory(aside);
        File.Move(store.PathOf(sha256), Path.Combine(aside, sha256), overwrite: true);
    }
}
