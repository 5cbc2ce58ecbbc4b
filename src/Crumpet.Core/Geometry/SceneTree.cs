using System.Numerics;

namespace Crumpet.Core.Geometry;

/// <summary>A node of a scene.</summary>
/// <param name="Name">Its name.</param>
/// <param name="Parent">Number of the node it hangs below; -1 for none. Parents come before their children.</param>
/// <param name="Local">Its place below its parent; rows are axes.</param>
/// <param name="Shape">Number of its shape; -1 where it only holds others.</param>
public sealed record SceneNode(string Name, int Parent, Matrix4x4 Local, int Shape);

/// <summary>
/// A document as files with instances and groups hold it: shapes in their own space, each once, and a tree of nodes that place them. All is
/// in the document's space.
/// </summary>
/// <param name="Shapes">Shapes in their own space; placements are the nodes'.</param>
/// <param name="Nodes">Nodes, parents first.</param>
public sealed record SceneTree(IReadOnlyList<SceneObject> Shapes, IReadOnlyList<SceneNode> Nodes)
{
    // Copies differ by rounding: their positions were multiplied out, and are brought back here.
    private const float SamePlace = 2e-5f, SameDirection = 2e-3f, SameUv = 1e-6f;

    /// <summary>Takes a document apart.</summary>
    /// <param name="document">Objects in metres, right-handed, Y up.</param>
    public static SceneTree Of(SceneDocument document)
    {
        var space = document.Space;
        var shapes = new List<SceneObject>();
        var alike = new Dictionary<ShapeKey, List<int>>();
        var nodes = new List<SceneNode>();
        var worlds = new List<Matrix4x4>();
        // What hangs below an object hangs below its node, wherever in the list that comes.
        var places = new Dictionary<string, int>(StringComparer.Ordinal);
        var objectAt = new Dictionary<string, int>(StringComparer.Ordinal);
        for (int i = 0; i < document.Objects.Count; i++)
            objectAt.TryAdd(Path([.. document.Objects[i].Mesh.Groups, document.Objects[i].Mesh.Name]), i);
        var done = new int[document.Objects.Count];
        Array.Fill(done, -1);
        for (int i = 0; i < document.Objects.Count; i++)
            Object(i);
        return new SceneTree(shapes, nodes);

        int Object(int i)
        {
            if (done[i] >= 0)
                return done[i];
            var mesh = document.Objects[i].Mesh;
            int parent = Group(mesh.Groups);
            var world = Matrix4x4.Invert(mesh.Placement, out _) ? mesh.Placement : Matrix4x4.Identity;
            return done[i] = Node(mesh.Name, parent, space.Transform(world), Shape(InOwnSpace(document.Objects[i], world, space)));
        }

        int Group(IReadOnlyList<string> names)
        {
            if (names.Count == 0)
                return -1;
            string path = Path(names);
            if (places.TryGetValue(path, out int known))
                return known;
            if (objectAt.TryGetValue(path, out int holder))
                return places[path] = Object(holder);
            return places[path] = Node(names[^1], Group([.. names.SkipLast(1)]), Matrix4x4.Identity, -1);
        }

        int Node(string name, int parent, Matrix4x4 world, int shape)
        {
            var local = world;
            // Below nothing, and below what stands where the world does, the place is exact.
            if (parent >= 0 && !worlds[parent].IsIdentity && Matrix4x4.Invert(worlds[parent], out var back))
                local = world * back;
            else if (shape < 0 && parent >= 0)
                world = worlds[parent];
            nodes.Add(new SceneNode(name, parent, local with { M14 = 0, M24 = 0, M34 = 0, M44 = 1 }, shape));
            worlds.Add(world);
            return nodes.Count - 1;
        }

        int Shape(SceneObject own)
        {
            var key = ShapeKey.Of(own);
            if (!alike.TryGetValue(key, out var numbers))
                alike.Add(key, numbers = []);
            foreach (int number in numbers)
            {
                if (IsSame(shapes[number], own))
                    return number;
            }
            numbers.Add(shapes.Count);
            shapes.Add(own);
            return shapes.Count - 1;
        }
    }

    /// <summary>The objects of a document where they are in the world, in its space.</summary>
    public static IReadOnlyList<SceneObject> InTheWorld(SceneDocument document) =>
        [.. document.Objects.Select(o => document.Space == MeshSpace.Own ? o : InOwnSpace(o, Matrix4x4.Identity, document.Space))];

    private static string Path(IReadOnlyList<string> names) => string.Join('\u001f', names);

    private static SceneObject InOwnSpace(SceneObject item, Matrix4x4 placement, MeshSpace space)
    {
        if (placement.IsIdentity && space == MeshSpace.Own)
            return item with { Mesh = item.Mesh with { Placement = Matrix4x4.Identity } };
        Matrix4x4.Invert(placement, out var back);
        // Normals go into the world by the inverse transpose, and back by the transpose.
        var normalsBack = Matrix4x4.Transpose(placement);
        bool mirrors = placement.GetDeterminant() < 0;
        var mesh = item.Mesh with
        {
            Placement = Matrix4x4.Identity,
            Positions = Array.ConvertAll(item.Mesh.Positions, p => space.Position(Vector3.Transform(p, back))),
            Normals = Array.ConvertAll(item.Mesh.NormalsOrSmooth(), n => space.Direction(Unit(Vector3.TransformNormal(n, normalsBack), Vector3.UnitY))),
        };
        var tangents = item.Tangents is null ? null : Array.ConvertAll(item.Tangents, t =>
        {
            var along = new Vector3(t.X, t.Y, t.Z);
            return new Vector4(space.Direction(Unit(Vector3.TransformNormal(along, back), Vector3.Zero)), mirrors != space.IsMirrored ? -t.W : t.W);
        });
        // A mirrored placement turns triangles over when they are read, and so does a mirrored space; so they are written turned.
        return mirrors == space.IsMirrored ? new SceneObject(mesh, tangents)
            : new SceneObject(mesh.TurnedOver(), tangents is null ? null : Mesh.TurnedOver(tangents));
    }

    private static Vector3 Unit(Vector3 v, Vector3 otherwise) => v.LengthSquared() > 1e-30f ? Vector3.Normalize(v) : otherwise;

    private static bool IsSame(SceneObject one, SceneObject two)
    {
        Mesh a = one.Mesh, b = two.Mesh;
        float near = SamePlace * Math.Max(a.Bounds().Size.Length(), 1e-20f);
        return a.Corners.AsSpan().SequenceEqual(b.Corners) && a.TriangleMaterials.AsSpan().SequenceEqual(b.TriangleMaterials)
            && All(a.Positions, b.Positions, (p, q) => Vector3.DistanceSquared(p, q) <= near * near)
            && All(a.Normals, b.Normals, (p, q) => Vector3.DistanceSquared(p, q) <= SameDirection * SameDirection)
            && All(one.Tangents, two.Tangents, (p, q) => Vector4.DistanceSquared(p, q) <= SameDirection * SameDirection)
            && All(a.Colours, b.Colours, (p, q) => p == q)
            && a.UvSets.Zip(b.UvSets).All(s => All(s.First, s.Second, (p, q) => Vector2.DistanceSquared(p, q) <= SameUv * SameUv));
    }

    private static bool All<T>(T[]? a, T[]? b, Func<T, T, bool> isSame)
    {
        if (a is null || b is null || a.Length != b.Length)
            return a is null && b is null;
        for (int i = 0; i < a.Length; i++)
        {
            if (!isSame(a[i], b[i]))
                return false;
        }
        return true;
    }

    /// <summary>What shapes that are alike have in common to the bit.</summary>
    private readonly record struct ShapeKey(int Positions, int Corners, int Sets, int Hash)
    {
        public static ShapeKey Of(SceneObject own)
        {
            var hash = default(HashCode);
            foreach (int corner in own.Mesh.Corners)
                hash.Add(corner);
            foreach (int material in own.Mesh.TriangleMaterials)
                hash.Add(material);
            return new(own.Mesh.Positions.Length, own.Mesh.Corners.Length, own.Mesh.UvSets.Count, hash.ToHashCode());
        }
    }
}
