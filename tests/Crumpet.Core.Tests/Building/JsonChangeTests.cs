using System.Text.Json.Nodes;
using Crumpet.Core.Building;
using Xunit;

namespace Crumpet.Core.Tests.Building;

/// <summary>What changed between two documents leads there and back, and two changes come together.</summary>
public sealed class JsonChangeTests
{
    [Fact]
    public void A_delta_leads_there_and_back_between_any_two_documents()
    {
        var random = new Random(3);
        for (int i = 0; i < 2000; i++)
        {
            JsonNode? one = Any(random, 3), two = random.Next(3) == 0 ? Any(random, 3) : Changed(one, random);
            if (JsonDelta.Between(one, two) is not { } delta)
            {
                Assert.True(JsonNode.DeepEquals(one, two));
                continue;
            }
            var read = JsonNode.Parse(delta.ToJsonString())!.AsObject();
            Assert.True(JsonNode.DeepEquals(two, JsonDelta.Apply(one, read, isBack: false)));
            Assert.True(JsonNode.DeepEquals(one, JsonDelta.Apply(two, read, isBack: true)));
        }
    }

    [Fact]
    public void A_stroke_added_to_a_thousand_is_as_small_as_a_stroke_and_no_third_document_is_led_from()
    {
        var list = new JsonArray([.. Enumerable.Range(0, 1000).Select(i => (JsonNode)new JsonObject { ["at"] = i })]);
        JsonObject before = new() { ["strokes"] = list }, after = before.DeepClone().AsObject();
        after["strokes"]!.AsArray().Add(new JsonObject { ["at"] = -1 });
        var delta = JsonDelta.Between(before, after)!;
        Assert.InRange(delta.ToJsonString().Length, 10, 100);
        Assert.Equal(["strokes"], JsonDelta.Names(delta));
        var third = new JsonObject { ["strokes"] = new JsonArray() };
        Assert.Throws<InvalidOperationException>(() => JsonDelta.Apply(third, delta, isBack: false));
        Assert.Throws<InvalidOperationException>(() => JsonDelta.Apply(before, delta, isBack: true));
    }

    [Theory]
    // Of different fields both are kept.
    [InlineData("""{"a":1,"b":{"c":1,"d":1}}""", """{"a":2,"b":{"c":1,"d":1}}""", """{"a":1,"b":{"c":1,"d":3}}""", """{"a":2,"b":{"c":1,"d":3}}""", "")]
    // The same said twice is said once.
    [InlineData("""{"a":1}""", """{"a":2}""", """{"a":2}""", """{"a":2}""", "")]
    // Of the same field theirs stays.
    [InlineData("""{"a":1,"b":1}""", """{"a":2,"b":2}""", """{"a":3,"b":1}""", """{"a":3,"b":2}""", "a")]
    // Lists take in and give up.
    [InlineData("""{"l":[1,2,3]}""", """{"l":[1,3,4]}""", """{"l":[1,2,3,5]}""", """{"l":[1,3,5,4]}""", "")]
    // What stands in for another takes its place, wherever that is now.
    [InlineData("""{"l":[{"m":"x","on":true}]}""", """{"l":[{"m":"x","on":false}]}""", """{"l":[{"m":"y"},{"m":"x","on":true}]}""",
        """{"l":[{"m":"y"},{"m":"x","on":false}]}""", "")]
    // What both took out otherwise is told.
    [InlineData("""{"l":[1]}""", """{"l":[2]}""", """{"l":[3]}""", """{"l":[3]}""", "l")]
    // A field taken away stays away where the other left it.
    [InlineData("""{"d":{"x":1,"y":1}}""", """{"d":{"y":1}}""", """{"d":{"x":1,"y":2}}""", """{"d":{"y":2}}""", "")]
    public void Two_changes_come_together(string was, string mine, string theirs, string merged, string conflict)
    {
        var conflicts = new List<MergeConflict>();
        var result = JsonMerge.Merge(JsonNode.Parse(was), JsonNode.Parse(mine), JsonNode.Parse(theirs), conflicts);
        Assert.Equal(merged, result!.ToJsonString());
        Assert.Equal(conflict, string.Join(' ', conflicts.Select(c => string.Join('.', c.Path))));
    }

    [Fact]
    public void Whatever_the_other_did_a_change_of_nothing_changes_nothing()
    {
        var random = new Random(4);
        for (int i = 0; i < 500; i++)
        {
            JsonNode? was = Any(random, 3), theirs = Changed(was, random);
            var conflicts = new List<MergeConflict>();
            Assert.True(JsonNode.DeepEquals(theirs, JsonMerge.Merge(was, was?.DeepClone(), theirs, conflicts)));
            Assert.True(JsonNode.DeepEquals(theirs, JsonMerge.Merge(was, theirs?.DeepClone(), was?.DeepClone(), conflicts)));
            Assert.Empty(conflicts);
        }
    }

    private static JsonNode? Any(Random random, int depth) => random.Next(depth > 0 ? 6 : 4) switch
    {
        0 => null,
        1 => random.Next(3),
        2 => random.Next(2) == 0,
        3 => $"t{random.Next(3)}",
        4 => new JsonArray([.. Enumerable.Range(0, random.Next(4)).Select(_ => Any(random, depth - 1))]),
        _ => new JsonObject(Enumerable.Range(0, random.Next(4)).Select(i => new KeyValuePair<string, JsonNode?>($"f{i}", Any(random, depth - 1)))),
    };

    private static JsonNode? Changed(JsonNode? node, Random random)
    {
        switch (node)
        {
            case JsonObject fields when fields.Count > 0 && random.Next(4) > 0:
                var copy = fields.DeepClone().AsObject();
                string name = copy.ElementAt(random.Next(copy.Count)).Key;
                if (random.Next(4) == 0)
                    copy.Remove(name);
                else
                    copy[name] = Changed(copy[name]?.DeepClone(), random);
                return copy;
            case JsonArray list when list.Count > 0 && random.Next(4) > 0:
                var items = list.Select(n => n?.DeepClone()).ToList();
                int at = random.Next(items.Count);
                if (random.Next(3) == 0)
                    items.RemoveAt(at);
                else if (random.Next(2) == 0)
                    items.Insert(at, Any(random, 1));
                else
                    items[at] = Changed(items[at], random);
                return new JsonArray([.. items]);
            default:
                return Any(random, 2);
        }
    }
}
