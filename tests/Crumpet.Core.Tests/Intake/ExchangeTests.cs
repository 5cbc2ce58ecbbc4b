using System.Globalization;
using System.IO.Compression;
using System.Numerics;
using System.Text;
using Crumpet.Core.Geometry;
using Crumpet.Core.Imaging;
using Crumpet.Core.Intake;
using Xunit;

namespace Crumpet.Core.Tests.Intake;

/// <summary>What other programs exchange arrives in metres, Y up, with its names, UVs, colours and textures.</summary>
public sealed class ExchangeTests
{
    // A tile 200 units wide, 100 deep and 30 high at one corner, in the plane of x and y with z up.
    private static readonly Vector3[] Tile = [new(0, 0, 0), new(200, 0, 0), new(200, 100, 30), new(0, 100, 0)];

    private static Scene Read(string name, byte[] bytes) => ExchangeFiles.Read(bytes, name, default);

    private static Bounds BoxOf(Scene scene) => scene.Meshes.Aggregate(Bounds.Empty, (b, m) => b.Including(m.Bounds()));

    private static string Numbers(IEnumerable<float> values) => string.Join(" ", values.Select(v => v.ToString("R", CultureInfo.InvariantCulture)));

    private static byte[] Collada(string unit, string up) => Encoding.UTF8.GetBytes($"""
        <?xml version="1.0" encoding="utf-8"?>
        <COLLADA xmlns="http://www.collada.org/2005/11/COLLADASchema" version="1.4.1">
          <asset><unit name="u" meter="{unit}"/><up_axis>{up}</up_axis></asset>
          <library_images><image id="i" name="i"><init_from>maps/tile_colour.png</init_from></image></library_images>
          <library_effects><effect id="e"><profile_COMMON>
            <newparam sid="s"><surface type="2D"><init_from>i</init_from></surface></newparam>
            <newparam sid="t"><sampler2D><source>s</source></sampler2D></newparam>
            <technique sid="c"><lambert><diffuse><texture texture="t" texcoord="UV"/></diffuse></lambert></technique>
            </profile_COMMON></effect></library_effects>
          <library_materials><material id="m" name="Glazed tile"><instance_effect url="#e"/></material></library_materials>
          <library_geometries><geometry id="g" name="Tile mesh"><mesh>
            <source id="p"><float_array id="pa" count="12">{Numbers(Tile.SelectMany(v => new[] { v.X, v.Y, v.Z }))}</float_array><technique_common>
              <accessor source="#pa" count="4" stride="3"><param name="X" type="float"/><param name="Y" type="float"/>
              <param name="Z" type="float"/></accessor></technique_common></source>
            <source id="w"><float_array id="wa" count="8">0.1 0.1 0.9 0.1 0.9 0.6 0.1 0.6</float_array><technique_common>
              <accessor source="#wa" count="4" stride="2"><param name="S" type="float"/><param name="T" type="float"/></accessor></technique_common></source>
            <vertices id="v"><input semantic="POSITION" source="#p"/></vertices>
            <triangles material="m" count="2"><input semantic="VERTEX" source="#v" offset="0"/><input semantic="TEXCOORD" source="#w" offset="1" set="0"/>
              <p>0 0 1 1 2 2 0 0 2 2 3 3</p></triangles></mesh></geometry></library_geometries>
          <library_visual_scenes><visual_scene id="s"><node id="n" name="tile_low"><instance_geometry url="#g"><bind_material><technique_common>
            <instance_material symbol="m" target="#m"/></technique_common></bind_material></instance_geometry></node></visual_scene></library_visual_scenes>
          <scene><instance_visual_scene url="#s"/></scene>
        </COLLADA>
        """.Replace("\r", "", StringComparison.Ordinal).TrimStart());

    [Theory]
    [InlineData("0.01", "Z_UP", 2, 0.3, 1)]
    [InlineData("0.001", "Z_UP", 0.2, 0.03, 0.1)]
    [InlineData("1", "Y_UP", 200, 100, 30)]
    public void Collada_comes_with_its_unit_axis_name_uvs_and_textures(string unit, string up, double width, double height, double depth)
    {
        var scene = Read("tile.dae", Collada(unit, up));
        var mesh = Assert.Single(scene.Meshes);
        Assert.Equal("tile_low", mesh.Name);
        var size = BoxOf(scene).Size;
        Assert.Equal(width, size.X, 4);
        Assert.Equal(height, size.Y, 4);
        Assert.Equal(depth, size.Z, 4);
        Assert.Equal([0.1f, 0.9f], mesh.Uvs!.Select(u => u.X).Distinct().Order());
        Assert.Equal([0.1f, 0.6f], mesh.Uvs!.Select(u => MathF.Round(u.Y, 5)).Distinct().Order());
        var material = scene.Materials[mesh.TriangleMaterials[0]];
        Assert.Equal("Glazed tile", material.Name);
        Assert.Contains(material.Textures, t => t.Slot == TextureKind.BaseColour && t.Path.EndsWith("tile_colour.png", StringComparison.Ordinal));
        // Front faces stay front: seen from above the tile goes round against the clock.
        var normal = Vector3.Cross(mesh.PositionAt(1) - mesh.PositionAt(0), mesh.PositionAt(2) - mesh.PositionAt(0));
        Assert.True((up == "Z_UP" ? normal.Y : normal.Z) > 0);
    }

    /// <summary>The nodes of an FBX file with one object, written as text or in binary.</summary>
    private static byte[] Fbx(bool isBinary, double unit, (int Axis, int Sign) up, (int Axis, int Sign) front, (int Axis, int Sign) right)
    {
        object[] P(string name, string type, object value) => [name, type, type == "int" ? "Integer" : "Number", "", value];
        var settings = new FbxNode("GlobalSettings", [], new FbxNode("Version", [1000]), new FbxNode("Properties70", [],
            new FbxNode("P", P("UpAxis", "int", up.Axis)), new FbxNode("P", P("UpAxisSign", "int", up.Sign)),
            new FbxNode("P", P("FrontAxis", "int", front.Axis)), new FbxNode("P", P("FrontAxisSign", "int", front.Sign)),
            new FbxNode("P", P("CoordAxis", "int", right.Axis)), new FbxNode("P", P("CoordAxisSign", "int", right.Sign)),
            new FbxNode("P", P("OriginalUnitScaleFactor", "double", 77.0)), new FbxNode("P", P("UnitScaleFactor", "double", unit))));
        double[] points = [.. Tile.SelectMany(v => new double[] { v.X, v.Y, v.Z })];
        var objects = new FbxNode("Objects", [],
            new FbxNode("Geometry", [10L, Named("tile mesh", "Geometry"), "Mesh"], new FbxNode("Vertices", [points]),
                new FbxNode("PolygonVertexIndex", [new[] { 0, 1, 2, -4 }]), new FbxNode("GeometryVersion", [124])),
            new FbxNode("Model", [20L, Named("tile_low", "Model"), "Mesh"], new FbxNode("Version", [232])));
        var links = new FbxNode("Connections", [], new FbxNode("C", ["OO", 10L, 20L]), new FbxNode("C", ["OO", 20L, 0L]));
        FbxNode[] nodes = [new("FBXHeaderExtension", [], new FbxNode("FBXHeaderVersion", [1003]), new FbxNode("FBXVersion", [7400])), settings,
            new("Definitions", [], new FbxNode("Version", [100])), objects, links];
        return isBinary ? FbxNode.Binary(nodes) : FbxNode.Text(nodes);

        string Named(string name, string kind) => isBinary ? $"{name}\0\u0001{kind}" : $"{kind}::{name}";
    }

    [Theory]
    [InlineData(false, 1)]
    [InlineData(true, 1)]
    [InlineData(true, 2.54)]
    [InlineData(false, 100)]
    public void Fbx_comes_in_metres_and_upright_whatever_its_unit_and_axes(bool isBinary, double unit)
    {
        // Z up, front is -Y: what many a modelling program writes.
        var scene = Read("tile.fbx", Fbx(isBinary, unit, (2, 1), (1, -1), (0, 1)));
        var mesh = Assert.Single(scene.Meshes);
        Assert.Equal("tile_low", mesh.Name);
        var size = BoxOf(scene).Size;
        double metre = unit / 100;
        Assert.Equal(200 * metre, size.X, 4);
        Assert.Equal(30 * metre, size.Y, 4);
        Assert.Equal(100 * metre, size.Z, 4);
        Assert.True(Vector3.Cross(mesh.PositionAt(1) - mesh.PositionAt(0), mesh.PositionAt(2) - mesh.PositionAt(0)).Y > 0);
        // Y up is as we have it.
        Assert.Equal(100 * metre, BoxOf(Read("tile.fbx", Fbx(isBinary, unit, (1, 1), (2, 1), (0, 1)))).Size.Y, 4);
        // A left-handed one is mirrored, and its faces still look the way they did.
        var left = Read("tile.fbx", Fbx(isBinary, unit, (2, 1), (1, 1), (0, 1)));
        Assert.Equal(30 * metre, BoxOf(left).Size.Y, 4);
        Assert.True(BoxOf(left).Max.Z > 0.9 * metre * 100);
    }

    [Theory]
    [InlineData("millimeter", 0.001)]
    [InlineData("inch", 0.0254)]
    [InlineData("meter", 1)]
    [InlineData("", 0.001)]
    public void Three_mf_comes_in_metres_and_upright(string unit, double metre)
    {
        using var stream = new MemoryStream();
        using (var zip = new ZipArchive(stream, ZipArchiveMode.Create, leaveOpen: true))
        {
            Put(zip, "[Content_Types].xml", """
                <?xml version="1.0"?><Types xmlns="http://schemas.openxmlformats.org/package/2006/content-types"><Default Extension="rels"
                ContentType="application/vnd.openxmlformats-package.relationships+xml"/><Default Extension="model"
                ContentType="application/vnd.ms-package.3dmanufacturing-3dmodel+xml"/></Types>
                """);
            Put(zip, "_rels/.rels", """
                <?xml version="1.0"?><Relationships xmlns="http://schemas.openxmlformats.org/package/2006/relationships">
                <Relationship Target="/3D/3dmodel.model"
                Id="r" Type="http://schemas.microsoft.com/3dmanufacturing/2013/01/3dmodel"/></Relationships>
                """);
            string says = unit.Length > 0 ? $" unit=\"{unit}\"" : "";
            string points = string.Concat(Tile.Select(v => FormattableString.Invariant($"<vertex x=\"{v.X}\" y=\"{v.Y}\" z=\"{v.Z}\"/>")));
            Put(zip, "3D/3dmodel.model", $"<?xml version=\"1.0\"?><model{says} xmlns=\"http://schemas.microsoft.com/3dmanufacturing/core/2015/02\"><resources>"
                + $"<object id=\"1\" type=\"model\" name=\"tile\"><mesh><vertices>{points}</vertices><triangles><triangle v1=\"0\" v2=\"1\" v3=\"2\"/>"
                + "<triangle v1=\"0\" v2=\"2\" v3=\"3\"/></triangles></mesh></object></resources><build><item objectid=\"1\"/></build></model>");
        }
        var size = BoxOf(Read("tile.3mf", stream.ToArray())).Size;
        Assert.Equal(200 * metre, size.X, 4);
        Assert.Equal(30 * metre, size.Y, 4);
        Assert.Equal(100 * metre, size.Z, 4);

        static void Put(ZipArchive zip, string name, string text)
        {
            using var writer = new StreamWriter(zip.CreateEntry(name).Open());
            writer.Write(text);
        }
    }

    [Theory]
    [InlineData("cut.fbx", "Kaydara FBX Binary  \0\u001a\0")]
    [InlineData("odd.dae", "<COLLADA><library_geometries>")]
    [InlineData("odd.3mf", "PK\u0003\u0004 no zip")]
    [InlineData("odd.x3d", "<X3D/>")]
    public void What_cannot_be_read_is_said_with_its_format_and_leaves_nothing_behind(string name, string text)
    {
        var e = Assert.Throws<SourceFileException>(() => Read(name, Encoding.Latin1.GetBytes(text)));
        Assert.StartsWith($"{name}: ", e.Message, StringComparison.Ordinal);
        Assert.Matches("Export (it|the mesh) again", e.Message);
        Assert.DoesNotContain(Directory.GetFiles(Path.GetTempPath(), "in" + Path.GetExtension(name), SearchOption.AllDirectories),
            f => f.Contains("crumpet-exchange-", StringComparison.Ordinal));
    }

    [Fact]
    public void Cancelling_ends_the_process_that_reads()
    {
        var text = new StringBuilder("OFF\n400000 400000 0\n");
        for (int i = 0; i < 400_000; i++)
            text.Append(CultureInfo.InvariantCulture, $"{i % 631} {i / 631} {i % 7}\n");
        for (int i = 0; i < 400_000; i++)
            text.Append(CultureInfo.InvariantCulture, $"3 {i} {(i + 1) % 400_000} {(i + 631) % 400_000}\n");
        using var cancel = new CancellationTokenSource(TimeSpan.FromMilliseconds(100));
        Assert.ThrowsAny<OperationCanceledException>(() => ExchangeFiles.Read(Encoding.ASCII.GetBytes(text.ToString()), "large.off", cancel.Token));
    }

    [Fact]
    public void Its_reader_is_part_of_what_a_result_depends_on()
    {
        Assert.StartsWith("assimp Version ", ExchangeFiles.Reader, StringComparison.Ordinal);
        Assert.Equal(ExchangeFiles.Reader, ReadSettings.Of("a.FBX").Reader);
        Assert.Null(ReadSettings.Of("a.obj").Reader);
        Assert.All(ExchangeFiles.Formats.Keys, e => Assert.True(MeshFiles.IsMesh("a" + e) && MeshFiles.Endings.Contains(e)));
    }

    /// <summary>A node of an FBX file.</summary>
    private sealed record FbxNode(string Name, object[] Values, params FbxNode[] Nodes)
    {
        public static byte[] Text(FbxNode[] nodes)
        {
            var text = new StringBuilder("; FBX 7.4.0 project file\n");
            foreach (var node in nodes)
                node.Write(text);
            return Encoding.UTF8.GetBytes(text.ToString());
        }

        private void Write(StringBuilder text)
        {
            text.Append(Name).Append(": ");
            if (Values is [Array { } array])
            {
                string list = string.Join(",", array.Cast<IFormattable>().Select(v => v.ToString(null, CultureInfo.InvariantCulture)));
                text.Append(CultureInfo.InvariantCulture, $"*{array.Length} {{\na: {list}\n}}\n");
                return;
            }
            text.AppendJoin(", ", Values.Select(v => v is string s ? $"\"{s}\"" : ((IFormattable)v).ToString(null, CultureInfo.InvariantCulture)));
            if (Nodes.Length > 0 || Values.Length == 0)
            {
                text.Append(" {\n");
                foreach (var node in Nodes)
                    node.Write(text);
                text.Append('}');
            }
            text.Append('\n');
        }

        public static byte[] Binary(FbxNode[] nodes)
        {
            using var stream = new MemoryStream();
            using var writer = new BinaryWriter(stream, Encoding.Latin1);
            writer.Write(Encoding.Latin1.GetBytes("Kaydara FBX Binary  \0\u001a\0"));
            writer.Write(7400);
            foreach (var node in nodes)
                node.Write(writer);
            writer.Write(new byte[13]);
            // A foot of fixed length, whose content readers pass over.
            writer.Write(new byte[160]);
            return stream.ToArray();
        }

        private void Write(BinaryWriter writer)
        {
            long start = writer.BaseStream.Position;
            writer.Write(new byte[12]);
            writer.Write((byte)Name.Length);
            writer.Write(Encoding.Latin1.GetBytes(Name));
            long values = writer.BaseStream.Position;
            foreach (object value in Values)
                Write(writer, value);
            uint length = (uint)(writer.BaseStream.Position - values);
            if (Nodes.Length > 0)
            {
                foreach (var node in Nodes)
                    node.Write(writer);
                writer.Write(new byte[13]);
            }
            long end = writer.BaseStream.Position;
            writer.BaseStream.Position = start;
            writer.Write((uint)end);
            writer.Write((uint)Values.Length);
            writer.Write(length);
            writer.BaseStream.Position = end;
        }

        private static void Write(BinaryWriter writer, object value)
        {
            switch (value)
            {
                case int whole:
                    writer.Write('I');
                    writer.Write(whole);
                    break;
                case long large:
                    writer.Write('L');
                    writer.Write(large);
                    break;
                case double real:
                    writer.Write('D');
                    writer.Write(real);
                    break;
                case string text:
                    writer.Write('S');
                    writer.Write(text.Length);
                    writer.Write(Encoding.Latin1.GetBytes(text));
                    break;
                case double[] reals:
                    writer.Write('d');
                    writer.Write(reals.Length);
                    writer.Write(0);
                    writer.Write(8 * reals.Length);
                    foreach (double r in reals)
                        writer.Write(r);
                    break;
                case int[] wholes:
                    writer.Write('i');
                    writer.Write(wholes.Length);
                    writer.Write(0);
                    writer.Write(4 * wholes.Length);
                    foreach (int w in wholes)
                        writer.Write(w);
                    break;
            }
        }
    }
}
