using System.IO.Compression;
using System.Security.Cryptography;
using System.Text.Json;
using Crumpet.Core;
using Crumpet.Core.Deliver;

namespace Crumpet.Storage;

/// <summary>What a delivery does to an asset's folder, by paths below it.</summary>
/// <param name="Written">Files that are new or have other bytes.</param>
/// <param name="Same">Files that stay as they are.</param>
/// <param name="Removed">Files of the delivery before that this one has not.</param>
/// <param name="Kept">Files that are somebody else's, or were changed since; they are left alone.</param>
public sealed record FolderChange(
    IReadOnlyList<string> Written, IReadOnlyList<string> Same, IReadOnlyList<string> Removed, IReadOnlyList<string> Kept);

/// <summary>
/// A folder an engine reads deliveries from, with a folder for each asset. An asset's folder goes from one delivery to the next in one step:
/// the next one is put together beside it, of links to what stays and of new files, and then the two change places. Whoever is ended at any
/// moment leaves the one or the other.
/// </summary>
/// <param name="root">The folder; it is made where it is not there.</param>
public sealed class DeliveryFolder(string root)
{
    /// <summary>Folder in it for what is not whole yet.</summary>
    public const string Aside = ".crumpet";

    /// <summary>Told before each step that changes the disk; tests end the work there.</summary>
    internal Action<string>? Step { get; set; }

    /// <summary>What a delivery would change; nothing is written.</summary>
    /// <param name="asset">Name of the asset's folder, or a path of names with slashes between.</param>
    /// <param name="package">The delivery as a zip.</param>
    /// <param name="cancel">Ends the work early.</param>
    public FolderChange Look(string asset, byte[] package, CancellationToken cancel = default)
    {
        using var zip = Open(package);
        return Compare(FolderOf(asset), Entries(zip), cancel);
    }

    /// <summary>Brings an asset's folder up to a delivery.</summary>
    /// <param name="asset">Name of the asset's folder, or a path of names with slashes between.</param>
    /// <param name="package">The delivery as a zip.</param>
    /// <param name="cancel">Ends the work early; the folder is then as it was.</param>
    /// <exception cref="IOException">Another process writes here, or the disk refuses; the folder is as it was.</exception>
    public FolderChange Write(string asset, byte[] package, CancellationToken cancel = default)
    {
        string folder = FolderOf(asset), aside = Path.Combine(root, Aside);
        Directory.CreateDirectory(aside);
        using var hold = FolderLock.Take(aside, "a delivery", out string owner)
            ?? throw new IOException($"{root} is being written by {owner}; wait for it.");
        string mark = asset.Replace('/', '+'), next = Path.Combine(aside, $"next {mark}"), gone = Path.Combine(aside, $"gone {mark}");
        Recover(folder, next, gone);
        using var zip = Open(package);
        var entries = Entries(zip);
        var change = Compare(folder, entries, cancel);
        if (change.Written.Count == 0 && change.Removed.Count == 0)
            return change;
        Directory.CreateDirectory(next);
        foreach (string path in change.Same.Concat(change.Kept))
        {
            cancel.ThrowIfCancellationRequested();
            Carry(Path.Combine(folder, path), Made(next, path));
        }
        foreach (string path in change.Written)
        {
            cancel.ThrowIfCancellationRequested();
            Step?.Invoke($"write {path}");
            AtomicFile.Write(Made(next, path), Bytes(entries[path]));
        }
        Step?.Invoke("exchange");
        if (Directory.Exists(folder))
            TakePlace(folder, next, gone);
        else
        {
            Directory.CreateDirectory(Path.GetDirectoryName(folder)!);
            Directory.Move(next, folder);
        }
        Step?.Invoke("clear");
        Recover(folder, next, gone);
        return change;
    }

    // Where folders cannot change places, there is none for a moment; the one that was there comes back if nothing else does.
    private void TakePlace(string folder, string next, string gone)
    {
        if (LinuxFiles.Exchange(next, folder))
            return;
        Directory.Move(folder, gone);
        Step?.Invoke("between");
        Directory.Move(next, folder);
    }

    private static void Recover(string folder, string next, string gone)
    {
        if (Directory.Exists(gone) && !Directory.Exists(folder))
            Directory.Move(gone, folder);
        foreach (string left in (ReadOnlySpan<string>)[next, gone])
        {
            if (Directory.Exists(left))
                Directory.Delete(left, recursive: true);
        }
    }

    private static FolderChange Compare(string folder, SortedDictionary<string, ZipArchiveEntry> entries, CancellationToken cancel)
    {
        var delivered = Delivered(folder);
        List<string> written = [], same = [], removed = [], kept = [];
        foreach (var (path, entry) in entries)
        {
            cancel.ThrowIfCancellationRequested();
            string there = Path.Combine(folder, path);
            (IsLike(there, entry) ? same : written).Add(path);
        }
        if (!Directory.Exists(folder))
            return new FolderChange(written, same, removed, kept);
        foreach (string path in Below(folder, ""))
        {
            cancel.ThrowIfCancellationRequested();
            if (entries.ContainsKey(path))
                continue;
            bool isOurs = delivered.TryGetValue(path, out string? hash) && HashOf(Path.Combine(folder, path)) == hash;
            (isOurs ? removed : kept).Add(path);
        }
        return new FolderChange(written, same, removed, kept);
    }

    /// <summary>Paths of all files, links and empty folders below a folder; links are not followed.</summary>
    private static IEnumerable<string> Below(string folder, string at)
    {
        foreach (var entry in new DirectoryInfo(Path.Combine(folder, at)).EnumerateFileSystemInfos().OrderBy(e => e.Name, StringComparer.Ordinal))
        {
            string path = at.Length == 0 ? entry.Name : $"{at}/{entry.Name}";
            string[] inside = entry is DirectoryInfo && entry.LinkTarget is null ? [.. Below(folder, path)] : [];
            foreach (string one in inside.Length > 0 ? inside : [path])
                yield return one;
        }
    }

    /// <summary>Hashes of the delivery that lies there, by paths; none where its manifest cannot be read.</summary>
    private static Dictionary<string, string> Delivered(string folder)
    {
        string path = Path.Combine(folder, DeliveryPackage.ManifestName);
        if (!File.Exists(path))
            return [];
        try
        {
            var manifest = JsonSerializer.Deserialize<Manifest>(File.ReadAllBytes(path), DeliveryPackage.ManifestJson);
            return (manifest?.Files ?? []).GroupBy(f => f.Path, StringComparer.Ordinal).ToDictionary(g => g.Key, g => g.First().Sha256, StringComparer.Ordinal);
        }
        catch (JsonException)
        {
            return [];
        }
    }

    private static bool IsLike(string path, ZipArchiveEntry entry) =>
        new FileInfo(path) is { Exists: true, LinkTarget: null } file && file.Length == entry.Length && HashOf(path) == Hash(Bytes(entry));

    private static string HashOf(string path)
    {
        using var stream = File.OpenRead(path);
        return System.Convert.ToHexStringLower(SHA256.HashData(stream));
    }

    private static string Hash(byte[] bytes) => System.Convert.ToHexStringLower(SHA256.HashData(bytes));

    private static void Carry(string from, string to)
    {
        if (new FileInfo(from).LinkTarget is { } target)
            File.CreateSymbolicLink(to, target);
        else if (Directory.Exists(from))
            Directory.CreateDirectory(to);
        else
            LinuxFiles.LinkOrCopy(from, to);
    }

    private static string Made(string folder, string path)
    {
        string whole = Path.Combine(folder, path);
        Directory.CreateDirectory(Path.GetDirectoryName(whole)!);
        return whole;
    }

    private static ZipArchive Open(byte[] package)
    {
        try
        {
            return new ZipArchive(new MemoryStream(package));
        }
        catch (InvalidDataException)
        {
            throw new SourceFileException("package", "", "it is no zip", "Make the delivery again");
        }
    }

    private static SortedDictionary<string, ZipArchiveEntry> Entries(ZipArchive zip)
    {
        var entries = new SortedDictionary<string, ZipArchiveEntry>(StringComparer.Ordinal);
        foreach (var entry in zip.Entries)
        {
            if (!IsInside(entry.FullName))
                throw new SourceFileException("package", entry.FullName, "its path leaves the folder", "Make the delivery again");
            entries[entry.FullName] = entry;
        }
        return entries;
    }

    private string FolderOf(string asset) => IsInside(asset) ? Path.Combine(root, asset)
        : throw new ArgumentException($"'{asset}' is no folder below {root}.", nameof(asset));

    /// <summary>Whether a path is of names with slashes between, and stays below the folder.</summary>
    public static bool IsInside(string path) => path.Length > 0 && !path.AsSpan().ContainsAny('\\', '\0')
        && path.Split('/').All(p => p.Length > 0 && p is not ("." or ".." or Aside));

    private static byte[] Bytes(ZipArchiveEntry entry)
    {
        using var from = entry.Open();
        using var to = new MemoryStream(checked((int)entry.Length));
        from.CopyTo(to);
        return to.ToArray();
    }
}
