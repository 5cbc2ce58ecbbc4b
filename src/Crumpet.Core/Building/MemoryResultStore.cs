using System.Collections.Concurrent;
using System.Security.Cryptography;

namespace Crumpet.Core.Building;

/// <summary>Keeps everything in memory.</summary>
/// <param name="keepsPieces">Whether pieces of bakes are kept for another build.</param>
public sealed class MemoryResultStore(bool keepsPieces = true) : IResultStore
{
    private readonly ConcurrentDictionary<string, StepResult> results = new(StringComparer.Ordinal);
    private readonly ConcurrentDictionary<string, byte[]> blobs = new(StringComparer.Ordinal);

    /// <inheritdoc/>
    public bool KeepsPieces => keepsPieces;

    /// <summary>All results that are kept.</summary>
    public IEnumerable<StepResult> Results => results.Values;

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
