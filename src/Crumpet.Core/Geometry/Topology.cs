using System.Numerics;

namespace Crumpet.Core.Geometry;

/// <summary>Which triangles share which edges, by welded positions. Half-edge c runs from corner c to the next corner of its triangle.</summary>
public sealed class Topology
{
    /// <summary>The half-edge's edge has one triangle.</summary>
    public const int Border = -1;

    /// <summary>The half-edge's edge has more than two triangles.</summary>
    public const int Crowded = -2;

    /// <summary>The half-edge begins and ends in the same point.</summary>
    public const int NoEdge = -3;

    private Topology(Mesh mesh, int[] points, int pointCount)
    {
        Mesh = mesh;
        Points = points;
        PointCount = pointCount;
        Across = new int[points.Length];
        SameWay = new bool[points.Length];
    }

    /// <summary>The mesh.</summary>
    public Mesh Mesh { get; }

    /// <summary>Welded point of each corner.</summary>
    public int[] Points { get; }

    /// <summary>How many points there are.</summary>
    public int PointCount { get; }

    /// <summary>For each half-edge the one of the triangle across; negative where there is none.</summary>
    public int[] Across { get; }

    /// <summary>Whether the triangle across runs along the edge in the same direction, so that one of the two is turned over.</summary>
    public bool[] SameWay { get; }

    /// <summary>Edges with one triangle.</summary>
    public int BorderEdges { get; private set; }

    /// <summary>Edges with more than two triangles.</summary>
    public int CrowdedEdges { get; private set; }

    /// <summary>Edges whose two triangles disagree about which side is out.</summary>
    public int MixedEdges { get; private set; }

    /// <summary>Finds all neighbours, in time that grows with the number of triangles.</summary>
    /// <param name="mesh">Triangles.</param>
    public static Topology Of(Mesh mesh) => Of(mesh, _ => true);

    /// <summary>The same as if triangles without area were not there: they have no edges.</summary>
    /// <param name="mesh">Triangles.</param>
    public static Topology OfSolid(Mesh mesh) => Of(mesh, t => !MeshFlaws.IsEmpty(mesh, t));

    private static Topology Of(Mesh mesh, Predicate<int> hasEdges)
    {
        int[] welded = PositionWeld.Groups(mesh.Positions, out int count);
        var topology = new Topology(mesh, Array.ConvertAll(mesh.Corners, c => welded[c]), count);
        topology.Connect(hasEdges);
        return topology;
    }

    /// <summary>The corner after this one in its triangle.</summary>
    public static int Next(int corner) => corner % 3 == 2 ? corner - 2 : corner + 1;

    private void Connect(Predicate<int> hasEdges)
    {
        for (int t = 0; t < Points.Length / 3; t++)
        {
            bool has = hasEdges(t);
            for (int c = 3 * t; c < 3 * t + 3; c++)
                Across[c] = has && Points[c] != Points[Next(c)] ? Border : NoEdge;
        }

        // Half-edges are sorted into the bucket of their lower point, then by the upper one.
        var starts = new int[PointCount + 1];
        for (int c = 0; c < Points.Length; c++)
        {
            if (Across[c] != NoEdge)
                starts[Math.Min(Points[c], Points[Next(c)]) + 1]++;
        }
        for (int i = 0; i < PointCount; i++)
            starts[i + 1] += starts[i];
        var sorted = new int[starts[PointCount]];
        var fill = starts.AsSpan(0, PointCount).ToArray();
        for (int c = 0; c < Points.Length; c++)
        {
            if (Across[c] != NoEdge)
                sorted[fill[Math.Min(Points[c], Points[Next(c)])]++] = c;
        }
        for (int point = 0; point < PointCount; point++)
        {
            var bucket = sorted.AsSpan(starts[point], starts[point + 1] - starts[point]);
            if (bucket.Length == 0)
                continue;
            Sort(bucket);
            for (int from = 0, to; from < bucket.Length; from = to)
            {
                int upper = Upper(bucket[from]);
                for (to = from + 1; to < bucket.Length && Upper(bucket[to]) == upper;)
                    to++;
                Classify(bucket[from..to]);
            }
        }
    }

    private int Upper(int corner) => Math.Max(Points[corner], Points[Next(corner)]);

    private void Sort(Span<int> bucket)
    {
        if (bucket.Length > 24)
        {
            bucket.Sort((x, y) => Upper(x) != Upper(y) ? Upper(x).CompareTo(Upper(y)) : x.CompareTo(y));
            return;
        }
        for (int i = 1; i < bucket.Length; i++)
        {
            int item = bucket[i], upper = Upper(item), j = i - 1;
            for (; j >= 0 && Upper(bucket[j]) > upper; j--)
                bucket[j + 1] = bucket[j];
            bucket[j + 1] = item;
        }
    }

    private void Classify(ReadOnlySpan<int> edge)
    {
        if (edge.Length == 2)
        {
            (Across[edge[0]], Across[edge[1]]) = (edge[1], edge[0]);
            if (Points[edge[0]] == Points[edge[1]])
            {
                SameWay[edge[0]] = SameWay[edge[1]] = true;
                MixedEdges++;
            }
            return;
        }
        foreach (int half in edge)
            Across[half] = edge.Length == 1 ? Border : Crowded;
        if (edge.Length == 1)
            BorderEdges++;
        else
            CrowdedEdges++;
    }

    /// <summary>Shell of each triangle: triangles that hang together by points.</summary>
    /// <param name="count">How many shells there are.</param>
    public int[] Shells(out int count)
    {
        var parent = new int[PointCount];
        for (int i = 0; i < parent.Length; i++)
            parent[i] = i;
        for (int c = 0; c < Points.Length; c += 3)
        {
            int root = Root(parent, Points[c]);
            parent[Root(parent, Points[c + 1])] = root;
            parent[Root(parent, Points[c + 2])] = root;
        }
        var numbers = new int[PointCount];
        Array.Fill(numbers, -1);
        var shells = new int[Points.Length / 3];
        count = 0;
        for (int t = 0; t < shells.Length; t++)
        {
            ref int number = ref numbers[Root(parent, Points[3 * t])];
            if (number < 0)
                number = count++;
            shells[t] = number;
        }
        return shells;
    }

    /// <summary>Follows a union-find forest to the root, halving paths on the way.</summary>
    internal static int Root(int[] parent, int item)
    {
        while (parent[item] != item)
            item = parent[item] = parent[parent[item]];
        return item;
    }

    /// <summary>Unit normal of a triangle by its winding; zero where it has no area.</summary>
    public Vector3 FaceNormal(int triangle)
    {
        var a = Mesh.PositionAt(3 * triangle);
        var normal = Vector3.Cross(Mesh.PositionAt(3 * triangle + 1) - a, Mesh.PositionAt(3 * triangle + 2) - a);
        float length = normal.Length();
        return length > 0 ? normal / length : Vector3.Zero;
    }
}
