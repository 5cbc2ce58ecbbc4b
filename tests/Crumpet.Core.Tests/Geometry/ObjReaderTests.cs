using System.Numerics;
using System.Text;
using Crumpet.Core.Geometry;
using Xunit;

namespace Crumpet.Core.Tests.Geometry;

public sealed class ObjReaderTests
{
    [Fact]
    public void Reads_objects_quads_negative_indices_and_every_line_ending()
    {
        var scene = Read("# c\r\no first\r\nv 0 0 0\r\nv 1 0 0\r\nv 1 1 0\r\nv 0 1 0\r\nvt 0 0\r\nvt 1 0\r\nvt 1 1\r\nvt 0 1\r\nvn 0 0 2\r\nusemtl "
            + "paint\r\nf 1/1/1 2/2/1 3/3/1 4/4/1\r\no second\rv 0 0 5\rf -1 -2 \\\n-3\n");
        Assert.Equal(["first", "second"], scene.Meshes.Select(m => m.Name));
        var first = scene.Meshes[0];
        Assert.Equal((2, 1), (first.TriangleCount, first.PolygonCount));
        Assert.All(first.Normals!, n => Assert.Equal(Vector3.UnitZ, n));
        Assert.Equal(new Vector2(1, 1), first.Uvs![2]);
        Assert.Equal([5f, 0f, 0f], scene.Meshes[1].Corners.Select(c => scene.Meshes[1].Positions[c].Z));
        Assert.Equal("paint", scene.Materials[first.TriangleMaterials[0]].Name);
        Assert.Contains(scene.Notes, n => n.Code == "material-not-described");
    }

    [Fact]
    public void Long_files_are_read_across_buffer_borders()
    {
        var text = new StringBuilder("o wide\n");
        for (int i = 0; i < 30000; i++)
            text.Append(System.Globalization.CultureInfo.InvariantCulture, $"v {i * 0.001} 0 {i % 7}\n");
        for (int i = 1; i < 29999; i++)
            text.Append(System.Globalization.CultureInfo.InvariantCulture, $"f {i} {i + 1} {i + 2}\n");
        var mesh = Read(text.ToString()).Meshes[0];
        Assert.Equal(29998, mesh.TriangleCount);
        Assert.Equal(29.999f, mesh.Bounds().Max.X, 3);
    }

    [Theory]
    [InlineData("o box\nv 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 9\n", "line 5", "out of range")]
    [InlineData("v 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 0\n", "line 4", "out of range")]
    [InlineData("v 0 nan 0\n", "line 1", "number")]
    [InlineData("v 0 1\n", "line 1", "a number is missing")]
    [InlineData("v 0 0 0\nv 1 0 0\nf 1 2\n", "line 3", "2 corners")]
    [InlineData("v 0 0 0\nv 1 0 0\nf 1 x 2\n", "line 3", "no position index")]
    public void Broken_lines_are_named_with_their_place(string text, string where, string what)
    {
        var e = Assert.Throws<SourceFileException>(() => Read(text));
        Assert.Equal("test.obj", e.File);
        Assert.StartsWith(where, e.Where, StringComparison.Ordinal);
        Assert.Contains(what, e.What, StringComparison.Ordinal);
        Assert.NotEmpty(e.WhatToDo);
    }

    [Theory]
    [InlineData("")]
    [InlineData("v 0 0 0\nv 1 0 0\nv 0 1 0\n")]
    public void A_file_without_triangles_is_said_to_be_one(string text) =>
        Assert.Contains("no triangle", Assert.Throws<SourceFileException>(() => Read(text)).Message, StringComparison.Ordinal);

    [Fact]
    public void What_is_written_is_read_back_the_same()
    {
        var low = Demo.LouvreScreen.Low();
        using var obj = new MemoryStream();
        using var library = new MemoryStream();
        ObjWriter.Write(low, obj, "x.mtl");
        ObjWriter.WriteLibrary(low.Materials, library);
        obj.Position = library.Position = 0;
        var back = ObjReader.Read(obj, "x.obj", name => MtlReader.Read(library, name));
        Assert.Equal(low.Meshes.Count, back.Meshes.Count);
        Assert.Equal(0.78f, back.Materials[0].BaseColour.X, 4);
        foreach (var (a, b) in low.Meshes.Zip(back.Meshes))
        {
            Assert.Equal(a.Name, b.Name);
            Assert.Equal(a.Uvs!, b.Uvs!);
            for (int c = 0; c < a.Corners.Length; c++)
                Assert.Equal(a.PositionAt(c), b.PositionAt(c));
        }
    }

    private static Scene Read(string text) => ObjReader.Read(new MemoryStream(Encoding.UTF8.GetBytes(text)), "test.obj", _ => []);
}
