using System.Buffers.Text;
using System.Numerics;
using System.Text;

namespace Crumpet.Core.Geometry;

/// <summary>Reads Wavefront OBJ with its material library, streaming line by line.</summary>
/// <remarks>Source: Wavefront "Object Files (.obj)", appendix B1 of the Advanced Visualizer manual.</remarks>
public sealed class ObjReader
{
    private readonly string fileName;
    private readonly List<Vector3> positions = [];
    private readonly List<Vector2> texcoords = [];
    private readonly List<Vector3> normals = [];
    private readonly List<Material> materials;
    private readonly Dictionary<string, int> materialByName = new(StringComparer.Ordinal);
    private readonly List<ObjectBuilder> objects = [];
    private readonly List<Finding> notes = [];
    private readonly List<(int V, int T, int N)> face = [];
    private readonly List<Vector3> polygon = [];
    private readonly List<int> cut = [];
    private ObjectBuilder? current;
    private int material = -1;
    private long lineNumber;

    private ObjReader(string fileName, IReadOnlyList<Material> library)
    {
        this.fileName = fileName;
        materials = [.. library];
        for (int i = 0; i < materials.Count; i++)
            materialByName.TryAdd(materials[i].Name, i);
    }

    /// <summary>Reads a file.</summary>
    /// <param name="stream">UTF-8 or ASCII text.</param>
    /// <param name="fileName">Name for messages.</param>
    /// <param name="library">Materials of the libraries it names, as <see cref="MtlReader"/> gives them.</param>
    /// <param name="cancel">Ends the reading early.</param>
    /// <exception cref="SourceFileException">A number, index or face cannot be read, or there is no triangle.</exception>
    public static Scene Read(Stream stream, string fileName, IReadOnlyList<Material> library, CancellationToken cancel = default)
    {
        var reader = new ObjReader(fileName, library);
        reader.ReadLines(stream, cancel);
        var meshes = reader.objects.Where(o => o.Corners.Count > 0).Select(o => o.Build()).ToArray();
        if (meshes.Length == 0)
            throw new SourceFileException(fileName, "", "there is no triangle in it", "Export the mesh again with its faces");
        return new Scene(fileName, meshes, reader.materials, reader.notes);
    }

    private void ReadLines(Stream stream, CancellationToken cancel)
    {
        var buffer = new byte[1 << 16];
        int filled = 0;
        bool start = true;
        while (true)
        {
            cancel.ThrowIfCancellationRequested();
            int read = stream.Read(buffer, filled, buffer.Length - filled);
            filled += read;
            int from = 0;
            if (start && filled >= 3 && buffer.AsSpan(0, 3).SequenceEqual(Encoding.UTF8.Preamble))
                from = 3;
            start = false;
            while (true)
            {
                int length = buffer.AsSpan(from, filled - from).IndexOfAny((byte)'\n', (byte)'\r');
                if (length < 0)
                    break;
                int end = from + length;
                if (end > from && buffer[end - 1] == '\\' && end + 1 < filled)
                {
                    // A backslash at the end of a line continues it: blank both bytes and read on.
                    buffer[end - 1] = (byte)' ';
                    if (buffer[end] == '\r' && buffer[end + 1] == '\n')
                        buffer[end + 1] = (byte)' ';
                    buffer[end] = (byte)' ';
                    continue;
                }
                if (end > from && buffer[end - 1] == '\\' && read > 0)
                    break;
                if (buffer[end] == '\n' || (end + 1 < filled && buffer[end + 1] != '\n'))
                    lineNumber++;
                Line(buffer.AsSpan(from, length));
                from = end + 1;
            }
            if (read == 0)
            {
                lineNumber++;
                Line(buffer.AsSpan(from, filled - from));
                return;
            }
            buffer.AsSpan(from, filled - from).CopyTo(buffer);
            filled -= from;
            if (filled == buffer.Length)
            {
                if (buffer.Length >= 1 << 26)
                    throw Wrong("a line is longer than 64 MiB", "This is no OBJ file; export it again");
                Array.Resize(ref buffer, buffer.Length * 2);
            }
        }
    }

    private void Line(ReadOnlySpan<byte> line)
    {
        line = line.Trim(" \t\0"u8);
        if (line.IsEmpty || line[0] == '#')
            return;
        int space = line.IndexOfAny((byte)' ', (byte)'\t');
        var keyword = space < 0 ? line : line[..space];
        var rest = space < 0 ? [] : line[space..].Trim(" \t"u8);
        if (keyword.SequenceEqual("v"u8))
            positions.Add(Vector(ref rest));
        else if (keyword.SequenceEqual("vt"u8))
            texcoords.Add(new Vector2(Number(ref rest), rest.IsEmpty ? 0 : Number(ref rest)));
        else if (keyword.SequenceEqual("vn"u8))
            normals.Add(Vector(ref rest));
        else if (keyword.SequenceEqual("f"u8))
            Face(rest);
        else if (keyword.SequenceEqual("o"u8) || keyword.SequenceEqual("g"u8))
            StartObject(Encoding.UTF8.GetString(rest));
        else if (keyword.SequenceEqual("usemtl"u8))
            UseMaterial(Encoding.UTF8.GetString(rest));
    }

    private void StartObject(string name)
    {
        if (name.Length == 0)
            name = "unnamed";
        // Files with both o and g repeat the name; a group without faces leaves no object behind.
        if (current is { Corners.Count: 0 })
            objects.Remove(current);
        current = objects.Find(o => o.Name == name);
        if (current is null)
            objects.Add(current = new ObjectBuilder(name));
    }

    private void UseMaterial(string name)
    {
        if (materialByName.TryGetValue(name, out material))
            return;
        material = materials.Count;
        materials.Add(Material.Plain with { Name = name });
        materialByName.Add(name, material);
        notes.Add(new Finding(Severity.Note, "material-not-described", name,
            $"{fileName} uses material {name}, which no material library describes; plain grey stands in for it."));
    }

    private void Face(ReadOnlySpan<byte> rest)
    {
        face.Clear();
        polygon.Clear();
        cut.Clear();
        while (!rest.IsEmpty)
        {
            int end = rest.IndexOfAny((byte)' ', (byte)'\t');
            var token = end < 0 ? rest : rest[..end];
            rest = end < 0 ? [] : rest[end..].TrimStart(" \t"u8);
            face.Add(Corner(token));
        }
        if (face.Count < 3)
            throw Wrong($"a face has {face.Count} corners", "Delete loose edges and points, then export again");
        foreach (var corner in face)
            polygon.Add(positions[corner.V]);
        Triangulation.Cut(System.Runtime.InteropServices.CollectionsMarshal.AsSpan(polygon), cut);
        if (current is null)
            StartObject(Path.GetFileNameWithoutExtension(fileName));
        current!.PolygonCount++;
        foreach (int index in cut)
            AddCorner(face[index]);
        for (int i = 0; i < cut.Count; i += 3)
            current.Materials.Add(material);
    }

    private void AddCorner((int V, int T, int N) corner)
    {
        current!.Corners.Add(current.PositionOf(corner.V, positions));
        current.HasUvs &= corner.T >= 0;
        current.HasNormals &= corner.N >= 0;
        if (current.HasUvs)
            current.Uvs.Add(texcoords[corner.T]);
        if (current.HasNormals)
        {
            var normal = normals[corner.N];
            float length = normal.Length();
            current.Normals.Add(length > 0 ? normal / length : Vector3.UnitY);
        }
    }

    private (int V, int T, int N) Corner(ReadOnlySpan<byte> token)
    {
        int v = Index(ref token, positions.Count, "position");
        int t = -1, n = -1;
        if (Slash(ref token) && !token.IsEmpty && token[0] != '/')
            t = Index(ref token, texcoords.Count, "texture coordinate");
        if (Slash(ref token) && !token.IsEmpty)
            n = Index(ref token, normals.Count, "normal");
        return (v, t, n);
    }

    private static bool Slash(ref ReadOnlySpan<byte> token)
    {
        if (token.IsEmpty || token[0] != '/')
            return false;
        token = token[1..];
        return true;
    }

    private int Index(ref ReadOnlySpan<byte> token, int count, string of)
    {
        if (!Utf8Parser.TryParse(token, out int index, out int used))
            throw Wrong($"'{Encoding.UTF8.GetString(token)}' is no {of} index", "Export the mesh again");
        token = token[used..];
        int zeroBased = index > 0 ? index - 1 : count + index;
        if (index == 0 || zeroBased < 0 || zeroBased >= count)
            throw Wrong($"{of} index {index} is out of range, there are {count} so far", "Export the mesh again; the file was cut or edited by hand");
        return zeroBased;
    }

    private Vector3 Vector(ref ReadOnlySpan<byte> rest) => new(Number(ref rest), Number(ref rest), Number(ref rest));

    private float Number(ref ReadOnlySpan<byte> rest)
    {
        var text = !rest.IsEmpty && rest[0] == '+' ? rest[1..] : rest;
        if (!Utf8Parser.TryParse(text, out float value, out int used) || used == 0)
        {
            int end = rest.IndexOfAny((byte)' ', (byte)'\t');
            string shown = Encoding.UTF8.GetString(end < 0 ? rest : rest[..end]);
            throw Wrong(shown.Length == 0 ? "a number is missing" : $"'{shown}' is no number", "Export the mesh again");
        }
        if (!float.IsFinite(value))
            throw Wrong($"{value} is no usable number", "Look for a broken vertex in the mesh, delete it and export again");
        rest = text[used..].TrimStart(" \t"u8);
        return value;
    }

    private SourceFileException Wrong(string what, string whatToDo) =>
        new(fileName, $"line {lineNumber}" + (current is null ? "" : $", object {current.Name}"), what, whatToDo);

    private sealed class ObjectBuilder(string name)
    {
        private readonly Dictionary<int, int> localOf = [];

        public string Name { get; } = name;
        public List<Vector3> Positions { get; } = [];
        public List<int> Corners { get; } = [];
        public List<Vector2> Uvs { get; } = [];
        public List<Vector3> Normals { get; } = [];
        public List<int> Materials { get; } = [];
        public bool HasUvs { get; set; } = true;
        public bool HasNormals { get; set; } = true;
        public int PolygonCount { get; set; }

        public int PositionOf(int index, List<Vector3> all)
        {
            if (!localOf.TryGetValue(index, out int local))
            {
                localOf.Add(index, local = Positions.Count);
                Positions.Add(all[index]);
            }
            return local;
        }

        public Mesh Build() => new()
        {
            Name = Name,
            Positions = [.. Positions],
            Corners = [.. Corners],
            Normals = HasNormals ? [.. Normals] : null,
            UvSets = HasUvs ? [Uvs.ToArray()] : [],
            TriangleMaterials = [.. Materials],
            PolygonCount = PolygonCount,
        };
    }
}
