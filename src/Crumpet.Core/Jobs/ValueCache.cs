namespace Crumpet.Core.Jobs;

/// <summary>
/// Keeps what was decoded or worked out lately, so that a chain of jobs in one process does not decode what it just made. Values are
/// made of content alone and never changed. Safe from many threads; a value that two ask for is made once.
/// </summary>
/// <param name="mostBytes">About how much is kept.</param>
public sealed class ValueCache(long mostBytes)
{
    private sealed record Entry((string Key, Type Type) Name, Lazy<object> Value, long Bytes);

    private readonly Lock gate = new();
    private readonly Dictionary<(string, Type), LinkedListNode<Entry>> byName = [];
    private readonly LinkedList<Entry> lately = [];
    private long total;

    /// <summary>Whether a value is kept.</summary>
    public bool Holds<T>(string key)
        where T : class
    {
        lock (gate)
            return byName.ContainsKey((key, typeof(T)));
    }

    /// <summary>The value, made where it is not kept.</summary>
    /// <param name="key">Content it is made of.</param>
    /// <param name="bytes">About how much room it takes.</param>
    /// <param name="make">Makes it.</param>
    public T Get<T>(string key, long bytes, Func<T> make)
        where T : class
    {
        Entry entry;
        lock (gate)
        {
            var name = (key, typeof(T));
            if (byName.TryGetValue(name, out var node))
            {
                lately.Remove(node);
                lately.AddFirst(node);
                entry = node.Value;
            }
            else
            {
                entry = new Entry(name, new Lazy<object>(() => make()), bytes);
                byName.Add(name, lately.AddFirst(entry));
                total += bytes;
                while (total > mostBytes && lately.Count > 1)
                    Drop(lately.Last!);
            }
        }
        try
        {
            return (T)entry.Value.Value;
        }
        catch
        {
            // What could not be made now may be made later.
            lock (gate)
            {
                if (byName.TryGetValue(entry.Name, out var node) && ReferenceEquals(node.Value, entry))
                    Drop(node);
            }
            throw;
        }
    }

    private void Drop(LinkedListNode<Entry> node)
    {
        lately.Remove(node);
        byName.Remove(node.Value.Name);
        total -= node.Value.Bytes;
    }
}
