using System.Numerics;
using System.Runtime.InteropServices;

namespace Crumpet.Core.Geometry;

/// <summary>Makes one object of a mesh prim: triangles, with everything else brought to corners.</summary>
/// <param name="prim">The prim.</param>
/// <param name="fileName">Name for messages.</param>
/// <param name="name">The object's name.</param>
/// <param name="world">Its place, in metres with Y up.</param>
/// <param name="cancel">Ends the work early.</param>
internal sealed class UsdMeshBuilder(UsdPrim prim, string fileName, string name, Matrix4x4 world, CancellationToken cancel)
{
    private const int MostUvSets = 8;
    private const string Primvar = "primvars:";

    // What exporters call the first set, in the order they are looked for.
    private static readonly string[] FirstSets = ["st", "UVMap", "uv", "map1"];

    private Vector3[] positions = [];
    private double[] counts = [], indices = [];

    /// <summary>Names of the UV sets of a mesh, the first set first.</summary>
    public static List<string> UvNames(UsdPrim mesh) =>
        [.. mesh.Properties.Where(p => p.Key.StartsWith(Primvar, StringComparison.Ordinal) && IsUv(p.Value) && p.Value.Given is { Count: > 0 })
            .Select(p => p.Key[Primvar.Length..]).OrderBy(n => Array.IndexOf(FirstSets, n) is var place and >= 0 ? place : FirstSets.Length).Take(MostUvSets)];

    private static bool IsUv(UsdProperty property) => property.Type.StartsWith("texCoord2", StringComparison.Ordinal)
        || property.Type is "float2" or "double2" or "half2";

    /// <summary>The object, or null where it has no face.</summary>
    /// <param name="material">Material of faces that no subset has.</param>
    /// <param name="subsets">Faces with materials of their own.</param>
    /// <exception cref="SourceFileException">Its numbers do not fit together.</exception>
    public Mesh? Build(int material, IReadOnlyList<(double[] Faces, int Material)> subsets)
    {
        positions = Positions();
        counts = prim.Value("faceVertexCounts")?.Numbers ?? [];
        indices = prim.Value("faceVertexIndices")?.Numbers ?? [];
        var materials = new int[counts.Length];
        Array.Fill(materials, material);
        foreach (var (faces, own) in subsets)
        {
            foreach (double face in faces)
                materials[Checked(face, counts.Length, "a subset's face")] = own;
        }
        var holes = (prim.Value("holeIndices")?.Numbers ?? []).ToHashSet();
        var (corners, sourceCorners, polygons, polygonCount) = Cut(holes);
        if (corners.Length == 0)
            return null;
        var normals = Normals();
        int[] faceOf = FaceOfCorner();
        return new Mesh
        {
            Name = name,
            Positions = positions,
            Corners = corners,
            Normals = normals is null ? null : [.. sourceCorners.Select(c => Moved(normals, c, faceOf))],
            UvSets = [.. UvNames(prim).Select(n => Uvs(Given(Primvar + n, "faceVarying", 2)!, sourceCorners, faceOf))],
            Colours = Colours(sourceCorners, faceOf),
            TriangleMaterials = [.. polygons.Select(p => materials[p])],
            TrianglePolygons = polygonCount == polygons.Length ? null : polygons,
            PolygonCount = polygonCount,
        };
    }

    private Vector3[] Positions()
    {
        if (prim.Value("points") is not { Count: > 0 } points)
            return [];
        if (points.Width != 3)
            throw Wrong($"its points have {points.Width} numbers each, three are needed");
        var found = new Vector3[points.Count];
        for (int i = 0; i < found.Length; i++)
        {
            var p = Vector3.Transform(new Vector3((float)points.Numbers[3 * i], (float)points.Numbers[3 * i + 1], (float)points.Numbers[3 * i + 2]), world);
            if (!float.IsFinite(p.X) || !float.IsFinite(p.Y) || !float.IsFinite(p.Z))
                throw new SourceFileException(fileName, $"object {name}", $"position {i} is no number",
                    "Look for a broken vertex in the mesh, delete it and export again");
            found[i] = p;
        }
        return found;
    }

    /// <summary>Triangles: positions and source corners of their corners, and faces.</summary>
    private (int[] Corners, int[] SourceCorners, int[] Polygons, int PolygonCount) Cut(HashSet<double> holes)
    {
        // A mirroring transform and the other winding turn every triangle over; both together leave it.
        bool isTurned = world.GetDeterminant() < 0 != (prim.Value("orientation")?.Word == "leftHanded");
        List<int> corners = [], source = [], polygons = [], cut = [];
        var outline = new List<Vector3>();
        int start = 0, kept = 0;
        for (int face = 0; face < counts.Length; face++)
        {
            if ((face & 0xffff) == 0)
                cancel.ThrowIfCancellationRequested();
            int count = Checked(counts[face], Triangulation.LargestPolygon + 1, $"the corners of face {face}");
            if (start + count > indices.Length)
                throw Wrong($"face {face} has no corners left, there are {indices.Length}");
            if (count >= 3 && !holes.Contains(face))
            {
                outline.Clear();
                cut.Clear();
                for (int k = 0; k < count; k++)
                    outline.Add(positions[Checked(indices[start + k], positions.Length, $"an index of face {face}")]);
                Triangulation.Cut(CollectionsMarshal.AsSpan(outline), cut);
                for (int t = 0; t < cut.Count; t += 3)
                {
                    int a = start + cut[t], b = start + cut[t + 1], c = start + cut[t + 2];
                    source.AddRange(isTurned ? [a, c, b] : [a, b, c]);
                    polygons.Add(face);
                }
                kept++;
            }
            start += count;
        }
        corners.AddRange(source.Select(c => (int)indices[c]));
        return ([.. corners], [.. source], [.. polygons], kept);
    }

    private int[] FaceOfCorner()
    {
        var faces = new int[indices.Length];
        for (int face = 0, start = 0; face < counts.Length; start += (int)counts[face++])
            Array.Fill(faces, face, start, (int)counts[face]);
        return faces;
    }

    private Spread? Normals() => Given(Primvar + "normals", "vertex", 3) ?? Given("normals", "vertex", 3);

    private Vector3 Moved(Spread normals, int corner, int[] faceOf)
    {
        int i = 3 * Item(normals, corner, faceOf);
        double[] n = normals.Value.Numbers;
        return NormalTransform.Moved(new Vector3((float)n[i], (float)n[i + 1], (float)n[i + 2]), world);
    }

    private Vector2[] Uvs(Spread uvs, int[] corners, int[] faceOf) =>
        [.. corners.Select(c => 2 * Item(uvs, c, faceOf)).Select(i => new Vector2((float)uvs.Value.Numbers[i], (float)uvs.Value.Numbers[i + 1]))];

    private Vector4[]? Colours(int[] corners, int[] faceOf)
    {
        if (Given(Primvar + "displayColor", "constant", 3) is not { } colours || colours.Value.Count < 2)
            return null;
        var opacity = Given(Primvar + "displayOpacity", "constant", 1);
        double[] c = colours.Value.Numbers;
        return [.. corners.Select(corner => (At: 3 * Item(colours, corner, faceOf), Corner: corner)).Select(p => new Vector4((float)c[p.At], (float)c[p.At + 1],
            (float)c[p.At + 2], opacity is null ? 1 : (float)opacity.Value.Numbers[Item(opacity, p.Corner, faceOf)]))];
    }

    /// <summary>An attribute and how it lies over the mesh, or null where it is not there.</summary>
    private Spread? Given(string attribute, string otherwise, int width)
    {
        if (!prim.Properties.TryGetValue(attribute, out var property) || property.Given is not { Count: > 0 } value)
            return null;
        if (value.Width != width)
            throw Wrong($"its {attribute} have {value.Width} numbers each, {width} are needed");
        double[]? own = prim.Value(attribute + ":indices")?.Numbers is { Length: > 0 } given ? given : null;
        int items = own?.Length ?? value.Count;
        string said = property.Metadata.GetValueOrDefault("interpolation")?.Word ?? otherwise;
        // Where the number of items does not fit what is said, it tells what was meant.
        string how = items >= Needed(said) ? said : items == indices.Length ? "faceVarying" : items == positions.Length ? "vertex"
            : items == counts.Length ? "uniform" : items == 1 ? "constant"
            : throw Wrong($"its {attribute} are {items}, which fits neither its corners, points nor faces");
        return new Spread(value, own, how, attribute);
    }

    private int Needed(string how) => how switch { "constant" => 1, "uniform" => counts.Length, "faceVarying" => indices.Length, _ => positions.Length };

    private int Item(Spread spread, int corner, int[] faceOf)
    {
        int item = spread.How switch { "constant" => 0, "uniform" => faceOf[corner], "faceVarying" => corner, _ => (int)indices[corner] };
        return spread.Indices is null ? item : Checked(spread.Indices[item], spread.Value.Count, $"an index of its {spread.Attribute}");
    }

    private int Checked(double value, int below, string what) => value >= 0 && value < below && value == Math.Floor(value) ? (int)value
        : throw Wrong($"{what} is {value}, it must be a whole number from 0 to {below - 1}");

    private SourceFileException Wrong(string what) => new(fileName, $"object {name}", what, "Export it again; it may have been cut in transfer");

    /// <summary>Values of an attribute, and where each belongs.</summary>
    private sealed record Spread(UsdValue Value, double[]? Indices, string How, string Attribute);
}
