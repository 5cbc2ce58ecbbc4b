using System.Numerics;
using System.Text;
using Crumpet.Core.Geometry;
using Xunit;

namespace Crumpet.Core.Tests.Geometry;

/// <summary>OBJ files as the format's specification allows them and programs of several ages write them.</summary>
public sealed class ObjAwkwardTests
{
    private const string Square = "v 0 0 0\nv 1 0 0\nv 1 1 0\nv 0 1 0\n";

    /// <summary>Name, text, objects, triangles of all, polygons of all.</summary>
    public static TheoryData<string, string, string, int, int> Files => new()
    {
        { "plain", Square + "f 1 2 3\n", "test", 1, 1 },
        { "a quad", Square + "f 1 2 3 4\n", "test", 2, 1 },
        { "no line end at the end", Square + "f 1 2 3", "test", 1, 1 },
        { "returns alone", (Square + "f 1 2 3\nf 1 3 4\n").Replace('\n', '\r'), "test", 2, 2 },
        { "returns and line feeds", (Square + "f 1 2 3\n").Replace("\n", "\r\n", StringComparison.Ordinal), "test", 1, 1 },
        { "mixed line ends", "v 0 0 0\rv 1 0 0\r\nv 1 1 0\nf 1 2 3\r", "test", 1, 1 },
        { "empty lines and comments", "\n\n# hello\n" + Square + "\n   \n# f 1 2 3\nf 1 2 3 # not 4\n", "test", 1, 1 },
        { "tabs and many blanks", "v\t0\t0\t0\n  v   1  0\t 0 \nv 1 1 0\nf\t1  2\t\t3  \n", "test", 1, 1 },
        { "a byte order mark", "\ufeff" + Square + "f 1 2 3\n", "test", 1, 1 },
        { "indices that count back", Square + "f -4 -3 -2\nf -4 -2 -1\n", "test", 2, 2 },
        { "counting back from where the face stands", "v 9 9 9\nv 0 0 0\nv 1 0 0\nv 1 1 0\nf -3 -2 -1\nv 0 1 0\nf -4 -2 -1\n", "test", 2, 2 },
        { "a line continued", Square + "f 1 2 \\\n3 4\n", "test", 2, 1 },
        { "a line continued twice with returns", Square + "f 1 \\\r\n2 \\\r\n3\r\n", "test", 1, 1 },
        { "continued between keyword and numbers", "v \\\n0 0 0\nv 1 0 0\nv 1 1 0\nf \\\n1 2 3\n", "test", 1, 1 },
        { "texture coordinates alone", Square + "vt 0 0\nf 1/1 2/1 3/1\n", "test", 1, 1 },
        { "normals alone", Square + "vn 0 0 1\nf 1//1 2//1 3//1\n", "test", 1, 1 },
        { "an empty last index", Square + "vt 0 0\nf 1/1/ 2/1/ 3/1/\n", "test", 1, 1 },
        { "three texture coordinates", Square + "vt 0 0 0\nf 1/1 2/1 3/1\n", "test", 1, 1 },
        { "one texture coordinate", Square + "vt 0.5\nf 1/1 2/1 3/1\n", "test", 1, 1 },
        { "a weight after positions", "v 0 0 0 1.0\nv 1 0 0 1.0\nv 1 1 0 1.0\nf 1 2 3\n", "test", 1, 1 },
        { "colours after positions", "v 0 0 0 1 0 0\nv 1 0 0 0 1 0\nv 1 1 0 0 0 1\nf 1 2 3\n", "test", 1, 1 },
        { "numbers with exponents and signs", "v +0.0e0 -0 0E+2\nv 1e0 .0 0.\nv 10e-1 1.000000000000000000000000001 0\nf 1 2 3\n", "test", 1, 1 },
        { "very long numbers", "v 0.1234567890123456789012345678901234567890 0 0\nv 123456789012345678 0 0\nv 1 1 0\nf 1 2 3\n", "test", 1, 1 },
        { "two objects", "o one\n" + Square + "f 1 2 3\no two\nf 1 3 4\n", "one,two", 2, 2 },
        { "an object with groups inside", "o lid\n" + Square + "g left\nf 1 2 3\ng right\nf 1 3 4\n", "left,right", 2, 2 },
        { "two objects with groups inside", "o lid\ng lid_a\n" + Square + "f 1 2 3\no box\ng box_a\nf 1 3 4\ng box_b\nf 1 2 4\n", "lid,box", 3, 3 },
        { "groups alone", Square + "g one\nf 1 2 3\ng two\nf 1 3 4\ng one\nf 1 2 4\n", "one,two", 3, 3 },
        { "the same object name twice", "o bolt\n" + Square + "f 1 2 3\no bolt\nf 1 3 4\n", "bolt,bolt", 2, 2 },
        { "names with blanks and other letters", "o Gitter außen Ω\n" + Square + "f 1 2 3\n", "Gitter außen Ω", 1, 1 },
        { "an object without a face", "o empty\no full\n" + Square + "f 1 2 3\n", "full", 1, 1 },
        { "a nameless object after a named one", "o a\n" + Square + "f 1 2 3\no\nf 1 3 4\n", "a,unnamed", 2, 2 },
        { "statements nobody knows", "mg 1 2\ncstype bezier\nl 1 2\np 1\nmaplib x\nshadow_obj y\n" + Square + "f 1 2 3\n", "test", 1, 1 },
        { "faces before later positions", "f 1 2 3\n" + Square, "test", 1, 1 },
        { "a concave polygon", "v 0 0 0\nv 4 0 0\nv 4 4 0\nv 2 1 0\nv 0 4 0\nf 1 2 3 4 5\n", "test", 3, 1 },
        { "a zero byte at line ends", "v 0 0 0\0\nv 1 0 0\0\nv 1 1 0\0\nf 1 2 3\0\n", "test", 1, 1 },
        { "smoothing groups", Square + "s 1\nf 1 2 3\ns off\nf 1 3 4\n", "test", 2, 2 },
    };

    [Theory]
    [MemberData(nameof(Files))]
    public void A_file_of_any_age_is_read(string name, string text, string objects, int triangles, int polygons)
    {
        Assert.NotEmpty(name);
        var scene = Read(Encoding.UTF8.GetBytes(text));
        Assert.Equal(objects, string.Join(',', scene.Meshes.Select(m => m.Name)));
        Assert.Equal((triangles, polygons), (scene.Meshes.Sum(m => m.TriangleCount), scene.Meshes.Sum(m => m.PolygonCount)));
        Assert.All(scene.Meshes, m => Assert.All(m.Corners, c => Assert.InRange(c, 0, m.Positions.Length - 1)));
        // The same text in the other encodings says the same.
        foreach (var encoding in (Encoding[])[new UnicodeEncoding(false, true), new UnicodeEncoding(true, true)])
        {
            var again = Read([.. encoding.GetPreamble(), .. encoding.GetBytes(text.TrimStart('\ufeff'))]);
            Assert.Equal(objects, string.Join(',', again.Meshes.Select(m => m.Name)));
            Assert.Equal(scene.Meshes.SelectMany(m => m.Positions), again.Meshes.SelectMany(m => m.Positions));
        }
    }

    [Fact]
    public void Blocks_and_threads_change_nothing()
    {
        var text = new StringBuilder("o terrain_high\n");
        for (int i = 0; i < 120_000; i++)
            text.Append(System.Globalization.CultureInfo.InvariantCulture,
                $"v {i * 0.001:0.000000} {i % 13 * 0.1:0.0} 7\nvn 0 1 0\nvt {i % 100 / 100f:0.00} 0.5\n");
        for (int i = 1; i < 119_990; i++)
            text.Append(i % 3 == 0 ? $"f {i}/{i}/{i} {i + 1}/{i}/{i} {i + 3}/{i}/{i} {i + 2}/{i}/{i}\n" : $"f -{i} -{i + 1} -{i + 2}\n");
        byte[] bytes = Encoding.ASCII.GetBytes(text.ToString());
        Assert.True(bytes.Length > 2 * (4 << 20), "The file must span several blocks.");
        var one = Read(bytes, 1).Meshes[0];
        var two = Read(bytes, 2).Meshes[0];
        Assert.Equal(one.Corners, two.Corners);
        Assert.Equal(one.Positions, two.Positions);
        Assert.Equal(one.TrianglePolygons, two.TrianglePolygons);
        Assert.Equal((119_989, 119_989 + 39_996), (one.PolygonCount, one.TriangleCount));
        Assert.Equal(0.001f * 119_999, one.Bounds().Max.X, 3);
    }

    [Fact]
    public void Numbers_come_out_as_the_nearest_floats()
    {
        var words = new List<string>();
        for (int i = 0; i < 6000; i++)
        {
            double value = (Shapes.Unit((uint)i) - 0.5) * Math.Pow(10, i % 9 - 4);
            words.Add(value.ToString(i % 2 == 0 ? "R" : "F7", System.Globalization.CultureInfo.InvariantCulture));
        }
        var text = new StringBuilder();
        for (int i = 0; i < words.Count; i += 3)
            text.Append($"v {words[i]} {words[i + 1]} {words[i + 2]}\n");
        for (int i = 1; i + 2 <= words.Count / 3; i++)
            text.Append(System.Globalization.CultureInfo.InvariantCulture, $"f {i} {i + 1} {i + 2}\n");
        var positions = Read(Encoding.ASCII.GetBytes(text.ToString())).Meshes[0].Positions;
        for (int i = 0; i < positions.Length; i++)
        {
            for (int c = 0; c < 3; c++)
                Assert.Equal(float.Parse(words[3 * i + c], System.Globalization.CultureInfo.InvariantCulture), positions[i][c]);
        }
    }

    [Fact]
    public void Smoothing_groups_make_normals_where_there_are_none()
    {
        // A roof: smooth over the ridge in one group, broken where the group is off.
        const string Roof = "v 0 0 0\nv 1 0 0\nv 1 1 1\nv 0 1 1\nv 1 2 0\nv 0 2 0\n";
        var smooth = Read(Encoding.ASCII.GetBytes(Roof + "s 1\nf 1 2 3 4\nf 4 3 5 6\n")).Meshes[0];
        var flat = Read(Encoding.ASCII.GetBytes(Roof + "s off\nf 1 2 3 4\nf 4 3 5 6\n")).Meshes[0];
        Vector3 At(Mesh mesh, int corner) => mesh.Normals![corner];
        int ridge = Array.FindIndex(smooth.Corners, c => c == 2);
        Assert.Equal(0, At(smooth, ridge).Y, 1e-5f);
        Assert.True(MathF.Abs(At(flat, ridge).Y) > 0.5f);
    }

    [Fact]
    public void Colours_after_positions_are_read_as_picked_colours()
    {
        var mesh = Read(Encoding.ASCII.GetBytes("v 0 0 0 1 0.5 0\nv 1 0 0 1 0.5 0\nv 1 1 0 1 0.5 0\nf 1 2 3\n")).Meshes[0];
        Assert.True(Vector4.Distance(new Vector4(1, 0.2140411f, 0, 1), mesh.Colours![0]) < 1e-6f);
    }

    [Theory]
    [InlineData("v 0 0\n", "a number is missing")]
    [InlineData("v 0 0 x\n", "no number")]
    [InlineData("v 0 0 1e99\n", "usable number")]
    [InlineData("v 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 4\n", "out of range")]
    [InlineData("v 0 0 0\nv 1 0 0\nv 0 1 0\nf -1 -2 -9\n", "out of range")]
    [InlineData("v 0 0 0\nv 1 0 0\nv 0 1 0\nf 1/7 2/7 3/7\n", "out of range")]
    [InlineData("v 0 0 0\nf 1\n", "1 corner")]
    [InlineData("v 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 3.5\n", "no corner")]
    [InlineData("v 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 99999999999999999999\n", "no position index")]
    [InlineData("PK\u0003\u0004\0\0a\0\n", "no text")]
    public void What_cannot_be_meant_is_refused_with_its_line(string text, string what)
    {
        var e = Assert.Throws<SourceFileException>(() => Read(Encoding.Latin1.GetBytes(text)));
        Assert.Contains(what, e.What, StringComparison.Ordinal);
        Assert.StartsWith($"line {text.Count(c => c == '\n')}", e.Where, StringComparison.Ordinal);
        Assert.NotEmpty(e.WhatToDo);
    }

    private static Scene Read(byte[] bytes, int threads = 1) => ObjReader.Read(new MemoryStream(bytes), "test.obj", _ => [], threads);
}
