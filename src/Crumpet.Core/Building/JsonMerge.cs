using System.Text.Json.Nodes;

namespace Crumpet.Core.Building;

/// <summary>A field that two changed to different values.</summary>
/// <param name="Path">Names of the fields that lead to it.</param>
/// <param name="Theirs">What the other made of it.</param>
/// <param name="Mine">What this change makes of it.</param>
public sealed record MergeConflict(IReadOnlyList<string> Path, JsonNode? Theirs, JsonNode? Mine);

/// <summary>Brings two changes of one document together: of different fields both, of lists what each put in and took out.</summary>
public static class JsonMerge
{
    /// <summary>Merges; where both changed one field to different values, theirs stays and the conflict is told.</summary>
    /// <param name="was">The document both began with.</param>
    /// <param name="mine">What this change made of it.</param>
    /// <param name="theirs">What the other made of it.</param>
    /// <param name="conflicts">Takes what cannot be brought together.</param>
    public static JsonNode? Merge(JsonNode? was, JsonNode? mine, JsonNode? theirs, ICollection<MergeConflict> conflicts) =>
        Merge([], was, mine, theirs, conflicts)?.DeepClone();

    private static JsonNode? Merge(string[] path, JsonNode? was, JsonNode? mine, JsonNode? theirs, ICollection<MergeConflict> conflicts)
    {
        if (JsonNode.DeepEquals(was, mine) || JsonNode.DeepEquals(mine, theirs))
            return theirs;
        if (JsonNode.DeepEquals(was, theirs))
            return mine;
        if (was is JsonObject before && mine is JsonObject own && theirs is JsonObject other)
        {
            var merged = new JsonObject();
            foreach (string name in other.Select(p => p.Key).Union(own.Select(p => p.Key)))
            {
                // One took the field away, and the other left it as it was.
                if ((!own.ContainsKey(name) && JsonNode.DeepEquals(before[name], other[name]))
                    || (!other.ContainsKey(name) && JsonNode.DeepEquals(before[name], own[name])))
                    continue;
                merged[name] = Merge([.. path, name], before[name], own[name], other[name], conflicts)?.DeepClone();
            }
            return merged;
        }
        if (was is JsonArray list && mine is JsonArray ownList && theirs is JsonArray otherList && MergeLists(list, ownList, otherList) is { } both)
            return both;
        conflicts.Add(new MergeConflict(path, theirs?.DeepClone(), mine?.DeepClone()));
        return theirs;
    }

    /// <summary>Theirs with what this change took out taken out and what it put in put in; null where what it took out is not there any more.</summary>
    private static JsonArray? MergeLists(JsonArray was, JsonArray mine, JsonArray theirs)
    {
        List<JsonNode?> gone = Without(was, mine), come = Without(mine, was), result = [.. theirs];
        if (gone.Exists(g => Find(result, g) < 0))
            return null;
        for (int i = 0; i < mine.Count; i++)
        {
            int added = Find(come, mine[i]);
            if (added < 0)
                continue;
            come.RemoveAt(added);
            // What stands where another was stands in for it; all else comes after what it follows.
            int left = i < was.Count ? Find(gone, was[i]) : -1;
            if (left >= 0)
            {
                result[Find(result, was[i])] = mine[i];
                gone.RemoveAt(left);
            }
            else
            {
                int before = i > 0 ? Find(result, mine[i - 1]) : -1;
                result.Insert(i > 0 && before < 0 ? result.Count : i == mine.Count - 1 ? result.Count : before + 1, mine[i]);
            }
        }
        foreach (var node in gone)
            result.RemoveAt(Find(result, node));
        return new JsonArray([.. result.Select(n => n?.DeepClone())]);
    }

    private static int Find(List<JsonNode?> list, JsonNode? node) => list.FindIndex(n => JsonNode.DeepEquals(n, node));

    private static List<JsonNode?> Without(JsonArray list, JsonArray other)
    {
        var left = other.ToList();
        var result = new List<JsonNode?>();
        foreach (var node in list)
        {
            int at = left.FindIndex(n => JsonNode.DeepEquals(n, node));
            if (at < 0)
                result.Add(node);
            else
                left.RemoveAt(at);
        }
        return result;
    }
}
