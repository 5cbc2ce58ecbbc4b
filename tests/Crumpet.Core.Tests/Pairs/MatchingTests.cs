using System.Numerics;
using System.Text.Json;
using Crumpet.Core.Geometry;
using Crumpet.Core.Intake;
using Crumpet.Core.Pairs;
using Xunit;

namespace Crumpet.Core.Tests.Pairs;

public sealed class MatchingTests
{
    private const string ThreeConventions = "{part}_{side}{_detail*} | {side}-{part} | {part}.{side}";
    private static readonly NameReader Names = NameReader.Create(ThreeConventions, new NameRules());

    private sealed record Item(string Name, Side Side, Mesh Mesh);

    [Fact]
    public void Five_hundred_badly_named_objects_in_three_conventions_are_matched_but_for_what_nothing_tells_apart()
    {
        var random = new Random(20);
        string[] words = ["slat", "hinge", "bolt", "bracket", "funnel", "vane", "cup", "mast", "strut", "flange", "gasket", "collar", "rivet", "panel",
            "spring"];
        var items = new List<Item>();
        var partner = new Dictionary<int, int>();
        // Two twins at one place, with names that say nothing: nobody can tell which high side is whose.
        for (int twin = 0; twin < 2; twin++)
        {
            items.Add(new Item(twin == 0 ? "zz_low" : "qq_low", Side.Low, Box(new Vector3(-5, 0, 0), Vector3.One)));
            items.Add(new Item(twin == 0 ? "kk_high" : "mm_high", Side.High, Box(new Vector3(-5, 0, 0), Vector3.One)));
        }
        for (int i = 0; i < 248; i++)
        {
            var at = new Vector3(i % 16, i / 16, 0) * 1.6f;
            var size = new Vector3(0.6f + 0.5f * random.NextSingle(), 0.6f + 0.5f * random.NextSingle(), 0.6f);
            string part = $"{words[i % words.Length]}_{1 + i / words.Length:00}";
            partner.Add(items.Count, items.Count + 1);
            items.Add(new Item(Spoilt(Written(part, "low", i % 3), random), Side.Low, Box(at, size)));
            items.Add(new Item(Spoilt(Written(part, "high", (i + random.Next(2)) % 3), random), Side.High, Box(at + new Vector3(0.001f), size)));
        }
        Assert.Equal(500, items.Count);

        // What an artist does: clean the spellings, then accept what is clear, until nothing more is.
        var names = items.Select(i => NameRepair.Clean(i.Name)).ToArray();
        PairReport report;
        while (true)
        {
            report = Pair(items, names);
            var clear = report.ClearSuggestions(Suggester.Bar);
            if (clear.Count == 0)
                break;
            foreach (var s in clear)
                names[s.Rename] = s.NewName;
        }
        Assert.Equal([0, 1, 2, 3], report.Parts.Where(p => !p.IsPaired).SelectMany(p => p.Low.Concat(p.High)).Order());
        Assert.All(report.Paired, p => Assert.Equal(partner[Assert.Single(p.Low)], Assert.Single(p.High)));
        // Of the twins both are offered, and neither is said to be clear.
        Assert.All(report.Suggestions, s => Assert.False(s.IsClear));
        Assert.Equal(4, report.Suggestions.Count);
    }

    [Fact]
    public void A_loose_screw_is_offered_to_the_part_it_lies_on()
    {
        Item[] items =
        [
            new("bracket_low", Side.Low, Box(Vector3.Zero, Vector3.One)), new("bracket_high", Side.High, Box(Vector3.Zero, Vector3.One)),
            new("screw_07_high", Side.High, Box(new Vector3(0, 0.5f, 0), new Vector3(0.02f))), new("lid_low", Side.Low, Box(new Vector3(3, 0, 0), Vector3.One)),
                new("lid_high", Side.High, Box(new Vector3(3, 0, 0), Vector3.One)),
        ];
        var suggestion = Pair(items, [.. items.Select(i => i.Name)]).Suggestions[0];
        Assert.Equal((0, 2, "bracket_high_screw_07"), (suggestion.Low, suggestion.High, suggestion.NewName));
        Assert.InRange(suggestion.ShapeScore, 0.8, 1);
        // With that name it is a third object of the part.
        var names = items.Select((item, i) => i == 2 ? suggestion.NewName : item.Name).ToArray();
        Assert.Equal([1, 2], Pair(items, names).Parts.Single(p => p.Name == "bracket").High);
    }

    [Theory]
    [InlineData("Hinge_02", "hinge_02", 1, 1)]
    [InlineData("HingePlate_02", "hinge-plate-2", 1, 1)]
    [InlineData("slat_01", "slat_02", 0, 0.55)]
    [InlineData("bracket", "braket", 0.8, 0.95)]
    [InlineData("bracket", "funnel", 0, 0.4)]
    [InlineData("yard03:bolt_low", "bolt_hp", 1, 1)]
    public void Names_are_alike_when_they_mean_the_same(string one, string two, double least, double most)
    {
        Assert.InRange(NameLikeness.Score(one, two), least, most);
        Assert.Equal(NameLikeness.Score(one, two), NameLikeness.Score(two, one), 9);
    }

    [Fact]
    public void Names_of_pairs_are_brought_to_the_convention_without_two_becoming_one()
    {
        var input = new MatchInput([Row("high-lid", Side.High), Row("lid.high", Side.High), Row("lid_low", Side.Low), Row("lone_low", Side.Low)], Names);
        Assert.Equal([(0, "lid_high"), (1, "lid_high_2")], Matching.ToConvention(input, Matching.Rows(input)));
    }

    [Fact]
    public void A_pattern_without_detail_has_room_for_one_object_a_side_and_never_numbers_for_ever()
    {
        var bare = NameReader.Create("{part}_{side} | {side}-{part}", new NameRules());
        Assert.Null(bare.WriteFree("lid", Side.High, "screw", n => n == "lid_high"));
        Assert.Equal("lid_high", bare.WriteFree("lid", Side.High, "screw", _ => false));
        Assert.Equal("lid_high_screw_3", Names.WriteFree("lid", Side.High, "screw", n => n is "lid_high_screw" or "lid_high_screw_2"));
        var input = new MatchInput([Row("high-lid", Side.High), Row("lid_high", Side.High), Row("lid_low", Side.Low)], bare);
        Assert.Empty(Matching.ToConvention(input, Matching.Rows(input)));

        // What could only join a full part is not offered under it.
        Item[] items =
        [
            new("bracket_low", Side.Low, Box(Vector3.Zero, Vector3.One)), new("bracket_high", Side.High, Box(Vector3.Zero, Vector3.One)),
            new("screw_high", Side.High, Box(new Vector3(0, 0.5f, 0), new Vector3(0.02f))), new("lid_low", Side.Low, Box(new Vector3(3, 0, 0), Vector3.One)),
                new("lid_high", Side.High, Box(new Vector3(3, 0, 0), Vector3.One)),
        ];
        input = new MatchInput([.. items.Select(i => Row(i.Name, i.Side))], bare);
        Assert.Empty(PairsStation.Run(new PairInput(input, [.. items.Select(i => i.Mesh)], TrayMode.Planned, new PairSettings(), 0.02f, 0.02f),
            TestContext.Current.CancellationToken).Report.Suggestions);
    }

    [Fact]
    public void Suggestions_go_with_the_low_row_of_two_and_those_that_are_clear_name_an_object_once()
    {
        Suggestion Of(int low, int high, double score, bool clear) => new(low, high, score, score, score, clear, high, $"name_{low}", "part", "");
        var report = new PairReport([new PartRow("a", [0], [], -1), new PartRow("b", [], [1], -1), new PartRow("c", [], [4], -1),
            new PartRow("d", [2], [3], 0)], 1)
        {
            Suggestions = [Of(0, 1, 0.9, true), Of(2, 1, 0.8, true), Of(2, 4, 0.7, true), Of(0, 4, 0.6, false)],
        };
        Assert.Equal([0.9, 0.6], report.SuggestionsFor(report.Parts[0]).Select(s => s.Score));
        Assert.Equal([0.8], report.SuggestionsFor(report.Parts[1]).Select(s => s.Score));
        Assert.Equal([0.7], report.SuggestionsFor(report.Parts[2]).Select(s => s.Score));
        Assert.Empty(report.SuggestionsFor(report.Parts[3]));
        Assert.Equal([0.9, 0.7], report.ClearSuggestions(0.65).Select(s => s.Score));
        Assert.Equal([0.9], report.ClearSuggestions(0.75).Select(s => s.Score));
    }

    [Fact]
    public void Decisions_are_made_changed_and_taken_back_without_a_trace()
    {
        var empty = new PairSettings();
        var made = empty.OnTray("lid", 2).OnTray("box", 0).OnTray("lid", 1).With("lid", new PartSettings { OutwardReachMetres = 1 })
            .With(3, new TraySettings { OthersOcclude = true })
            .With(new PartTie("lid", "box", true)).With(new PartTie("box", "lid", false));
        Assert.Equal([("box", 0), ("lid", 1)], made.TrayByHand.Select(t => (t.Key, t.Value)));
        Assert.Equal(new PartTie("box", "lid", false), Assert.Single(made.Ties));
        Assert.Equal(1, made.Parts["lid"].OutwardReachMetres);
        Assert.True(made.Trays[3].OthersOcclude);
        var back = made.OnTray("lid", null).OnTray("box", null).OnTray("never", null).With("lid", new PartSettings()).With(3, new TraySettings())
            .WithoutTie("lid", "box");
        Assert.Equal(JsonSerializer.Serialize(empty), JsonSerializer.Serialize(back));
    }

    [Fact]
    public void Low_and_high_that_overlap_fit_and_those_apart_do_not()
    {
        Item[] items = [new("a_low", Side.Low, Box(Vector3.Zero, Vector3.One)), new("a_high", Side.High, Box(new Vector3(0.004f, 0, 0), Vector3.One)),
            new("b_low", Side.Low, Box(new Vector3(9, 0, 0), Vector3.One)), new("b_high", Side.High, Box(new Vector3(9, 3, 0), Vector3.One))];
        var rows = Pair(items, [.. items.Select(i => i.Name)]).Parts;
        Assert.Equal(1, rows[0].Fit!.Share);
        Assert.Equal(0.004, rows[0].Fit!.GreatestMetres, 5);
        Assert.InRange(rows[0].Fit!.MeanMetres, 0.0008, 0.0020);
        Assert.Equal(0, rows[1].Fit!.Share);
    }

    [Fact]
    public void Reaches_of_part_tray_and_asset_hold_in_that_order()
    {
        Item[] items = [.. new[] { "a", "b", "c" }
            .SelectMany((n, i) =>
            new[] { new Item($"{n}_low", Side.Low, Box(new Vector3(3 * i, 0, 0), Vector3.One)),
            new Item($"{n}_high", Side.High, Box(new Vector3(3 * i, 0, 0), Vector3.One)) })];
        var settings = new PairSettings
        {
            TrayByHand = new Dictionary<string, int> { ["a"] = 1, ["b"] = 1, ["c"] = 0 },
            Parts = new Dictionary<string, PartSettings> { ["a"] = new() { OutwardReachMetres = 0.5f, Sees = Occluders.Part } },
            Trays = new Dictionary<int, TraySettings> { [1] = new() { OutwardReachMetres = 0.3f, OthersOcclude = false } },
        };
        var rows = Pair(items, [.. items.Select(i => i.Name)], settings).Parts;
        Assert.Equal([0.5f, 0.3f, 0.02f], rows.Select(r => r.OutwardReachMetres));
        Assert.Equal([Occluders.Part, Occluders.Tray, null], rows.Select(r => r.Sees));
        Assert.All(rows, r => Assert.True(r.IsByHand));
    }

    [Fact]
    public void Decisions_about_parts_that_are_gone_are_kept_and_said()
    {
        Item[] items = [new("a_low", Side.Low, Box(Vector3.Zero, Vector3.One)), new("a_high", Side.High, Box(Vector3.Zero, Vector3.One)),
            new("b_low", Side.Low, Box(new Vector3(9, 0, 0), Vector3.One)), new("b_high", Side.High, Box(new Vector3(9, 0, 0), Vector3.One))];
        var settings = new PairSettings { TrayByHand = new Dictionary<string, int> { ["gone"] = 2 }, Ties = [new PartTie("a", "lost", true)] };
        var finding = Assert.Single(Run(items, [.. items.Select(i => i.Name)], settings).Findings);
        Assert.Equal(("decision-without-part", 2), (finding.Code, finding.Count));
    }

    [Theory]
    [InlineData(0, "it must be 1 to 1000")]
    [InlineData(1, "cannot be kept")]
    [InlineData(2, "reach of a is")]
    [InlineData(3, "margin")]
    [InlineData(4, "blend")]
    [InlineData(5, "no points")]
    [InlineData(6, "radius")]
    public void Settings_that_cannot_be_are_refused_with_a_sentence(int which, string words)
    {
        var stroke = new BrushStroke(BrushKind.Cage, "a", [0, 0, 0], 0.1f, 0.1f);
        PairSettings[] bad =
        [
            new() { TrayByHand = new Dictionary<string, int> { ["a"] = -1 } }, new() { Ties = [new PartTie("a", "a", true)] },
                new() { Parts = new Dictionary<string, PartSettings> { ["a"] = new() { InwardReachMetres = float.NaN } } },
            new() { CageMarginMetres = -1 }, new() { Blend = 2 }, new() { Strokes = [stroke with { Points = [] }] },
                new() { Strokes = [stroke with { RadiusMetres = 0 }] },
        ];
        Assert.Contains(words, bad[which].Problem(), StringComparison.Ordinal);
        Assert.Null(new PairSettings { Strokes = [stroke] }.Problem());
    }

    private static PairReport Pair(IReadOnlyList<Item> items, string[] names, PairSettings? settings = null) =>
        Run(items, names, settings ?? new PairSettings()).Report;

    private static PairResult Run(IReadOnlyList<Item> items, string[] names, PairSettings settings)
    {
        var meshes = items.Select((item, i) => item.Mesh with { Name = names[i] }).ToArray();
        var objects = items.Select((item, i) => Row(names[i], item.Side)).ToArray();
        return PairsStation.Run(new PairInput(new MatchInput(objects, Names), meshes, TrayMode.Planned, settings, 0.02f, 0.02f) { Threads = 2 });
    }

    private static ObjectReport Row(string name, Side side) =>
        new(side == Side.Low ? "low.obj" : "high.obj", name, Names.Read(name)?.Part ?? name, side, 12, 6, 8, [], 1, true, false,
        [1, 1, 1])
        { SourceName = name, Detail = Names.Read(name)?.Detail ?? "" };

    private static Mesh Box(Vector3 at, Vector3 size)
    {
        var cube = Shapes.Cube("box");
        return cube with { Positions = Array.ConvertAll(cube.Positions, p => p * size + at) };
    }

    private static string Written(string part, string side, int convention) =>
        convention switch { 0 => $"{part}_{side}", 1 => $"{side}-{part}", _ => $"{part}.{side}" };

    /// <summary>A name as it arrives: capitals, letters swapped or lost, look-alikes, spaces, the endings of copies.</summary>
    private static string Spoilt(string name, Random random)
    {
        int at = random.Next(1, 4);
        return random.Next(9) switch
        {
            0 => char.ToUpperInvariant(name[0]) + name[1..],
            1 => name.ToUpperInvariant(),
            2 => name.Replace('a', '\u0430').Replace('e', '\u0435'),
            3 => $" {name}  ",
            4 => name + ".001",
            5 => name[..at] + name[(at + 1)..],
            6 => name[..at] + name[at + 1] + name[at] + name[(at + 2)..],
            7 => name.Replace("_", "", StringComparison.Ordinal),
            _ => name,
        };
    }
}
