using System.Numerics;
using Crumpet.Core.Bake;
using Crumpet.Core.Geometry;
using Crumpet.Core.Imaging;
using Xunit;

namespace Crumpet.Core.Tests.Bake;

/// <summary>Maps that carry over what the high side looks like, and how maps are written.</summary>
public sealed class MapTests
{
    private static readonly BakeSettings Plain = new()
    {
        Size = 64,
        Samples = 2,
        Dither = false,
        PaddingPixels = 0,
        OutwardReachMetres = 0.01f,
        InwardReachMetres = 0.01f
    };

    [Theory]
    [InlineData("wood_object_normal", "wood", "object_normal")]
    [InlineData("wood_normal", "wood", "normal")]
    [InlineData("my_wood_bent_normal", "my_wood", "bent_normal")]
    [InlineData("wood_gloss", "wood", "gloss")]
    [InlineData("wood_faults", null, null)]
    [InlineData("wood_height_shown", null, null)]
    [InlineData("wood", null, null)]
    [InlineData("_normal", null, null)]
    public void A_files_name_says_sheet_and_map(string stem, string? sheet, string? map) =>
        Assert.Equal(sheet is null ? null : (sheet, map!), BakeMaps.InFile(stem));

    [Theory]
    [InlineData(IdSource.Part, "part")]
    [InlineData(IdSource.Material, "brass;iron")]
    [InlineData(IdSource.Shell, "left shell 1;right shell 1")]
    public void An_id_map_has_one_flat_colour_for_each_thing_and_a_legend_that_counts_them(IdSource by, string labels)
    {
        Mesh left = Half("left", 0, 0), right = Half("right", 0.5f, 1);
        var input = Bakes.Input(Shapes.Plane("low"), left, right) with { Materials = [Named("brass"), Named("iron")] };
        var result = Baker.Bake(input, Plain with { Maps = [BakeMap.Id], IdBy = by, Samples = 4 }, 2, null, default);
        Assert.Equal(labels.Split(';'), result.Legend.Select(l => l.Label).Order());
        Assert.Equal(64 * 64, result.Legend.Sum(l => l.Texels));
        var colours = Enumerable.Range(0, 64 * 64).Select(i => Hex(result.Maps[BakeMap.Id], i)).ToHashSet();
        Assert.Equal(result.Legend.Select(l => l.Colour).Order(), colours.Order());
    }

    [Fact]
    public void An_id_map_by_vertex_colour_keeps_the_colours()
    {
        Vector4 red = new(1, 0, 0, 1), blue = new(0, 0, 1, 1);
        var painted = Shapes.Plane("high") with { Colours = [red, red, red, blue, blue, blue] };
        var result = Baker.Bake(Bakes.Input(Shapes.Plane("low"), painted), Plain with { Maps = [BakeMap.Id, BakeMap.VertexColour], IdBy = IdSource.Colour }, 2,
            null, default);
        Assert.Equal(["#0000ff", "#ff0000"], result.Legend.Select(l => l.Colour).Order());
        Assert.Equal("#ff0000", Hex(result.Maps[BakeMap.VertexColour], 50 * 64 + 60));
    }

    [Theory]
    [InlineData(2)]
    [InlineData(12)]
    [InlineData(200)]
    public void Colours_of_labels_are_all_different_and_far_apart(int count)
    {
        var colours = IdLabels.Colours(count);
        Assert.Equal(count, colours.Distinct().Count());
        Assert.Equal(colours, IdLabels.Colours(count));
        double nearest = double.PositiveInfinity;
        for (int i = 0; i < count; i++)
            for (int j = 0; j < i; j++)
                nearest = Math.Min(nearest, Math.Abs(colours[i].R - colours[j].R) + Math.Abs(colours[i].G - colours[j].G)
                    + Math.Abs(colours[i].B - colours[j].B));
        Assert.True(nearest >= (count <= 12 ? 90 : 15), $"two colours are {nearest} apart");
    }

    [Fact]
    public void Textures_of_the_high_side_are_carried_over_in_linear_light()
    {
        // A picture of four colours over the whole high plane.
        var picture = new Bitmap8(2, 2, 4, [255, 0, 0, 255, 0, 255, 0, 128, 0, 0, 255, 255, 255, 255, 255, 0]);
        var masks = new Bitmap8(1, 1, 3, [0, 128, 64]);
        var textures = new Dictionary<TextureKind, BakeTexture>
        {
            [TextureKind.BaseColour] = new(picture, 0, Matrix3x2.Identity),
            [TextureKind.Roughness] = new(masks, 0, Matrix3x2.Identity)
        };
        var material = new BakeMaterial(Material.Plain with { BaseColour = Vector4.One, Roughness = 1, Metalness = 1 }, textures);
        var result = Baker.Bake(Bakes.Input(Shapes.Plane("low"), Shapes.Plane("high")) with { Materials = [material] },
            Plain with { Maps = [BakeMap.Colour, BakeMap.Opacity, BakeMap.Roughness, BakeMap.Metalness] }, 2, null, default);
        var colour = result.Maps[BakeMap.Colour];
        // Beside the middle of a red texel there is a little of its neighbours.
        Assert.Equal("#fc2222", Hex(colour, 16 * 64 + 16));
        // Half way between red and green in linear light is brighter than half of the codes.
        int middle = ((Bitmap8)colour).Pixels[3 * (16 * 64 + 32)];
        Assert.InRange(middle, 184, 190);
        Assert.InRange(result.Maps[BakeMap.Opacity].Unit(47, 15, 0), 0.49f, 0.53f);
        Assert.Equal(128 / 255f, result.Maps[BakeMap.Roughness].Unit(9, 9, 0), 0.004f);
        Assert.Equal(64 / 255f, result.Maps[BakeMap.Metalness].Unit(9, 9, 0), 0.004f);
    }

    [Theory]
    [InlineData(HighNormalUse.GreenUp, false, 0.6f, 0)]
    [InlineData(HighNormalUse.GreenUp, true, -0.6f, 0)]
    [InlineData(HighNormalUse.LeftOut, false, 0, 0)]
    public void A_normal_texture_of_the_high_side_is_part_of_its_surface(HighNormalUse use, bool isMirrored, float x, float y) =>
        AssertRelief(new Vector3(0.6f, 0, 0.8f), Matrix3x2.Identity, use, isMirrored, x, y);

    [Theory]
    [InlineData(HighNormalUse.GreenUp, 0, 0.6f)]
    [InlineData(HighNormalUse.GreenDown, 0, -0.6f)]
    public void Its_green_turns_as_the_settings_say(HighNormalUse use, float x, float y) =>
        AssertRelief(new Vector3(0, 0.6f, 0.8f), Matrix3x2.Identity, use, isMirrored: false, x, y);

    [Fact]
    public void It_turns_with_the_uvs_a_material_turns() =>
        // A quarter turn to the left lays the picture's u along the plane's v, downwards.
        AssertRelief(new Vector3(0.6f, 0, 0.8f), Matrix3x2.CreateRotation(MathF.PI / 2), HighNormalUse.GreenUp, isMirrored: false, 0, -0.6f);

    private static void AssertRelief(Vector3 texel, Matrix3x2 turn, HighNormalUse use, bool isMirrored, float x, float y)
    {
        var code = (texel + Vector3.One) / 2 * ushort.MaxValue;
        var texture = new BakeTexture(new Bitmap16(1, 1, 3, [(ushort)code.X, (ushort)code.Y, (ushort)code.Z]), 0, turn);
        var material = new BakeMaterial(Material.Plain, new Dictionary<TextureKind, BakeTexture> { [TextureKind.Normal] = texture });
        var high = Shapes.Plane("high");
        if (isMirrored)
            high = high with { UvSets = [Array.ConvertAll(high.Uvs!, uv => new Vector2(1 - uv.X, uv.Y))] };
        var settings = Plain with { Maps = [BakeMap.Normal, BakeMap.ObjectNormal], Bits = 16, HighNormals = use };
        var map = Baker.Bake(Bakes.Input(Shapes.Plane("low"), high) with { Materials = [material] }, settings, 2, null, default).Maps[BakeMap.Normal];
        foreach (int at in (int[])[3, 30, 61])
        {
            var normal = new Vector3(map.Unit(at, at, 0), map.Unit(at, at, 1), map.Unit(at, at, 2)) * 2 - Vector3.One;
            Assert.InRange(Vector3.Distance(normal, new Vector3(x, y, MathF.Sqrt(1 - x * x - y * y))), 0, 2e-4f);
        }
    }

    [Fact]
    public void Opacity_from_misses_cuts_out_what_the_high_side_leaves_open_and_is_no_fault()
    {
        var leaf = Half("leaf", 0, 0);
        var settings = Plain with { Maps = [BakeMap.Opacity, BakeMap.Normal], OpacityBy = OpacitySource.Misses, Samples = 4 };
        var result = Bakes.Of(settings, Shapes.Plane("low"), leaf);
        Assert.Empty(result.Faults);
        Assert.Equal((255, 0), (Code(result, 10), Code(result, 50)));
        Assert.NotEmpty(Bakes.Of(settings with { Maps = [BakeMap.Normal] }, Shapes.Plane("low"), leaf).Faults);

        int Code(BakeResult baked, int x) => ((Bitmap8)baked.Maps[BakeMap.Opacity]).Pixels[32 * 64 + x];
    }

    [Fact]
    public void Positions_lie_within_the_bounds_they_are_told_with()
    {
        var result = Bakes.Of(Plain with { Maps = [BakeMap.Position], Samples = 1 }, Shapes.Plane("low", 2), Shapes.Plane("high", 2));
        var scale = Assert.Single(result.Scales);
        Assert.Equal((-1f, 1f), (scale.From[0], scale.To[0]));
        var map = result.Maps[BakeMap.Position];
        Assert.Equal(16, map.Bits);
        Assert.Equal((10 + 0.5) / 64, map.Unit(10, 43, 0), 1e-4);
        Assert.Equal((43 + 0.5) / 64, map.Unit(10, 43, 2), 1e-4);
    }

    [Theory]
    [InlineData(MapFile.Png8)]
    [InlineData(MapFile.Png16)]
    [InlineData(MapFile.Tga)]
    [InlineData(MapFile.Exr)]
    public void Every_kind_of_file_reads_back_as_it_was_written(MapFile file)
    {
        var settings = Plain with
        {
            Maps = [BakeMap.Normal, BakeMap.Height],
            Files = new Dictionary<BakeMap, MapFile> { [BakeMap.Normal] = file, [BakeMap.Height] = file },
            CoverageAlpha = true
        };
        var result = Bakes.Of(settings, Shapes.Plane("low", uvTo: 0.5f),
            Bakes.Bent("high", 20, 20, (u, v) => new Vector3(u - 0.5f, 0.005f * MathF.Sin(9 * u), 0.5f - v)));
        foreach (var (map, bitmap) in result.Maps)
        {
            var (ending, bytes) = MapFiles.Write(bitmap, file, 2);
            var read = ImageFile.Read(bytes, "map" + ending);
            Assert.Equal((bitmap.Width, bitmap.Bits), (read.Width, read.Bits));
            for (int i = 0; i < 64 * 64; i++)
                for (int c = 0; c < bitmap.Channels; c++)
                    Assert.Equal(bitmap.Unit(i % 64, i / 64, c), read.Unit(i % 64, i / 64, read.Channels == 4 && bitmap.Channels == 2 && c == 1 ? 3 : c));
            Assert.Equal((1f, 0f), (bitmap.Unit(10, 50, bitmap.Channels - 1), bitmap.Unit(50, 10, bitmap.Channels - 1)));
            if (file is MapFile.Exr)
                Assert.Equal(8, MapFiles.Shown(map, bitmap, result.Scales.FirstOrDefault(s => s.Map == map)).Bits);
        }
    }

    [Theory]
    [InlineData(5)]
    [InlineData(-1)]
    public void Padding_shows_the_nearest_covered_texel_as_trying_all_finds_it(int pixels)
    {
        const int Size = 40;
        bool[] covered = [.. Enumerable.Range(0, Size * Size).Select(i => Shapes.Unit((uint)i) > 0.985f)];
        int[] sources = SheetPadding.Sources(covered, Size, pixels, 2, default), islands = [.. Enumerable.Range(0, covered.Length).Where(i => covered[i])];
        for (int at = 0; at < covered.Length; at++)
        {
            int Distance(int other) => (other % Size - at % Size) * (other % Size - at % Size) + (other / Size - at / Size) * (other / Size - at / Size);
            int nearest = islands.Min(Distance);
            if (pixels >= 0 && nearest > pixels * pixels)
                Assert.Equal(-1, sources[at]);
            else
                Assert.Equal(nearest, Distance(sources[at]));
        }
    }

    private static BakeMaterial Named(string name) => new(Material.Plain with { Name = name }, new Dictionary<TextureKind, BakeTexture>());

    /// <summary>Half of the plane over the tile.</summary>
    private static Mesh Half(string name, float from, int material) =>
        Bakes.Bent(name, 1, 1, (u, v) => new Vector3(from - 0.5f + u / 2, 0, 0.5f - v)) with { TriangleMaterials = [material, material] };

    private static string Hex(Bitmap map, int texel)
    {
        byte[] pixels = ((Bitmap8)map).Pixels;
        return $"#{pixels[3 * texel]:x2}{pixels[3 * texel + 1]:x2}{pixels[3 * texel + 2]:x2}";
    }
}
