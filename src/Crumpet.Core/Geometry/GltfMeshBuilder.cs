using System.Numerics;
using System.Text.Json;

namespace Crumpet.Core.Geometry;

/// <summary>Collects the primitives of one glTF node into one object.</summary>
internal sealed class GltfMeshBuilder(string name, string fileName, GltfData data, Matrix4x4 placement, Matrix4x4[]? pose)
{
    private readonly Dictionary<int, int> startOfAccessor = [];
    private readonly List<Vector3> positions = [];
    private readonly List<int> corners = [];
    private readonly List<int> materials = [];
    private readonly List<List<Vector2>> uvs = [];
    private List<Vector3>? normals = [];
    private List<Vector4>? colours = [];
    private bool first = true;

    /// <summary>Primitives that are points or lines.</summary>
    public int SkippedPrimitives { get; private set; }

    public void Add(JsonElement primitive, ref long read, long most)
    {
        int mode = primitive.Int("mode", 4);
        if (mode is < 4 or > 6)
        {
            SkippedPrimitives++;
            return;
        }
        if (primitive.Inner("attributes") is not { } attributes || !attributes.Has("POSITION"))
            return;
        int accessor = attributes.Int("POSITION", -1);
        var local = data.Vectors3(accessor);
        var moves = pose is null ? null : Moves(attributes, local.Length);
        int start = StartOf(accessor, local, moves);
        var own = Attributes.Read(data, attributes, local.Length, fileName, name);
        Match(own);
        int[] indices = primitive.Has("indices") ? data.Ints(primitive.Int("indices", -1)) : [.. Enumerable.Range(0, local.Length)];
        int material = primitive.Int("material", -1);
        read += local.Length + (mode == 4 ? indices.Length / 3 : Math.Max(0, indices.Length - 2));
        if (read > most)
            throw new SourceFileException(fileName, $"object {name}", $"the file's objects have more than {most / 1_000_000} million positions and triangles",
                "Split it into several files");
        // A transform that mirrors turns every triangle over.
        bool mirrored = placement.GetDeterminant() < 0;
        for (int i = 0; i + 2 < indices.Length; i += mode == 4 ? 3 : 1)
        {
            var (a, b, c) = mode switch
            {
                4 => (indices[i], indices[i + 1], indices[i + 2]),
                5 when i % 2 == 0 => (indices[i], indices[i + 1], indices[i + 2]),
                5 => (indices[i + 1], indices[i], indices[i + 2]),
                _ => (indices[0], indices[i + 1], indices[i + 2]),
            };
            if ((uint)a >= (uint)local.Length || (uint)b >= (uint)local.Length || (uint)c >= (uint)local.Length)
                throw new SourceFileException(fileName, $"object {name}", $"an index is out of range, there are {local.Length} positions", "Export it again");
            // Strips are joined by triangles without area.
            if (mode == 5 && (a == b || b == c || a == c))
                continue;
            materials.Add(material);
            AddCorner(start, a, own, moves);
            AddCorner(start, mirrored ? c : b, own, moves);
            AddCorner(start, mirrored ? b : c, own, moves);
        }
    }

    public Mesh? Build() => corners.Count == 0 ? null : new Mesh
    {
        Name = name,
        Positions = [.. positions],
        Corners = [.. corners],
        Normals = normals?.ToArray(),
        UvSets = uvs.Select(u => u.ToArray()).ToArray(),
        Colours = colours?.ToArray(),
        TriangleMaterials = [.. materials],
        PolygonCount = corners.Count / 3,
        Placement = placement,
    };

    private void AddCorner(int start, int vertex, Attributes own, Matrix4x4[]? moves)
    {
        corners.Add(start + vertex);
        normals?.Add(NormalTransform.Moved(own.Normals![vertex], moves?[vertex] ?? placement));
        // glTF counts v from the top edge, Crumpet from the bottom.
        for (int set = 0; set < uvs.Count; set++)
            uvs[set].Add(new Vector2(own.Uvs[set][vertex].X, 1 - own.Uvs[set][vertex].Y));
        colours?.Add(own.Colours![vertex]);
    }

    private int StartOf(int accessor, Vector3[] local, Matrix4x4[]? moves)
    {
        // Primitives of one mesh often share their positions.
        if (moves is null && startOfAccessor.TryGetValue(accessor, out int start))
            return start;
        start = positions.Count;
        startOfAccessor.TryAdd(accessor, start);
        for (int i = 0; i < local.Length; i++)
        {
            var p = Vector3.Transform(local[i], moves?[i] ?? placement);
            if (!float.IsFinite(p.X) || !float.IsFinite(p.Y) || !float.IsFinite(p.Z))
                throw new SourceFileException(fileName, $"object {name}", $"position {i} is no number",
                    "Look for a broken vertex in the mesh, delete it and export again");
            positions.Add(p);
        }
        return start;
    }

    private Matrix4x4[] Moves(JsonElement attributes, int count)
    {
        if (!attributes.Has("JOINTS_0") || !attributes.Has("WEIGHTS_0"))
            return [.. Enumerable.Repeat(Matrix4x4.Identity, count)];
        float[] joints = data.Floats(attributes.Int("JOINTS_0", -1), out int jointWidth),
            weights = data.Floats(attributes.Int("WEIGHTS_0", -1), out int weightWidth);
        if (jointWidth != 4 || weightWidth != 4 || joints.Length != 4 * count || weights.Length != 4 * count)
            throw GltfData.Cut(fileName, $"the skin of {name} does not fit its {count} positions");
        var moves = new Matrix4x4[count];
        for (int i = 0; i < count; i++)
        {
            float total = 0;
            for (int k = 4 * i; k < 4 * i + 4; k++)
            {
                int joint = (int)joints[k];
                if (joint < 0 || joint >= pose!.Length)
                    throw GltfData.Cut(fileName, $"the skin of {name} refers to joint {joint} of {pose!.Length}");
                moves[i] += pose[joint] * weights[k];
                total += weights[k];
            }
            moves[i] = total > 0 ? moves[i] * (1 / total) : Matrix4x4.Identity;
        }
        return moves;
    }

    /// <summary>Keeps only what every primitive of the object has.</summary>
    private void Match(Attributes own)
    {
        while (first && uvs.Count < own.Uvs.Count)
            uvs.Add([]);
        first = false;
        if (own.Normals is null)
            normals = null;
        if (own.Colours is null)
            colours = null;
        if (uvs.Count > own.Uvs.Count)
            uvs.RemoveRange(own.Uvs.Count, uvs.Count - own.Uvs.Count);
    }

    private sealed record Attributes(Vector3[]? Normals, IReadOnlyList<Vector2[]> Uvs, Vector4[]? Colours)
    {
        public static Attributes Read(GltfData data, JsonElement attributes, int count, string fileName, string name)
        {
            var normals = attributes.Has("NORMAL") ? data.Vectors3(attributes.Int("NORMAL", -1)) : null;
            var uvs = new List<Vector2[]>();
            while (uvs.Count < 8 && attributes.Has($"TEXCOORD_{uvs.Count}"))
                uvs.Add(data.Vectors2(attributes.Int($"TEXCOORD_{uvs.Count}", -1)));
            var colours = attributes.Has("COLOR_0") ? Colour(data.Floats(attributes.Int("COLOR_0", -1), out int width), width) : null;
            if (normals?.Length < count || uvs.Exists(u => u.Length < count) || colours?.Length < count)
                throw GltfData.Cut(fileName, $"{name} has fewer normals, coordinates or colours than its {count} positions");
            return new Attributes(normals, uvs, colours);
        }

        private static Vector4[] Colour(float[] values, int width)
        {
            if (width is not (3 or 4))
                throw new FormatException($"a colour has {width} numbers");
            var colours = new Vector4[values.Length / width];
            for (int i = 0; i < colours.Length; i++)
                colours[i] = new Vector4(values[width * i], values[width * i + 1], values[width * i + 2], width == 4 ? values[width * i + 3] : 1);
            return colours;
        }
    }
}
