using System.IO.Compression;
using Crumpet.Core.Building;
using Crumpet.Core.Geometry;
using Crumpet.Core.Imaging;
using Crumpet.Core.Intake;
using Crumpet.Core.Jobs;
using Crumpet.Core.Pack;
using Xunit;

namespace Crumpet.Core.Tests.Building;

/// <summary>Textures that came along go the whole line without a bake, with a mesh and without one.</summary>
public sealed class BroughtTextureTests
{
    private const int Side = 16;
    private readonly MemoryResultStore store = new();

    private static readonly Bitmap8 Colours = Filled(3, (x, y, c) => 16 * (c == 0 ? x : y) + c);
    private static readonly Bitmap8 Gloss = Filled(1, (x, _, _) => 90 + x);
    private static readonly Bitmap8 Shared = Filled(3, (x, y, c) => c == 0 ? 200 + x : c == 1 ? 100 + y : 10 * x);
    private static readonly Bitmap8 Hill = Filled(1, (x, y, _) => (int)(120 + 60 * Math.Sin(x * 0.8) + 40 * Math.Cos(y * 0.8)));

    private static Bitmap8 Filled(int channels, Func<int, int, int, int> value) => new(Side, Side, channels,
        [.. Enumerable.Range(0, Side * Side * channels).Select(i => (byte)value(i / channels % Side, i / channels / Side, i % channels))]);

    private SourceFile Source(string name, Bitmap picture)
    {
        byte[] bytes = ImageFile.WritePng(picture);
        return new SourceFile(name, store.Put(bytes), bytes.Length);
    }

    private SourceFile Mesh(string name, params string[] materials)
    {
        using var stream = new MemoryStream();
        var meshes = materials.Select((m, i) => Shapes.Cube(m) with { TriangleMaterials = [.. Enumerable.Repeat(i, 12)] });
        ObjWriter.Write(new Scene("", [.. meshes], [.. materials.Select(m => Material.Plain with { Name = m })], []), stream,
            Path.ChangeExtension(name, "mtl"));
        return new SourceFile(name, store.Put(stream.ToArray()), stream.Length);
    }

    private AssetBuild Run(AssetPlan plan, params SourceFile[] files)
    {
        var build = new AssetBuild("buoy", plan with { Bake = plan.Bake with { Size = 64, Samples = 1 } }, files, store);
        Assert.Equal(Station.Deliver, build.Run(Station.Deliver, throughStops: false, 1, null, default).Station);
        return build;
    }

    private Bitmap Packed(AssetBuild build, string output, string sheet = "buoy")
    {
        var picture = build.ResultOf(Station.Pack)!.As<PackReport>().Pictures.Single(p => p.Output == output && p.Sheet == sheet);
        return ImageFile.Read(store.Load(build.ResultOf(Station.Pack)!.File(picture.File).Sha256), picture.File);
    }

    private static string[] Codes(AssetBuild build) => [.. Station.Table.All.Select(build.ResultOf).OfType<StationResult>().SelectMany(r => r.Findings)
        .Select(f => f.Code)];

    [Fact]
    public void Textures_alone_are_known_by_name_and_feed_the_recipe_texel_for_texel()
    {
        var build = Run(new AssetPlan(), Source("rust_BaseColor.png", Colours), Source("rust-Gloss.png", Gloss), Source("rust_height.png", Hill),
            Source("rust_ao.png", Hill), Source("streaks.png", Gloss));
        Assert.Equal(Colours.Pixels, ((Bitmap8)Packed(build, "colour")).Pixels);
        var masks = (Bitmap8)Packed(build, "masks");
        Assert.Equal((Side, Side), (masks.Width, masks.Height));
        Assert.Equal(Hill.Pixels, masks.Pixels.Where((_, i) => i % 3 == 0));
        // Gloss is what roughness is not.
        Assert.Equal(Gloss.Pixels.Select(p => (byte)(255 - p)), masks.Pixels.Where((_, i) => i % 3 == 1));
        // Where the height falls to the right, its normals lean to the right.
        var normal = Packed(build, "normal");
        Assert.True(normal.Unit(4, 0, 0) > 0.5 && normal.Unit(0, 0, 0) < 0.5);
        string[] codes = Codes(build);
        Assert.Contains("textures-alone", codes);
        Assert.Contains("normals-made", codes);
        Assert.Contains("texture-unused", codes);
        using var zip = new ZipArchive(new MemoryStream(store.Load(build.ResultOf(Station.Deliver)!.Files[0].Sha256)));
        Assert.Equal(["manifest.json", "textures/buoy_colour.dds", "textures/buoy_masks.dds", "textures/buoy_normal.dds"],
            zip.Entries.Select(e => e.FullName).Order());
    }

    [Fact]
    public void Several_sets_make_a_sheet_each_and_non_square_ones_keep_their_sides()
    {
        var wide = new Bitmap8(32, 8, 3);
        var build = Run(new AssetPlan(), Source("keel_colour.png", wide), Source("mast_colour.png", Colours));
        Assert.Equal((32, 8), (Packed(build, "colour", "keel").Width, Packed(build, "colour", "keel").Height));
        Assert.Equal(Colours.Pixels, ((Bitmap8)Packed(build, "colour", "mast")).Pixels);
        // A mask of another name is no set by itself.
        var one = Run(new AssetPlan(), Source("mast_colour.png", Colours), Source("x, holes_mask.png", Hill));
        Assert.Equal(Colours.Pixels, ((Bitmap8)Packed(one, "colour")).Pixels);
    }

    [Fact]
    public void Textures_with_sides_the_target_does_not_take_are_told_and_mended()
    {
        SourceFile[] files = [Source("keel_colour.png", new Bitmap8(24, 8, 3))];
        var plan = new AssetPlan();
        var finding = Assert.Single(Run(plan, files).ResultOf(Station.Convert)!.Findings,
            f => f is { Code: "texture-not-power-of-two", Place: "buoy_colour.dds" });
        Assert.Contains("buoy_colour.dds is 24 × 8 px", finding.Sentence, StringComparison.Ordinal);
        plan = plan.With(finding.Mends[0].Mend);
        Assert.DoesNotContain(Run(plan, files).ResultOf(Station.Convert)!.Findings, f => f is { Code: "texture-not-power-of-two", Place: "buoy_colour.dds" });
        var texture = Run(plan, files).ResultOf(Station.Convert)!.As<ConvertReport>().Textures.Single(t => t.Output == "colour");
        Assert.Equal((16, 8), (texture.Size, texture.Height));
        var square = plan with { Target = plan.Target with { SquareTextures = true } };
        Assert.Contains(Run(square, files).ResultOf(Station.Convert)!.Findings, f => f is { Code: "texture-not-square", Place: "buoy_colour.dds" });
        var any = new AssetPlan();
        any = any with { Target = any.Target with { PowerOfTwoTextures = false } };
        Assert.Empty(Run(any, files).ResultOf(Station.Convert)!.Findings);
    }

    [Theory]
    [InlineData("hull_orm.png", 0, 1, 2)]
    [InlineData("hull_rma.png", 2, 0, 1)]
    public void Maps_that_share_a_picture_are_told_apart_by_the_order_its_name_says(string file, int occlusion, int roughness, int metalness)
    {
        var masks = (Bitmap8)Packed(Run(new AssetPlan(), Mesh("hull_low.obj", "hull"), Source(file, Shared)), "masks", "hull");
        foreach (var (to, from) in new[] { (0, occlusion), (1, roughness), (2, metalness) })
            Assert.Equal(Shared.Pixels.Where((_, i) => i % 3 == from), masks.Pixels.Where((_, i) => i % 3 == to));
    }

    [Fact]
    public void A_mesh_with_uvs_takes_the_textures_that_have_its_materials_names()
    {
        var build = Run(new AssetPlan(), Mesh("both_low.obj", "keel", "mast"), Source("keel_colour.png", Colours), Source("mast_colour.png", Hill));
        Assert.Equal(Colours.Pixels, ((Bitmap8)Packed(build, "colour", "keel")).Pixels);
        Assert.Equal(Hill.Pixels, ((Bitmap8)Packed(build, "colour", "mast")).Pixels.Where((_, i) => i % 3 == 0));
        Assert.Contains("no-high-textures", Codes(build));
    }

    [Fact]
    public void What_a_material_multiplies_its_texture_with_is_told_and_multiplied_in_with_a_press()
    {
        byte[] library = "newmtl hull\nKd 0.5 0.25 1\nmap_Kd paint.png\n"u8.ToArray();
        SourceFile[] files = [Mesh("hull_low.obj", "hull"), new("hull_low.mtl", store.Put(library), library.Length), Source("paint.png", Colours)];
        var plan = new AssetPlan();
        var found = Assert.Single(Run(plan, files).ResultOf(Station.Pack)!.Findings, f => f.Code == "material-factor");
        Assert.Contains("0.214, 0.051, 1", found.Sentence, StringComparison.Ordinal);
        Assert.Equal(Colours.Pixels, ((Bitmap8)Packed(Run(plan, files), "colour", "hull")).Pixels);
        plan = plan.With(found.Mends[0].Mend);
        var build = Run(plan, files);
        Assert.DoesNotContain("material-factor", Codes(build));
        byte[] made = ((Bitmap8)Packed(build, "colour", "hull")).Pixels;
        float[] factor = [Srgb.ToLinear(0.5f), Srgb.ToLinear(0.25f), 1];
        Assert.All(Enumerable.Range(0, made.Length), i =>
            Assert.InRange(made[i] - 255 * Srgb.FromLinear(factor[i % 3] * Srgb.ToLinear(Colours.Pixels[i] / 255f)), -1.1f, 1.1f));
    }

    [Fact]
    public void A_file_feeds_by_its_own_name_and_a_material_by_its_values_though_a_texture_is_there()
    {
        var output = new RecipeOutput("mixed", ColourMeaning.Linear, [Feed.Of("streaks"), Feed.Of("material roughness"), Feed.Of("roughness")]);
        var plan = new AssetPlan { Recipe = Recipe.Default.Added([output]) };
        var mixed = (Bitmap8)Packed(Run(plan, Source("a_roughness.png", Gloss), Source("streaks.png", Hill)), "mixed");
        Assert.Equal(Hill.Pixels, mixed.Pixels.Where((_, i) => i % 3 == 0));
        Assert.All(mixed.Pixels.Where((_, i) => i % 3 == 1), p => Assert.Equal(ChannelPacker.MaterialMaps(Material.Plain)["roughness"][0], p));
        Assert.Equal(Gloss.Pixels, mixed.Pixels.Where((_, i) => i % 3 == 2));
    }

    [Fact]
    public void Wrong_green_a_gloss_that_calls_itself_roughness_and_inputs_without_outputs_are_told_and_mended()
    {
        var normals = HeightToNormal.Convert(Hill, 8, 3, true, false);
        var files = new[] { Source("a_normal.png", normals), Source("a_roughness.png", Filled(1, (x, y, _) => 20 + x + y)) };
        var plan = new AssetPlan { Recipe = Recipe.Default.Without("colour").Added([new RecipeOutput("notes", ColourMeaning.Linear, [Feed.Of("roughness")])]) };
        plan = plan.With(new TurnOutputGreen("normal") { To = false });
        foreach (string code in (string[])["green-turned", "roughness-inverted", "input-unfed", "output-unread"])
        {
            for (int round = 0; ; round++)
            {
                var found = Run(plan, files).ResultOf(Station.Pack)!.Findings.Where(f => f.Code == code).ToArray();
                if (found.Length == 0)
                {
                    Assert.True(round > 0, code);
                    break;
                }
                Assert.True(round < 3, code);
                plan = plan.With(found[0].Mends[0].Mend);
            }
        }
        Assert.Contains(plan.Recipe.Outputs, o => o.Name == "colour");
        Assert.True(plan.Recipe.Outputs.Single(o => o.Name == "normal").Normals!.TurnGreen);
    }

    [Fact]
    public void Green_that_came_otherwise_than_the_target_wants_it_is_turned_to_the_code_and_what_is_not_told_is_taken_as_up()
    {
        var up = (Bitmap8)HeightToNormal.Convert(Hill, 8, 3, true, true);
        var down = (Bitmap8)HeightToNormal.Convert(Hill, 8, 3, true, false);
        // Slopes that are no surface's tell nothing.
        var untold = Filled(3, (x, y, c) => c == 2 ? 240 : c == 0 ? 90 + 40 * (y % 3) : 60 + 70 * (x % 3));
        foreach (var (wanted, came, isTurned, isTold) in new[]
        {
            (GreenDirection.Up, up, false, true), (GreenDirection.Up, down, true, true), (GreenDirection.Down, up, true, true),
            (GreenDirection.Down, down, false, true), (GreenDirection.Up, untold, false, false), (GreenDirection.Down, untold, true, false),
        })
        {
            var plan = new AssetPlan();
            plan = plan with { Target = plan.Target with { Green = wanted } };
            var build = Run(plan, Source("a_normal.png", came));
            Assert.Equal(came.Pixels.Select((v, i) => (byte)(isTurned && i % 3 == 1 ? 255 - v : v)), ((Bitmap8)Packed(build, "normal")).Pixels);
            var findings = build.ResultOf(Station.Pack)!.Findings;
            Assert.DoesNotContain(findings, f => f.Code == "green-turned");
            var note = findings.SingleOrDefault(f => f.Code == "green-untold");
            Assert.Equal(isTold, note is null);
            if (note is null)
                continue;
            var decided = Run(plan.With(note.Mends[0].Mend), Source("a_normal.png", came));
            Assert.Equal(came.Pixels.Select((v, i) => (byte)(!isTurned && i % 3 == 1 ? 255 - v : v)), ((Bitmap8)Packed(decided, "normal")).Pixels);
            Assert.DoesNotContain(decided.ResultOf(Station.Pack)!.Findings, f => f.Code.StartsWith("green", StringComparison.Ordinal));
        }
    }
}
