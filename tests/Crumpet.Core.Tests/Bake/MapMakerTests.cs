using System.Numerics;
using Crumpet.Core.Bake;
using Crumpet.Core.Building;
using Crumpet.Core.Geometry;
using Crumpet.Core.Imaging;
using Crumpet.Core.Intake;
using Xunit;

namespace Crumpet.Core.Tests.Bake;

/// <summary>Maps made from maps, where there is no high side.</summary>
public sealed class MapMakerTests
{
    private const int Side = 128;

    [Fact]
    public void Heights_found_from_normals_are_those_the_normals_were_made_of()
    {
        float[] heights = [.. Enumerable.Range(0, Side * Side)
            .Select(i => 3 * MathF.Sin(2 * MathF.PI * 2 * (i % Side) / Side) * MathF.Cos(2 * MathF.PI * (i / Side) / Side))];
        // Central differences, as heights are found for.
        var normals = new Vector3[heights.Length];
        for (int i = 0; i < normals.Length; i++)
        {
            int x = i % Side, y = i / Side;
            normals[i] = Vector3.Normalize(new Vector3(-(At(x + 1, y) - At(x - 1, y)) / 2, (At(x, y + 1) - At(x, y - 1)) / 2, 1));
        }
        float[] found = MadeMaps.Heights(normals, Side, default);
        Assert.All(Enumerable.Range(0, heights.Length), i => Assert.Equal(heights[i], found[i], 1e-3f));
        Assert.Throws<ArgumentException>(() => MadeMaps.Heights(normals[..(96 * 128)], 96, default));

        float At(int x, int y) => heights[(y + Side) % Side * Side + (x + Side) % Side];
    }

    [Fact]
    public void An_even_slope_is_open_and_the_foot_of_a_wall_sees_half_of_the_sky()
    {
        float[] ramp = [.. Enumerable.Range(0, Side * Side).Select(i => 0.7f * (i % Side))],
            wall = [.. Enumerable.Range(0, Side * Side).Select(i => i % Side < 64 ? 5000f : 0)];
        var open = MadeMaps.Occlusion(ramp, Side, 20, false, 2, default);
        Assert.All(Enumerable.Range(0, Side * Side).Where(i => i % Side is > 21 and < 106), i => Assert.InRange(open[i], 0.999f, 1));
        var shaded = MadeMaps.Occlusion(wall, Side, 40, false, 2, default);
        Assert.InRange(Enumerable.Range(20, 80).Average(y => shaded[y * Side + 66]), 0.46, 0.56);
        Assert.Equal(1, shaded[50 * Side + 120]);
        Assert.Equal(shaded, MadeMaps.Occlusion(wall, Side, 40, false, 1, default));
    }

    [Fact]
    public void Curvature_of_a_bump_is_that_of_its_sphere_and_negative_in_a_dent()
    {
        const float Radius = 200;
        Vector3 Dome(int i) => Vector3.Normalize(new Vector3(i % Side - 63.5f, 63.5f - i / Side, MathF.Sqrt(Radius * Radius - 2 * 64 * 64)));
        Vector3[] bump = [.. Enumerable.Range(0, Side * Side).Select(i => new Vector3((i % Side - 63.5f) / Radius, (63.5f - i / Side) / Radius, 1))];
        Assert.Equal(1 / Radius, MadeMaps.Curvature(bump, Side, 3, false, 2, default)[64 * Side + 64], 1e-6f);
        var source = new Bitmap16(Side, Side, 3,
            [.. Enumerable.Range(0, Side * Side).SelectMany(i => new[] { Dome(i).X, Dome(i).Y, Dome(i).Z }).Select(v => (ushort)((v * 0.5f + 0.5f) * 65535))]);
        var made = new MadeMap("n.png", MadeOf.Normal, BakeMap.Curvature) { Wrap = false };
        Assert.True(MapMaker.Make(made, source, GreenDirection.Up, 1, default).Unit(64, 64, 0) > 0.52f);
        // Green the other way round makes a saddle of it: flat.
        Assert.Equal(0.5f, MapMaker.Make(made, source, GreenDirection.Down, 1, default).Unit(64, 64, 0), 0.002f);
    }

    [Fact]
    public void Occlusion_of_a_normal_map_is_near_that_of_the_heights_it_came_from()
    {
        // Round dents, 100 px across so that the sides are no powers of two.
        const int Across = 100;
        var heights = new Bitmap16(Across, Across, 1, [.. Enumerable.Range(0, Across * Across).Select(i =>
        {
            float r = Vector2.Distance(new Vector2(i % Across, i / Across), new Vector2(50));
            return (ushort)(65535 * Math.Clamp(r / 25, 0, 1) * Math.Clamp(r / 25, 0, 1) + 0.5f);
        })]);
        var direct = MapMaker.Make(new MadeMap("h", MadeOf.Height, BakeMap.Occlusion) { Strength = 12, Wrap = false }, heights, GreenDirection.Up, 2, default);
        var normals = MapMaker.Make(new MadeMap("h", MadeOf.Height, BakeMap.Normal) { Strength = 12, Wrap = false }, heights, GreenDirection.Up, 2, default);
        var through = MapMaker.Make(new MadeMap("n", MadeOf.Normal, BakeMap.Occlusion) { Wrap = false }, normals, GreenDirection.Up, 2, default);
        Assert.InRange(direct.Unit(50, 50, 0), 0.8f, 0.95f);
        Assert.InRange(Enumerable.Range(0, Across * Across)
            .Average(i => Math.Abs(direct.Unit(i % Across, i / Across, 0) - through.Unit(i % Across, i / Across, 0))), 0, 0.02);
    }

    [Fact]
    public void An_asset_without_a_high_side_goes_on_with_made_maps_alone()
    {
        var store = new MemoryResultStore();
        using var stream = new MemoryStream();
        GltfWriter.WriteBinary(new SceneDocument([new SceneObject(Shapes.Plane("rock_low"))], [new SceneMaterial(Material.Plain with { Name = "rock" })], []), stream);
        var height = new Bitmap8(64, 64, 1, [.. Enumerable.Range(0, 64 * 64).Select(i => (byte)(127 + 100 * MathF.Sin(i % 64 / 5f)))]);
        byte[] png = ImageFile.WritePng(height);
        SourceFile[] files = [new("rock_low.glb", store.Put(stream.ToArray()), stream.Length), new("rock_height.png", store.Put(png), png.Length)];
        var plan = new AssetPlan
        {
            Bake = new BakeSettings
            {
                Size = 64,
                Maps = [BakeMap.Normal],
                Made = [new("rock_height.png", MadeOf.Height, BakeMap.Normal), new("rock_height.png", MadeOf.Height, BakeMap.Occlusion)]
            }
        };
        // With neither a high side nor a texture there is nothing to go on with.
        var bare = new AssetBuild("rock", plan with { Bake = new BakeSettings() }, files[..1], store);
        var (stopped, before) = bare.Run(Station.Deliver, false, 2, null, default);
        Assert.True(before.IsBlocked, string.Join(' ', before.Findings.Select(f => f.Sentence)) + stopped);
        var (station, result) = new AssetBuild("rock", plan, files, store).Run(Station.Bake, false, 2, null, default);
        Assert.Equal(Station.Bake, station);
        Assert.Equal(["ao", "normal"], result.As<BakeReport>().Sheets[0].Maps.Keys.Order());
        var normal = ImageFile.Read(store.Load(result.File("rock_normal.png").Sha256), "n.png");
        Assert.True(Enumerable.Range(0, 64).Max(x => normal.Unit(x, 30, 0)) > 0.6f);
        Assert.Equal(Station.Deliver, new AssetBuild("rock", plan, files, store).Run(Station.Deliver, false, 2, null, default).Station);
    }

    [Theory]
    [InlineData(MadeOf.Normal, "normal", 8, 16)]
    [InlineData(MadeOf.Height, "id", 8, 16)]
    [InlineData(MadeOf.Height, "normal", float.NaN, 16)]
    [InlineData(MadeOf.Height, "normal", 8, 0)]
    public void What_cannot_be_made_is_said(MadeOf from, string to, float strength, int radius) =>
        Assert.NotNull(new BakeSettings { Made = [new MadeMap("f.png", from, BakeMap.Table.Of(to)) { Strength = strength, RadiusPixels = radius }] }.Problem());
}
