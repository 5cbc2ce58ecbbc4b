using System.Globalization;
using System.Numerics;
using System.Text;
using Crumpet.Core.Geometry;
using Xunit;

namespace Crumpet.Core.Tests.Geometry;

/// <summary>PLY files written here from the format's description: any type, order and element, in text and both binary orders.</summary>
public sealed class PlyAwkwardTests
{
    private const string Xyz = "x:float y:float z:float";
    private static readonly double[][] Square = [[0, 0, 0], [1, 0, 0], [1, 1, 0], [0, 1, 0]];

    /// <summary>What it is about, vertex properties, list types, faces, further elements, triangles, polygons.</summary>
    public static TheoryData<string, string, string, string, string, int, int> Files => new()
    {
        { "triangles", Xyz, "uchar int vertex_indices", "0 1 2|0 2 3", "", 2, 2 },
        { "a quad", Xyz, "uchar int vertex_indices", "0 1 2 3", "", 2, 1 },
        { "the other name of the list", Xyz, "uchar int vertex_index", "0 1 2", "", 1, 1 },
        { "unsigned indices", Xyz, "uchar uint vertex_indices", "0 1 2", "", 1, 1 },
        { "short indices", Xyz, "uchar short vertex_indices", "0 1 2", "", 1, 1 },
        { "byte indices", Xyz, "uchar uchar vertex_indices", "0 1 2", "", 1, 1 },
        { "long counts", Xyz, "int int vertex_indices", "0 1 2", "", 1, 1 },
        { "short counts", Xyz, "ushort int vertex_indices", "0 1 2", "", 1, 1 },
        { "indices as floats", Xyz, "uchar float vertex_indices", "0 1 2", "", 1, 1 },
        { "doubles", "x:double y:double z:double", "uchar int vertex_indices", "0 1 2", "", 1, 1 },
        { "whole numbers", "x:short y:int z:char", "uchar int vertex_indices", "0 1 2", "", 1, 1 },
        { "types with bits in their names", "x:float32 y:float64 z:int16", "uint8 int32 vertex_indices", "0 1 2", "", 1, 1 },
        { "z before x", "z:float x:float y:float", "uchar int vertex_indices", "0 1 2", "", 1, 1 },
        { "colours first", "red:uchar green:uchar blue:uchar " + Xyz, "uchar int vertex_indices", "0 1 2", "", 1, 1 },
        { "colours with alpha", Xyz + " red:uchar green:uchar blue:uchar alpha:uchar", "uchar int vertex_indices", "0 1 2", "", 1, 1 },
        { "colours as floats", Xyz + " red:float green:float blue:float", "uchar int vertex_indices", "0 1 2", "", 1, 1 },
        { "colours in 16 bits", Xyz + " red:ushort green:ushort blue:ushort", "uchar int vertex_indices", "0 1 2", "", 1, 1 },
        { "normals", Xyz + " nx:float ny:float nz:float", "uchar int vertex_indices", "0 1 2", "", 1, 1 },
        { "coordinates s and t", Xyz + " s:float t:float", "uchar int vertex_indices", "0 1 2", "", 1, 1 },
        { "coordinates u and v", "u:float v:float " + Xyz, "uchar int vertex_indices", "0 1 2", "", 1, 1 },
        { "everything at once", "nx:float ny:float nz:float " + Xyz + " s:float t:float red:uchar green:uchar blue:uchar", "uchar int vertex_indices",
            "0 1 2 3", "", 2, 1 },
        { "properties nobody knows", "confidence:float " + Xyz + " intensity:double quality:short", "uchar int vertex_indices", "0 1 2", "", 1, 1 },
        { "an element before the vertices", Xyz, "uchar int vertex_indices", "0 1 2", "before camera", 1, 1 },
        { "an element after the faces", Xyz, "uchar int vertex_indices", "0 1 2", "after edge", 1, 1 },
        { "an element between", Xyz, "uchar int vertex_indices", "0 1 2", "between material", 1, 1 },
        { "a face with two corners", Xyz, "uchar int vertex_indices", "0 1|0 1 2", "", 1, 1 },
        { "an empty face", Xyz, "uchar int vertex_indices", "|0 1 2", "", 1, 1 },
        { "the same corner twice", Xyz, "uchar int vertex_indices", "0 1 2 2", "", 2, 1 },
        { "a strip", Xyz, "int int vertex_indices", "0 1 3 2", "strips", 2, 2 },
        { "two strips in one list", Xyz, "int int vertex_indices", "0 1 2 -1 0 2 3", "strips", 2, 2 },
        { "one vertex too many", Xyz, "uchar int vertex_indices", "0 1 2", "spare", 1, 1 },
    };

    [Theory]
    [MemberData(nameof(Files))]
    public void A_file_is_read_the_same_as_text_and_in_both_binary_orders(string name, string properties, string list, string faces, string extra,
        int triangles, int polygons)
    {
        Assert.NotEmpty(name);
        var scenes = Enum.GetValues<PlyFormat>().Select(format => PlyReader.Read(Write(format, properties, list, faces, extra), "a_high.ply")).ToArray();
        foreach (var mesh in scenes.Select(s => s.Meshes[0]))
        {
            Assert.Equal(("a_high", triangles, polygons), (mesh.Name, mesh.TriangleCount, mesh.PolygonCount));
            Assert.Equal(new Vector3(1, 1, 0), mesh.Bounds().Max);
            Assert.Equal(properties.Contains("red", StringComparison.Ordinal), mesh.Colours is not null);
            Assert.Equal(properties.Contains("nx", StringComparison.Ordinal), mesh.Normals is not null);
            Assert.Equal(properties.Contains("s:", StringComparison.Ordinal) || properties.Contains("u:f", StringComparison.Ordinal), mesh.Uvs is not null);
            Assert.Equal(scenes[0].Meshes[0].Positions, mesh.Positions);
            Assert.Equal(scenes[0].Meshes[0].Corners, mesh.Corners);
            if (mesh.Colours is { } colours)
                Assert.Equal(1, colours[0].X, 3);
        }
    }

    [Theory]
    [InlineData("not ply", "line 1")]
    [InlineData("ply\nformat ascii 1.0\nelement vertex three\nend_header\n", "line 3")]
    [InlineData("ply\nformat morse 1.0\nend_header\n", "line 2")]
    [InlineData("ply\nelement vertex 1\nend_header\n", "line 3")]
    [InlineData("ply\nformat ascii 1.0\nproperty float x\nend_header\n", "line 3")]
    [InlineData("ply\nformat ascii 1.0\nelement vertex 1\nproperty quad x\nend_header\n", "line 4")]
    [InlineData("ply\nformat ascii 1.0\nelement vertex 1\nproperty float x\nproperty float y\nproperty float z\nend_header\n0 zero 0\n", "byte")]
    [InlineData("ply\nformat ascii 1.0\nelement vertex 4000000000\nproperty float x\nproperty float y\nproperty float z\nend_header\n0 0 0\n", "")]
    [InlineData("ply\nformat binary_little_endian 1.0\nelement vertex 200000000\nproperty float x\nproperty float y\nproperty float z\nend_header\n0 0 0\n",
        "")]
    [InlineData("ply\nformat ascii 1.0\nelement vertex 1\nproperty float x\nproperty float y\nend_header\n0 0\n", "element vertex")]
    [InlineData("ply\nformat ascii 1.0\nelement vertex 3\nproperty float x\nproperty float y\nproperty float z\nelement face 1\nproperty list uchar int "
        + "vertex_indices\nend_header\n0 0 0\n1 0 0\n0 1 0\n3 0 1 3\n", "face 0")]
    public void What_cannot_be_meant_is_refused_with_its_place(string text, string where)
    {
        var e = Assert.Throws<SourceFileException>(() => PlyReader.Read(Encoding.ASCII.GetBytes(text), "x.ply"));
        Assert.StartsWith(where, e.Where, StringComparison.Ordinal);
        Assert.NotEmpty(e.WhatToDo);
    }

    [Fact]
    public void Lines_that_no_header_has_are_passed_over_and_said()
    {
        const string Rows = "element vertex 3\nproperty float x\nproperty float y\nproperty float z\nelement face 1\nproperty list uchar int vertex_indices\n"
            + "end_header\n0 0 0\n1 0 0\n0 1 0\n3 0 1 2\n";
        var scene = PlyReader.Read(Encoding.UTF8.GetBytes("ply\nformat ascii 1.0\nTextureFile wood.png\nobj_info x\nscanner = far one\n" + Rows), "x.ply");
        Assert.Equal(1, scene.Meshes[0].TriangleCount);
        var note = Assert.Single(scene.Notes);
        Assert.Equal(("stray-header-lines", 2), (note.Code, note.Count));
        Assert.Contains("line 3 first", note.Sentence, StringComparison.Ordinal);
        // What begins as a header's line and is none is still wrong.
        Assert.Throws<SourceFileException>(() => PlyReader.Read(Encoding.UTF8.GetBytes("ply\nformat ascii 1.0\nelement vertex\n" + Rows), "x.ply"));
    }

    private static byte[] Write(PlyFormat format, string properties, string list, string faces, string extra)
    {
        using var stream = new MemoryStream();
        var rows = new Rows(stream, format);
        string[] vertex = properties.Split(' '), listed = list.Split(' ');
        bool strips = extra == "strips";
        var header = new StringBuilder("ply\r\nformat ")
            .Append(format switch { PlyFormat.Text => "ascii", PlyFormat.LittleEndian => "binary_little_endian", _ => "binary_big_endian" })
            .Append(" 1.0\r\ncomment made by a test\r\nobj_info none\r\n");
        int count = Square.Length + (extra == "spare" ? 1 : 0);
        string[] face = faces.Split('|');
        void Other(string where)
        {
            if (extra.StartsWith(where, StringComparison.Ordinal))
                header.Append(CultureInfo.InvariantCulture, $"element {extra.Split(' ')[1]} 2\r\nproperty float a\r\nproperty list uchar short b\r\n");
        }
        Other("before");
        header.Append(CultureInfo.InvariantCulture, $"element vertex {count}\r\n");
        foreach (string p in vertex)
            header.Append(CultureInfo.InvariantCulture, $"property {p.Split(':')[1]} {p.Split(':')[0]}\r\n");
        Other("between");
        header.Append(CultureInfo.InvariantCulture, $"element {(strips ? "tristrips" : "face")} {face.Length}\r\nproperty list {list}\r\n");
        Other("after");
        header.Append("end_header\r\n");
        stream.Write(Encoding.ASCII.GetBytes(header.ToString()));
        void OtherRows(string where)
        {
            for (int i = 0; i < 2 && extra.StartsWith(where, StringComparison.Ordinal); i++)
                rows.Add("float", 0.5).Add("uchar", 2).Add("short", -7).Add("short", 9).End();
        }
        OtherRows("before");
        for (int i = 0; i < count; i++)
        {
            foreach (string[] p in vertex.Select(p => p.Split(':')))
                rows.Add(p[1], Value(p[0], p[1], Square[i % 4]));
            rows.End();
        }
        OtherRows("between");
        foreach (double[] indices in face.Select(
            f => f.Split(' ', StringSplitOptions.RemoveEmptyEntries).Select(n => double.Parse(n, CultureInfo.InvariantCulture)).ToArray()))
        {
            rows.Add(listed[0], indices.Length);
            foreach (double index in indices)
                rows.Add(listed[1], index);
            rows.End();
        }
        OtherRows("after");
        return stream.ToArray();
    }

    private static double Value(string name, string type, double[] at) => name switch
    {
        "x" => at[0],
        "y" => at[1],
        "z" => at[2],
        "nz" or "s" or "u" => 1,
        "red" or "green" or "alpha" => type switch { "uchar" => 255, "ushort" => 65535, _ => 1 },
        _ => 0,
    };

    private sealed class Rows(MemoryStream stream, PlyFormat format)
    {
        private readonly StringBuilder row = new();

        public Rows Add(string type, double value)
        {
            if (format == PlyFormat.Text)
            {
                row.Append(row.Length > 0 ? " " : "").Append(value.ToString(CultureInfo.InvariantCulture));
                return this;
            }
            byte[] bytes = type switch
            {
                "char" or "int8" => [(byte)(sbyte)value],
                "uchar" or "uint8" => [(byte)value],
                "short" or "int16" => BitConverter.GetBytes((short)value),
                "ushort" or "uint16" => BitConverter.GetBytes((ushort)value),
                "int" or "int32" => BitConverter.GetBytes((int)value),
                "uint" or "uint32" => BitConverter.GetBytes((uint)value),
                "float" or "float32" => BitConverter.GetBytes((float)value),
                _ => BitConverter.GetBytes(value),
            };
            if (format == PlyFormat.BigEndian)
                Array.Reverse(bytes);
            stream.Write(bytes);
            return this;
        }

        public void End()
        {
            if (format == PlyFormat.Text)
                stream.Write(Encoding.ASCII.GetBytes(row.Append("\r\n").ToString()));
            row.Clear();
        }
    }
}

/// <summary>STL files written here from the format's description, text and binary.</summary>
public sealed class StlAwkwardTests
{
    private const string Facet = "facet normal 0 0 1\n outer loop\n  vertex 0 0 0\n  vertex 1 0 0\n  vertex 0 1 0\n endloop\nendfacet\n";

    /// <summary>What it is about, the text, names, triangles, vertices of the first.</summary>
    public static TheoryData<string, string, string, int, int> Texts => new()
    {
        { "plain", "solid a\n" + Facet + "endsolid a\n", "a", 1, 3 },
        { "without a name", "solid\n" + Facet + "endsolid\n", "x", 1, 3 },
        { "without an end", "solid a\n" + Facet, "a", 1, 3 },
        { "a name with blanks", "solid lid of the box\n" + Facet + "endsolid lid of the box\n", "lid of the box", 1, 3 },
        { "two solids", "solid a\n" + Facet + "endsolid a\nsolid b\n" + Facet + "endsolid b\n", "a,b", 2, 3 },
        { "an empty solid before a full one", "solid a\nendsolid a\nsolid b\n" + Facet + "endsolid b\n", "b", 1, 3 },
        { "upper case", "SOLID A\n" + Facet.ToUpperInvariant() + "ENDSOLID A\n", "A", 1, 3 },
        { "returns and line feeds", ("solid a\n" + Facet + "endsolid a\n").Replace("\n", "\r\n", StringComparison.Ordinal), "a", 1, 3 },
        { "returns alone", ("solid a\n" + Facet + "endsolid a\n").Replace('\n', '\r'), "a", 1, 3 },
        { "tabs", "solid a\n" + Facet.Replace(' ', '\t') + "endsolid a\n", "a", 1, 3 },
        { "blanks before solid", "   \n  solid a\n" + Facet + "endsolid a\n", "a", 1, 3 },
        { "empty lines", "solid a\n\n" + Facet.Replace("\n", "\n\n", StringComparison.Ordinal) + "endsolid a\n", "a", 1, 3 },
        { "exponents", "solid a\n" + Facet.Replace("vertex 1 0 0", "vertex 1.0000E+00 0e0 -0.0e-5", StringComparison.Ordinal) + "endsolid a\n", "a", 1, 3 },
        { "a normal of zeros", "solid a\n" + Facet.Replace("0 0 1", "0 0 0", StringComparison.Ordinal) + "endsolid a\n", "a", 1, 3 },
        { "a normal that is no number", "solid a\n" + Facet.Replace("normal 0 0 1", "normal nan nan nan", StringComparison.Ordinal) + "endsolid a\n", "a", 1,
            3 },
        { "two facets that share an edge", "solid a\n" + Facet + Facet.Replace("vertex 0 0 0", "vertex 1 1 0", StringComparison.Ordinal) + "endsolid a\n", "a",
            2, 4 },
        { "the same facet twice", "solid a\n" + Facet + Facet + "endsolid a\n", "a", 2, 3 },
        { "minus zero", "solid a\n" + Facet + Facet.Replace("vertex 0 0 0", "vertex -0 -0 -0", StringComparison.Ordinal) + "endsolid a\n", "a", 2, 3 },
        { "no end of the facet", "solid a\n" + Facet.Replace("endfacet\n", "", StringComparison.Ordinal) + "endsolid a\n", "a", 1, 3 },
        { "words after the numbers", "solid a\n" + Facet.Replace("1 0 0\n", "1 0 0 extra\n", StringComparison.Ordinal) + "endsolid a\n", "a", 1, 3 },
        { "a byte order mark", "\ufeffsolid a\n" + Facet + "endsolid a\n", "a", 1, 3 },
    };

    [Theory]
    [MemberData(nameof(Texts))]
    public void A_text_is_read(string name, string text, string names, int triangles, int vertices)
    {
        Assert.NotEmpty(name);
        byte[] bytes = text[0] == '\ufeff' ? [0xef, 0xbb, 0xbf, .. Encoding.UTF8.GetBytes(text[1..])] : Encoding.UTF8.GetBytes(text);
        var scene = StlReader.Read(bytes, "x.stl");
        Assert.Equal(names, string.Join(',', scene.Meshes.Select(m => m.Name)));
        Assert.Equal((triangles, vertices), (scene.Meshes.Sum(m => m.TriangleCount), scene.Meshes[0].Positions.Length));
        Assert.All(scene.Meshes, m => Assert.Null(m.Normals));
    }

    [Theory]
    [InlineData(1, "", 0)]
    [InlineData(7, "", 0)]
    [InlineData(1, "solid looks like text", 0)]
    [InlineData(3, "solid", 0)]
    [InlineData(2, "COLOR=rgba", 0)]
    [InlineData(2, "", 5)]
    [InlineData(2, "exported", 1)]
    [InlineData(300, "", 0)]
    [InlineData(1, "\0\0\0", 0)]
    public void A_binary_is_read_whatever_its_header_says(int triangles, string header, int trailing)
    {
        byte[] bytes = Binary(triangles, header, trailing);
        var mesh = StlReader.Read(bytes, "x.stl").Meshes[0];
        Assert.Equal(triangles, mesh.TriangleCount);
        Assert.Equal(triangles + 2, mesh.Positions.Length);
    }

    [Theory]
    [InlineData(0)]
    [InlineData(83)]
    [InlineData(100)]
    public void A_binary_that_is_cut_is_refused(int length) =>
        Assert.NotEmpty(Assert.Throws<SourceFileException>(() => StlReader.Read(Binary(2, "", 0)[..length], "x.stl")).WhatToDo);

    [Theory]
    [InlineData("solid a\nfacet normal 0 0 1\nouter loop\nvertex 0 0\n", "line 4")]
    [InlineData("solid a\nfacet normal 0 0 1\nouter loop\nvertex 0 0 nan\n", "line 4")]
    [InlineData("solid a\nfacet normal 0 0 1\nouter loop\nvertex 0 0 0\nvertex 1 0 0\nendloop\n", "line 6")]
    [InlineData("solid a\nwhat is this\n", "line 2")]
    [InlineData("solid a\nendsolid a\n", "")]
    [InlineData("solid a\nfacet normal 0 0 1\nouter loop\nvertex 0 0 0\nvertex 1 0 0\n", "")]
    public void What_cannot_be_meant_is_refused_with_its_line(string text, string where) =>
        Assert.Equal(where, Assert.Throws<SourceFileException>(() => StlReader.Read(Encoding.ASCII.GetBytes(text), "x.stl")).Where);

    private static byte[] Binary(int triangles, string header, int trailing)
    {
        using var stream = new MemoryStream();
        using var writer = new BinaryWriter(stream);
        writer.Write([.. Encoding.ASCII.GetBytes(header), .. new byte[80 - header.Length]]);
        writer.Write(triangles);
        for (int t = 0; t < triangles; t++)
        {
            // A strip along x, so neighbours share corners.
            writer.Write(new byte[12]);
            for (int c = 0; c < 3; c++)
            {
                writer.Write((float)(t + c));
                writer.Write((float)((t + c) % 2));
                writer.Write(0f);
            }
            writer.Write((ushort)0x1234);
        }
        writer.Write(new byte[trailing]);
        return stream.ToArray();
    }
}
