using System.Text.Json.Nodes;

namespace Crumpet.Core.Building;

/// <summary>
/// What changed between two JSON documents, as small as the change: an entry a field, a splice a list. It leads from the one to the
/// other and back, but from no third.
/// </summary>
public static class JsonDelta
{
    private const string Fields = "fields", At = "at", Was = "was", Now = "now", Element = "element";

    /// <summary>What leads from one document to another; null where they are the same.</summary>
    public static JsonObject? Between(JsonNode? was, JsonNode? now)
    {
        if (JsonNode.DeepEquals(was, now))
            return null;
        return (was, now) switch
        {
            (JsonObject before, JsonObject after) => OfFields(before, after),
            (JsonArray before, JsonArray after) => OfLists(before, after),
            _ => new JsonObject { [Was] = was?.DeepClone(), [Now] = now?.DeepClone() },
        };
    }

    private static JsonObject OfFields(JsonObject before, JsonObject after)
    {
        var fields = new JsonObject();
        foreach (string name in before.Select(p => p.Key).Union(after.Select(p => p.Key)))
        {
            bool wasThere = before.TryGetPropertyValue(name, out var was), isThere = after.TryGetPropertyValue(name, out var now);
            if (wasThere && isThere)
            {
                if (Between(was, now) is { } inner)
                    fields[name] = inner;
                continue;
            }
            // A field that is not there differs from one that is null.
            fields[name] = wasThere ? new JsonObject { [Was] = was?.DeepClone() } : new JsonObject { [Now] = now?.DeepClone() };
        }
        return new JsonObject { [Fields] = fields };
    }

    private static JsonObject OfLists(JsonArray before, JsonArray after)
    {
        int start = 0, end = 0, least = Math.Min(before.Count, after.Count);
        while (start < least && JsonNode.DeepEquals(before[start], after[start]))
            start++;
        while (end < least - start && JsonNode.DeepEquals(before[before.Count - 1 - end], after[after.Count - 1 - end]))
            end++;
        var gone = before.Skip(start).Take(before.Count - start - end).ToArray();
        var come = after.Skip(start).Take(after.Count - start - end).ToArray();
        if (gone.Length == 1 && come.Length == 1 && gone[0] is JsonObject && come[0] is JsonObject)
            return new JsonObject { [At] = start, [Element] = Between(gone[0], come[0]) };
        return new JsonObject { [At] = start, [Was] = Copies(gone), [Now] = Copies(come) };
    }

    /// <summary>The document a delta leads to.</summary>
    /// <param name="document">The one it leads from; for the way back, the one it leads to.</param>
    /// <param name="delta">As <see cref="Between"/> gave it.</param>
    /// <param name="isBack">Whether the way back is meant.</param>
    /// <exception cref="InvalidOperationException">It does not lead from this document.</exception>
    public static JsonNode? Apply(JsonNode? document, JsonObject delta, bool isBack)
    {
        if (delta[Fields] is JsonObject fields)
            return ToFields(document as JsonObject ?? throw Strange(), fields, isBack);
        if (delta[At] is { } at)
            return ToList(document as JsonArray ?? throw Strange(), delta, at.GetValue<int>(), isBack);
        var (from, to) = isBack ? (delta[Now], delta[Was]) : (delta[Was], delta[Now]);
        return JsonNode.DeepEquals(document, from) ? to?.DeepClone() : throw Strange();
    }

    /// <summary>Names of the innermost fields a delta changes.</summary>
    public static IEnumerable<string> Names(JsonObject delta) => delta[Fields] is not JsonObject fields
        ? delta[Element] is JsonObject element ? Names(element) : []
        : fields.SelectMany(f => Names(f.Value!.AsObject()).DefaultIfEmpty(f.Key));

    private static JsonObject ToFields(JsonObject document, JsonObject fields, bool isBack)
    {
        var result = document.DeepClone().AsObject();
        foreach (var (name, inner) in fields)
        {
            var delta = inner!.AsObject();
            bool isField = !delta.ContainsKey(Fields) && !delta.ContainsKey(At);
            string from = isBack ? Now : Was, to = isBack ? Was : Now;
            if (isField && delta.ContainsKey(from) != result.ContainsKey(name))
                throw Strange();
            if (isField && !delta.ContainsKey(to))
                result.Remove(name);
            else if (isField && !delta.ContainsKey(from))
                result[name] = delta[to]?.DeepClone();
            else
                result[name] = Apply(result[name]?.DeepClone(), delta, isBack);
        }
        return result;
    }

    private static JsonArray ToList(JsonArray document, JsonObject delta, int at, bool isBack)
    {
        if (delta[Element] is JsonObject element)
        {
            if (at >= document.Count)
                throw Strange();
            return [.. document.Select((e, i) => i == at ? Apply(e, element, isBack) : e?.DeepClone())];
        }
        JsonArray from = delta[isBack ? Now : Was]!.AsArray(), to = delta[isBack ? Was : Now]!.AsArray();
        if (at + from.Count > document.Count || !from.Select((e, i) => JsonNode.DeepEquals(e, document[at + i])).All(same => same))
            throw Strange();
        return Copies([.. document.Take(at), .. to, .. document.Skip(at + from.Count)]);
    }

    private static JsonArray Copies(IEnumerable<JsonNode?> nodes) => new([.. nodes.Select(n => n?.DeepClone())]);

    private static InvalidOperationException Strange() => new("This change does not lead from the document it is applied to.");
}
