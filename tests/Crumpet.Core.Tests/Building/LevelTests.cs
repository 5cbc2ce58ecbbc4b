using System.IO.Compression;
using Crumpet.Core.Bake;
using Crumpet.Core.Building;
using Crumpet.Core.Geometry;
using Crumpet.Core.Intake;
using Crumpet.Core.Layout;
using Xunit;

namespace Crumpet.Core.Tests.Building;

/// <summary>Stages for the distance, hulls and cages that arrive by name are looked at and leave as what they are.</summary>
public sealed class LevelTests
{
    private readonly MemoryResultStore store = new();

    private SourceFile Source(string name, params Mesh[] meshes)
    {
        using var stream = new MemoryStream();
        ObjWriter.Write(new Scene("", meshes, [Material.Plain], []), stream, null);
        return new SourceFile(name, store.Put(stream.ToArray()), stream.Length);
    }

    private static Mesh Ball(string name, int around) => Shapes.Sphere(name, around, around / 2);

    private (AssetBuild Build, Finding[] Findings) Run(Station upTo, LayoutSettings layout, params SourceFile[] files)
    {
        var plan = new AssetPlan
        {
            Bake = new BakeSettings { Size = 64, Samples = 1, Maps = [BakeMap.Normal], OcclusionRays = 1 },
            Layout = layout,
        };
        var build = new AssetBuild("buoy", plan, files, store);
        var (reached, _) = build.Run(upTo, throughStops: true, 1, null, default);
        return (build, [.. Station.UpTo(reached).SelectMany(s => build.ResultOf(s)!.Findings)]);
    }

    private SourceFile[] Files(int firstLevel = 16) =>
    [
        Source("buoy.obj", Ball("buoy_low", 24), Ball("buoy_lod1", firstLevel), Ball("buoy_lod2", 8), Shapes.Cube("buoy_hull"), Ball("buoy_cage", 24)),
        Source("buoy_high.obj", Ball("buoy_high", 64)),
    ];

    [Fact]
    public void They_are_delivered_in_files_of_their_own()
    {
        var (build, findings) = Run(Station.Deliver, new LayoutSettings(), Files());
        Assert.DoesNotContain(findings, f => f.Code.StartsWith("level-", StringComparison.Ordinal) || f.Code.StartsWith("hull-", StringComparison.Ordinal));
        var result = build.ResultOf(Station.Deliver)!;
        using var zip = new ZipArchive(new MemoryStream(store.Load(result.Files[0].Sha256)));
        foreach (var (file, triangles, textured) in new[] { ("buoy.glb", Ball("", 24).TriangleCount, true), ("buoy_lod1.glb", Ball("", 16).TriangleCount, true),
            ("buoy_lod2.glb", Ball("", 8).TriangleCount, true), ("buoy_hulls.glb", 12, false), ("buoy_cages.glb", Ball("", 24).TriangleCount, false) })
        {
            using var stream = zip.GetEntry(file)!.Open();
            using var bytes = new MemoryStream();
            stream.CopyTo(bytes);
            var scene = GltfReader.Read(bytes.ToArray(), file, _ => null);
            var mesh = Assert.Single(scene.Meshes);
            Assert.Equal(triangles, mesh.TriangleCount);
            Assert.Equal(textured, scene.Materials.Count > 0 && scene.Materials[0].Textures.Count > 0);
        }
        Assert.Contains(result.As<DeliverReport>().Files, f => f.Path == "buoy_lod2.glb");
    }

    [Fact]
    public void A_stage_that_is_no_coarser_is_said_and_so_is_one_without_its_low_side()
    {
        Assert.Contains(Run(Station.Intake, new LayoutSettings(), Files(32)).Findings, f => f.Code == "level-not-coarser" && f.Place == "buoy_lod1");
        var alone = Run(Station.Intake, new LayoutSettings(), [.. Files(), Source("mast_low.obj", Ball("mast_low", 12)),
            Source("fin.obj", Ball("fin_lod1", 8), Ball("fin_hull", 8))]).Findings;
        Assert.Equal(["fin_hull", "fin_lod1"], alone.Where(f => f.Code == "level-without-low").Select(f => f.Place).Order());
    }

    [Fact]
    public void Hulls_that_are_open_or_large_are_said()
    {
        var open = MeshRepair.Keep(Shapes.Cube("buoy_hull"), t => t > 1, out _);
        Assert.Contains(Run(Station.Intake, new LayoutSettings(), Source("l.obj", Ball("buoy_low", 24), open)).Findings, f => f.Code == "hull-open");
        Assert.Contains(Run(Station.Intake, new LayoutSettings(), Source("l.obj", Ball("buoy_low", 24), Ball("buoy_hull", 24))).Findings,
            f => f.Code == "hull-large");
    }

    [Fact]
    public void Where_the_low_side_is_laid_anew_stages_no_longer_fit_and_that_is_said()
    {
        Assert.Contains(Run(Station.Deliver, new LayoutSettings { Pack = true }, Files()).Findings, f => f.Code == "level-uvs-differ");
        Assert.DoesNotContain(Run(Station.Deliver, new LayoutSettings(), Files()).Findings, f => f.Code == "level-uvs-differ");
    }

    [Theory]
    [InlineData("cup_lod3", "x.obj", 3)]
    [InlineData("cup", "cup_LOD2.obj", 2)]
    [InlineData("cup_low", "cup.obj", 0)]
    public void A_stage_is_told_by_its_name_or_its_files(string name, string file, int level) =>
        Assert.Equal(level, NameReader.Create(Sides.DefaultPattern, new NameRules()).LevelOf(name, file));
}
