using System.Text;
using Crumpet.Core.Jobs;

namespace Crumpet.Core.Building;

/// <summary>The jobs an asset had when it was last worked, by their names: what tells why one has to be worked again.</summary>
/// <param name="store">Where that is kept.</param>
/// <param name="identity">What tells the asset from others.</param>
public sealed class LastGraph(IResultStore store, string identity)
{
    private readonly string note = IResultStore.NoteName($"graph of {identity}");
    private Dictionary<string, string>? keys;

    /// <summary>How many jobs there were.</summary>
    public int Count => Keys().Count;

    /// <summary>The job of this name as it was, or null where there was none or it is no longer kept.</summary>
    /// <param name="name">Name of the job within the asset.</param>
    /// <param name="wasThere">Whether there was one.</param>
    public Job? Find(string name, out bool wasThere)
    {
        wasThere = Keys().TryGetValue(name, out string? key);
        return key is null ? null : store.Find(key)?.Job;
    }

    /// <summary>Keeps jobs; those of other names stay as they were.</summary>
    public void Keep(IEnumerable<JobNode> jobs)
    {
        var now = new Dictionary<string, string>(Keys(), StringComparer.Ordinal);
        foreach (var node in jobs.Where(n => n.Result is not null))
            now[node.Name] = node.Job!.Key;
        keys = now;
        store.KeepNote(note, Encoding.UTF8.GetBytes(string.Concat(now.OrderBy(p => p.Key, StringComparer.Ordinal).Select(p => $"{p.Value} {p.Key}\n"))));
    }

    private Dictionary<string, string> Keys()
    {
        if (keys is not null)
            return keys;
        keys = new Dictionary<string, string>(StringComparer.Ordinal);
        foreach (string line in Encoding.UTF8.GetString(store.FindNote(note) ?? []).Split('\n'))
        {
            if (line.IndexOf(' ', StringComparison.Ordinal) is > 0 and var space)
                keys[line[(space + 1)..]] = line[..space];
        }
        return keys;
    }
}
