using System.Security.Cryptography;
using System.Text.Json;
using Crumpet.Core.Building;
using Crumpet.Core.Jobs;

namespace Crumpet.Storage;

/// <summary>Keeps big data under its SHA-256 and results under their key, in a folder. Safe from many threads.</summary>
/// <param name="folder">Root of the store; made as needed.</param>
/// <param name="isLasting">Whether it is to outlive a power cut: then data is on the disk before it gets its name.</param>
public sealed class FileStore(string folder, bool isLasting = true) : IResultStore
{
    /// <summary>Folder below the store's for what is not whole yet; nothing in it outlives the process that wrote it.</summary>
    public const string IncomingFolder = "incoming";

    private static readonly TimeSpan StaleUse = TimeSpan.FromHours(12), BeingPut = TimeSpan.FromHours(1);

    private readonly ResultCache results = new();

    /// <summary>Whether a word is a hash as files are kept by: 64 small hexadecimal digits.</summary>
    public static bool IsHash(string word) => word.Length == 64 && word.All(char.IsAsciiHexDigitLower);

    /// <inheritdoc/>
    public JobResult? Find(string key)
    {
        string path = ResultPath(key);
        if (!File.Exists(path))
            return null;
        try
        {
            var result = results.Find(key);
            if (result is null)
            {
                byte[] text = File.ReadAllBytes(path);
                result = JsonSerializer.Deserialize<JobResult>(text, BuildJson.Options);
                if (result is not null)
                    results.Keep(result, text.Length);
                // What was not asked for longest goes first when room is short.
                if (DateTime.UtcNow - File.GetLastWriteTimeUtc(path) > StaleUse)
                    File.SetLastWriteTimeUtc(path, DateTime.UtcNow);
            }
            return result is not null && BlobsOf(result).All(b => File.Exists(BlobPath(b))) ? result : null;
        }
        catch (JsonException)
        {
            // A damaged result is as good as none: the job is worked again.
            return null;
        }
    }

    /// <summary>SHA-256 of all data a result is made of.</summary>
    internal static IEnumerable<string> BlobsOf(JobResult result) => result.Files.Select(f => f.Within ?? f.Sha256).Distinct(StringComparer.Ordinal);

    /// <inheritdoc/>
    public byte[]? FindNote(string name) => File.Exists(NotePath(name)) ? File.ReadAllBytes(NotePath(name)) : null;

    /// <inheritdoc/>
    public void KeepNote(string name, byte[] bytes) => AtomicFile.Write(NotePath(name), bytes, Incoming(), syncs: false);

    /// <inheritdoc/>
    public void Save(JobResult result) =>
        AtomicFile.Write(ResultPath(result.Key), JsonSerializer.SerializeToUtf8Bytes(result, BuildJson.Options), Incoming(), syncs: false);

    /// <inheritdoc/>
    public string Put(byte[] bytes)
    {
        string hash = Convert.ToHexStringLower(SHA256.HashData(bytes));
        if (File.Exists(BlobPath(hash)))
            File.SetLastWriteTimeUtc(BlobPath(hash), DateTime.UtcNow);
        else
            AtomicFile.Write(BlobPath(hash), bytes, Incoming(), isLasting);
        return hash;
    }

    /// <summary>A file for what is made and sent at once; gone as soon as it is closed.</summary>
    public FileStream Aside() =>
        new(Path.Combine(Incoming(), Guid.NewGuid().ToString("N")), FileMode.CreateNew, FileAccess.ReadWrite, FileShare.None, 1 << 16,
        FileOptions.DeleteOnClose | FileOptions.Asynchronous);

    /// <summary>Keeps what a stream gives, written aside first and never held whole.</summary>
    /// <param name="source">Read to its end.</param>
    /// <param name="bytes">How many bytes there were.</param>
    /// <returns>SHA-256, lower-case hexadecimal.</returns>
    public string Put(Stream source, out long bytes)
    {
        string aside = Path.Combine(Incoming(), Guid.NewGuid().ToString("N"));
        try
        {
            using var hash = IncrementalHash.CreateHash(HashAlgorithmName.SHA256);
            using (var target = new FileStream(aside, FileMode.CreateNew, FileAccess.Write))
            {
                var buffer = new byte[1 << 17];
                bytes = 0;
                for (int read; (read = source.Read(buffer)) > 0; bytes += read)
                {
                    hash.AppendData(buffer, 0, read);
                    target.Write(buffer, 0, read);
                }
                if (isLasting)
                    target.Flush(flushToDisk: true);
            }
            string sha256 = Convert.ToHexStringLower(hash.GetHashAndReset());
            Directory.CreateDirectory(Path.GetDirectoryName(BlobPath(sha256))!);
            if (!File.Exists(BlobPath(sha256)))
                File.Move(aside, BlobPath(sha256), overwrite: true);
            else
                File.SetLastWriteTimeUtc(BlobPath(sha256), DateTime.UtcNow);
            return sha256;
        }
        finally
        {
            File.Delete(aside);
        }
    }

    /// <inheritdoc/>
    public byte[] Load(string sha256) => File.ReadAllBytes(PathOf(sha256));

    /// <inheritdoc/>
    public Stream Open(string sha256) => new FileStream(PathOf(sha256), FileMode.Open, FileAccess.Read, FileShare.Read, 1 << 16, FileOptions.SequentialScan);

    /// <summary>All results that are kept and can be read.</summary>
    public IEnumerable<JobResult> Results() => Names("results").Select(Read).OfType<JobResult>();

    /// <summary>Hashes of all data that is kept, whatever became of it.</summary>
    public IEnumerable<string> Blobs() => Names("blobs");

    /// <summary>Whether data is here, whatever became of it.</summary>
    public bool Has(string sha256) => File.Exists(BlobPath(sha256));

    /// <summary>Bytes of some data; 0 where it is not here.</summary>
    public long SizeOf(string sha256) => new FileInfo(BlobPath(sha256)) is { Exists: true } file ? file.Length : 0;

    /// <summary>Bytes of a result's own record, and when it was last asked for, UTC.</summary>
    public (long Bytes, DateTime Used) UseOf(string key) =>
        new FileInfo(ResultPath(key)) is { Exists: true } file ? (file.Length, file.LastWriteTimeUtc) : (0, DateTime.MinValue);

    /// <summary>Whether data is here as it was put: its bytes have its hash.</summary>
    /// <exception cref="IOException">It cannot be read.</exception>
    public bool IsWhole(string sha256)
    {
        if (!File.Exists(BlobPath(sha256)))
            return false;
        using var stream = Open(sha256);
        return Convert.ToHexStringLower(SHA256.HashData(stream)) == sha256;
    }

    /// <summary>Whether data was put long enough ago that whoever put it has said by now what it is for.</summary>
    public bool IsOld(string sha256) => DateTime.UtcNow - File.GetLastWriteTimeUtc(BlobPath(sha256)) > BeingPut;

    /// <summary>Takes data away.</summary>
    public void RemoveBlob(string sha256) => File.Delete(BlobPath(sha256));

    /// <summary>Takes a result away; its data stays until nothing needs it.</summary>
    public void RemoveResult(string key)
    {
        results.Forget(key);
        File.Delete(ResultPath(key));
    }

    /// <summary>Where data that was found damaged is put.</summary>
    public string Root => folder;

    private IEnumerable<string> Names(string kind)
    {
        string root = Path.Combine(folder, kind);
        return !Directory.Exists(root) ? [] : Directory.EnumerateFiles(root, "*", SearchOption.AllDirectories).Select(f => Path.GetFileNameWithoutExtension(f))
            .Where(IsHash);
    }

    private JobResult? Read(string key)
    {
        try
        {
            return JsonSerializer.Deserialize<JobResult>(File.ReadAllBytes(ResultPath(key)), BuildJson.Options);
        }
        catch (Exception e) when (e is JsonException or FileNotFoundException)
        {
            return null;
        }
    }

    /// <summary>Where the bytes with this hash lie.</summary>
    /// <exception cref="FileNotFoundException">They are not here.</exception>
    public string PathOf(string sha256)
    {
        string path = BlobPath(sha256);
        return File.Exists(path) ? path : throw new FileNotFoundException($"The store has no data {sha256}.", path);
    }

    private string Incoming()
    {
        string incoming = Path.Combine(folder, IncomingFolder);
        Directory.CreateDirectory(incoming);
        return incoming;
    }

    private string BlobPath(string hash) => Under("blobs", hash, "");

    private string ResultPath(string key) => Under("results", key, ".json");

    private string NotePath(string name) => Under("notes", name, "");

    private string Under(string kind, string name, string ending)
    {
        // Names come from outside too; only a hash may become a path.
        if (!IsHash(name))
            throw new ArgumentException($"'{name}' is no SHA-256.", nameof(name));
        return Path.Combine(folder, kind, name[..2], name + ending);
    }
}
