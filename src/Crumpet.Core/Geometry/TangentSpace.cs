using System.Numerics;

namespace Crumpet.Core.Geometry;

/// <summary>Per-corner tangents as MikkTSpace defines them, so that baked normal maps decode alike in every engine.</summary>
/// <remarks>
/// Source: M. S. Mikkelsen, "Simulation of wrinkled surfaces revisited", 2008, and the reference implementation that
/// goes with it; triangles only, angular threshold 180°.
/// </remarks>
public static class TangentSpace
{
    private const float Tiny = 1.17549435e-38f;

    /// <summary>Tangent (xyz, unit) and bitangent sign (w, +1 or -1) per corner; bitangent = w · cross(normal, tangent).</summary>
    /// <param name="positions">Position per corner, metres.</param>
    /// <param name="normals">Unit normal per corner.</param>
    /// <param name="uvs">Texture coordinate per corner, v upwards.</param>
    public static Vector4[] PerCorner(ReadOnlySpan<Vector3> positions, ReadOnlySpan<Vector3> normals, ReadOnlySpan<Vector2> uvs)
    {
        int cornerCount = positions.Length;
        var shared = ShareEqualVertices(positions, normals, uvs);
        var good = new List<int>(cornerCount / 3);
        for (int triangle = 0; triangle < cornerCount / 3; triangle++)
        {
            Vector3 a = positions[3 * triangle], b = positions[3 * triangle + 1], c = positions[3 * triangle + 2];
            if (a != b && a != c && b != c)
                good.Add(triangle);
        }
        var work = new Work(positions, normals, uvs, shared, [.. good]);
        var tangents = new Vector4[cornerCount];
        Array.Fill(tangents, new Vector4(1, 0, 0, -1));
        var assigned = new bool[cornerCount];
        work.BuildGroups();
        work.Evaluate(tangents, assigned);
        LendToDegenerate(shared, good, tangents, assigned);
        return tangents;
    }

    /// <summary>Tangents of a mesh by its first UV set and its own normals (smooth ones where it has none).</summary>
    /// <exception cref="InvalidOperationException">The mesh has no UVs.</exception>
    public static Vector4[] PerCorner(Mesh mesh)
    {
        var uvs = mesh.Uvs ?? throw new InvalidOperationException($"{mesh.Name} has no UVs.");
        var positions = new Vector3[mesh.Corners.Length];
        for (int i = 0; i < positions.Length; i++)
            positions[i] = mesh.PositionAt(i);
        return PerCorner(positions, mesh.NormalsOrSmooth(), uvs);
    }

    private static int[] ShareEqualVertices(ReadOnlySpan<Vector3> positions, ReadOnlySpan<Vector3> normals, ReadOnlySpan<Vector2> uvs)
    {
        var shared = new int[positions.Length];
        var seen = new Dictionary<(Vector3, Vector3, Vector2), int>(positions.Length);
        for (int i = 0; i < shared.Length; i++)
        {
            var key = (positions[i] + Vector3.Zero, normals[i] + Vector3.Zero, uvs[i] + Vector2.Zero);
            if (!seen.TryGetValue(key, out shared[i]))
                seen.Add(key, shared[i] = i);
        }
        return shared;
    }

    private static void LendToDegenerate(int[] shared, List<int> good, Vector4[] tangents, bool[] assigned)
    {
        if (good.Count * 3 == shared.Length)
            return;
        var lender = new Dictionary<int, int>();
        foreach (int triangle in good)
            for (int corner = 3 * triangle; corner < 3 * triangle + 3; corner++)
                lender.TryAdd(shared[corner], corner);
        for (int corner = 0; corner < shared.Length; corner++)
            if (!assigned[corner] && lender.TryGetValue(shared[corner], out int from))
                tangents[corner] = tangents[from];
    }

    private struct Triangle
    {
        public Vector3 S, T;
        public float MagnitudeS, MagnitudeT;
        public bool KeepsOrientation, JoinsAny;
    }

    private readonly record struct Group(int Vertex, bool KeepsOrientation, List<int> Triangles);

    private ref struct Work
    {
        private readonly ReadOnlySpan<Vector3> positions, normals;
        private readonly ReadOnlySpan<Vector2> uvs;
        private readonly int[] vertices;   // shared vertex per corner of the good triangles
        private readonly int[] good;       // original triangle per good triangle
        private readonly int[] neighbours; // good triangle across each edge, -1 for none
        private readonly int[] groupOf;    // group per corner of the good triangles, -1 for none
        private readonly Triangle[] triangles;
        private readonly List<Group> groups = [];

        public Work(ReadOnlySpan<Vector3> positions, ReadOnlySpan<Vector3> normals, ReadOnlySpan<Vector2> uvs, int[] shared, int[] good)
        {
            this.positions = positions;
            this.normals = normals;
            this.uvs = uvs;
            this.good = good;
            vertices = new int[good.Length * 3];
            for (int i = 0; i < vertices.Length; i++)
                vertices[i] = shared[3 * good[i / 3] + i % 3];
            triangles = new Triangle[good.Length];
            groupOf = new int[vertices.Length];
            Array.Fill(groupOf, -1);
            for (int i = 0; i < good.Length; i++)
                triangles[i] = Derive(i);
            neighbours = FindNeighbours(vertices);
        }

        private readonly Triangle Derive(int triangle)
        {
            int a = vertices[3 * triangle], b = vertices[3 * triangle + 1], c = vertices[3 * triangle + 2];
            Vector2 t21 = uvs[b] - uvs[a], t31 = uvs[c] - uvs[a];
            Vector3 d1 = positions[b] - positions[a], d2 = positions[c] - positions[a];
            float area = t21.X * t31.Y - t21.Y * t31.X;
            var result = new Triangle
            {
                S = t31.Y * d1 - t21.Y * d2,
                T = -t31.X * d1 + t21.X * d2,
                KeepsOrientation = area > 0,
                JoinsAny = true,
            };
            if (MathF.Abs(area) > Tiny)
            {
                float lengthS = result.S.Length(), lengthT = result.T.Length(), sign = result.KeepsOrientation ? 1 : -1;
                if (lengthS > Tiny)
                    result.S *= sign / lengthS;
                if (lengthT > Tiny)
                    result.T *= sign / lengthT;
                result.MagnitudeS = lengthS / MathF.Abs(area);
                result.MagnitudeT = lengthT / MathF.Abs(area);
                result.JoinsAny = !(result.MagnitudeS > Tiny && result.MagnitudeT > Tiny);
            }
            return result;
        }

        public readonly void BuildGroups()
        {
            var open = new Stack<int>();
            for (int corner = 0; corner < vertices.Length; corner++)
            {
                if (triangles[corner / 3].JoinsAny || groupOf[corner] >= 0)
                    continue;
                var group = new Group(vertices[corner], triangles[corner / 3].KeepsOrientation, [corner / 3]);
                groupOf[corner] = groups.Count;
                PushAround(open, corner);
                while (open.TryPop(out int triangle))
                    Join(group, groups.Count, triangle, open);
                groups.Add(group);
            }
        }

        private readonly void Join(Group group, int groupIndex, int triangle, Stack<int> open)
        {
            int corner = CornerAt(triangle, group.Vertex);
            if (groupOf[corner] >= 0)
                return;
            ref var info = ref triangles[triangle];
            // The first group to reach a triangle without a usable UV area decides its orientation.
            if (info.JoinsAny && groupOf[3 * triangle] < 0 && groupOf[3 * triangle + 1] < 0 && groupOf[3 * triangle + 2] < 0)
                info.KeepsOrientation = group.KeepsOrientation;
            if (info.KeepsOrientation != group.KeepsOrientation)
                return;
            group.Triangles.Add(triangle);
            groupOf[corner] = groupIndex;
            PushAround(open, corner);
        }

        private readonly void PushAround(Stack<int> open, int corner)
        {
            int triangle = corner / 3, i = corner % 3;
            int left = neighbours[corner], right = neighbours[3 * triangle + (i > 0 ? i - 1 : 2)];
            if (right >= 0)
                open.Push(right);
            if (left >= 0)
                open.Push(left);
        }

        private readonly int CornerAt(int triangle, int vertex) =>
            vertices[3 * triangle] == vertex ? 3 * triangle : vertices[3 * triangle + 1] == vertex ? 3 * triangle + 1 : 3 * triangle + 2;

        public readonly void Evaluate(Vector4[] tangents, bool[] assigned)
        {
            var members = new List<int>();
            foreach (var group in groups)
            {
                var known = new List<(int[] Members, Vector3 Tangent)>();
                var normal = normals[group.Vertex];
                foreach (int triangle in group.Triangles)
                {
                    CollectAlike(group, triangle, normal, members);
                    var tangent = Vector3.Zero;
                    bool found = false;
                    foreach (var (set, value) in known)
                    {
                        if (found = set.AsSpan().SequenceEqual(System.Runtime.InteropServices.CollectionsMarshal.AsSpan(members)))
                        {
                            tangent = value;
                            break;
                        }
                    }
                    if (!found)
                        known.Add(([.. members], tangent = Average(group.Vertex, normal, members)));
                    int corner = CornerAt(triangle, group.Vertex);
                    int original = 3 * good[triangle] + corner % 3;
                    tangents[original] = new Vector4(tangent, group.KeepsOrientation ? 1 : -1);
                    assigned[original] = true;
                }
            }
        }

        private readonly void CollectAlike(Group group, int triangle, Vector3 normal, List<int> members)
        {
            members.Clear();
            Vector3 s = Project(triangles[triangle].S, normal), t = Project(triangles[triangle].T, normal);
            foreach (int other in group.Triangles)
            {
                bool any = triangles[triangle].JoinsAny || triangles[other].JoinsAny;
                if (any || other == triangle
                    || (Vector3.Dot(s, Project(triangles[other].S, normal)) > -1 && Vector3.Dot(t, Project(triangles[other].T, normal)) > -1))
                    members.Add(other);
            }
            members.Sort();
        }

        private readonly Vector3 Average(int vertex, Vector3 normal, List<int> members)
        {
            var sum = Vector3.Zero;
            foreach (int triangle in members)
            {
                if (triangles[triangle].JoinsAny)
                    continue;
                int i = CornerAt(triangle, vertex) % 3;
                var here = positions[vertices[3 * triangle + i]];
                var toPrevious = Project(positions[vertices[3 * triangle + (i > 0 ? i - 1 : 2)]] - here, normal);
                var toNext = Project(positions[vertices[3 * triangle + (i < 2 ? i + 1 : 0)]] - here, normal);
                float angle = (float)Math.Acos(Math.Clamp(Vector3.Dot(toPrevious, toNext), -1, 1));
                sum += angle * Project(triangles[triangle].S, normal);
            }
            return NormaliseIfAny(sum);
        }

        private static Vector3 Project(Vector3 v, Vector3 normal) => NormaliseIfAny(v - Vector3.Dot(normal, v) * normal);

        private static Vector3 NormaliseIfAny(Vector3 v)
        {
            bool any = MathF.Abs(v.X) > Tiny || MathF.Abs(v.Y) > Tiny || MathF.Abs(v.Z) > Tiny;
            return any ? v * (1 / v.Length()) : v;
        }
    }

    private static int[] FindNeighbours(int[] vertices)
    {
        var edges = new (int Low, int High, int Triangle)[vertices.Length];
        for (int corner = 0; corner < vertices.Length; corner++)
        {
            int a = vertices[corner], b = vertices[corner % 3 == 2 ? corner - 2 : corner + 1];
            edges[corner] = (Math.Min(a, b), Math.Max(a, b), corner / 3);
        }
        Array.Sort(edges);
        var neighbours = new int[vertices.Length];
        Array.Fill(neighbours, -1);
        for (int i = 0; i < edges.Length; i++)
        {
            int mine = DirectedEdge(vertices, edges[i]);
            if (neighbours[mine] >= 0)
                continue;
            for (int j = i + 1; j < edges.Length && edges[j].Low == edges[i].Low && edges[j].High == edges[i].High; j++)
            {
                int other = DirectedEdge(vertices, edges[j]);
                if (vertices[mine] != vertices[other] && neighbours[other] < 0)
                {
                    neighbours[mine] = edges[j].Triangle;
                    neighbours[other] = edges[i].Triangle;
                    break;
                }
            }
        }
        return neighbours;
    }

    /// <summary>The corner at which the edge starts in its triangle.</summary>
    private static int DirectedEdge(int[] vertices, (int Low, int High, int Triangle) edge)
    {
        int corner = 3 * edge.Triangle;
        bool first = vertices[corner] == edge.Low || vertices[corner] == edge.High;
        if (!first)
            return corner + 1;
        return vertices[corner + 1] == edge.Low || vertices[corner + 1] == edge.High ? corner : corner + 2;
    }
}
