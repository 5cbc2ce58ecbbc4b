using System.Collections;
using System.Reflection;
using System.Text.Json;
using System.Text.Json.Nodes;
using Crumpet.Core.Bake;
using Crumpet.Core.Building;
using Crumpet.Core.Checking;
using Crumpet.Core.Intake;
using Crumpet.Core.Layout;
using Crumpet.Core.Pack;
using Crumpet.Core.Pairs;
using Xunit;

namespace Crumpet.Core.Tests.Checking;

public sealed class FieldRuleTests
{
    private static readonly Type[] Decisions = [typeof(KitFile), typeof(SurfaceSpot), .. MendKinds.All.Select(k => k.Type)];

    /// <summary>Walks all that can be decided: what a field of a decision is, what it holds, and so on.</summary>
    [Fact]
    public void Every_number_that_can_be_decided_has_a_rule()
    {
        var seen = new HashSet<Type>();
        var open = new Queue<Type>(Decisions);
        int numbers = 0;
        while (open.TryDequeue(out var type))
        {
            if (!seen.Add(type))
                continue;
            foreach (var (property, rule, _) in FieldRules.FieldsOf(type))
            {
                foreach (var held in Held(property.PropertyType))
                {
                    if (held == typeof(int) || held == typeof(float) || held == typeof(double))
                    {
                        Assert.True(rule is not null, $"{type.Name}.{property.Name} has no limits");
                        numbers++;
                    }
                    else if (held.Namespace?.StartsWith("Crumpet", StringComparison.Ordinal) == true && !held.IsEnum)
                        open.Enqueue(held);
                }
            }
        }
        Assert.True(numbers > 60, $"only {numbers} numbers were found");
    }

    [Fact]
    public void Every_field_of_a_kit_missing_null_or_huge_is_taken_or_refused_with_a_sentence()
    {
        var whole = JsonNode.Parse(Whole().Write())!;
        Assert.Null(FieldRules.Problem(KitFile.Read(Bytes(whole))));
        JsonNode?[] odd = [null, 1e300, -1e300, 1e39, -1, 99999999999, "x", "NaN", "\0", new string('x', 10_000), new JsonArray(), new JsonArray(null, null),
            new JsonObject(), true];
        int changes = 0, taken = 0;
        foreach (var path in Paths(whole, []).ToArray())
        {
            for (int i = -1; i < odd.Length; i++)
            {
                var changed = whole.DeepClone();
                var parent = path.SkipLast(1).Aggregate(changed, (node, step) => step is int number ? node![number]! : node![(string)step]!);
                if (path[^1] is int at)
                {
                    if (i < 0)
                        parent.AsArray().RemoveAt(at);
                    else
                        parent[at] = odd[i]?.DeepClone();
                }
                else if (i < 0)
                    parent.AsObject().Remove((string)path[^1]);
                else
                    parent[(string)path[^1]] = odd[i]?.DeepClone();
                changes++;
                try
                {
                    var kit = KitFile.Read(Bytes(changed));
                    // What is taken can be used, and is told by its words.
                    foreach (var asset in kit.Assets)
                        _ = PlanWords.Changes(new AssetPlan(), asset.Plan ?? new AssetPlan());
                    taken++;
                }
                catch (SourceFileException e)
                {
                    Assert.True(e.What.Length > 5 && e.WhatToDo.Length > 5, e.Message);
                }
            }
        }
        Assert.True(changes > 2000 && taken < changes / 2, $"{taken} of {changes} were taken");
    }

    [Theory]
    [InlineData(float.NaN)]
    [InlineData(float.PositiveInfinity)]
    [InlineData(-1f)]
    public void What_is_no_number_in_range_is_refused(float reach) =>
        Assert.StartsWith("The outward reach is", new AssetPlan { Bake = new BakeSettings { OutwardReachMetres = reach } }.Problem(), StringComparison.Ordinal);

    [Fact]
    public void Limits_are_shown_and_read_in_the_unit_of_the_form()
    {
        var reach = FieldRules.Of<BakeSettings, WithinAttribute>(nameof(BakeSettings.OutwardReachMetres));
        Assert.Equal(("0 to 1000000 mm", 0.0125), (reach.Limits, reach.Read("12.5")));
        var stretch = FieldRules.Of<UnwrapSettings, WithinAttribute>(nameof(UnwrapSettings.StretchLimit));
        Assert.Equal("0.5 to 900 %", stretch.Limits);
        Assert.Equal(1.25, stretch.Read("25"), 9);
        foreach (string text in (string[])["", "x", "NaN", "1e999", "0,5", "-1"])
            Assert.Throws<FormatException>(() => reach.Read(text));
        // A limit in single precision is what rounding makes of it.
        Assert.Null(FieldRules.Problem(new PartLayout { Weight = 0.01f }));
    }

    [Theory]
    [InlineData("plain name", "plain name")]
    [InlineData("größe ‏", "größe [U+200F]")]
    [InlineData("stone\u202egpj", "stone[U+202E]gpj")]
    [InlineData("a\0b\nc", "a[U+0000]b[U+000A]c")]
    [InlineData("رف_low", "رف_low")]
    public void Names_show_what_they_are(string name, string shown)
    {
        Assert.Equal(shown, SafeName.Of(name));
        Assert.Equal(shown == name, new WordsAttribute("It", 100).Problem(name) is null);
    }

    [Fact]
    public void Long_names_are_cut_and_stay_names()
    {
        string cut = SafeName.Of(new string('\u202e', 500));
        Assert.Equal(SafeName.Longest, cut.Length);
        Assert.Null(new WordsAttribute("It", SafeName.Longest).Problem(cut));
    }

    [Fact]
    public void Measures_of_nothing_are_written_as_numbers_and_read_back()
    {
        string text = JsonSerializer.Serialize(new[] { double.NaN, double.PositiveInfinity, -1.5 }, BuildJson.Options);
        Assert.Equal([0, double.MaxValue, -1.5], JsonSerializer.Deserialize<double[]>(text, BuildJson.Options)!);
        Assert.Equal([float.MinValue, 0.1f], JsonSerializer.Deserialize<float[]>(
            JsonSerializer.Serialize(new[] { float.NegativeInfinity, 0.1f }, BuildJson.Options), BuildJson.Options)!);
        Assert.Throws<JsonException>(() => JsonSerializer.Deserialize<double>("\"NaN\"", BuildJson.Options));
    }

    private static IEnumerable<Type> Held(Type type)
    {
        var plain = Nullable.GetUnderlyingType(type) ?? type;
        return plain != typeof(string) && plain.IsAssignableTo(typeof(IEnumerable)) ? plain.GetGenericArguments()[^1..].SelectMany(Held) : [plain];
    }

    private static IEnumerable<object[]> Paths(JsonNode? node, object[] path) => node switch
    {
        JsonObject map => map.SelectMany(p => Paths(p.Value, [.. path, p.Key]).Prepend([.. path, p.Key])),
        JsonArray list => list.SelectMany((item, i) => Paths(item, [.. path, i]).Prepend([.. path, i])),
        _ => [],
    };

    private static byte[] Bytes(JsonNode node) => System.Text.Encoding.UTF8.GetBytes(node.ToJsonString());

    /// <summary>A kit in which something of every kind is decided.</summary>
    private static KitFile Whole()
    {
        var plan = new AssetPlan
        {
            Mends = [new ScaleUnits(0.01) { Objects = ["a"] }, new Rename("b") { Objects = ["a"] }, new RenameEach([new NewName("f", "a", "b")]),
                new MoveOrigin(OriginPlace.Point) { X = 1 }, new ResizeTexture(8, 8), new MakeNormals(1, 3, true)],
            Pairs = new PairSettings
            {
                TrayByHand = new Dictionary<string, int> { ["a"] = 1 },
                Ties = [new PartTie("a", "b", true)],
                Parts = new Dictionary<string, PartSettings> { ["a"] = new() { OutwardReachMetres = 1 } },
                Trays = new Dictionary<int, TraySettings> { [0] = new() { InwardReachMetres = 1 } },
                Strokes = [new BrushStroke(BrushKind.Cage, "a", [0, 0, 0], 0.1f, 0.1f)],
            },
            Layout = new LayoutSettings
            {
                Seams = [new SeamEdge("a", 0, 0, 0, 1, 0, 0, true)],
                UnwrapAt = [new SurfaceSpot("a", 0, 0, 0)],
                Pins = [new UvPin("a", 0, 0, 0, 0, 0)],
                PixelsPerMetre = 100,
                Parts = new Dictionary<string, PartLayout> { ["a"] = new() { Weight = 2, Sheet = 0 } }
            },
            Bake = new BakeSettings
            {
                SheetSizes = new Dictionary<string, int> { ["a"] = 64 },
                Files = new Dictionary<BakeMap, MapFile> { [BakeMap.Normal] = MapFile.Exr },
                Made = [new MadeMap("h.png", MadeOf.Height, BakeMap.Normal)]
            },
            Recipe = new Recipe([Recipe.Default.Outputs[2] with
            {
                File = "{asset}_{map}",
                Normals = new NormalWork(2, true, ["normal"]),
                Channels = [new Feed(["ao", "cavity"]) { Mix = new Mix(MixHow.Mask, ["ao"], By: ["cavity"]) }],
            }]),
        };
        return new KitFile(1, "kit", [new KitAsset("a", "a", ["a_low.obj"], plan)],
            new IntakeRules { Mends = [new TurnUpright()], ExpectedSizeMetres = 1, PixelsPerMetre = 100 });
    }
}
