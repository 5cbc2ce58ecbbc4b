using System.Text.Json;
using System.Text.Json.Nodes;
using Crumpet.Core.Building;

namespace Crumpet.Web;

/// <summary>A change that goes over what somebody else said meanwhile, offered again.</summary>
/// <param name="Patch">What it would change, a <see cref="JsonDelta"/>.</param>
/// <param name="Label">What it would do, a phrase.</param>
public sealed record ChangeOffer(string Patch, string Label);

/// <summary>Brings a change that was made on an older version together with what happened since.</summary>
internal static class ChangeMerge
{
    /// <summary>Said where nobody knows any more what a page was made of.</summary>
    public const string TooOld = "This page is older than what is remembered of it, so nothing was changed; it now shows how things stand, change it again.";

    /// <summary>The change on top of how things stand, and where both changed one field, what else it would do.</summary>
    /// <param name="was">What the change was made on.</param>
    /// <param name="now">How things stand.</param>
    /// <param name="change">The change.</param>
    public static (T Merged, T? Forced) Merge<T>(T was, T now, Func<T, T> change)
        where T : class
    {
        JsonNode before = Node(was), mine = Node(change(was)), theirs = Node(now);
        var conflicts = new List<MergeConflict>();
        var merged = JsonMerge.Merge(before, mine, theirs, conflicts)!;
        if (conflicts.Count == 0)
            return (Of<T>(merged), null);
        var forced = merged.DeepClone();
        foreach (var conflict in conflicts)
        {
            var place = forced;
            foreach (string name in conflict.Path.SkipLast(1))
                place = place[name]!;
            place[conflict.Path[^1]] = conflict.Mine?.DeepClone();
        }
        return (Of<T>(merged), Of<T>(forced));
    }

    /// <summary>Something that was decided as a document.</summary>
    public static JsonNode Node<T>(T decided) => JsonSerializer.SerializeToNode(decided, BuildJson.Options)!;

    /// <summary>What a document says.</summary>
    public static T Of<T>(JsonNode document) => document.Deserialize<T>(BuildJson.Options)!;
}
