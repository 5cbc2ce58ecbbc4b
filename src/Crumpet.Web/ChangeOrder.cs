using System.Collections.Concurrent;

namespace Crumpet.Web;

/// <summary>
/// Lets changes of one kit be made one after another, each on what the one before it left, and remembers what was decided at earlier
/// versions, so that a change made on an older page can be brought together with what happened since.
/// </summary>
public sealed class ChangeOrder
{
    private const long MostRemembered = 64L << 20;

    private readonly ConcurrentDictionary<int, SemaphoreSlim> gates = new();
    private readonly Lock memory = new();
    private readonly Dictionary<(string What, int Id, int Version), string> documents = [];
    private readonly Queue<(string What, int Id, int Version)> oldest = new();
    private long remembered;

    /// <summary>Waits until no other change of the kit is being made; dispose to let the next one in.</summary>
    public async Task<IDisposable> EnterAsync(int kitId, CancellationToken cancel = default)
    {
        var gate = gates.GetOrAdd(kitId, _ => new SemaphoreSlim(1));
        await gate.WaitAsync(cancel);
        return new Turn(gate);
    }

    /// <summary>Remembers what was decided at a version.</summary>
    /// <param name="what">asset or kit.</param>
    /// <param name="id">Its number.</param>
    /// <param name="version">The version.</param>
    /// <param name="json">What was decided.</param>
    public void Remember(string what, int id, int version, string json)
    {
        lock (memory)
        {
            if (!documents.TryAdd((what, id, version), json))
                return;
            oldest.Enqueue((what, id, version));
            remembered += json.Length;
            while (remembered > MostRemembered && oldest.Count > 1)
            {
                documents.Remove(oldest.Dequeue(), out string? gone);
                remembered -= gone!.Length;
            }
        }
    }

    /// <summary>What was decided at a version, or null where that is not remembered.</summary>
    public string? Find(string what, int id, int version)
    {
        lock (memory)
            return documents.GetValueOrDefault((what, id, version));
    }

    private sealed class Turn(SemaphoreSlim gate) : IDisposable
    {
        public void Dispose() => gate.Release();
    }
}
