using System.Numerics;
using Crumpet.Core.Geometry;

namespace Crumpet.Core.Layout;

/// <summary>
/// A connected piece of surface that is flattened as one. Vertices are the chart's own: a seam that runs through it has a
/// vertex on either side. Half-edge c runs from corner c to the next corner of its triangle.
/// </summary>
internal sealed class ChartMesh
{
    /// <summary>A triangle thinner than this share of its longest edge is flattened as if it were this thick.</summary>
    private const double LeastThickness = 1e-4;

    private ChartMesh(int[] triangles, int[] across, Vector3[] cornerPositions)
    {
        Triangles = triangles;
        Across = across;
        Corners = VerticesOf(across, out int count);
        Positions = new Vector3[count];
        for (int c = 0; c < Corners.Length; c++)
            Positions[Corners[c]] = cornerPositions[c];
        Rest = new RestShape[triangles.Length];
        for (int t = 0; t < triangles.Length; t++)
        {
            Rest[t] = RestShape.Of(cornerPositions[3 * t], cornerPositions[3 * t + 1], cornerPositions[3 * t + 2], LeastThickness);
            Area += Rest[t].Area;
        }
    }

    /// <summary>Triangle of the object for each triangle of the chart.</summary>
    public int[] Triangles { get; }

    /// <summary>Vertex of each corner.</summary>
    public int[] Corners { get; }

    /// <summary>The half-edge of the triangle across; -1 on the chart's border.</summary>
    public int[] Across { get; }

    /// <summary>Where vertices are, metres.</summary>
    public Vector3[] Positions { get; }

    /// <summary>Each triangle laid flat by itself.</summary>
    public RestShape[] Rest { get; }

    /// <summary>Surface area, square metres.</summary>
    public double Area { get; }

    public int TriangleCount => Triangles.Length;

    public int VertexCount => Positions.Length;

    /// <summary>The chart of some triangles of an object.</summary>
    /// <param name="topology">Neighbours in the object.</param>
    /// <param name="triangles">Triangles of the object.</param>
    /// <param name="isSeam">For each half-edge of the object whether the chart ends there.</param>
    /// <param name="localOf">Scratch, one entry a triangle of the object; only entries of <paramref name="triangles"/> are touched.</param>
    public static ChartMesh Of(Topology topology, int[] triangles, bool[] isSeam, int[] localOf)
    {
        for (int t = 0; t < triangles.Length; t++)
            localOf[triangles[t]] = t;
        var across = new int[3 * triangles.Length];
        var positions = new Vector3[across.Length];
        for (int c = 0; c < across.Length; c++)
        {
            int corner = 3 * triangles[c / 3] + c % 3, other = topology.Across[corner];
            positions[c] = topology.Mesh.PositionAt(corner);
            across[c] = -1;
            if (other >= 0 && !isSeam[corner] && !topology.SameWay[corner])
            {
                int local = localOf[other / 3];
                if ((uint)local < (uint)triangles.Length && triangles[local] == other / 3)
                    across[c] = 3 * local + other % 3;
            }
        }
        return new ChartMesh(triangles, across, positions);
    }

    /// <summary>A part of the chart.</summary>
    /// <param name="triangles">Triangles of this chart, ascending.</param>
    /// <param name="isCut">For each half-edge of this chart whether it is cut open; null cuts none.</param>
    public ChartMesh Part(int[] triangles, Func<int, bool>? isCut = null)
    {
        var across = new int[3 * triangles.Length];
        var positions = new Vector3[across.Length];
        for (int c = 0; c < across.Length; c++)
        {
            int corner = 3 * triangles[c / 3] + c % 3, other = Across[corner];
            int local = other >= 0 ? Array.BinarySearch(triangles, other / 3) : -1;
            positions[c] = Positions[Corners[corner]];
            across[c] = local >= 0 && isCut?.Invoke(corner) != true ? 3 * local + other % 3 : -1;
        }
        return new ChartMesh(Array.ConvertAll(triangles, t => Triangles[t]), across, positions);
    }

    /// <summary>The whole chart with some half-edges cut open.</summary>
    public ChartMesh Cut(bool[] isCut) => Part([.. Enumerable.Range(0, TriangleCount)], c => isCut[c]);

    /// <summary>The border as closed loops of half-edges, each in the direction of its triangles.</summary>
    public List<int[]> Loops()
    {
        var seen = new bool[Across.Length];
        var loops = new List<int[]>();
        var loop = new List<int>();
        for (int start = 0; start < Across.Length; start++)
        {
            if (Across[start] >= 0 || seen[start])
                continue;
            loop.Clear();
            for (int c = start; !seen[c]; c = NextOnBorder(c))
            {
                seen[c] = true;
                loop.Add(c);
            }
            loops.Add([.. loop]);
        }
        return loops;
    }

    /// <summary>The border's half-edge that begins where this one ends.</summary>
    private int NextOnBorder(int corner)
    {
        int next = Topology.Next(corner);
        while (Across[next] >= 0)
            next = Topology.Next(Across[next]);
        return next;
    }

    /// <summary>Vertices minus edges plus triangles: 1 for a disc.</summary>
    public int EulerCharacteristic()
    {
        int border = Across.Count(a => a < 0);
        return VertexCount - (Across.Length + border) / 2 + TriangleCount;
    }

    /// <summary>Unit normal of a triangle; zero where it has no area.</summary>
    public Vector3 Normal(int triangle)
    {
        var a = Positions[Corners[3 * triangle]];
        var normal = Vector3.Cross(Positions[Corners[3 * triangle + 1]] - a, Positions[Corners[3 * triangle + 2]] - a);
        float length = normal.Length();
        return length > 0 ? normal / length : Vector3.Zero;
    }

    /// <summary>Middle of a triangle.</summary>
    public Vector3 Centre(int triangle) =>
        (Positions[Corners[3 * triangle]] + Positions[Corners[3 * triangle + 1]] + Positions[Corners[3 * triangle + 2]]) / 3;

    /// <summary>Length of a half-edge, metres.</summary>
    public float Length(int corner) => Vector3.Distance(Positions[Corners[corner]], Positions[Corners[Topology.Next(corner)]]);

    /// <summary>Length of every half-edge, metres: what seams cost where they are to be short and no more.</summary>
    public float[] Lengths() => [.. Enumerable.Range(0, Across.Length).Select(Length)];

    /// <summary>Groups of triangles that hang together over edges, each ascending, by their first triangle.</summary>
    /// <param name="label">Triangles of different labels do not hang together.</param>
    public List<int[]> Pieces(int[] label)
    {
        var seen = new bool[TriangleCount];
        var pieces = new List<int[]>();
        var piece = new List<int>();
        for (int start = 0; start < TriangleCount; start++)
        {
            if (seen[start])
                continue;
            piece.Clear();
            piece.Add(start);
            seen[start] = true;
            for (int i = 0; i < piece.Count; i++)
            {
                for (int c = 3 * piece[i]; c < 3 * piece[i] + 3; c++)
                {
                    int other = Across[c] / 3;
                    if (Across[c] < 0 || seen[other] || label[other] != label[start])
                        continue;
                    seen[other] = true;
                    piece.Add(other);
                }
            }
            piece.Sort();
            pieces.Add([.. piece]);
        }
        return pieces;
    }

    /// <summary>Corners that meet over uncut edges are one vertex.</summary>
    private static int[] VerticesOf(int[] across, out int count)
    {
        var parent = new int[across.Length];
        for (int c = 0; c < parent.Length; c++)
            parent[c] = c;
        for (int c = 0; c < across.Length; c++)
        {
            if (across[c] <= c)
                continue;
            parent[Topology.Root(parent, c)] = Topology.Root(parent, Topology.Next(across[c]));
            parent[Topology.Root(parent, Topology.Next(c))] = Topology.Root(parent, across[c]);
        }
        var number = new int[across.Length];
        Array.Fill(number, -1);
        var vertices = new int[across.Length];
        count = 0;
        for (int c = 0; c < across.Length; c++)
        {
            ref int vertex = ref number[Topology.Root(parent, c)];
            if (vertex < 0)
                vertex = count++;
            vertices[c] = vertex;
        }
        return vertices;
    }
}
