using System.Collections.Concurrent;
using System.Security.Cryptography;

namespace Crumpet.Core.Building;

/// <summary>Keeps everything in memory, for one build.</summary>
public sealed class MemoryResultStore : IResultStore
{
    private readonly ConcurrentDictionary<string, StepResult> results = new(StringComparer.Ordinal);
    private readonly ConcurrentDictionary<string, byte[]> blobs = new(StringComparer.Ordinal);

    /// <inheritdoc/>
    public StepResult? Find(string key) => results.GetValueOrDefault(key);

    /// <inheritdoc/>
    public void Save(StepResult result) => results[result.Key] = result;

    /// <inheritdoc/>
    public string Put(byte[] bytes)
    {
        string hash = Convert.ToHexStringLower(SHA256.HashData(bytes));
        blobs[hash] = bytes;
        return hash;
    }

    /// <inheritdoc/>
    public byte[] Load(string sha256) => blobs.TryGetValue(sha256, out var bytes) ? bytes : throw new FileNotFoundException($"There is no data {sha256}.");

    /// <inheritdoc/>
    public Stream Open(string sha256) => new MemoryStream(Load(sha256), writable: false);
}
