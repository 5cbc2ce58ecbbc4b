using System.Numerics;
using Crumpet.Core.Geometry;
using Crumpet.Core.Imaging;
using Crumpet.Demo;
using Xunit;

namespace Crumpet.Core.Tests.Geometry;

/// <summary>What our writers write, our readers read back, as far as each format can hold it.</summary>
public sealed class RoundTripTests
{
    private static readonly Scene Anemometer = CupAnemometer.Low();

    [Fact]
    public void A_GLB_keeps_names_materials_UV_sets_colours_and_transforms()
    {
        var placement = Matrix4x4.CreateScale(-2, 1, 0.5f) * Matrix4x4.CreateRotationY(0.7f) * Matrix4x4.CreateTranslation(1, 2, 3);
        var cube = Shapes.Cube("box_low");
        cube = cube with
        {
            Placement = placement,
            Colours = [.. cube.Corners.Select(c => new Vector4(cube.Positions[c] + new Vector3(0.5f), 1))],
            UvSets = [cube.Uvs!, Array.ConvertAll(cube.Uvs!, uv => uv * 0.25f)],
            TriangleMaterials = [.. Enumerable.Range(0, 12).Select(t => t / 6)],
        };
        var back = GltfReader.Read(Glb(new Scene("", [cube], [Material.Plain, Material.Plain with { Name = "paint" }], [])), "x.glb", _ => null);
        var mesh = back.Meshes[0];
        Assert.Equal(("box_low", 12, 2), (mesh.Name, mesh.TriangleCount, mesh.UvSets.Count));
        Assert.Equal(["plain", "paint"], back.Materials.Select(m => m.Name));
        for (int i = 0; i < 4; i++)
            for (int j = 0; j < 4; j++)
                Assert.Equal(placement[i, j], mesh.Placement[i, j], 5);
        for (int c = 0; c < 36; c++)
        {
            Assert.True(Vector3.Distance(cube.PositionAt(c), mesh.PositionAt(c)) < 1e-5f);
            Assert.True(Vector3.Distance(cube.Normals![c], mesh.Normals![c]) < 1e-4f, $"{cube.Normals[c]} {mesh.Normals[c]}");
            Assert.True(Vector2.Distance(cube.UvSets[1][c], mesh.UvSets[1][c]) < 1e-6f);
            Assert.Equal(cube.Colours![c], mesh.Colours![c]);
        }
    }

    [Fact]
    public void An_OBJ_keeps_colours_and_pictures()
    {
        var cube = Shapes.Cube("box_high");
        cube = cube with { Colours = [.. cube.Corners.Select(c => new Vector4(cube.Positions[c] + new Vector3(0.5f), 1))] };
        var scene = new Scene("", [cube], [Material.Plain with { Textures = [new TextureUse(TextureKind.Normal, "maps/a b.png")] }], []);
        using MemoryStream obj = new(), library = new();
        ObjWriter.Write(scene, obj, "x.mtl");
        ObjWriter.WriteLibrary(scene.Materials, library);
        obj.Position = library.Position = 0;
        var back = ObjReader.Read(obj, "x.obj", name => MtlReader.Read(library, name));
        Assert.Equal(new TextureUse(TextureKind.Normal, "maps/a b.png"), back.Materials[0].Textures[0]);
        for (int c = 0; c < 36; c++)
            Assert.True(Vector4.Distance(cube.Colours![c], back.Meshes[0].Colours![c]) < 1e-4f);
    }

    [Theory]
    [InlineData(PlyFormat.Text)]
    [InlineData(PlyFormat.LittleEndian)]
    [InlineData(PlyFormat.BigEndian)]
    public void A_PLY_keeps_every_corner(PlyFormat format)
    {
        using var stream = new MemoryStream();
        PlyWriter.Write(Anemometer, stream, format);
        var mesh = PlyReader.Read(stream.ToArray(), "x.ply").Meshes[0];
        int at = 0;
        foreach (var source in Anemometer.Meshes)
        {
            for (int c = 0; c < source.Corners.Length; c++, at++)
            {
                Assert.Equal(source.PositionAt(c), mesh.PositionAt(at));
                Assert.Equal(source.Uvs![c], mesh.Uvs![at]);
                Assert.True(Vector3.Distance(source.Normals![c], mesh.Normals![at]) < 1e-6f);
            }
        }
        Assert.Equal(mesh.Corners.Length, at);
    }

    [Theory]
    [InlineData(true)]
    [InlineData(false)]
    public void An_STL_keeps_every_triangle(bool asText)
    {
        using var stream = new MemoryStream();
        StlWriter.Write(Anemometer, stream, asText);
        var back = StlReader.Read(stream.ToArray(), "x.stl");
        Assert.Equal(asText ? Anemometer.Meshes.Count : 1, back.Meshes.Count);
        var (positions, corners) = Mesh.Join(Anemometer.Meshes);
        var (read, readCorners) = Mesh.Join(back.Meshes);
        Assert.Equal(corners.Select(c => positions[c]), readCorners.Select(c => read[c]));
    }

    [Fact]
    public void A_stored_scene_keeps_what_a_source_told()
    {
        var use = new TextureUse(TextureKind.BaseColour, "a.png") { UvSet = 1, UvTransform = Matrix3x2.CreateScale(2, 3) };
        var mesh = Shapes.Plane("p") with { Placement = Matrix4x4.CreateScale(2), IsHidden = true, TrianglePolygons = [0, 0] };
        var back = SceneFile.Read(SceneFile.Write(
            new Scene("f.obj", [mesh], [Material.Plain with { Textures = [use] }], []) { Strays = [new Stray("Eye", "camera")] }));
        Assert.Equal(("f.obj", use, new Stray("Eye", "camera")), (back.FileName, back.Materials[0].Textures[0], back.Strays[0]));
        Assert.Equal((mesh.Placement, true), (back.Meshes[0].Placement, back.Meshes[0].IsHidden));
        Assert.Equal([0, 0], back.Meshes[0].TrianglePolygons!);
    }

    private static byte[] Glb(Scene scene)
    {
        using var stream = new MemoryStream();
        GltfWriter.WriteBinary(SceneDocument.Of(scene), stream);
        return stream.ToArray();
    }
}
