using System.Numerics;
using Crumpet.Core.Bake;
using Crumpet.Core.Building;
using Crumpet.Core.Geometry;
using Crumpet.Core.Intake;
using Crumpet.Core.Layout;
using Crumpet.Core.Pairs;
using Crumpet.Core.Tests.Bake;
using Xunit;

namespace Crumpet.Core.Tests.Building;

/// <summary>One scene for each cause of a fault: it is told as that cause, its mend is pressed, and the bake is clean.</summary>
public sealed class FaultSceneTests
{
    private static readonly AssetPlan Plan = new()
    {
        Bake = new BakeSettings
        {
            Size = 128,
            Samples = 2,
            Maps = [BakeMap.Normal],
            OutwardReachMetres = 0.012f,
            InwardReachMetres = 0.02f
        }
    };

    [Fact]
    public void A_surface_above_the_rays_is_a_miss_and_the_outward_reach_is_widened_by_how_much_it_takes()
    {
        var finding = DiagnosedAndMended("miss", Plan, Shapes.Plane("p_low"), Shapes.Plane("p_high", 2, height: 0.05f));
        Assert.Contains("up to 50 mm off, 38 mm beyond where their rays start", finding.Sentence, StringComparison.Ordinal);
        Assert.Equal(6, finding.Spot!.Ray!.Count);
    }

    [Fact]
    public void A_surface_below_the_rays_is_a_miss_and_the_inward_reach_is_widened() =>
        Assert.Contains("deep", DiagnosedAndMended("miss", Plan, Shapes.Plane("p_low"), Shapes.Plane("p_high", 2, height: -0.06f)).Sentence,
            StringComparison.Ordinal);

    [Fact]
    public void Rays_that_start_inside_a_plate_see_its_back_and_are_started_farther_out()
    {
        var finding = DiagnosedAndMended("back-face", Plan, Shapes.Plane("p_low"), Slab("p_high", -0.01f, 0.03f));
        Assert.IsType<WidenReach>(finding.Mends[0].Mend);
    }

    [Fact]
    public void A_high_side_that_is_inside_out_is_turned()
    {
        var slab = Slab("p_high", -0.1f, 0.005f);
        var finding = DiagnosedAndMended("back-face", Plan, Shapes.Plane("p_low"), slab with { Corners = [.. slab.Corners.Reverse()] });
        Assert.IsType<TurnFaces>(finding.Mends[0].Mend);
    }

    [Fact]
    public void A_neighbour_is_put_on_another_tray()
    {
        Mesh Of(string name, float from, float height) => Shapes.Plane(name, uvFrom: from, uvTo: from + 0.45f, height: height);
        var finding = DiagnosedAndMended("neighbour", Plan with { Trays = TrayMode.One }, Of("a_low", 0, 0), Of("a_high", 0, 0), Of("b_low", 0.5f, 0.005f),
            Of("b_high", 0.5f, 0.005f));
        Assert.Equal(new SeparateTrays("a", "b"), finding.Mends[0].Mend);
    }

    [Fact]
    public void A_hit_at_the_end_of_the_reach_gets_room() =>
        Assert.Contains("would leave them room",
            DiagnosedAndMended("reach-exhausted", Plan, Shapes.Plane("p_low"), Shapes.Plane("p_high", 2, height: -0.0198f)).Sentence, StringComparison.Ordinal);

    [Fact]
    public void Detail_skewed_beside_a_sharp_edge_is_straightened_there()
    {
        // A wedge of 30°: smooth directions along its edge lean by 75°.
        var low = Wedge("p_low");
        var finding = DiagnosedAndMended("skew", Plan with { Pairs = new PairSettings { Direction = RayDirection.Smooth } }, low, Wedge("p_high"));
        Assert.Contains("up to 7", finding.Sentence, StringComparison.Ordinal);
        Assert.Equal(Severity.Note, finding.Severity);
    }

    [Fact]
    public void Islands_that_overlap_are_packed_apart()
    {
        var finding = DiagnosedAndMended("uv-overlap", Plan, Shapes.Plane("a_low", uvTo: 0.6f), Shapes.Plane("a_high"),
            Moved(Shapes.Plane("b_low", uvFrom: 0.3f, uvTo: 0.9f)), Moved(Shapes.Plane("b_high")));
        Assert.Contains("islands of a", finding.Sentence, StringComparison.Ordinal);

        static Mesh Moved(Mesh mesh) => mesh with { Positions = Array.ConvertAll(mesh.Positions, p => p + new Vector3(3, 0, 0)) };
    }

    [Fact]
    public void Waves_finer_than_texels_ask_for_more_of_them()
    {
        var waves = Bakes.Bent("p_high", 512, 4, (u, v) => new Vector3(u - 0.5f, 0.0032f * MathF.Sin(2 * MathF.PI * u * 51), 0.5f - v));
        var finding = DiagnosedAndMended("coarse", Plan, Shapes.Plane("p_low"), waves);
        Assert.Contains("128 px/m", finding.Sentence, StringComparison.Ordinal);
        Assert.Equal(new EnlargeSheet("p", 256), finding.Mends[0].Mend);
    }

    [Theory]
    [InlineData(0)]
    [InlineData(1)]
    public void A_hard_edge_without_a_seam_is_softened_or_cut(int mend)
    {
        var low = Roof("p_low");
        var finding = DiagnosedAndMended("hard-edge", Plan, [Shapes.WithFlatNormals(low), Roof("p_high")], mend);
        Assert.Equal(128, finding.Count, 6.0);
    }

    [Fact]
    public void A_clean_bake_says_nothing_and_a_mend_bakes_only_what_it_changed()
    {
        var store = new MemoryResultStore();
        var files = Files(store, Shapes.Plane("a_low", uvTo: 0.4f), Shapes.Plane("a_high", 2, height: 0.05f), Shifted("b_low", 0), Shifted("b_high", 0));
        var plan = Plan with { Pairs = new PairSettings().With("b", new PartSettings { OutwardReachMetres = 0.012f }) };
        var finding = Assert.Single(Run(plan, files, store).Findings);
        var mended = plan.With(finding.Mends[0].Mend);
        var pieces = Pieces(store);
        Assert.Empty(Run(mended, files, store).Findings);
        // A cover and a map of the part that was mended.
        Assert.Equal(pieces + 2, Pieces(store));

        static Mesh Shifted(string name, float height)
        {
            var plane = Shapes.Plane(name, uvFrom: 0.5f, uvTo: 0.9f, height: height);
            return plane with { Positions = Array.ConvertAll(plane.Positions, p => p + new Vector3(3, 0, 0)) };
        }

        static int Pieces(MemoryResultStore store) => store.Results.Count(r => r.Kind == "piece");
    }

    private static Finding DiagnosedAndMended(string code, AssetPlan plan, params Mesh[] meshes) => DiagnosedAndMended(code, plan, meshes, 0);

    private static Finding DiagnosedAndMended(string code, AssetPlan plan, Mesh[] meshes, int mend)
    {
        var store = new MemoryResultStore();
        var files = Files(store, meshes);
        var before = Run(plan, files, store);
        var finding = Assert.Single(before.Findings, f => f.Code == code);
        Assert.Equal("p", finding.OnSheet!.Sheet);
        var mended = plan.With(finding.Mends[mend].Mend);
        Assert.Null(mended.Problem());
        Assert.NotEmpty(PlanWords.Changes(plan, mended));
        Assert.Equal(finding.Mends[mend].Mend, BuildJson.ReadMend(BuildJson.OfMend(finding.Mends[mend].Mend)),
            (a, b) => BuildJson.OfMend(a!) == BuildJson.OfMend(b!));
        Assert.DoesNotContain(Run(mended, files, store).Findings, f => f.Code == code);
        return finding;
    }

    private static StationResult Run(AssetPlan plan, SourceFile[] files, MemoryResultStore store)
    {
        var (station, result) = new AssetBuild("p", plan, files, store).Run(Station.Bake, true, 2, null, default);
        Assert.Equal(Station.Bake, station);
        return result;
    }

    private static SourceFile[] Files(MemoryResultStore store, params Mesh[] meshes) => [.. meshes.Select(mesh =>
    {
        using var stream = new MemoryStream();
        GltfWriter.WriteBinary(new SceneDocument([new SceneObject(mesh)], [new SceneMaterial(Material.Plain with { Name = "p" })], []), stream);
        return new SourceFile($"{mesh.Name}.glb", store.Put(stream.ToArray()), stream.Length);
    })];

    /// <summary>A closed plate between two heights, wider than the plane.</summary>
    private static Mesh Slab(string name, float bottom, float top)
    {
        var cube = Bakes.Box(name, 1, 0);
        return cube with { UvSets = [], Positions = Array.ConvertAll(cube.Positions, p => new Vector3(p.X * 2, p.Y > 0 ? top : bottom, p.Z * 2)) };
    }

    /// <summary>Two sides that meet in an edge of 30°, each with its own half of the tile.</summary>
    private static Mesh Wedge(string name)
    {
        float rise = MathF.Tan(15 * MathF.PI / 180);
        Mesh top = Bakes.Bent(name, 8, 1, (u, v) => new Vector3(u - 1, (1 - u) * rise, 0.5f - v), 0, 0.48f),
            under = Bakes.Bent(name, 8, 1, (u, v) => new Vector3(-u, -u * rise, 0.5f - v), 0.52f, 1);
        var (positions, corners) = Mesh.Join([top, under]);
        return Shapes.WithFlatNormals(
            new Mesh
            {
                Name = name,
                Positions = positions,
                Corners = corners,
                UvSets = [[.. top.Uvs!, .. under.Uvs!]],
                TriangleMaterials = new int[corners.Length / 3]
            });
    }

    /// <summary>Two slopes that meet in a ridge, on one island.</summary>
    private static Mesh Roof(string name) => Bakes.Bent(name, 2, 1, (u, v) => new Vector3(u - 0.5f, 0.2f - 0.4f * MathF.Abs(u - 0.5f), 0.5f - v));
}
