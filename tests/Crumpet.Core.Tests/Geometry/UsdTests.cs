using System.IO.Compression;
using System.Numerics;
using System.Text;
using Crumpet.Core.Geometry;
using Crumpet.Core.Imaging;
using Crumpet.Core.Intake;
using Xunit;

namespace Crumpet.Core.Tests.Geometry;

/// <summary>Scenes of Universal Scene Description: places, attributes, composition, preview materials, and what is wrong with them.</summary>
public sealed class UsdTests
{
    private const string Square = """
        int[] faceVertexCounts = [4]
        int[] faceVertexIndices = [0, 1, 2, 3]
        point3f[] points = [(0, 0, 0), (2, 0, 0), (2, 1, 0), (0, 1, 0)]
        uniform token subdivisionScheme = "none"
        """;

    private static Scene Read(string text, params (string Path, string Text)[] beside) =>
        UsdReader.Read(Encoding.UTF8.GetBytes("#usda 1.0\n" + text), "in/x.usda",
        path => beside.Where(b => b.Path == path).Select(b => Encoding.UTF8.GetBytes(b.Text)).FirstOrDefault());

    private static Mesh One(string body, string header = "metersPerUnit = 1") =>
        Assert.Single(Read($"({header})\ndef Mesh \"sheet_low\" {{\n{body}\n}}").Meshes);

    private static void Near(Vector3 wanted, Vector3 found) => Assert.True(Vector3.Distance(wanted, found) < 1e-5f, $"{wanted} {found}");

    private static Vector3 Normal(Mesh mesh, int triangle = 0) => Vector3.Normalize(Vector3.Cross(
        mesh.PositionAt(3 * triangle + 1) - mesh.PositionAt(3 * triangle), mesh.PositionAt(3 * triangle + 2) - mesh.PositionAt(3 * triangle)));

    [Fact]
    public void Units_and_the_axis_that_is_up_are_brought_to_metres_and_y()
    {
        var mesh = One(Square, "metersPerUnit = 0.01\nupAxis = \"Z\"");
        // A square that stood upright in X and Y lies in X and Z.
        Near(new Vector3(0, 0, -0.01f), mesh.Positions[3]);
        Near(new Vector3(0.02f, 0, 0), mesh.Positions[1]);
        Assert.True(mesh.Placement.IsIdentity);
        // Centimetres with Y up where nothing is said.
        Near(new Vector3(0.02f, 0.01f, 0), One(Square, "").Positions[2]);
        Assert.Equal(1, mesh.PolygonCount);
        Assert.Equal([0, 0], mesh.TrianglePolygons!);
    }

    [Fact]
    public void Transforms_apply_in_the_order_they_are_written_outermost_first()
    {
        var scene = Read($$"""
            (metersPerUnit = 1)
            def Xform "World" {
              double3 xformOp:translate = (10, 0, 0)
              float3 xformOp:rotateXYZ = (90, 0, 90)
              float3 xformOp:scale = (2, 2, 2)
              float3 xformOp:translate:pivot = (1, 0, 0)
              uniform token[] xformOpOrder = ["xformOp:translate", "xformOp:rotateXYZ", "xformOp:translate:pivot", "xformOp:scale",
                "!invert!xformOp:translate:pivot"]
              def Mesh "a" { {{Square}} }
              def Mesh "b" {
                {{Square}}
                quatf xformOp:orient = (0.70710678, 0, 0, 0.70710678)
                uniform token[] xformOpOrder = ["!resetXformStack!", "xformOp:orient"]
              }
              def Mesh "c" {
                {{Square}}
                matrix4d xformOp:transform.timeSamples = { 2: ((1,0,0,0),(0,1,0,0),(0,0,1,0),(9,9,9,1)), 1: ((1,0,0,0),(0,1,0,0),(0,0,1,0),(0,0,5,1)), }
                uniform token[] xformOpOrder = ["xformOp:transform"]
              }
            }
            """);
        // (2, 1, 0): about the pivot (3, 2, 0), a quarter turn about X (3, 0, 2), about Z (0, 3, 2), and moved (10, 3, 2).
        Near(new Vector3(10, 3, 2), scene.Meshes[0].Positions[2]);
        Near(new Vector3(-1, 2, 0), scene.Meshes[1].Positions[2]);
        // At its first time (2, 1, 5) lies below the same parent: (3, 2, 10), (3, -10, 2), (10, 3, 2), moved.
        Near(new Vector3(20, 3, 2), scene.Meshes[2].Positions[2]);
    }

    [Theory]
    [InlineData("", false)]
    [InlineData("uniform token orientation = \"leftHanded\"", true)]
    [InlineData("float3 xformOp:scale = (-1, 1, 1)\nuniform token[] xformOpOrder = [\"xformOp:scale\"]", false)]
    public void Faces_look_outward_in_either_winding_and_when_mirrored(string more, bool isTurned)
    {
        var mesh = One($"{Square}\n{more}\nnormal3f[] normals = [(0, 0, 1), (0, 0, 1), (0, 0, 1), (0, 0, 1)] (interpolation = \"vertex\")");
        Near(new Vector3(0, 0, isTurned ? -1 : 1), Normal(mesh));
        Assert.All(mesh.Normals!, n => Near(Vector3.UnitZ, n));
    }

    [Fact]
    public void Attributes_lie_over_corners_points_faces_or_the_whole_with_and_without_indices()
    {
        var mesh = One("""
            int[] faceVertexCounts = [3, 4, 3]
            int[] faceVertexIndices = [0, 1, 4, 0, 1, 2, 3, 2, 1, 4]
            int[] holeIndices = [2]
            point3f[] points = [(0, 0, 0), (1, 0, 0), (1, 1, 0), (0, 1, 0), (0, 0, 1)]
            texCoord2f[] primvars:second = [(0.5, 0.25)] (interpolation = "constant")
            texCoord2f[] primvars:st = [(0, 0), (1, 0), (1, 1)] (interpolation = "faceVarying")
            int[] primvars:st:indices = [2, 1, 0, 0, 1, 2, 1, 0, 0, 0]
            color3f[] primvars:displayColor = [(1, 0, 0), (0, 1, 0), (0, 0, 1)] (interpolation = "uniform")
            float[] primvars:displayOpacity = [0, 0.25, 0.5, 0.75, 1] (interpolation = "vertex")
            normal3f[] normals = [(0, 0, 2), (0, 1, 0), (1, 0, 0), (0, 0, 1), (0, 0, 1)]
            """);
        Assert.Equal(3, mesh.TriangleCount);
        Assert.Equal(2, mesh.PolygonCount);
        Assert.Equal(2, mesh.UvSets.Count);
        Assert.Equal([new(1, 1), new(1, 0), new(0, 0)], mesh.UvSets[0][..3]);
        Assert.All(mesh.UvSets[1], uv => Assert.Equal(new Vector2(0.5f, 0.25f), uv));
        for (int c = 0; c < mesh.Corners.Length; c++)
            Assert.Equal(c < 3 ? new Vector4(1, 0, 0, mesh.Corners[c] / 4f) : new Vector4(0, 1, 0, mesh.Corners[c] / 4f), mesh.Colours![c]);
        Assert.Equal(Vector3.UnitZ, mesh.Normals![0]);
        Assert.Equal(Vector3.UnitY, mesh.Normals[1]);
    }

    [Fact]
    public void Materials_of_faces_and_of_parents_are_found_with_their_pictures()
    {
        var scene = Read($$"""
            (metersPerUnit = 1)
            def Xform "World" ( prepend apiSchemas = ["MaterialBindingAPI"] )
            {
              rel material:binding = </World/Looks/oak>
              def Mesh "board" {
                int[] faceVertexCounts = [3, 3]
                int[] faceVertexIndices = [0, 1, 2, 2, 1, 0]
                point3f[] points = [(0, 0, 0), (1, 0, 0), (0, 1, 0)]
                texCoord2f[] primvars:st = [(0, 0), (1, 0), (0, 1)] (interpolation = "vertex")
                texCoord2f[] primvars:lit = [(0, 0), (1, 0), (0, 1)] (interpolation = "vertex")
                def GeomSubset "back" {
                  uniform token elementType = "face"
                  int[] indices = [1]
                  rel material:binding = </World/Looks/brass>
                }
              }
              def Scope "Looks" {
                def Material "brass" {
                  token outputs:surface.connect = </World/Looks/brass/ps.outputs:surface>
                  def Shader "ps" {
                    uniform token info:id = "UsdPreviewSurface"
                    color3f inputs:diffuseColor = (0.5, 0.4, 0.1)
                    float inputs:metallic = 1
                    float inputs:roughness = 0.25
                    token outputs:surface
                  }
                }
                def Material "oak" {
                  token inputs:frame:stPrimvarName = "lit"
                  token outputs:surface.connect = </World/Looks/oak/ps.outputs:surface>
                  def Shader "ps" {
                    uniform token info:id = "UsdPreviewSurface"
                    color3f inputs:diffuseColor.connect = </World/Looks/oak/grain.outputs:rgb>
                    normal3f inputs:normal.connect = </World/Looks/oak/bumps.outputs:rgb>
                    token outputs:surface
                  }
                  def Shader "grain" {
                    uniform token info:id = "UsdUVTexture"
                    asset inputs:file = @../textures/grain.png@
                    float2 inputs:st.connect = </World/Looks/oak/moved.outputs:result>
                    float3 outputs:rgb
                  }
                  def Shader "bumps" {
                    uniform token info:id = "UsdUVTexture"
                    asset inputs:file = @bumps.png@
                    float3 outputs:rgb
                  }
                  def Shader "moved" {
                    uniform token info:id = "UsdTransform2d"
                    float2 inputs:in.connect = </World/Looks/oak/reader.outputs:result>
                    float2 inputs:scale = (2, 1)
                    float inputs:rotation = 90
                    float2 inputs:translation = (0.5, 0)
                    float2 outputs:result
                  }
                  def Shader "reader" {
                    uniform token info:id = "UsdPrimvarReader_float2"
                    string inputs:varname.connect = </World/Looks/oak.inputs:frame:stPrimvarName>
                    float2 outputs:result
                  }
                }
              }
            }
            """);
        Assert.Equal(["oak", "brass"], scene.Materials.Select(m => m.Name));
        Assert.Equal([0, 1], scene.Meshes[0].TriangleMaterials);
        Assert.Equal((new Vector4(0.5f, 0.4f, 0.1f, 1), 0.25f, 1f), (scene.Materials[1].BaseColour,
            scene.Materials[1].Roughness, scene.Materials[1].Metalness));
        var (colour, normal) = (scene.Materials[0].Textures[0], scene.Materials[0].Textures[1]);
        Assert.Equal((TextureKind.BaseColour, "../textures/grain.png", 1), (colour.Slot, colour.Path, colour.UvSet));
        // (1, 0) is scaled to (2, 0), turned to (0, 2) and moved.
        Assert.True(Vector2.Distance(new Vector2(0.5f, 2), Vector2.Transform(Vector2.UnitX, colour.UvTransform)) < 1e-5f);
        Assert.Equal((TextureKind.Normal, "bumps.png", 0), (normal.Slot, normal.Path, normal.UvSet));
    }

    [Fact]
    public void References_variants_classes_and_sublayers_make_one_scene()
    {
        const string part = "#usda 1.0\n(defaultPrim = \"Part\")\ndef Xform \"Part\" {\n rel material:binding = </Part/red>\n def Mesh \"geo\" {\n" + Square
            + "\n }\n def Material \"red\" {}\n def Mesh \"off\" {\n" + Square + "\n}}";
        var scene = Read($$"""
            (
              metersPerUnit = 1
              subLayers = [@./lower.usda@ (offset = 1)]
            )
            class Xform "_shown" { token visibility = "invisible" }
            def Xform "one" ( prepend references = @./parts/part.usda@ ) { over "off" ( active = false ) {} }
            def Xform "two" (
              references = [@parts/part.usda@</Part>]
              prepend inherits = </_shown>
              variants = { string size = "big" }
              prepend variantSets = "size"
            )
            {
              variantSet "size" = {
                "small" { over "geo" { point3f[] points = [(0, 0, 0), (1, 0, 0), (1, 1, 0), (0, 1, 0)] } }
                "big" { over "geo" { point3f[] points = [(0, 0, 0), (9, 0, 0), (9, 9, 0), (0, 9, 0)] } }
              }
            }
            """, ("parts/part.usda", part),
            ("lower.usda", "#usda 1.0\ndef Mesh \"three\" {\n" + Square + "\n}\nover \"one\" { double3 xformOp:translate = (0, 0, 7)\n"
                + "uniform token[] xformOpOrder = [\"xformOp:translate\"] }"));
        Assert.Equal(["geo", "geo", "off", "three"], scene.Meshes.Select(m => m.Name));
        Assert.Equal([false, true, true, false], scene.Meshes.Select(m => m.IsHidden));
        Near(new Vector3(2, 1, 7), scene.Meshes[0].Positions[2]);
        Near(new Vector3(9, 9, 0), scene.Meshes[1].Positions[2]);
        Assert.Equal(["red"], scene.Materials.Select(m => m.Name));
        Assert.Equal(["lower.usda", "parts/part.usda"], scene.Layers);
    }

    [Fact]
    public void Objects_are_called_as_their_transforms_where_each_has_one()
    {
        const string pair = "def Xform \"World\" {\n def Xform \"lid_low\" { def Mesh \"Cube_001\" {\n" + Square + "\n} }\n"
            + " def Xform \"lid_high\" { def Mesh \"Cube_002\" {\n" + Square + "\n} } }";
        Assert.Equal(["lid_low", "lid_high"], Read(pair).Meshes.Select(m => m.Name));
        Assert.Equal(["lid_low", "lid_high"], Read("def Xform \"World\" {\n def Mesh \"lid_low\" {\n" + Square + "\n}\n def Mesh \"lid_high\" {\n" + Square
            + "\n} }").Meshes.Select(m => m.Name));
        Assert.Equal("Deckel low", Read("def Mesh \"Deckel_low\" ( displayName = \"Deckel low\" ) {\n" + Square + "\n}").Meshes[0].Name);
    }

    [Fact]
    public void What_is_no_mesh_is_told()
    {
        var scene = Read("def Xform \"World\" { def Camera \"eye\" {}\n def SphereLight \"sun\" {}\n def Xform \"nothing\" {}\n def Sphere \"ball\" {}\n"
            + " def PointInstancer \"leaves\" {}\n def \"lost\" ( references = @gone.usda@ ) {}\n def Mesh \"sheet\" {\n"
            + Square.Replace("none", "catmullClark", StringComparison.Ordinal) + "\n} }");
        Assert.Equal([("eye", "camera"), ("sun", "light"), ("nothing", "empty"), ("lost", "empty")], scene.Strays.Select(s => (s.Name, s.Kind)));
        Assert.Equal(["shape-left-out", "copies-left-out", "control-mesh", "layer-missing"], scene.Notes.Select(n => n.Code));
    }

    [Theory]
    [InlineData("def Mesh \"a\" {\n int[] faceVertexCounts = [3\n}", "line 4")]
    [InlineData("def Mesh \"a {\n}", "a string does not end")]
    [InlineData("def Mesh \"a\" { point3f[] points = [(0, 0), (1, 2, 3), (1,)] }", "have 2 numbers each")]
    [InlineData("def Mesh \"a\" { point3f[] points = [(0, 0, 0)]\n int[] faceVertexCounts = [3]\n int[] faceVertexIndices = [0, 1, 2] }",
        "an index of face 0 is 1")]
    [InlineData("def Mesh \"a\" { point3f[] points = [(0, 0, inf)]\n int[] faceVertexCounts = [3] }", "position 0 is no number")]
    [InlineData("def Mesh \"a\" { point3f[] points = [(0, 0, 0)]\n int[] faceVertexCounts = [3]\n int[] faceVertexIndices = [0] }", "no corners left")]
    [InlineData("def Mesh \"a\" { point3f[] points = [(0, 0, 0)]\n int[] faceVertexCounts = [-3] }", "the corners of face 0 is -3")]
    [InlineData("def Xform \"a\" {}", "there is no triangle")]
    [InlineData("def Xform \"a\" ( references = </a/b> ) { def Xform \"b\" ( references = </a> ) {} }", "without end")]
    [InlineData("def \"a\" ( references = @no.usda@ ) {}", "it refers to no.usda, which is not here")]
    public void What_is_wrong_is_said_with_its_place(string text, string said) =>
        Assert.Contains(said, Assert.Throws<SourceFileException>(() => Read(text)).Message, StringComparison.Ordinal);

    [Fact]
    public void A_colour_of_one_number_is_grey() => Assert.Equal(new Vector4(0.5f, 0.5f, 0.5f, 1),
        Read("def Material \"m\" {\n token outputs:surface.connect = "
        + "</m/s.outputs:surface>\n def Shader \"s\" {\n uniform token info:id = \"UsdPreviewSurface\"\n float inputs:diffuseColor = 0.5\n} }\n"
        + $"def Mesh \"a\" {{ {Square}\n rel material:binding = </m> }}").Materials[^1].BaseColour);

    [Fact]
    public void References_that_lead_into_one_another_end()
    {
        var refused = Assert.Throws<SourceFileException>(() => Read("def \"a\" ( references = @x.usda@</a> ) { def \"b\" ( references = </a> ) {} }",
            ("x.usda", "#usda 1.0\ndef \"a\" { def \"c\" ( references = </d> ) {} }\ndef \"d\" ( references = </a> ) {}")));
        Assert.Matches("without end|no triangle", refused.Message);
    }

    [Fact]
    public void A_package_is_read_from_its_first_layer_with_the_pictures_in_it()
    {
        using var zip = new MemoryStream();
        using (var archive = new ZipArchive(zip, ZipArchiveMode.Create, leaveOpen: true))
        {
            Put("scene.usda", "#usda 1.0\n(metersPerUnit = 1)\ndef Xform \"s\" { def \"a\" ( references = @./geo/a.usda@</a> ) {} }");
            Put("geo/a.usda", "#usda 1.0\ndef Mesh \"a\" {\n" + Square + "\n rel material:binding = </a/m>\n def Material \"m\" { def Shader \"ps\" {"
                + " uniform token info:id = \"UsdPreviewSurface\"\n color3f inputs:diffuseColor.connect = </a/m/t.outputs:rgb> }\n"
                + " def Shader \"t\" { uniform token info:id = \"UsdUVTexture\"\n asset inputs:file = @../0/paint.png@ } } }");
            Put("0/paint.png", "not looked at");
            void Put(string path, string text)
            {
                using var stream = archive.CreateEntry(path, CompressionLevel.NoCompression).Open();
                stream.Write(Encoding.UTF8.GetBytes(text));
            }
        }
        zip.Position = 0;
        var scene = MeshFiles.Read("in/sign.usdz", zip, _ => null);
        Assert.Equal("paint.png", Assert.Single(scene.Pictures).Name);
        Assert.Equal("sign.usdz/paint.png", Assert.Single(Assert.Single(scene.Materials).Textures).Path);
        Near(new Vector3(2, 1, 0), scene.Meshes[0].Positions[2]);
    }

    [Fact]
    public void Layers_of_another_file_are_no_files_of_their_own()
    {
        var files = new Dictionary<string, string>
        {
            ["a_low.usda"] = "#usda 1.0\ndef \"lid_low\" ( references = @geo.usda@</g> ) {}",
            ["geo.usda"] = "#usda 1.0\ndef Mesh \"g\" {\n" + Square + "\n}",
        };
        var result = IntakeStation.Run(new IntakeInput([.. files.Select(f => new SourceFile(f.Key, "", f.Value.Length))],
            f => new MemoryStream(Encoding.UTF8.GetBytes(files[f.Name])), Sides.DefaultPattern));
        Assert.Equal(["lid_low"], result.Scene.Meshes.Select(m => m.Name));
        Assert.Equal(["mesh", "goes with a mesh"], result.Report.Files.Select(f => f.Kind));
    }
}
