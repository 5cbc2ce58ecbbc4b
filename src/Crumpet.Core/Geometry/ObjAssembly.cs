using System.Numerics;

namespace Crumpet.Core.Geometry;

/// <summary>Puts the blocks of an OBJ file together into objects.</summary>
internal sealed class ObjAssembly
{
    private readonly string fileName;
    private readonly List<ObjBlock> blocks;
    private readonly List<Material> materials;
    private readonly Dictionary<string, int> materialByName = new(StringComparer.Ordinal);
    private readonly List<Finding> notes = [];
    private readonly (int Position, int Uv, int Normal)[] starts;
    private readonly Vector3[] positions;
    private readonly Vector3[]? colours;
    private readonly Vector2[] uvs;
    private readonly Vector3[] normals;

    /// <summary>Faces that follow each other and belong together.</summary>
    private sealed record Segment(int Block, int FirstFace, int FaceCount, int FirstCorner, int FirstLongFace, int Triangles, int Material, int Smoothing);

    private sealed record ObjObject(string Name, List<Segment> Segments);

    public ObjAssembly(string fileName, List<ObjBlock> blocks, IReadOnlyList<Material> library)
    {
        this.fileName = fileName;
        this.blocks = blocks;
        materials = [.. library];
        for (int i = 0; i < materials.Count; i++)
            materialByName.TryAdd(materials[i].Name, i);
        starts = new (int, int, int)[blocks.Count];
        long position = 0, uv = 0, normal = 0;
        for (int i = 0; i < blocks.Count; i++)
        {
            starts[i] = ((int)position, (int)uv, (int)normal);
            position += blocks[i].Positions.Count;
            uv += blocks[i].Uvs.Count;
            normal += blocks[i].Normals.Count;
            if (Math.Max(position, Math.Max(uv, normal)) > ObjReader.LargestCount)
                throw new SourceFileException(fileName, "", $"it has more than {ObjReader.LargestCount} positions, coordinates or normals",
                    "Split it into several files");
        }
        positions = Gather(b => b.Positions, (int)position);
        uvs = Gather(b => b.Uvs, (int)uv);
        normals = Gather(b => b.Normals, (int)normal);
        colours = blocks.Exists(b => b.Colours.Count > 0) ? Colours() : null;
    }

    public Scene Build(int threads, CancellationToken cancel)
    {
        var objects = Objects();
        var meshes = objects.Select(o => BuildObject(o, threads, cancel)).ToArray();
        return new Scene(fileName, meshes, materials, notes);
    }

    private T[] Gather<T>(Func<ObjBlock, Growing<T>> of, int count)
        where T : unmanaged
    {
        var all = GC.AllocateUninitializedArray<T>(count);
        int at = 0;
        foreach (var block in blocks)
        {
            var values = of(block);
            values.Span.CopyTo(all.AsSpan(at));
            at += values.Count;
        }
        return all;
    }

    private Vector3[] Colours()
    {
        var all = new Vector3[positions.Length];
        Array.Fill(all, Vector3.One);
        for (int i = 0; i < blocks.Count; i++)
            blocks[i].Colours.Span.CopyTo(all.AsSpan(starts[i].Position));
        return all;
    }

    /// <summary>Walks the statements and says which faces belong to which object.</summary>
    private List<ObjObject> Objects()
    {
        string stem = Path.GetFileNameWithoutExtension(fileName);
        var byObject = new List<ObjObject>();
        var byGroup = new Dictionary<(int Object, string Group), ObjObject>();
        string objectName = "", groupName = "";
        int objectNumber = 0, material = -1, smoothing = -1;
        ObjObject? open = null, openGroup = null;
        for (int b = 0; b < blocks.Count; b++)
        {
            var block = blocks[b];
            int face = 0, corner = 0, longFace = 0;
            foreach (var statement in block.Statements.Append(new ObjStatement(block.FaceCorners.Count, '\0', "")))
            {
                if (statement.Face > face)
                {
                    var (corners, longFaces) = Count(block, face, statement.Face, longFace);
                    var segment = new Segment(b, face, statement.Face - face, corner, longFace, corners - 2 * (statement.Face - face), material, smoothing);
                    if (open is null)
                        byObject.Add(open = new ObjObject(objectName, []));
                    open.Segments.Add(segment);
                    if (openGroup is null && !byGroup.TryGetValue((objectNumber, groupName), out openGroup))
                        byGroup.Add((objectNumber, groupName), openGroup = new ObjObject(groupName.Length > 0 ? groupName : objectName, []));
                    openGroup.Segments.Add(segment);
                    (face, corner, longFace) = (statement.Face, corner + corners, longFace + longFaces);
                }
                switch (statement.Kind)
                {
                    case 'o':
                        (objectName, groupName, open, openGroup) = (statement.Name, "", null, null);
                        objectNumber++;
                        break;
                    case 'g':
                        (groupName, openGroup) = (statement.Name, null);
                        break;
                    case 'm':
                        material = MaterialOf(statement.Name);
                        break;
                    case 's':
                        smoothing = int.TryParse(statement.Name, out int group) ? group : 0;
                        break;
                }
            }
        }
        var objects = byObject.Count > 1 || byGroup.Count <= 1 ? byObject : [.. byGroup.Values];
        // A lone object without a name is called as its file.
        return objects is [{ Name: "" or "default" } lone] ? [lone with { Name = stem }] : objects;
    }

    private static (int Corners, int LongFaces) Count(ObjBlock block, int from, int to, int longFace)
    {
        int corners = 0, longFaces = 0;
        foreach (byte count in block.FaceCorners.Span[from..to])
            corners += count < byte.MaxValue ? count : block.LongFaceCorners.Items[longFace + longFaces++];
        return (corners, longFaces);
    }

    private int MaterialOf(string name)
    {
        if (materialByName.TryGetValue(name, out int material))
            return material;
        material = materials.Count;
        materials.Add(Material.Plain with { Name = name });
        materialByName.Add(name, material);
        notes.Add(new Finding(Severity.Note, "material-not-described", name,
            $"{fileName} uses material {name}, which no material library describes; plain grey stands in for it."));
        return material;
    }

    private Mesh BuildObject(ObjObject source, int threads, CancellationToken cancel)
    {
        long triangles = source.Segments.Sum(s => (long)s.Triangles);
        if (triangles > ObjReader.LargestCount / 3)
            throw new SourceFileException(fileName, $"object {source.Name}", $"it has {triangles} triangles, more than {ObjReader.LargestCount / 3}",
                "Split it into several objects");
        var work = new Work(source.Name, (int)triangles, uvs.Length > 0, normals.Length > 0, source.Segments.Exists(s => s.Smoothing >= 0)
            && normals.Length == 0);
        int triangle = 0, polygon = 0;
        var places = new List<(Segment Segment, int Triangle, int Polygon)>();
        foreach (var segment in source.Segments)
        {
            places.Add((segment, triangle, polygon));
            triangle += segment.Triangles;
            polygon += segment.FaceCount;
        }
        work.TrianglePolygons = polygon < triangle ? new int[triangle] : null;
        if (threads > 1 && places.Count > 1)
            Parallel.ForEach(places, new ParallelOptions { MaxDegreeOfParallelism = threads, CancellationToken = cancel },
                p => Fill(work, p.Segment, p.Triangle, p.Polygon));
        else
            places.ForEach(p => Fill(work, p.Segment, p.Triangle, p.Polygon));
        var cornerColours = ColoursOf(work.Corners);
        var mesh = new Mesh
        {
            Name = source.Name.Length > 0 ? source.Name : "unnamed",
            Positions = Localise(work.Corners),
            Corners = work.Corners,
            Normals = work.LacksNormals ? null : work.Normals,
            UvSets = work.LacksUvs || work.Uvs is null ? [] : [work.Uvs],
            Colours = cornerColours,
            TriangleMaterials = work.Materials,
            TrianglePolygons = work.TrianglePolygons,
            PolygonCount = polygon,
        };
        return work.Smoothing is { } groups ? mesh with { Normals = SmoothNormals.ByGroups(mesh, groups) } : mesh;
    }

    private sealed class Work(string name, int triangles, bool withUvs, bool withNormals, bool withSmoothing)
    {
        public string Name { get; } = name;
        public int[] Corners { get; } = GC.AllocateUninitializedArray<int>(3 * triangles);
        public Vector2[]? Uvs { get; } = withUvs ? GC.AllocateUninitializedArray<Vector2>(3 * triangles) : null;
        public Vector3[]? Normals { get; } = withNormals ? GC.AllocateUninitializedArray<Vector3>(3 * triangles) : null;
        public int[]? Smoothing { get; } = withSmoothing ? new int[triangles] : null;
        public int[] Materials { get; } = GC.AllocateUninitializedArray<int>(triangles);
        public int[]? TrianglePolygons { get; set; }
        public volatile bool LacksUvs;
        public volatile bool LacksNormals;
    }

    private void Fill(Work work, Segment segment, int triangle, int polygon)
    {
        var block = blocks[segment.Block];
        var (position0, uv0, normal0) = starts[segment.Block];
        var corners = block.Corners.Items;
        var outline = new List<Vector3>();
        var cut = new List<int>();
        int first = segment.FirstCorner, longFace = segment.FirstLongFace;
        work.Materials.AsSpan(triangle, segment.Triangles).Fill(segment.Material);
        work.Smoothing?.AsSpan(triangle, segment.Triangles).Fill(Math.Max(0, segment.Smoothing));
        for (int face = segment.FirstFace; face < segment.FirstFace + segment.FaceCount; face++, polygon++)
        {
            int count = block.FaceCorners.Items[face];
            if (count == byte.MaxValue)
                count = block.LongFaceCorners.Items[longFace++];
            if (count == 3)
            {
                Put(3 * triangle, first);
                Put(3 * triangle + 1, first + 1);
                Put(3 * triangle + 2, first + 2);
                if (work.TrianglePolygons is not null)
                    work.TrianglePolygons[triangle] = polygon;
                triangle++;
            }
            else
            {
                outline.Clear();
                cut.Clear();
                for (int i = 0; i < count; i++)
                    outline.Add(positions[Resolve(corners[first + i].Position, position0, positions.Length, "position", face)]);
                Triangulation.Cut(System.Runtime.InteropServices.CollectionsMarshal.AsSpan(outline), cut);
                for (int i = 0; i < cut.Count; i++)
                    Put(3 * triangle + i, first + cut[i]);
                for (int i = 0; i < cut.Count / 3; i++)
                    work.TrianglePolygons![triangle++] = polygon;
            }
            first += count;

            void Put(int corner, int source)
            {
                var (position, uv, normal) = corners[source];
                work.Corners[corner] = Resolve(position, position0, positions.Length, "position", face);
                if (work.Uvs is not null)
                {
                    if (uv == ObjBlock.Missing)
                        work.LacksUvs = true;
                    else
                        work.Uvs[corner] = uvs[Resolve(uv, uv0, uvs.Length, "texture coordinate", face)];
                }
                else if (uv != ObjBlock.Missing)
                {
                    Resolve(uv, uv0, uvs.Length, "texture coordinate", face);
                }
                if (work.Normals is not null)
                {
                    if (normal == ObjBlock.Missing)
                        work.LacksNormals = true;
                    else
                        work.Normals[corner] = Unit(normals[Resolve(normal, normal0, normals.Length, "normal", face)]);
                }
                else if (normal != ObjBlock.Missing)
                {
                    Resolve(normal, normal0, normals.Length, "normal", face);
                }
            }
        }

        int Resolve(int index, int start, int count, string of, int face)
        {
            int at = index >= 0 ? index : index - ObjBlock.FromBlock + start;
            if ((uint)at < (uint)count)
                return at;
            string shown = index >= 0 ? $"{index + 1}" : "counted back from there";
            throw new SourceFileException(
                fileName, $"line {blocks.Take(segment.Block).Sum(b => b.Lines) + block.FaceLines.Items[face]}, object {work.Name}",
                $"{of} index {shown} is out of range, there are {count}", "Export the mesh again; the file was cut or edited by hand");
        }
    }

    private static Vector3 Unit(Vector3 normal)
    {
        float length = normal.LengthSquared();
        if (MathF.Abs(length - 1) < 1e-6f)
            return normal;
        return length > 0 ? normal / MathF.Sqrt(length) : Vector3.UnitY;
    }

    /// <summary>Linear colours; null for an object that is white all over, as one without colours is in a file where others have them.</summary>
    private Vector4[]? ColoursOf(int[] corners)
    {
        if (colours is null || Array.TrueForAll(corners, c => colours[c] == Vector3.One))
            return null;
        // The addition has no stated space; what is written there is a picked colour, so it is read as sRGB.
        return Array.ConvertAll(corners, c => new Vector4(Linear(colours[c].X), Linear(colours[c].Y), Linear(colours[c].Z), 1));

        static float Linear(float value) => Imaging.Srgb.ToLinear(Math.Clamp(value, 0, 1));
    }

    /// <summary>The positions an object uses, in the file's order; its corners are renumbered.</summary>
    private Vector3[] Localise(int[] corners)
    {
        int least = int.MaxValue, greatest = 0;
        foreach (int corner in corners)
        {
            least = Math.Min(least, corner);
            greatest = Math.Max(greatest, corner);
        }
        int range = greatest - least + 1;
        if (range > 16L * corners.Length + 4096)
            return LocaliseSparse(corners);
        var used = new int[range];
        foreach (int corner in corners)
            used[corner - least] = 1;
        int count = 0;
        for (int i = 0; i < range; i++)
            used[i] = used[i] > 0 ? count++ : -1;
        if (count == positions.Length)
            return positions;
        var local = new Vector3[count];
        for (int i = 0; i < range; i++)
        {
            if (used[i] >= 0)
                local[used[i]] = positions[least + i];
        }
        for (int i = 0; i < corners.Length; i++)
            corners[i] = used[corners[i] - least];
        return local;
    }

    /// <summary>The same for few corners spread over a large file.</summary>
    private Vector3[] LocaliseSparse(int[] corners)
    {
        int[] used = [.. corners.Distinct().Order()];
        for (int i = 0; i < corners.Length; i++)
            corners[i] = Array.BinarySearch(used, corners[i]);
        return Array.ConvertAll(used, i => positions[i]);
    }
}
