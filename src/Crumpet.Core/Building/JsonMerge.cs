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
    public static JsonNode? Merge(JsonNode? was, JsonNode? mine, JsonNode? theirs, ICollection<MergeConflict> conflicts) => Merge([], was, mine, theirs, conflicts)?.DeepClone();

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
                if ((!own.ContainsKey(name) && JsonNode.DeepEquals(before[name], other[name])) || (!other.ContainsKey(name) && JsonNode.DeepEquals(before[name], own[name])))
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
        // Where each is put that stands in for one that was taken out.
        int place = result.Count;
        foreach (var node in gone)
        {
            int at = result.FindIndex(n => JsonNode.DeepEquals(n, node));
            if (at < 0)
                return null;
            result.RemoveAt(at);
            place = gone.Count == come.Count ? at : result.Count;
        }
        result.InsertRange(Math.Min(place, result.Count), come);
        return new JsonArray([.. result.Select(n => n?.DeepClone())]);
    }

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
