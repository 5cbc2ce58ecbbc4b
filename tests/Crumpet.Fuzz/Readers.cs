using System.IO.Compression;
using System.Numerics;
using System.Text;
using Crumpet.Core.Building;
using Crumpet.Core.Geometry;
using Crumpet.Core.Imaging;
using Crumpet.Core.Intake;

namespace Crumpet.Fuzz;

/// <summary>A reader with files it can read.</summary>
/// <param name="Seeds">Gives the files.</param>
/// <param name="Read">Reads one.</param>
internal sealed record FuzzedReader(Func<IReadOnlyList<byte[]>> Seeds, Action<byte[]> Read);

/// <summary>All readers of files from outside.</summary>
internal static class Readers
{
    private static readonly byte[] TgaRuns = [0x87, 1, 2, 3, 0, 0x03, 1, 2, 3, 0, 1, 2, 3, 0, 1, 2, 3, 0, 1, 2, 3, 0];
    private static readonly byte[] HdrRow = [2, 2, 0, 8, 136, 5, 136, 6, 136, 7, 136, 129, 2, 2, 0, 8, 8, 1, 2, 3, 4, 5, 6, 7, 8, 136, 6, 136, 7, 136, 129];
    private static readonly Scene Box = MakeBox();

    private static readonly byte[] AssetDocument =
        """
        {"version":3,"name":"a","sources":[{"path":"a.obj","side":"low"}],
         "settings":{"bake":{"size":512,"maps":["normal"]},"mends":[{"mend":"upright"}]}}
        """u8.ToArray();

    private static readonly byte[][] KitDocuments =
    [
        """
        {"version":3,"name":"K","assets":["a"],"rules":{"mends":[{"mend":"units","factor":0.01}],"names":{"low":["low"],"high":["high"]}},
         "settings":{"target":{"largestTexture":4096},"recipe":{"name":"r","outputs":[]}}}
        """u8.ToArray(),
        """{"version":1,"name":"K","assets":[{"name":"a","folder":"f","sources":["a.obj"],"plan":{"green":"down"}}]}"""u8.ToArray(),
    ];

    public static IReadOnlyDictionary<string, FuzzedReader> All { get; } = new Dictionary<string, FuzzedReader>
    {
        ["obj"] = new(() => [Written(s => ObjWriter.Write(Box, s, "box.mtl")), Encoding.UTF8.GetBytes(
            "o a\nv 0 0 0 1 0.5 0\nv 1 0 0\nv 1 1 0\nv 0 1 0\ns 1\ng b\nf -4 -3 -2 \\\n-1\nusemtl x\nf 1//1 2 3\n"), Encoding.Unicode.GetPreamble()
            .Concat(Encoding.Unicode.GetBytes("v 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 3\n")).ToArray()],
            b => MeshFiles.Read("x.obj", new MemoryStream(b), _ => null)),
        ["mtl"] = new(() => [Encoding.UTF8.GetBytes("newmtl red\nKd 1 0 0\nd 0.5\nPr 0.2\nPm 1\nmap_Kd -s 1 1 1 -o 0 0 0 a b.png\nbump -bm 0.5 h.png\n")],
            b => MtlReader.Read(new MemoryStream(b), "x.mtl")),
        ["glb"] = new(() => [Written(
            s => GltfWriter.WriteBinary(SceneDocument.Of(Box), s))],
            b => MeshFiles.Read("x.glb", new MemoryStream(b), _ => null)),
        ["gltf"] = new(GltfSeeds, b => MeshFiles.Read("x.gltf", new MemoryStream(b), _ => new byte[256])),
        ["ply"] = new(() => [.. Enum.GetValues<PlyFormat>().Select(f => Written(s => PlyWriter.Write(Box, s, f))), Encoding.ASCII.GetBytes(
            "ply\nformat ascii 1.0\nelement vertex 4\nproperty double x\nproperty float y\nproperty short z\nproperty uchar red\nproperty uchar "
            + "green\nproperty uchar blue\nelement face 1\nproperty list uchar uint vertex_index\nelement tristrips 1\nproperty list int int "
            + "vertex_indices\nend_header\n0 0 0 1 2 3\n1 0 0 1 2 3\n1 1 0 1 2 3\n0 1 0 1 2 3\n4 0 1 2 3\n5 0 1 2 -1 3\n")],
            b => MeshFiles.Read("x.ply", new MemoryStream(b), _ => null)),
        ["stl"] = new(() => [Written(s => StlWriter.Write(Box, s)), Written(s => StlWriter.Write(Box, s, asText: true))],
            b => MeshFiles.Read("x.stl", new MemoryStream(b), _ => null)),
        ["usda"] = new(UsdSeeds, b => MeshFiles.Read("x.usda", new MemoryStream(b), _ => b)),
        ["usdc"] = new(() => Fixtures("*.usdc"), b => MeshFiles.Read("x.usdc", new MemoryStream(b), _ => b)),
        ["tga"] = new(TgaSeeds, b => ImageFile.Read(b, "x.tga")),
        ["hdr"] = new(() => [Encoding.Latin1.GetBytes("#?RADIANCE\nFORMAT=32-bit_rle_rgbe\n\n-Y 2 +X 8\n").Concat(HdrRow).ToArray()],
            b => ImageFile.Read(b, "x.hdr")),
        ["exr"] = new(() => Fixtures("*.exr"), b => ImageFile.Read(b, "x.exr")),
        ["vips"] = new(PictureSeeds, b => ImageFile.Read(b, "x.png")),
        ["ktx2"] = new(() => [.. TextureFormat.Table.All.SelectMany(f => new[] { false, true }.Select(packed =>
            KtxFile.Write(new Texture(8, 4, f, f.VkSrgb is not null,
            [.. new[] { (8, 4), (4, 2), (2, 1), (1, 1) }.Select(l => new byte[f.LevelBytes(l.Item1, l.Item2)])]), packed)))], ReadTexture),
        ["dds"] = new(() => [.. TextureFormat.Table.All.Where(TextureContainer.Dds.Holds).Select(
            f => DdsFile.Write(new Texture(8, 4, f, f.DxgiSrgb is not null,
            [.. new[] { (8, 4), (4, 2), (2, 1), (1, 1) }.Select(l => new byte[f.LevelBytes(l.Item1, l.Item2)])])))], ReadTexture),
        ["kit"] = new(() => [.. KitDocuments, AssetDocument], ReadKit),
        ["zip"] = new(ZipSeeds, b => ZipContents.Read(new MemoryStream(b), "x.zip", (_, content) => content.CopyTo(Stream.Null), _ => { })),
    };

    /// <summary>Reads the file of a kit, or of an asset in it.</summary>
    private static void ReadKit(byte[] bytes)
    {
        bool isAsset = bytes.AsSpan().IndexOf("sources"u8) >= 0 && bytes.AsSpan().IndexOf("assets"u8) < 0;
        KitFolder.Read(path => (path == KitFile.FileName) == isAsset ? (isAsset ? KitDocuments[0] : AssetDocument) : bytes);
    }

    private static void ReadTexture(byte[] bytes)
    {
        var texture = TextureContainer.Read(bytes, "x.dds");
        for (int i = 0; i < texture.Levels.Count; i++)
        {
            var (width, height) = texture.LevelSize(i);
            BlockCodec.Decode(texture.Level(i), width, height, texture.Format);
        }
    }

    /// <summary>Readers that are alike enough to share their time.</summary>
    public static IReadOnlyList<IReadOnlyList<string>> Families { get; } = [["obj", "mtl"], ["gltf", "glb"], ["ply"], ["stl"], ["usda", "usdc"],
        ["tga", "hdr", "dds", "ktx2"], ["exr", "vips"], ["zip", "kit"]];

    private static byte[] Written(Action<Stream> write)
    {
        using var stream = new MemoryStream();
        write(stream);
        return stream.ToArray();
    }

    private static Scene MakeBox()
    {
        Vector3[] positions = [.. Enumerable.Range(0, 8).Select(i => new Vector3(i & 1, i >> 1 & 1, i >> 2))];
        int[] quads = [4, 5, 7, 6, 1, 0, 2, 3, 5, 1, 3, 7, 0, 4, 6, 2, 6, 7, 3, 2, 0, 1, 5, 4];
        int[] corners = [.. Enumerable.Range(0, 6).SelectMany(q => new[] { 0, 1, 2, 0, 2, 3 }.Select(c => quads[4 * q + c]))];
        var mesh = new Mesh
        {
            Name = "box_low",
            Positions = positions,
            Corners = corners,
            UvSets = [[.. corners.Select(c => new Vector2(positions[c].X, positions[c].Y))],
                [.. corners.Select(c => new Vector2(positions[c].Z, positions[c].Y))]],
            Colours = [.. corners.Select(c => new Vector4(positions[c], 1))],
            TriangleMaterials = [.. Enumerable.Range(0, 12).Select(t => t % 2)],
        };
        return new Scene("box", [MeshRepair.SmoothByAngle(mesh, 30), mesh with { Name = "placed_high", Placement = Matrix4x4.CreateScale(-1, 2, 1) }],
            [Material.Plain, Material.Plain with { Name = "paint" }], []);
    }

    private static IReadOnlyList<byte[]> UsdSeeds() =>
    [
        """
        #usda 1.0
        ( metersPerUnit = 0.01 upAxis = "Z" subLayers = [@./b.usda@ (offset = 1)] )
        def Xform "World" ( prepend references = [@c.usda@</World/a>, </k>] variants = { string v = "x" } )
        {
          double3 xformOp:translate.timeSamples = { 1: (1, 2, 3), 2: (0, 0, 0) }
          uniform token[] xformOpOrder = ["xformOp:translate", "!invert!xformOp:translate"]
          variantSet "v" = { "x" { over "a" { token visibility = "inherited" } } }
          def Mesh "a" ( displayName = "lid" customData = { int n = 1 } )
          {
            int[] faceVertexCounts = [4, 3]
            int[] faceVertexIndices = [0, 1, 2, 3, 0, 2, 3]
            point3f[] points = [(0, 0, 0), (1, 0, 0), (1, 1, 0), (0, 1, -1e-3)] ( interpolation = "vertex" )
            texCoord2f[] primvars:st = [(0, 0), (1, 1)] ( interpolation = "faceVarying" )
            int[] primvars:st:indices = [0, 1, 0, 1, 0, 1, 0]
            color3f[] primvars:displayColor = [(1, 0, 0), (0, 1, 0)] ( interpolation = "uniform" )
            rel material:binding = </World/m>
            def GeomSubset "s" { int[] indices = [1] rel material:binding = </World/m> }
          }
          def Material "m" {
            token outputs:surface.connect = </World/m/p.outputs:surface>
            def Shader "p" { uniform token info:id = "UsdPreviewSurface" color3f inputs:diffuseColor.connect = </World/m/t.outputs:rgb> }
            def Shader "t" { uniform token info:id = "UsdUVTexture" asset inputs:file = @a.png@ float2 inputs:st = (0, 0) }
          }
        }
        class "k" { rel x = None }
        """u8.ToArray(),
    ];

    private static IReadOnlyList<byte[]> GltfSeeds()
    {
        string data = Convert.ToBase64String([.. Enumerable.Range(0, 128).SelectMany(i => BitConverter.GetBytes(i * 0.25f))]);
        return
        [
            Encoding.UTF8.GetBytes("""
                {"asset":{"version":"2.0"},"scene":0,"scenes":[{"nodes":[0]}],
                 "nodes":[{"name":"a","children":[1,2],"matrix":[1,0,0,0,0,1,0,0,0,0,1,0,0,0,0,1]},
                  {"mesh":0,"skin":0,"scale":[1,2,3],"rotation":[0,0,0,1]},{"camera":0}],
                 "meshes":[{"name":"m","primitives":[{"attributes":{"POSITION":0,"NORMAL":0,"TEXCOORD_0":1,"COLOR_0":2,"JOINTS_0":3,"WEIGHTS_0":4},
                  "indices":5,"mode":5,"material":0,"targets":[{"POSITION":0}]}]}],
                 "skins":[{"joints":[0,1],"inverseBindMatrices":6}],
                 "materials":[{"pbrMetallicRoughness":{"baseColorTexture":{"index":0,"extensions":{
                  "KHR_texture_transform":{"offset":[0,1],"rotation":1}}}}}],"textures":[{"source":0}],"images":[{"uri":"a.png"}],
                 "accessors":[{"bufferView":0,"componentType":5126,"count":4,"type":"VEC3","sparse":{"count":1,
                   "indices":{"bufferView":0,"byteOffset":500,"componentType":5121},"values":{"bufferView":0}}},
                  {"bufferView":0,"componentType":5122,"normalized":true,"count":4,"type":"VEC2"},
                  {"bufferView":0,"componentType":5121,"normalized":true,"count":4,"type":"VEC4"},
                  {"componentType":5121,"count":4,"type":"VEC4"},{"bufferView":0,"componentType":5126,"count":4,"type":"VEC4"},
                  {"bufferView":1,"componentType":5121,"count":4,"type":"SCALAR"},{"componentType":5126,"count":2,"type":"MAT4"}],
                 "bufferViews":[{"buffer":0,"byteLength":512},{"buffer":1,"byteLength":4}],
                 "buffers":[{"byteLength":512,"uri":"data:application/octet-stream;base64,DATA"},
                  {"byteLength":4,"uri":"data:;base64,AAECAw=="}]}
                """.Replace("DATA", data, StringComparison.Ordinal)),
        ];
    }

    private static IReadOnlyList<byte[]> TgaSeeds() =>
        [.. new (byte Kind, byte Bits)[] { (2, 24), (2, 32), (2, 16), (3, 8), (1, 8), (10, 24), (10, 32), (11, 8), (9, 8) }.Select(k =>
        {
            var bytes = new List<byte>(
                new byte[18]) { [1] = (byte)(k.Kind is 1 or 9 ? 1 : 0), [2] = k.Kind, [5] = (byte)(k.Kind is 1 or 9 ? 4 : 0),
                [7] = (byte)(k.Kind is 1 or 9 ? 24 : 0), [12] = 4, [14] = 3, [16] = k.Bits, [17] = (byte)(k.Bits == 32 ? 8 : 0) };
            bytes.AddRange(Enumerable.Range(0, k.Kind is 1 or 9 ? 12 : 0).Select(i => (byte)(i * 20)));
            if (k.Kind > 8)
                bytes.AddRange(TgaRuns);
            else
                bytes.AddRange(Enumerable.Range(0, 12 * k.Bits / 8).Select(i => (byte)(k.Kind == 1 ? i % 4 : i)));
            return bytes.ToArray();
        })];

    private static IReadOnlyList<byte[]> Fixtures(string pattern)
    {
        string folder = AppContext.BaseDirectory;
        for (; !Directory.Exists(Path.Combine(folder, "tests", "Crumpet.Core.Tests", "Fixtures")); folder = Path.GetDirectoryName(folder)!)
        {
        }
        return [.. Directory.GetFiles(Path.Combine(folder, "tests", "Crumpet.Core.Tests", "Fixtures"), pattern).Order(StringComparer.Ordinal)
            .Select(File.ReadAllBytes)];
    }

    private static IReadOnlyList<byte[]> PictureSeeds()
    {
        var picture = new Bitmap8(24, 16, 3, [.. Enumerable.Range(0, 24 * 16 * 3).Select(i => (byte)(i * 7))]);
        using var image = NetVips.Image.NewFromMemory(picture.Pixels, 24, 16, 3, NetVips.Enums.BandFormat.Uchar);
        using var colour = image.Copy(interpretation: NetVips.Enums.Interpretation.Srgb);
        return [ImageFile.WritePng(picture), colour.JpegsaveBuffer(), colour.TiffsaveBuffer(), colour.WebpsaveBuffer(),
            ImageFile.WriteTiff(new Bitmap32(8, 8, 3))];
    }

    private static IReadOnlyList<byte[]> ZipSeeds() => [Written(s =>
    {
        using var zip = new ZipArchive(s, ZipArchiveMode.Create, leaveOpen: true);
        foreach (string name in (string[])["kit/a.obj", "kit/textures/b.png", "kit/.hidden"])
        {
            using var entry = zip.CreateEntry(name).Open();
            entry.Write(new byte[300]);
        }
    })];
}
