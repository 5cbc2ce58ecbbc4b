using System.IO.Compression;
using System.Security.Cryptography;
using System.Text;
using System.Text.Json;
using Crumpet.Core.Bake;
using Crumpet.Core.Bind;
using Crumpet.Core.Building;
using Crumpet.Core.Deliver;
using Crumpet.Core.Geometry;
using Crumpet.Core.Intake;
using Crumpet.Core.Pairs;
using Xunit;

namespace Crumpet.Core.Tests.Building;

public sealed class AssetBuildTests
{
    private static readonly AssetPlan Small = new()
    {
        Bake = new BakeSettings
        {
            Size = 64,
            Samples = 1,
            OcclusionRays = 4,
            OutwardReachMetres = 0.2f,
            InwardReachMetres = 0.2f
        }
    };

    [Fact]
    public void The_line_ends_in_a_package_whose_manifest_holds()
    {
        var store = new MemoryResultStore();
        var (station, result) = Build(store, Small).Run(Station.Deliver, false, 2, null, default);
        Assert.Equal(Station.Deliver, station);
        using var zip = new ZipArchive(new MemoryStream(store.Load(result.Files[0].Sha256)));
        Assert.Equal(["ball.glb", "textures/ball_colour.dds", "textures/ball_normal.dds", "textures/ball_masks.dds", "manifest.json"],
            zip.Entries.Select(e => e.FullName));
        var manifest = JsonSerializer.Deserialize<Manifest>(Bytes(zip, "manifest.json"), DeliveryPackage.ManifestJson)!;
        Assert.Equal(["ball_high.obj", "ball_low.obj"], manifest.Sources.Select(s => s.Name));
        foreach (var file in manifest.Files)
        {
            byte[] bytes = Bytes(zip, file.Path);
            Assert.Equal((file.Bytes, file.Sha256), (bytes.Length, System.Convert.ToHexStringLower(SHA256.HashData(bytes))));
            Assert.NotEmpty(file.MadeFrom);
        }
        var scene = GltfReader.Read(Bytes(zip, "ball.glb"), "ball.glb", _ => null);
        Assert.Equal("ball_low", Assert.Single(scene.Meshes).Name);
    }

    [Fact]
    public void The_same_input_gives_the_same_package_on_any_number_of_threads_in_any_order_of_files()
    {
        MemoryResultStore one = new(), two = new();
        var a = Build(one, Small).Run(Station.Deliver, false, 1, null, default).Result;
        var b = Build(two, Small, reverse: true).Run(Station.Deliver, false, 2, null, default).Result;
        Assert.Equal(a.Key, b.Key);
        Assert.Equal(a.Files[0].Sha256, b.Files[0].Sha256);
    }

    [Fact]
    public void A_decision_makes_only_what_depends_on_it_stale()
    {
        var store = new MemoryResultStore();
        Build(store, Small).Run(Station.Deliver, false, 2, null, default);
        // Names are bound, whatever the textures show.
        Assert.Equal([Station.Bake, Station.Pack, Station.Convert, Station.Deliver], Stale(Small with { Bake = Small.Bake with { PaddingPixels = 3 } }));
        Assert.Equal([Station.Bind, Station.Deliver], Stale(Small with { BindPattern = "T_{asset}_{map}" }));
        Assert.Equal([Station.Pairs, Station.Bake, Station.Pack, Station.Convert, Station.Bind, Station.Deliver], Stale(Small with { Trays = TrayMode.One }));
        Assert.Empty(Stale(Small));

        Station[] Stale(AssetPlan plan) => [.. AssetBuild.Line.Where(s => Build(store, plan).ResultOf(s) is null)];
    }

    [Fact]
    public void What_is_in_the_store_is_not_worked_again()
    {
        var store = new MemoryResultStore();
        Build(store, Small).Run(Station.Bake, false, 2, null, default);
        var worked = new List<string>();
        Build(store, Small).Run(Station.Pack, false, 2, new Listener(p => worked.Add($"{p.Station} {p.Doing}")), default);
        Assert.DoesNotContain("Bake starting", worked);
        Assert.Contains("Pack starting", worked);
    }

    [Fact]
    public void A_stop_finding_blocks_the_line_unless_told_to_go_through()
    {
        var store = new MemoryResultStore();
        var build = Build(store, Small, more: ("lonely_low.obj",
            "v 0 0 0\nv 1 0 0\nv 0 1 0\nvt 0 0\nvt 1 0\nvt 0 1\no lonely_low\nf 1/1 2/2 3/3\no second_low\nf 1/1 2/2 3/3\n"));
        Assert.Equal(Station.Pairs, build.Run(Station.Deliver, false, 2, null, default).Station);
        Assert.Equal(Station.Bake, build.Run(Station.Bake, true, 2, null, default).Station);
    }

    [Fact]
    public void A_cancelled_run_keeps_nothing_of_the_station_it_was_in()
    {
        var store = new MemoryResultStore();
        using var cancel = new CancellationTokenSource();
        var build = Build(store, Small);
        var stopAtBake = new Listener(p =>
        {
            if (p.Station == Station.Bake)
                cancel.Cancel();
        });
        Assert.Throws<OperationCanceledException>(() => build.Run(Station.Deliver, false, 1, stopAtBake, cancel.Token));
        Assert.NotNull(build.ResultOf(Station.Layout));
        Assert.Null(build.ResultOf(Station.Bake));
    }

    [Fact]
    public void Two_low_materials_make_two_sheets_with_names_of_their_own()
    {
        var store = new MemoryResultStore();
        var plane = Shapes.Plane("p");
        var two = new Mesh
        {
            Name = "p_low",
            Positions = plane.Positions,
            Corners = plane.Corners,
            Normals = plane.Normals,
            UvSets = plane.UvSets,
            TriangleMaterials = [0, 1]
        };
        using var stream = new MemoryStream();
        GltfWriter.WriteBinary(new SceneDocument([new SceneObject(two)],
            [new SceneMaterial(Material.Plain with { Name = "wood" }), new SceneMaterial(Material.Plain with { Name = "iron" })], []), stream);
        using var high = new MemoryStream();
        GltfWriter.WriteBinary(new SceneDocument([new SceneObject(Shapes.Plane("p_high"))], [], []), high);
        var build = new AssetBuild("p", Small, [Source(store, "low.glb", stream.ToArray()), Source(store, "high.glb", high.ToArray())], store);
        var (_, result) = build.Run(Station.Bind, false, 2, null, default);
        Assert.Equal(["p_wood_colour.dds", "p_iron_colour.dds"], result.As<BindReport>().Materials.Select(m => m.Inputs[0].File));
        Assert.Contains(build.ResultOf(Station.Intake)!.Findings, f => f.Code == "several-low-materials");
        Assert.Equal(Station.Deliver, build.Run(Station.Deliver, false, 2, null, default).Station);
    }

    [Fact]
    public void The_demo_is_what_it_promises()
    {
        var low = Demo.LouvreScreen.Low();
        var high = Demo.LouvreScreen.High();
        Assert.InRange(low.Meshes.Sum(m => m.TriangleCount), 1500, 4000);
        Assert.True(low.Meshes.Count >= 20);
        Assert.True(high.Meshes.Sum(m => m.TriangleCount) >= 300_000);
        Assert.Single(low.Meshes.SelectMany(m => m.TriangleMaterials).Distinct());
        Assert.Equal(low.Meshes.Select(m => m.Name.Replace("_low", "_high", StringComparison.Ordinal)), high.Meshes.Select(m => m.Name));
    }

    private static AssetBuild Build(MemoryResultStore store, AssetPlan plan, bool reverse = false, (string Name, string Text)? more = null)
    {
        var files = new List<SourceFile> { Source(store, "ball_low.obj", Obj(Shapes.Sphere("ball_low", 12, 6))),
            Source(store, "ball_high.obj", Obj(Shapes.Sphere("ball_high", 48, 24))) };
        if (more is { } extra)
            files.Add(Source(store, extra.Name, Encoding.UTF8.GetBytes(extra.Text)));
        if (reverse)
            files.Reverse();
        return new AssetBuild("ball", plan, files, store);
    }

    private static SourceFile Source(MemoryResultStore store, string name, byte[] bytes) => new(name, store.Put(bytes), bytes.Length);

    private static byte[] Obj(Mesh mesh)
    {
        using var stream = new MemoryStream();
        ObjWriter.Write(new Scene("", [mesh], [Material.Plain], []), stream, null);
        return stream.ToArray();
    }

    private static byte[] Bytes(ZipArchive zip, string path)
    {
        using var stream = zip.GetEntry(path)!.Open();
        using var copy = new MemoryStream();
        stream.CopyTo(copy);
        return copy.ToArray();
    }

    private sealed class Listener(Action<BuildProgress> hear) : IProgress<BuildProgress>
    {
        public void Report(BuildProgress value) => hear(value);
    }
}
