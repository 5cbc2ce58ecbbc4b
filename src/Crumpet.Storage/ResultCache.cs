using Crumpet.Core.Jobs;

namespace Crumpet.Storage;

/// <summary>Keeps results that were read lately, so that pages do not read the same report from its text again and again. Safe from many threads.</summary>
internal sealed class ResultCache
{
    // Text; what is made of it takes a few times as much.
    private const long MostBytes = 96L << 20;

    private readonly Lock gate = new();
    private readonly Dictionary<string, LinkedListNode<(JobResult Result, long Bytes)>> byKey = new(StringComparer.Ordinal);
    private readonly LinkedList<(JobResult Result, long Bytes)> lately = [];
    private long total;

    public JobResult? Find(string key)
    {
        lock (gate)
        {
            if (!byKey.TryGetValue(key, out var node))
                return null;
            lately.Remove(node);
            lately.AddFirst(node);
            return node.Value.Result;
        }
    }

    public void Forget(string key)
    {
        lock (gate)
        {
            if (!byKey.Remove(key, out var node))
                return;
            lately.Remove(node);
            total -= node.Value.Bytes;
        }
    }

    public void Keep(JobResult result, long bytes)
    {
        lock (gate)
        {
            if (byKey.ContainsKey(result.Key))
                return;
            byKey.Add(result.Key, lately.AddFirst((result, bytes)));
            total += bytes;
            // One that is larger than all there may be is kept alone.
            while (total > MostBytes && lately.Count > 1)
            {
                var oldest = lately.Last!.Value;
                lately.RemoveLast();
                byKey.Remove(oldest.Result.Key);
                total -= oldest.Bytes;
            }
        }
    }
}
