using System.IO.Compression;
using System.Numerics;
using Crumpet.Core.Bake;
using Crumpet.Core.Building;
using Crumpet.Core.Geometry;
using Crumpet.Core.Intake;
using Crumpet.Core.Layout;
using Xunit;

namespace Crumpet.Core.Tests.Building;

/// <summary>A name is one material, and no two files have one name.</summary>
public sealed class MaterialNameTests
{
    private static readonly Material Wood = new("wood", new Vector4(0.4f, 0.3f, 0.2f, 1), 0.6f, 0);
    private static readonly Material Rougher = Wood with { Roughness = 0.65f };

    [Fact]
    public void Materials_of_one_name_in_two_files_are_one_sheet_and_what_differs_is_said()
    {
        (string, (Mesh, Material)[])[] files = [("a_low.glb", [Box("a_low", Wood)]), ("b_low.glb", [Box("b_low", Rougher)]),
            ("high.glb", [Box("a_high", Wood)])];
        var asset = Built(new AssetPlan(), files);
        var said = Assert.Single(asset.Findings, f => f.Code == "material-differs");
        Assert.Contains("a_low.glb and b_low.glb: roughness 0.6 and 0.65", said.Sentence, StringComparison.Ordinal);
        Assert.Equal(["Keep them apart", "Take the first's"], said.Mends.Select(m => m.Label));
        Assert.Equal(["wood"], asset.Sheets);
        Assert.DoesNotContain(asset.Findings, f => f.Code == "several-low-materials");

        var apart = Built(new AssetPlan { Mends = [said.Mends[0].Mend] }, files);
        Assert.Equal(["wood", "wood_2"], apart.Sheets);
        Assert.DoesNotContain(apart.Findings, f => f.Code is "material-differs" or "mend-without-target");

        var first = Built(new AssetPlan { Mends = [said.Mends[1].Mend] }, files);
        Assert.Equal(["wood"], first.Sheets);
        Assert.DoesNotContain(first.Findings, f => f.Code is "material-differs" or "mend-without-target");
    }

    [Fact]
    public void A_name_alone_contradicts_nothing_and_the_sides_may_differ()
    {
        var bare = Built(new AssetPlan(), ("a_low.glb", [Box("a_low", Material.Plain with { Name = "wood" })]), ("b_low.glb", [Box("b_low", Rougher)]),
            ("a_high.glb", [Box("a_high", Wood)]));
        Assert.DoesNotContain(bare.Findings, f => f.Code == "material-differs");
        Assert.Equal(["wood"], bare.Sheets);
        Assert.Equal([0.65f, 0.6f], bare.Report.Materials.Select(m => m.Roughness).OrderDescending());
    }

    [Fact]
    public void Two_materials_of_one_name_in_one_file_stay_two_and_it_is_said()
    {
        var twice = Built(new AssetPlan(), ("low.glb", [Box("a_low", Wood), Box("b_low", Rougher)]), ("high.glb", [Box("a_high", Wood)]));
        Assert.Equal(["wood", "wood_2"], twice.Sheets);
        var said = Assert.Single(twice.Findings, f => f.Code == "material-renamed");
        Assert.Contains("two different materials named wood", said.Sentence, StringComparison.Ordinal);
    }

    [Fact]
    public void No_two_files_of_a_delivery_or_of_any_station_have_one_name()
    {
        // wood + object_normal and wood_object + normal would be one; so would Wood and wood where case is not told apart.
        string[] names = ["wood", "wood_object", "Wood", "a/b", "a b"];
        var plan = new AssetPlan { Bake = new BakeSettings { Size = 64, Maps = [BakeMap.Normal, BakeMap.ObjectNormal], OcclusionRays = 4 } };
        var asset = Built(plan, ("low.glb", [.. names.Select((n, i) => Box($"p{i}_low", Wood with { Name = n }))]),
            ("high.glb", [.. names.Select((n, i) => Box($"p{i}_high", Wood with { Name = n }))]));
        Assert.Equal(5, asset.Sheets.Distinct(StringComparer.OrdinalIgnoreCase).Count());
        foreach (var station in (Station[])[Station.Bake, Station.Pack, Station.Convert])
        {
            var files = asset.Build.ResultOf(station)!.Files;
            Assert.True(files.Count > 5);
            Assert.Equal(files.Count, files.Select(f => f.Name).Distinct(StringComparer.OrdinalIgnoreCase).Count());
        }
        using var zip = new ZipArchive(new MemoryStream(asset.Store.Load(asset.Build.ResultOf(Station.Deliver)!.Files[0].Sha256)));
        Assert.Equal(zip.Entries.Count, zip.Entries.Select(e => e.FullName).Distinct(StringComparer.OrdinalIgnoreCase).Count());
        Assert.Equal(5 * 3, zip.Entries.Count(e => e.FullName.EndsWith(".dds", StringComparison.Ordinal)));
    }

    private sealed record Whole(AssetBuild Build, MemoryResultStore Store)
    {
        public IntakeReport Report => Build.ResultOf(Station.Intake)!.As<IntakeReport>();

        public IReadOnlyList<Finding> Findings => Build.ResultOf(Station.Intake)!.Findings;

        public string[] Sheets => [.. Build.ResultOf(Station.Bake)!.As<BakeReport>().Sheets.Select(s => s.Sheet)];
    }

    /// <summary>Takes an asset down the whole line.</summary>
    private static Whole Built(AssetPlan plan, params (string Name, (Mesh Mesh, Material Material)[] Objects)[] files)
    {
        var store = new MemoryResultStore();
        var sources = files.Select(f =>
        {
            using var stream = new MemoryStream();
            var objects = f.Objects.Select((o, i) => new SceneObject(o.Mesh with { TriangleMaterials = [.. Enumerable.Repeat(i, 12)] }));
            GltfWriter.WriteBinary(new SceneDocument([.. objects],
                [.. f.Objects.Select(o => new SceneMaterial(o.Material))], []), stream);
            return new SourceFile(f.Name, store.Put(stream.ToArray()), stream.Length);
        }).ToArray();
        var small = plan with
        {
            Bake = plan.Bake.Maps.Count > 0 && plan.Bake.Size == 64 ? plan.Bake : plan.Bake with { Size = 64, OcclusionRays = 2 },
            Layout = new LayoutSettings { Uvs = UvSource.Unwrap, Pack = true, Rotation = PackRotation.Quarter, PaddingPixels = 2 },
        };
        var build = new AssetBuild("crate", small, sources, store);
        build.Run(Station.Deliver, throughStops: true, 2, null, default);
        return new Whole(build, store);
    }

    private static (Mesh, Material) Box(string name, Material material) => (Shapes.Cube(name), material);
}
