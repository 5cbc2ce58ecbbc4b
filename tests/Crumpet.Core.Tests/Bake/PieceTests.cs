using System.Numerics;
using Crumpet.Core.Bake;
using Crumpet.Core.Building;
using Crumpet.Core.Geometry;
using Crumpet.Core.Imaging;
using Crumpet.Core.Intake;
using Crumpet.Core.Pairs;
using Crumpet.Core.Targets;
using Crumpet.Core.Tests.Building;
using Crumpet.Demo;
using Xunit;

namespace Crumpet.Core.Tests.Bake;

/// <summary>Parts' shares of maps: what a change bakes again, and that nobody can tell afterwards.</summary>
public sealed class PieceTests
{
    private const int Parts = 30;
    private static readonly BakeSettings Settings = new()
    {
        Size = 64,
        Samples = 2,
        Maps = [.. BakeMaps.All],
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
        var asset = new JobAsset("pebbles", Pebbles());
        var plan = new AssetPlan { Bake = Settings };
        Assert.Equal(Parts, asset.Run(plan, Station.Bake).Count(w => w.Kind == "piece" && w.Label.StartsWith("cover", StringComparison.Ordinal)));
        Assert.Empty(asset.Run(plan, Station.Bake, threads: 1));
        string[] before = asset.Hashes(plan, Station.Bake);
        asset.Replace(Pebbles(changed: 17));
        var worked = asset.Run(plan, Station.Bake);
        Assert.Equal(BakeMaps.All.Count + 1, worked.Count(w => w.Kind == "piece"));
        Assert.All(worked.Where(w => w.Kind is "piece" or "rays" or "fit"), w => Assert.Contains("pebble_17", w.Label, StringComparison.Ordinal));
        var fresh = new JobAsset("pebbles", Pebbles(changed: 17));
        fresh.Run(plan, Station.Bake, threads: 1);
        Assert.Equal(fresh.Hashes(plan, Station.Bake), asset.Hashes(plan, Station.Bake));
        Assert.NotEqual(before, asset.Hashes(plan, Station.Bake));
    }

    [Fact]
    public void A_setting_of_one_map_bakes_that_map_alone()
    {
        var asset = new JobAsset("pebbles", Pebbles(3));
        asset.Run(new AssetPlan { Bake = Settings }, Station.Bake);
        Assert.Equal(["ambient occlusion", "bent normal"], Cast(Settings with { OcclusionRays = 12 }));
        Assert.Equal(["thickness"], Cast(Settings with { ThicknessRangeMetres = 0.2f }));
        Assert.Equal(["ID"], Cast(Settings with { IdBy = IdSource.Shell }));
        Assert.Equal(["concave", "convex", "curvature"], Cast(Settings with { CurvatureRadiusMetres = 0.004f }));
        // What only changes how numbers are written casts nothing.
        Assert.DoesNotContain(asset.Run(new AssetPlan { Bake = Settings, Target = new Target { Green = GreenDirection.Down } }, Station.Bake),
            w => w.Kind == "piece");
        Assert.Empty(Cast(Settings with
        {
            Bits = 16,
            Dither = false,
            PaddingPixels = 3,
            CurvatureFullRadiusMetres = 1,
            HeightRangeMetres = 1,
            CoverageAlpha = true,
            HighNormals = HighNormalUse.LeftOut,
        }));

        string[] Cast(BakeSettings settings) =>
            [.. asset.Run(new AssetPlan { Bake = settings }, Station.Bake).Where(w => w.Kind == "piece").Select(w => w.Label.Split(" of ")[0]).Distinct()
                .Order(StringComparer.OrdinalIgnoreCase)];
    }

    [Theory]
    [InlineData("normal", 0.05f, 1)]
    // Rays of a part do not reach the part beside it, but its light does when its range is long enough.
    [InlineData("occlusion", 0.35f, 9)]
    [InlineData("occlusion", 0f, Parts)]
    public void A_change_bakes_what_can_see_it_and_nothing_that_cannot(string word, float rangeMetres, int parts)
    {
        var map = BakeMap.Table.Of(word);
        var asset = new JobAsset("pebbles", Pebbles());
        var plan = new AssetPlan
        {
            Bake = Settings with { Maps = [map], OcclusionRangeMetres = rangeMetres, Size = 32, Samples = 1, OcclusionRays = 1, Denoise = false },
        };
        asset.Run(plan, Station.Bake);
        asset.Replace(Pebbles(changed: 8));
        Assert.Equal(parts, asset.Run(plan, Station.Bake).Count(w => w.Kind == "piece" && w.Label.StartsWith(map.Label, StringComparison.Ordinal)));
    }

    [Fact]
    public void All_maps_come_out_the_same_on_one_two_and_five_threads_and_as_if_baked_in_memory()
    {
        var plan = new AssetPlan { Bake = Settings };
        string[][] made = [.. new[] { 1, 2, 5 }.Select(threads =>
        {
            var asset = new JobAsset("pebbles", Pebbles(6));
            asset.Run(plan, Station.Bake, threads);
            return asset.Hashes(plan, Station.Bake);
        })];
        Assert.Equal(made[0], made[1]);
        Assert.Equal(made[0], made[2]);
    }

    [Fact]
    public void A_draft_is_the_same_bake_under_other_settings_and_casts_a_fraction_of_its_rays()
    {
        var asset = new JobAsset("pebbles", Pebbles(6));
        var plan = new AssetPlan { Bake = Settings with { Size = 128, Maps = [BakeMap.ObjectNormal, BakeMap.Occlusion], OcclusionRays = 32 } };
        asset.Run(plan, Station.Bake);
        var whole = asset.Build(plan).ResultOf(Station.Bake)!.As<BakeReport>().Sheets[0];
        var draft = plan with { Bake = plan.Bake.Drafted(2) };
        asset.Run(draft, Station.Bake);
        var coarse = asset.Build(draft).ResultOf(Station.Bake)!.As<BakeReport>().Sheets[0];
        Assert.Equal((128, 32), (whole.Size, coarse.Size));
        Assert.True(coarse.Rays < whole.Rays / 30);
        Assert.NotNull(asset.Build(plan with { Bake = plan.Bake with { PaddingPixels = 5 } }).DraftOf(Station.Bake) ?? asset.Build(plan).DraftOf(Station.Bake));
    }

    [Fact]
    public void Stacked_islands_are_baked_once_and_crossing_ones_are_named_with_both_parts()
    {
        BakePart a = PartOf(0, 0.001f), stacked = PartOf(0, 0.001f) with { Name = "stacked" };
        BakeResult Of(BakePart other) =>
            Baker.Bake(new BakeInput("s", [a, other], [new BakeTray([0]), new BakeTray([1])]),
                Settings with { Size = 128, Maps = [BakeMap.Normal] }, 2, null, default);
        Assert.DoesNotContain(Of(stacked).Faults, f => f.Kind == FaultKind.Overlap);
        var shifted = new BakePart("shifted", [Pebble.Low("s", default, new Vector2(0.05f, 0.02f), 1f / 6, around: 24)], [Pebble.High("h", 2000)]);
        var region = Assert.Single(Of(shifted).Faults, f => f.Kind == FaultKind.Overlap);
        Assert.Equal(("shifted", a.Name), (region.Part, region.Other));
        Assert.InRange(region.Texels, 200, 400);
    }

    private static BakePart PartOf(int i, float roughness)
    {
        Vector3 centre = new(0.5f * (i % 6), 0, 0.5f * (i / 6));
        return new BakePart($"pebble_{i}", [Pebble.Low($"pebble_{i}_low", centre, new Vector2(i % 6, i / 6) / 6, 1f / 6, around: 24)],
            [Pebble.High($"pebble_{i}_high", 500, centre, roughness)]);
    }

    private static Mesh[] Pebbles(int count = Parts, int changed = -1) =>
        [.. Enumerable.Range(0, count).Select(i => PartOf(i, i == changed ? 0.003f : 0.004f)).SelectMany(p => p.Low.Concat(p.High))];
}
