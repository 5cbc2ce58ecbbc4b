using System.Numerics;
using Crumpet.Core.Geometry;
using Xunit;

namespace Crumpet.Core.Tests.Geometry;

public sealed class GltfTests
{
    [Fact]
    public void What_is_written_is_read_back_the_same()
    {
        var sphere = Shapes.Sphere("ball", 24, 12);
        var back = GltfReader.Read(Glb(sphere), "ball.glb", _ => null);
        var mesh = Assert.Single(back.Meshes);
        Assert.Equal("ball", mesh.Name);
        Assert.Equal(sphere.TriangleCount, mesh.TriangleCount);
        for (int c = 0; c < sphere.Corners.Length; c++)
        {
            Assert.Equal(sphere.PositionAt(c), mesh.PositionAt(c));
            Assert.Equal(sphere.Uvs![c].X, mesh.Uvs![c].X, 6);
            Assert.Equal(sphere.Uvs[c].Y, mesh.Uvs[c].Y, 6);
        }
    }

    [Fact]
    public void The_same_document_gives_the_same_bytes() => Assert.Equal(Glb(Shapes.Sphere("ball", 16, 8)), Glb(Shapes.Sphere("ball", 16, 8)));

    [Theory]
    [InlineData(0.5)]
    [InlineData(0.05)]
    [InlineData(0.99)]
    public void A_cut_file_is_refused_with_its_name(double share)
    {
        byte[] whole = Glb(Shapes.Sphere("ball", 24, 12));
        var e = Assert.Throws<SourceFileException>(() => GltfReader.Read(whole[..(int)(whole.Length * share)], "cut.glb", _ => null));
        Assert.StartsWith("cut.glb", e.Message, StringComparison.Ordinal);
        Assert.Contains("Export it again", e.Message, StringComparison.Ordinal);
    }

    [Fact]
    public void A_position_that_is_no_number_is_refused_with_its_object()
    {
        var sphere = Shapes.Sphere("ball", 12, 6);
        byte[] bytes = Glb(sphere);
        // The first position's x, at the start of the binary chunk.
        int binary = 12 + 8 + BitConverter.ToInt32(bytes, 12) + 8;
        BitConverter.TryWriteBytes(bytes.AsSpan(binary), float.NaN);
        Assert.Throws<SourceFileException>(() => GltfReader.Read(bytes, "nan.glb", _ => null));
    }

    [Fact]
    public void A_buffer_that_is_not_there_is_asked_for_by_name()
    {
        byte[] text = """{"asset":{"version":"2.0"},"buffers":[{"uri":"data.bin","byteLength":12}],"bufferViews":[{"buffer":0,"byteLength":12}]}"""u8.ToArray();
        var e = Assert.Throws<SourceFileException>(() => GltfReader.Read(text, "a.gltf", _ => null));
        Assert.Contains("data.bin", e.Message, StringComparison.Ordinal);
    }

    private static byte[] Glb(Mesh mesh)
    {
        using var stream = new MemoryStream();
        GltfWriter.WriteBinary(new SceneDocument([new SceneObject(mesh, TangentSpace.PerCorner(mesh))], [new SceneMaterial(Material.Plain)], []), stream);
        return stream.ToArray();
    }
}
