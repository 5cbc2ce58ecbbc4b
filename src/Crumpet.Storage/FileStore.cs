using System.Security.Cryptography;
using System.Text.Json;
using Crumpet.Core.Building;

namespace Crumpet.Storage;

/// <summary>Keeps big data under its SHA-256 and results under their key, in a folder. Safe from many threads.</summary>
/// <param name="folder">Root of the store; made as needed.</param>
public sealed class FileStore(string folder) : IResultStore
{
    /// <inheritdoc/>
    public StepResult? Find(string key)
    {
        string path = ResultPath(key);
        if (!File.Exists(path))
            return null;
        try
        {
            var result = JsonSerializer.Deserialize<StepResult>(File.ReadAllBytes(path), BuildJson.Options);
            return result?.Files.All(f => File.Exists(BlobPath(f.Sha256))) == true ? result : null;
        }
        catch (JsonException)
        {
            // A damaged result is as good as none: the station is worked again.
            return null;
        }
    }

    /// <inheritdoc/>
    public void Save(StepResult result) => AtomicFile.Write(ResultPath(result.Key), JsonSerializer.SerializeToUtf8Bytes(result, BuildJson.Options));

    /// <inheritdoc/>
    public string Put(byte[] bytes)
    {
        string hash = Convert.ToHexStringLower(SHA256.HashData(bytes));
        if (!File.Exists(BlobPath(hash)))
            AtomicFile.Write(BlobPath(hash), bytes);
        return hash;
    }

    /// <summary>Takes over a finished temporary file without reading it into memory.</summary>
    /// <param name="path">The file; gone afterwards.</param>
    /// <returns>SHA-256, lower-case hexadecimal.</returns>
    public string PutFile(string path)
    {
        string hash;
        using (var stream = File.OpenRead(path))
            hash = Convert.ToHexStringLower(SHA256.HashData(stream));
        string target = BlobPath(hash);
        Directory.CreateDirectory(Path.GetDirectoryName(target)!);
        File.Move(path, target, overwrite: true);
        return hash;
    }

    /// <inheritdoc/>
    public byte[] Load(string sha256) => File.ReadAllBytes(PathOf(sha256));

    /// <summary>Where the bytes with this hash lie.</summary>
    /// <exception cref="FileNotFoundException">They are not here.</exception>
    public string PathOf(string sha256)
    {
        string path = BlobPath(sha256);
        return File.Exists(path) ? path : throw new FileNotFoundException($"The store has no data {sha256}.", path);
    }

    private string BlobPath(string hash) => Under("blobs", hash, "");

    private string ResultPath(string key) => Under("results", key, ".json");

    private string Under(string kind, string name, string ending)
    {
        // Names come from outside too; only a hash may become a path.
        if (name.Length != 64 || !name.All(c => char.IsAsciiHexDigitLower(c)))
            throw new ArgumentException($"'{name}' is no SHA-256.", nameof(name));
        return Path.Combine(folder, kind, name[..2], name + ending);
    }
}
