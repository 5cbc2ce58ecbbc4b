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

    private readonly ResultCache results = new();

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
    public void Save(JobResult result) => AtomicFile.Write(ResultPath(result.Key), JsonSerializer.SerializeToUtf8Bytes(result, BuildJson.Options), Incoming(), syncs: false);

    /// <inheritdoc/>
    public string Put(byte[] bytes)
    {
        string hash = Convert.ToHexStringLower(SHA256.HashData(bytes));
        if (!File.Exists(BlobPath(hash)))
            AtomicFile.Write(BlobPath(hash), bytes, Incoming(), isLasting);
        return hash;
    }

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
        if (name.Length != 64 || !name.All(c => char.IsAsciiHexDigitLower(c)))
            throw new ArgumentException($"'{name}' is no SHA-256.", nameof(name));
        return Path.Combine(folder, kind, name[..2], name + ending);
    }
}
