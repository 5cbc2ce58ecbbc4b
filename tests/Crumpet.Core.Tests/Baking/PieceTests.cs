using System.Numerics;
using Crumpet.Core.Baking;
using Crumpet.Core.Imaging;
using Crumpet.Core.Pairing;
using Crumpet.Demo;
using Xunit;

namespace Crumpet.Core.Tests.Baking;

/// <summary>Parts' shares of maps: what a change bakes again, and that nobody can tell afterwards.</summary>
public sealed class PieceTests
{
    private const int Parts = 30;
    private static readonly BakeMap[] Every = [.. BakeMaps.All];
    private static readonly BakeSettings Settings = new()
    {
        Size = 128,
        Samples = 2,
        Maps = Every,
        OcclusionRays = 8,
        ThicknessRays = 8,
        OcclusionRangeMetres = 0.05f,
        OutwardReachMetres = 0.01f,
        InwardReachMetres = 0.01f,
        IdBy = IdSource.Part,
        Denoise = true,
    };

    [Fact]
    public void One_part_of_thirty_replaced_is_baked_alone_and_gives_the_bytes_of_a_bake_from_nothing()
    {
        var memory = new Kept();
        Assert.Equal(Parts, Bake(memory, Settings, 2).PartsBaked);
        var again = Bake(memory, Settings, 1);
        Assert.Equal(0, again.PartsBaked);
        var replaced = Bake(memory, Settings, 2, changed: 17);
        Assert.Equal(1, replaced.PartsBaked);
        Same(Bake(null, Settings, 1, changed: 17), replaced);
        Assert.NotEqual(Pixels(again.Maps[BakeMap.Normal]), Pixels(replaced.Maps[BakeMap.Normal]));
    }

    [Fact]
    public void A_setting_of_one_map_bakes_that_map_alone()
    {
        var memory = new Kept();
        Bake(memory, Settings, 2);
        Assert.Equal(["ao", "bent_normal"], Saved(Settings with { OcclusionRays = 12 }));
        Assert.Equal(["thickness"], Saved(Settings with { ThicknessRangeMetres = 0.2f }));
        Assert.Equal(["id"], Saved(Settings with { IdBy = IdSource.Shell }));
        // What only changes how numbers are written bakes nothing.
        Assert.Empty(Saved(Settings with { Green = GreenDirection.Down, Bits = 16, Dither = false, PaddingPixels = 3, CurvatureFullRadiusMetres = 1, HeightRangeMetres = 1, CoverageAlpha = true, HighNormals = HighNormalUse.LeftOut }));

        string[] Saved(BakeSettings settings)
        {
            memory.Saved.Clear();
            Bake(memory, settings, 2);
            return [.. memory.Saved.Select(Kind).Distinct().Order()];
        }

        static string Kind(byte[] piece) => PieceFile.IsMap(piece) ? PieceFile.ReadMap(piece).Map.Name() : "cover";
    }

    [Fact]
    public void A_change_bakes_what_can_see_it_and_nothing_that_cannot()
    {
        var memory = new Kept();
        var near = Settings with { Maps = [BakeMap.Normal] };
        Bake(memory, near, 2);
        // Rays of a part do not reach the part beside it, but its light does when its range is long enough.
        Assert.Equal(1, Bake(memory, near, 2, changed: 8).PartsBaked);
        var light = Settings with { Maps = [BakeMap.Occlusion], OcclusionRangeMetres = 0.35f };
        Bake(memory, light, 2);
        Assert.Equal(9, Bake(memory, light, 2, changed: 8).PartsBaked);
        var everywhere = light with { OcclusionRangeMetres = 0 };
        Bake(memory, everywhere, 2);
        Assert.Equal(Parts, Bake(memory, everywhere, 2, changed: 8).PartsBaked);
    }

    [Fact]
    public void All_maps_come_out_the_same_on_one_two_and_five_threads()
    {
        var one = Bake(null, Settings, 1);
        Same(one, Bake(null, Settings, 2));
        Same(one, Bake(null, Settings, 5));
    }

    [Fact]
    public void Drafts_of_one_bake_share_its_triangles_and_look_like_it()
    {
        using var baker = new Baker();
        var input = Input(null, -1);
        var whole = baker.BakeSheet(input, Settings with { Maps = [BakeMap.ObjectNormal], Dither = false }, 2, null, default);
        var draft = baker.BakeSheet(input, (Settings with { Maps = [BakeMap.ObjectNormal], Dither = false }).Drafted(2), 2, null, default);
        Assert.Equal((32, 32), (draft.Maps[BakeMap.ObjectNormal].Width, draft.Maps[BakeMap.ObjectNormal].Height));
        double difference = 0;
        for (int i = 0; i < 32 * 32; i++)
            difference += Math.Abs(draft.Maps[BakeMap.ObjectNormal].Unit(i % 32, i / 32, 0) - whole.Maps[BakeMap.ObjectNormal].Unit(i % 32 * 4 + 2, i / 32 * 4 + 2, 0));
        Assert.InRange(difference / (32 * 32), 0, 0.12);
        Assert.True(draft.Rays < whole.Rays / 30);
        Assert.Equal(1, baker.ShareToBake(input with { Memory = new Kept().Memory }, Settings));
    }

    [Fact]
    public void Stacked_islands_are_baked_once_and_crossing_ones_are_named_with_both_parts()
    {
        BakePart a = PartOf(0, 0.001f), stacked = PartOf(0, 0.001f) with { Name = "stacked" };
        BakeResult Of(BakePart other) => Baker.Bake(new BakeInput("s", [a, other], [new BakeTray([0]), new BakeTray([1])]), Settings with { Maps = [BakeMap.Normal] }, 2, null, default);
        var twice = Of(stacked);
        Assert.Equal(1, twice.PartsBaked);
        Assert.DoesNotContain(twice.Faults, f => f.Kind == FaultKind.Overlap);
        var shifted = new BakePart("shifted", [Pebble.Low("s", default, new Vector2(0.05f, 0.02f), 1f / 6)], [Pebble.High("h", 2000)]);
        var region = Assert.Single(Of(shifted).Faults, f => f.Kind == FaultKind.Overlap);
        Assert.Equal(("shifted", a.Name), (region.Part, region.Other));
        Assert.InRange(region.Texels, 200, 400);
    }

    private static BakeResult Bake(Kept? memory, BakeSettings settings, int threads, int changed = -1) => Baker.Bake(Input(memory, changed), settings, threads, null, default);

    private static BakeInput Input(Kept? memory, int changed) =>
        new("pebbles", [.. Enumerable.Range(0, Parts).Select(i => PartOf(i, i == changed ? 0.003f : 0.004f))], [new BakeTray([.. Enumerable.Range(0, Parts)])]) { Memory = memory?.Memory };

    private static BakePart PartOf(int i, float roughness)
    {
        Vector3 centre = new(0.5f * (i % 6), 0, 0.5f * (i / 6));
        return new BakePart($"pebble_{i}", [Pebble.Low("low", centre, new Vector2(i % 6, i / 6) / 6, 1f / 6)], [Pebble.High("high", 2000, centre, roughness)]);
    }

    private static void Same(BakeResult one, BakeResult two)
    {
        foreach (var map in one.Maps.Keys)
            Assert.Equal(Pixels(one.Maps[map]), Pixels(two.Maps[map]));
        Assert.Equal(one.Faulty.Pixels, two.Faulty.Pixels);
        Assert.Equal(System.Text.Json.JsonSerializer.Serialize(one.Faults), System.Text.Json.JsonSerializer.Serialize(two.Faults));
        Assert.Equal(one.Legend, two.Legend);
        Assert.Equal((one.CoveredTexels, one.Rays), (two.CoveredTexels, two.Rays));
    }

    private static Array Pixels(Bitmap map) => map switch { Bitmap8 b => b.Pixels, Bitmap16 b => b.Pixels, Bitmap32 b => b.Pixels, _ => throw new ArgumentException("There is no such depth.") };

    private sealed class Kept
    {
        private readonly Dictionary<string, byte[]> pieces = new(StringComparer.Ordinal);

        public List<byte[]> Saved { get; } = [];

        public PieceMemory Memory => new(pieces.GetValueOrDefault, (key, piece) =>
        {
            pieces[key] = piece;
            Saved.Add(piece);
        });
    }
}
