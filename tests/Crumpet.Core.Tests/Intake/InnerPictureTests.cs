using System.Numerics;
using System.Text;
using Crumpet.Core.Bake;
using Crumpet.Core.Building;
using Crumpet.Core.Geometry;
using Crumpet.Core.Imaging;
using Crumpet.Core.Intake;
using Xunit;

namespace Crumpet.Core.Tests.Intake;

/// <summary>Pictures inside mesh files are textures as any other.</summary>
public sealed class InnerPictureTests
{
    private static byte[] Picture(byte red)
    {
        var picture = new Bitmap8(8, 8, 3);
        for (int i = 0; i < picture.Pixels.Length; i += 3)
            (picture.Pixels[i], picture.Pixels[i + 1]) = (red, 30);
        return ImageFile.WritePng(picture);
    }

    /// <summary>A square in the plane of x and z with a textured material; its picture lies in the file.</summary>
    private static byte[] Gltf(string name, byte red, string more = "")
    {
        float[] numbers = [-0.5f, 0, 0.5f, 0.5f, 0, 0.5f, 0.5f, 0, -0.5f, -0.5f, 0, -0.5f, 0, 0, 1, 0, 1, 1, 0, 1];
        byte[] buffer = [.. numbers.SelectMany(BitConverter.GetBytes), 0, 0, 1, 0, 2, 0, 0, 0, 2, 0, 3, 0];
        string data = System.Convert.ToBase64String(buffer), picture = System.Convert.ToBase64String(Picture(red));
        return Encoding.UTF8.GetBytes($$"""
            {"asset":{"version":"2.0"},"scene":0,"scenes":[{"nodes":[0]}],"nodes":[{"mesh":0,"name":"{{name}}"}],"meshes":[{"primitives":[{"attributes":
            {"POSITION":0,"TEXCOORD_0":1},"indices":2,"material":0}]}],"materials":[{"name":"painted",
            "pbrMetallicRoughness":{"baseColorTexture":{"index":0{{more}} }
             } }],"textures":[{"source":0}],"images":[{"name":"paint","uri":"data:image/png;base64,{{picture}}"}],"accessors":[
            {"bufferView":0,"componentType":5126,
            "count":4,"type":"VEC3"},{"bufferView":1,"componentType":5126,"count":4,"type":"VEC2"},
            {"bufferView":2,"componentType":5123,"count":6,"type":"SCALAR"}],
            "bufferViews":[{"buffer":0,"byteLength":48},{"buffer":0,"byteOffset":48,"byteLength":32},{"buffer":0,"byteOffset":80,"byteLength":12}],"buffers":[
            {"byteLength":92,"uri":"data:application/octet-stream;base64,{{data}}"}]}
            """);
    }

    private static AssetBuild Build(MemoryResultStore store, params (string Name, byte[] Bytes)[] files) => new(
        "sign", new AssetPlan { Bake = new BakeSettings { Size = 32, Samples = 1, Maps = [BakeMap.Colour], Dither = false } },
        [.. files.Select(f => new SourceFile(f.Name, store.Put(f.Bytes), f.Bytes.Length))], store);

    [Fact]
    public void They_are_listed_with_what_uses_them_and_what_they_are()
    {
        var store = new MemoryResultStore();
        var build = Build(store, ("in/sign_high.gltf", Gltf("sign_high", 200)), ("in/sign_low.gltf", Gltf("sign_low", 200)));
        build.Run(Station.Intake, true, 1, null, default);
        var result = build.ResultOf(Station.Intake)!;
        var report = result.As<IntakeReport>();
        Assert.Equal(["in/sign_high.gltf/paint.png", "in/sign_low.gltf/paint.png"], report.Textures.Select(t => t.File).Order());
        Assert.All(report.Textures, t => Assert.Equal(8, t.Width));
        Assert.Equal(["painted"], report.Textures.Single(t => t.Kind == TextureKind.BaseColour).UsedBy);
        Assert.Equal(Picture(200), store.Load(result.File("in/sign_high.gltf/paint.png").Sha256));
        // Of one content they are one material; nothing is missing and nothing differs.
        Assert.DoesNotContain(result.Findings, f => f.Code is "texture-missing" or "texture-path" or "material-differs");
        Assert.Single(report.Materials);
    }

    [Fact]
    public void Two_of_one_name_and_another_content_are_told_apart()
    {
        var build = Build(new MemoryResultStore(), ("a_low.gltf", Gltf("a_low", 200)), ("b_low.gltf", Gltf("b_low", 90)));
        build.Run(Station.Intake, true, 1, null, default);
        Assert.Contains(build.ResultOf(Station.Intake)!.Findings, f => f.Code == "material-differs");
    }

    [Theory]
    [InlineData("", 200)]
    [InlineData(",\"extensions\":{\"KHR_texture_transform\":{\"offset\":[0.25,0.5],\"scale\":[0.5,0.5],\"rotation\":0.4}}", 200)]
    public void They_colour_the_bake_and_are_moved_as_the_material_says(string transform, byte red)
    {
        var store = new MemoryResultStore();
        var build = Build(store, ("sign_high.gltf", Gltf("sign_high", red, transform)), ("sign_low.gltf", Gltf("sign_low", red)));
        Assert.Equal(Station.Bake, build.Run(Station.Bake, true, 1, null, default).Station);
        var result = build.ResultOf(Station.Bake)!;
        string file = result.As<BakeReport>().Sheets[0].Maps["colour"];
        var map = (Bitmap8)ImageFile.Read(store.Load(result.File(file).Sha256), file);
        Assert.InRange(map.Pixels[3 * (16 * 32 + 16)], red - 1, red + 1);
        Assert.InRange(map.Pixels[3 * (16 * 32 + 16) + 1], 29, 31);
    }

    [Fact]
    public void Reading_alone_lists_them_too()
    {
        var files = new Dictionary<string, byte[]> { ["sign_low.gltf"] = Gltf("sign_low", 10) };
        var result = IntakeStation.Run(new IntakeInput([.. files.Select(f => new SourceFile(f.Key, "", f.Value.Length))], f => new MemoryStream(files[f.Name]),
            Sides.DefaultPattern));
        Assert.Equal("sign_low.gltf/paint.png", Assert.Single(result.Report.Textures).File);
    }

    [Theory]
    [InlineData("""{"asset":{"version":"1.0"},"meshes":{"a":{}}}""")]
    [InlineData("""{"asset":{},"meshes":{"a":{"primitives":[]}}}""")]
    public void The_first_gltf_is_refused_by_its_name(string text)
    {
        var e = Assert.Throws<SourceFileException>(() => GltfReader.Read(Encoding.UTF8.GetBytes(text), "old.gltf", _ => null));
        Assert.Contains("it is glTF 1.0, which is not read", e.Message, StringComparison.Ordinal);
        byte[] binary = [.. "glTF"u8, 1, 0, 0, 0, 24, 0, 0, 0, 4, 0, 0, 0, 0, 0, 0, 0, .. "{}  "u8];
        Assert.Contains("glTF 1.0", Assert.Throws<SourceFileException>(() => GltfReader.Read(binary, "old.glb", _ => null)).Message, StringComparison.Ordinal);
    }
}
