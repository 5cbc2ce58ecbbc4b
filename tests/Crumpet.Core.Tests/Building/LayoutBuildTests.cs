using System.Numerics;
using Crumpet.Core.Bake;
using Crumpet.Core.Building;
using Crumpet.Core.Geometry;
using Crumpet.Core.Imaging;
using Crumpet.Core.Intake;
using Crumpet.Core.Layout;
using Crumpet.Core.Pack;
using Xunit;

namespace Crumpet.Core.Tests.Building;

/// <summary>Layout as a stop of the line: kit density, shared sheets, atlases, places picked on the page.</summary>
public sealed class LayoutBuildTests
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
    public void The_kits_density_holds_where_the_asset_says_none_and_makes_layout_alone_stale()
    {
        var store = new MemoryResultStore();
        SourceFile[] files = [Source(store, "p_low.glb", Shapes.Plane("p_low")), Source(store, "p_high.glb", Shapes.Plane("p_high"))];
        var plan = Small with { Layout = new LayoutSettings { Pack = true, PaddingPixels = 2 } };
        Assert.InRange(Density(plan, null), 55, 62);
        Assert.Equal(20, Density(plan, 20), 0.01);
        Assert.Equal(30, Density(plan with { Layout = plan.Layout with { PixelsPerMetre = 30 } }, 20), 0.01);
        Assert.InRange(Density(plan with { Layout = plan.Layout with { FillsTile = true } }, 20), 55, 62);
        var other = new AssetBuild("p", plan, files, store, new IntakeRules { PixelsPerMetre = 25 });
        Assert.NotNull(other.ResultOf(Station.Pairs));
        Assert.Null(other.ResultOf(Station.Layout));

        double Density(AssetPlan own, double? kit) =>
            new AssetBuild("p", own, files, store, new IntakeRules { PixelsPerMetre = kit })
                .Run(Station.Layout, false, 2, null, default).Result.As<LayoutReport>().MedianDensity;
    }

    [Fact]
    public void Materials_that_share_a_sheet_keep_their_own_colours_on_it()
    {
        var store = new MemoryResultStore();
        var plane = Shapes.Plane("p_low");
        var mixed = plane with { TriangleMaterials = [0, 1] };
        Material[] materials = [Material.Plain with { Name = "wood", BaseColour = new Vector4(1, 0, 0, 1) },
            Material.Plain with { Name = "iron", BaseColour = new Vector4(0, 0, 1, 1) }];
        SourceFile[] files = [Source(store, "p_low.glb", mixed, materials), Source(store, "p_high.glb", Shapes.Plane("p_high"))];
        var build = new AssetBuild("p", Small with { Layout = new LayoutSettings { Sheets = SheetRule.Together } }, files, store);
        var (_, packed) = build.Run(Station.Pack, false, 2, null, default);
        var file = Assert.Single(packed.Files, f => f.Name.Contains("colour", StringComparison.Ordinal));
        var picture = (Bitmap8)ImageFile.Read(store.Load(file.Sha256), file.Name);
        var mesh = Shapes.Plane("p_low");
        for (int t = 0; t < 2; t++)
        {
            var uv = (mesh.Uvs![3 * t] + mesh.Uvs[3 * t + 1] + mesh.Uvs[3 * t + 2]) / 3;
            int at = ((int)((1 - uv.Y) * 64) * 64 + (int)(uv.X * 64)) * picture.Channels;
            Assert.Equal(t == 0 ? (255, 0, 0) : (0, 0, 255), (picture.Pixels[at], picture.Pixels[at + 1], picture.Pixels[at + 2]));
        }
    }

    [Fact]
    public void An_atlas_lays_assets_on_one_sheet_and_tells_parts_of_one_name_apart()
    {
        var store = new MemoryResultStore();
        var mend = new ScaleUnits(0.5) { File = "a_low.glb" };
        AtlasMember[] members =
        [
            new("Asset A", Small with { Mends = [mend], Layout = new LayoutSettings { PaddingPixels = 3 } }, ["lid", "box"]),
            new("Asset B", Small with { Mends = [new RenameEach([new NewName("b_low.glb", "odd", "lid_low")])] }, ["lid"]),
        ];
        var plan = Atlas.Join(members);
        Assert.Null(plan.Problem());
        Assert.Equal(["asset_a/a_low.glb", "asset_a/*", "asset_b/*", "asset_b/*"], plan.Mends.OfType<IntakeMend>().Select(m => m.File));
        Assert.Equal((SheetRule.Together, true, 8), (plan.Layout.Sheets, plan.Layout.Pack, plan.Layout.PaddingPixels));
        SourceFile[] files =
        [
            Source(store, Atlas.FileOf("Asset A", "a_low.glb"), Shapes.Plane("lid_low")),
                Source(store, Atlas.FileOf("Asset A", "a_high.glb"), Shapes.Plane("lid_high")),
            Source(store, Atlas.FileOf("Asset B", "b_low.glb"), Shapes.Plane("odd")),
                Source(store, Atlas.FileOf("Asset B", "b_high.glb"), Shapes.Plane("lid_high")),
        ];
        var build = new AssetBuild("atlas", plan with { Layout = plan.Layout with { PaddingPixels = 2 } }, files, store);
        var report = build.Run(Station.Layout, false, 2, null, default).Result.As<LayoutReport>();
        Assert.Equal(["asset_a_lid", "asset_b_lid"], build.ResultOf(Station.Intake)!.As<IntakeReport>().Objects.Select(o => o.Part).Distinct().Order());
        Assert.Equal((1, 2, 0), (report.Sheets.Count, report.Islands, report.OverlapTexels));
        Assert.InRange(report.DensitySpread, 0, 0.005);
    }

    [Fact]
    public void What_sheets_cost_follows_from_objects_materials_and_the_recipe()
    {
        ObjectReport Low(string name, params string[] materials) => new("f", name, name, Side.Low, 2, 1, 4, materials, 1, true, false, [1, 1, 1]);
        var (apart, together) = SheetCost.Of([Low("a", "wood", "iron"), Low("b", "iron"), Low("c"), Low("d", "wood") with { Side = Side.High }], 1,
            new AssetPlan().LaidFor(1024));
        // BC7, BC5, BC7: a byte a texel each; mips of 1024² to 4² add a third, those of 2² and 1² take a block each.
        long each = 3 * (Enumerable.Range(2, 9).Sum(i => 1L << (2 * i)) + 32);
        Assert.Equal(new SheetCost(SheetRule.Materials, 2, 4, 2 * each), apart);
        Assert.Equal(new SheetCost(SheetRule.Together, 1, 3, each), together);
    }

    [Fact]
    public void Edges_and_pins_are_found_by_the_corners_of_the_view_and_by_places_on_objects()
    {
        var store = new MemoryResultStore();
        SourceFile[] files = [Source(store, "p_low.glb", Shapes.Plane("p_low")), Source(store, "q_low.glb", Shapes.Cube("q_low"))];
        var build = new AssetBuild("p", Small, files, store);
        Assert.Null(FilesOf(build, store).PickEdges(new LowPlace(0), EdgeReach.Edge, null));
        build.Run(Station.Layout, true, 2, null, default);
        var made = FilesOf(build, store);
        var byCorner = made.PickEdges(new LowPlace(6), EdgeReach.Edge, null)!;
        Assert.Equal("q_low", byCorner.Edges[0].ObjectName);
        Assert.Contains(6, byCorner.HalfEdges);
        var byPlace = made.PickEdges(new LowPlace(null, "q_low", new Vector3(0, 0.5f, 0.5f)), EdgeReach.Edge, null)!;
        Assert.Equal((0.5f, 0.5f), (byPlace.Edges[0].Ay, byPlace.Edges[0].Az));
        Assert.All(byPlace.HalfEdges, h => Assert.InRange(h, 6, 6 + 36 - 1));
        Assert.Null(made.PickEdges(new LowPlace(null, "gone", Vector3.Zero), EdgeReach.Loop, null));
        Assert.Null(made.PickEdges(new LowPlace(6 + 36), EdgeReach.Edge, null));
        var pin = Assert.Single(made.PinsAt([(7, 0.25f, 0.5f), (99, 0, 0)]));
        Assert.Equal(("q_low", 0.25f, 0.5f, 0.5f), (pin.ObjectName, pin.U, pin.V, MathF.Abs(pin.X)));
    }

    [Fact]
    public void A_locked_island_stays_where_it_was_packed_whatever_happens_to_the_others()
    {
        var store = new MemoryResultStore();
        SourceFile[] files = [Source(store, "p_low.glb", Shapes.Cube("p_low")), Source(store, "q_low.glb", Shapes.Plane("q_low"))];
        var first = Small with { Layout = new LayoutSettings { Uvs = UvSource.Unwrap, Pack = true, PaddingPixels = 2 } };
        var build = new AssetBuild("p", first, files, store);
        build.Run(Station.Layout, true, 2, null, default);
        var held = FilesOf(build, store).IslandsAt([new SurfaceSpot("q_low", 0.1f, 0, 0.2f)]);
        var locked = first with { Layout = first.Layout.Locked(held) with { PaddingPixels = 4, Rotation = PackRotation.None } };
        var again = new AssetBuild("p", locked, files, store);
        again.Run(Station.Layout, true, 2, null, default);
        Vector2[] was = Uvs(build), now = Uvs(again);
        for (int c = 0; c < was.Length; c++)
            Assert.True(Vector2.Distance(was[c], now[c]) < 1e-5f);
        var report = again.ResultOf(Station.Layout)!.As<LayoutReport>();
        Assert.True(report.Each.Single(e => e.IsLocked).Triangles == 2);
        Assert.Equal(0, report.OverlapTexels);
        Assert.Empty(locked.Layout.Unlocked(held).Pins);
        // On the second of two sheets it stays there too, and comes to the only one when they end.
        var two = first with { Layout = first.Layout with { Sheets = SheetRule.Together, SheetCount = 2 } };
        var second = new AssetBuild("p", two with { Layout = two.Layout.OnSheet(["q"], 1) }, files, store);
        second.Run(Station.Layout, true, 2, null, default);
        var there = new AssetFiles(second, two with { Layout = two.Layout.OnSheet(["q"], 1) }, store).IslandsAt([new SurfaceSpot("q_low", 0.1f, 0, 0.2f)]);
        Assert.Equal([1, 1], there.SelectMany(h => h.Pins).Select(p => p.Sheet));
        Assert.Equal(1, SheetOfLocked(two.Layout.Locked(there)));
        Assert.Equal(0, SheetOfLocked(first.Layout.Locked(there)));

        int SheetOfLocked(LayoutSettings layout) =>
            new AssetBuild("p", first with { Layout = layout }, files, store)
                .Run(Station.Layout, true, 2, null, default).Result.As<LayoutReport>().Each.Single(e => e.IsLocked).Sheet;

        Vector2[] Uvs(AssetBuild of) =>
            GltfReader.Read(FilesOf(of, store).Laid(false)!, "laid.glb", _ => null).Meshes.Single(m => m.Name == "q_low").Uvs!;
    }

    [Fact]
    public void Decisions_about_uvs_are_said_and_edges_are_known_either_way_round()
    {
        var plan = new AssetPlan();
        SeamEdge edge = new("a", 0, 0, 0, 1, 0, 0, true), turned = new("a", 1, -0f, 0, 0, 0, 0, true);
        var spot = new SurfaceSpot("a", 1, 2, 3);
        var held = new HeldIsland("b", [new UvPin("b", 0, 0, 0, 0, 0, true), new UvPin("b", 1, 0, 0, 1, 0, true)],
            [Vector3.Zero, Vector3.UnitX, Vector3.UnitY]);
        var layout = plan.Layout.WithSeams([edge], true).Weighted(["cap", "lid"], 2).OnSheet(["lid"], 1).Do(IslandAct.Unwrap, [spot]).Locked([held])
            .WithPins([new UvPin("a", 0, 0, 0, 0.1f, 0.2f)])
            with
        { FillsTile = true, Sheets = SheetRule.Together, SheetCount = 2, SlackPercent = 15, StackEqual = true };
        Assert.Null(layout.Problem());
        string[] said =
        [
            "Islands packed", "Density set to fill the tile", "Slack set to 15 %", "Equal islands stacked", "All parts laid together", "2 sheets allowed",
                "An edge cut", "One pin set", "An island unwrapped anew", "An island locked",
            "Density of cap × 2", "Density of lid × 2", "lid put on sheet 2",
        ];
        Assert.Equal(said, PlanWords.Changes(plan, plan with { Layout = layout }));
        Assert.Empty(layout.WithSeams([turned], null).Seams);
        Assert.False(Assert.Single(layout.WithSeams([turned], false).Seams).IsCut);
        Assert.Equal(held.Pins, layout.WithoutPins(["a", "b"]).Pins);
        Assert.Single(layout.Unlocked([held]).Pins);
        Assert.Empty(layout.Weighted(["cap", "lid"], 1).OnSheet(["lid"], null).Parts);
        Assert.Empty(layout.Do(IslandAct.Keep, [spot]).UnwrapAt);
        Assert.Contains("lid is put on sheet 2, but there is 1 sheet", (layout with { SheetCount = 1 }).Problem(), StringComparison.Ordinal);
    }

    private static AssetFiles FilesOf(AssetBuild build, MemoryResultStore store) => new(build, Small, store);

    private static SourceFile Source(MemoryResultStore store, string name, Mesh mesh, Material[]? materials = null)
    {
        using var stream = new MemoryStream();
        GltfWriter.WriteBinary(new SceneDocument([new SceneObject(mesh)], [.. (materials ?? [Material.Plain]).Select(m => new SceneMaterial(m))], []), stream);
        byte[] bytes = stream.ToArray();
        return new SourceFile(name, store.Put(bytes), bytes.Length);
    }
}
