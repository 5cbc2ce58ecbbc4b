using System.Collections.Concurrent;
using Crumpet.Core.Jobs;

namespace Crumpet.Core.Building;

/// <summary>Makes data that is lost or damaged again by working the job it came from, from what that took; where that is gone too, likewise.</summary>
/// <param name="store">The store.</param>
/// <param name="results">All results in it, with their jobs.</param>
/// <param name="isWhole">Whether data of a hash is there as it was kept; tells false of what is damaged, and takes it away.</param>
public sealed class StoreHealer(IResultStore store, IEnumerable<JobResult> results, Func<string, bool> isWhole)
{
    private const int Deepest = 64;
    private const long MostCached = 256L << 20;

    private readonly Dictionary<string, JobResult> makers = MakersOf(results);
    private readonly ConcurrentDictionary<string, bool> tried = new(StringComparer.Ordinal);
    private readonly ValueCache cache = new(MostCached);

    /// <summary>Makes data of a hash again where it is not whole.</summary>
    /// <param name="sha256">The hash.</param>
    /// <param name="cancel">Ends the work early.</param>
    /// <returns>Whether it is whole now.</returns>
    public bool Heal(string sha256, CancellationToken cancel) => Heal(sha256, 0, cancel);

    private bool Heal(string sha256, int depth, CancellationToken cancel)
    {
        if (isWhole(sha256))
            return true;
        if (depth > Deepest || tried.ContainsKey(sha256) || !makers.TryGetValue(sha256, out var maker) || JobKinds.Find(maker.Kind) is not { } kind
            || kind.Version != maker.Job!.Version)
            return false;
        cancel.ThrowIfCancellationRequested();
        // What its own making leads back to cannot be made.
        tried[sha256] = false;
        if (!maker.Job.Inputs.All(i => Heal(i.Within ?? i.Sha256, depth + 1, cancel)))
            return false;
        new JobRunner(store, null, cache).Again(maker.Job, kind, cancel);
        return tried[sha256] = isWhole(sha256);
    }

    private static Dictionary<string, JobResult> MakersOf(IEnumerable<JobResult> results)
    {
        var makers = new Dictionary<string, JobResult>(StringComparer.Ordinal);
        foreach (var result in results.Where(r => r.Job is not null))
        {
            foreach (var file in result.Files)
                makers[file.Within ?? file.Sha256] = result;
        }
        return makers;
    }
}
