using System.Collections.Concurrent;
using System.Security.Cryptography;
using Crumpet.Core.Jobs;

namespace Crumpet.Core.Building;

/// <summary>Keeps everything in memory.</summary>
public sealed class MemoryResultStore : IResultStore
{
    private readonly ConcurrentDictionary<string, JobResult> results = new(StringComparer.Ordinal);
    private readonly ConcurrentDictionary<string, byte[]> blobs = new(StringComparer.Ordinal);
    private readonly ConcurrentDictionary<string, byte[]> notes = new(StringComparer.Ordinal);

    /// <summary>All results that are kept.</summary>
    public IEnumerable<JobResult> Results => results.Values;

    /// <inheritdoc/>
    public JobResult? Find(string key) => results.GetValueOrDefault(key);

    /// <inheritdoc/>
    public void Save(JobResult result) => results[result.Key] = result;

    /// <inheritdoc/>
    public string Put(byte[] bytes)
    {
        string hash = System.Convert.ToHexStringLower(SHA256.HashData(bytes));
        blobs[hash] = bytes;
        return hash;
    }

    /// <inheritdoc/>
    public byte[] Load(string sha256) => blobs.TryGetValue(sha256, out var bytes) ? bytes : throw new FileNotFoundException($"There is no data {sha256}.");

    /// <inheritdoc/>
    public Stream Open(string sha256) => new MemoryStream(Load(sha256), writable: false);

    /// <inheritdoc/>
    public byte[]? FindNote(string name) => notes.GetValueOrDefault(name);

    /// <inheritdoc/>
    public void KeepNote(string name, byte[] bytes) => notes[name] = bytes;
}
