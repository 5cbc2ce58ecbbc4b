using System.Buffers.Binary;
using System.Globalization;
using System.IO.Compression;
using System.Numerics;
using System.Text;
using System.Xml;
using Crumpet.Core.Geometry;

namespace Crumpet.Core.Intake;

/// <summary>
/// Reads what other programs exchange meshes in, by the import library assimp: as a process of its own, with bounds to its time and
/// memory and without a network, that hands over glTF. Units and axes that it leaves as they are in the file are brought to ours here.
/// </summary>
public static class ExchangeFiles
{
    // Quarter turn from Z up, as 3MF has it, to Y up.
    private static readonly Matrix4x4 FromZUp = new(1, 0, 0, 0, 0, 0, -1, 0, 0, 1, 0, 0, 0, 0, 0, 1);

    /// <summary>What is read this way, by the endings of its files.</summary>
    public static IReadOnlyDictionary<string, string> Formats { get; } = new SortedDictionary<string, string>(StringComparer.Ordinal)
    {
        [".3ds"] = "3DS",
        [".3mf"] = "3MF",
        [".ac"] = "AC3D",
        [".amf"] = "AMF",
        [".ase"] = "ASE",
        [".b3d"] = "B3D",
        [".dae"] = "Collada",
        [".dxf"] = "DXF",
        [".fbx"] = "FBX",
        [".ifc"] = "IFC",
        [".lwo"] = "LWO",
        [".ms3d"] = "MS3D",
        [".off"] = "OFF",
        [".ogex"] = "OpenGEX",
        [".x"] = "X",
        [".x3d"] = "X3D",
    };

    /// <summary>Whether a file is read this way.</summary>
    public static bool Is(string name) => Formats.ContainsKey(Path.GetExtension(name).ToLowerInvariant());

    /// <summary>What reads them, with its version; null where it is not installed. Results depend on it.</summary>
    public static string? Reader => ExchangeProcess.Version;

    /// <summary>What to install where nothing reads them, one sentence.</summary>
    public static string HowToInstall =>
        $"FBX, Collada, 3MF and other exchange files are read by the library {ExchangeProcess.Program}, which is not installed; "
        + $"install the package {ExchangeProcess.Package}.";

    /// <summary>Reads a file.</summary>
    /// <param name="bytes">The file.</param>
    /// <param name="name">Its name; the ending tells the format.</param>
    /// <param name="cancel">Ends the process that reads it.</param>
    /// <exception cref="SourceFileException">It cannot be read, takes too long or too much memory, or the reader is not installed.</exception>
    public static Scene Read(byte[] bytes, string name, CancellationToken cancel)
    {
        string ending = Path.GetExtension(name).ToLowerInvariant(), format = Formats[ending];
        if (Reader is null)
            throw new SourceFileException(name, "", $"it is {format}, which the library {ExchangeProcess.Program} reads, and that is not installed",
                $"Install the package {ExchangeProcess.Package}, or export it as glTF or OBJ");
        var scene = GltfReader.Read(ExchangeProcess.ToGlb(bytes, name, format, cancel), name, _ => null, cancel);
        if (ending == ".dae")
            scene = scene with { Meshes = Named(scene.Meshes, ColladaNames(bytes)) };
        var place = PlaceOf(bytes, ending);
        return place.IsIdentity ? scene : scene with { Meshes = [.. scene.Meshes.Select(m => Placed(m, place))] };
    }

    /// <summary>What the reader leaves to be done: scale to metres, and turn Y up.</summary>
    private static Matrix4x4 PlaceOf(byte[] bytes, string ending) => ending switch
    {
        ".fbx" => FbxPlace(bytes),
        ".3mf" => FromZUp * Matrix4x4.CreateScale(UnitOf3mf(bytes)),
        // Collada's unit and axis are applied by the reader; the others say neither.
        _ => Matrix4x4.Identity,
    };

    private static Matrix4x4 FbxPlace(byte[] bytes)
    {
        float scale = (float)(FbxSetting(bytes, "UnitScaleFactor") ?? 1) / 100;
        if (!(scale > 0) || !float.IsFinite(scale))
            scale = 0.01f;
        Vector3 right = Axis("CoordAxis", 0), up = Axis("UpAxis", 1), front = Axis("FrontAxis", 2);
        var turn = new Matrix4x4(right.X, up.X, front.X, 0, right.Y, up.Y, front.Y, 0, right.Z, up.Z, front.Z, 0, 0, 0, 0, 1);
        // Axes that do not stand on each other say nothing.
        return (MathF.Abs(turn.GetDeterminant()) == 1 ? turn : Matrix4x4.Identity) * Matrix4x4.CreateScale(scale);

        Vector3 Axis(string name, int otherwise)
        {
            int axis = (int)(FbxSetting(bytes, name) ?? otherwise);
            float sign = FbxSetting(bytes, name + "Sign") < 0 ? -1 : 1;
            return axis switch { 0 => sign * Vector3.UnitX, 2 => sign * Vector3.UnitZ, _ => sign * Vector3.UnitY };
        }
    }

    /// <summary>A number among an FBX file's global settings, written as text or in binary; null where it is not there.</summary>
    private static double? FbxSetting(byte[] bytes, string name)
    {
        byte[] key = Encoding.ASCII.GetBytes(name);
        for (int at = 0, found; (found = bytes.AsSpan(at).IndexOf(key)) >= 0; at += found + 1)
        {
            int start = at + found, end = start + key.Length;
            if (start >= 5 && bytes[start - 5] == 'S' && BinaryPrimitives.ReadInt32LittleEndian(bytes.AsSpan(start - 4)) == key.Length)
                return BinarySetting(bytes, end);
            if (start >= 1 && bytes[start - 1] == '"' && end < bytes.Length && bytes[end] == '"')
            {
                int line = bytes.AsSpan(end).IndexOfAny((byte)'\n', (byte)'\r');
                string text = Encoding.ASCII.GetString(bytes, end, line < 0 ? bytes.Length - end : line);
                return double.TryParse(text[(text.LastIndexOf(',') + 1)..], NumberStyles.Float, CultureInfo.InvariantCulture, out double number)
                    ? number : null;
            }
        }
        return null;
    }

    /// <summary>The number behind the three words that say a setting's type.</summary>
    private static double? BinarySetting(byte[] bytes, int at)
    {
        for (int word = 0; word < 3; word++)
        {
            if (at + 5 > bytes.Length || bytes[at] != 'S')
                return null;
            int length = BinaryPrimitives.ReadInt32LittleEndian(bytes.AsSpan(at + 1));
            if (length < 0 || length > bytes.Length - at - 5)
                return null;
            at += 5 + length;
        }
        return at + 9 > bytes.Length ? null : (char)bytes[at] switch
        {
            'D' => BinaryPrimitives.ReadDoubleLittleEndian(bytes.AsSpan(at + 1)),
            'F' => BinaryPrimitives.ReadSingleLittleEndian(bytes.AsSpan(at + 1)),
            'I' => BinaryPrimitives.ReadInt32LittleEndian(bytes.AsSpan(at + 1)),
            _ => null,
        };
    }

    /// <summary>Metres of one unit of a 3MF file; millimetres where it says none.</summary>
    private static float UnitOf3mf(byte[] bytes)
    {
        try
        {
            using var zip = new ZipArchive(new MemoryStream(bytes, writable: false));
            var model = zip.Entries.FirstOrDefault(e => e.FullName.EndsWith(".model", StringComparison.OrdinalIgnoreCase));
            using var stream = model?.Open();
            using var reader = stream is null ? null : XmlReader.Create(stream, new XmlReaderSettings { DtdProcessing = DtdProcessing.Prohibit });
            string? unit = reader is not null && reader.MoveToContent() == XmlNodeType.Element ? reader.GetAttribute("unit") : null;
            return unit switch { "micron" => 1e-6f, "centimeter" => 0.01f, "inch" => 0.0254f, "foot" => 0.3048f, "meter" => 1, _ => 0.001f };
        }
        catch (Exception e) when (e is InvalidDataException or XmlException or IOException)
        {
            return 0.001f;
        }
    }

    /// <summary>Names of nodes by their ids, which is what the reader calls them.</summary>
    private static Dictionary<string, string> ColladaNames(byte[] bytes)
    {
        var names = new Dictionary<string, string>(StringComparer.Ordinal);
        try
        {
            using var reader = XmlReader.Create(new MemoryStream(bytes, writable: false), new XmlReaderSettings { DtdProcessing = DtdProcessing.Ignore });
            while (reader.Read())
            {
                if (reader is { NodeType: XmlNodeType.Element, LocalName: "node" } && reader.GetAttribute("id") is { } id
                    && reader.GetAttribute("name") is { } name)
                    names.TryAdd(id, name);
            }
        }
        catch (XmlException)
        {
            // It was read all the same; then its objects are called by their ids.
        }
        return names;
    }

    private static Mesh[] Named(IReadOnlyList<Mesh> meshes, Dictionary<string, string> names) =>
        [.. meshes.Select(m => names.TryGetValue(m.Name, out string? name) && name.Length > 0 ? m with { Name = name } : m)];

    private static Mesh Placed(Mesh mesh, Matrix4x4 place)
    {
        Matrix4x4.Invert(place, out var back);
        bool isMirrored = place.GetDeterminant() < 0;
        int[] corners = isMirrored ? [.. Enumerable.Range(0, mesh.Corners.Length).Select(c => Swapped(c))] : [];
        var turned = mesh with
        {
            Positions = Array.ConvertAll(mesh.Positions, p => Vector3.Transform(p, place)),
            Normals = mesh.Normals is { } normals ? Array.ConvertAll(normals, n => Unit(Vector3.TransformNormal(n, place))) : null,
            Placement = mesh.Placement.IsIdentity ? mesh.Placement : back * mesh.Placement * place,
        };
        // Mirrored axes turn faces over.
        return !isMirrored ? turned : turned with
        {
            Corners = Reordered(turned.Corners),
            Normals = turned.Normals is { } own ? Reordered(own) : null,
            UvSets = [.. turned.UvSets.Select(Reordered)],
            Colours = turned.Colours is { } colours ? Reordered(colours) : null,
        };

        T[] Reordered<T>(T[] values) => Array.ConvertAll(corners, c => values[c]);

        static int Swapped(int corner) => corner % 3 == 0 ? corner : corner % 3 == 1 ? corner + 1 : corner - 1;

        static Vector3 Unit(Vector3 n) => n.LengthSquared() > 0 ? Vector3.Normalize(n) : n;
    }
}
