using System.Numerics;
using Crumpet.Core.Geometry;
using Crumpet.Core.Tracing;

namespace Crumpet.Core.Layout;

/// <summary>What is picked from one edge on.</summary>
public enum EdgeReach
{
    /// <summary>The edge alone.</summary>
    Edge,

    /// <summary>The edge loop: on along the straightest edges, both ways.</summary>
    Loop,

    /// <summary>The shortest path from the vertex picked before.</summary>
    Path,
}

/// <summary>Edges of an object that were picked.</summary>
/// <param name="Edges">Where they are, to be cut.</param>
/// <param name="HalfEdges">Their half-edges: three times the triangle plus the corner each begins at, those of both triangles.</param>
/// <param name="Metres">Length.</param>
/// <param name="End">Where a path may go on from, metres.</param>
public sealed record PickedEdges(IReadOnlyList<SeamEdge> Edges, IReadOnlyList<int> HalfEdges, double Metres, Vector3 End);

/// <summary>Finds edges to cut or sew up: one, a loop, the shortest path.</summary>
public sealed class EdgePicks
{
    private const float CreaseCosine = 0.966f;
    private const float LeastStraight = 0.6f;

    /// <summary>What an edge along a crease costs a path, against one over a smooth surface.</summary>
    private const float CreaseCost = 0.7f;

    private readonly Topology topology;
    private readonly ChartMesh chart;
    private readonly List<int>[] around;

    /// <summary>Looks at an object.</summary>
    /// <param name="mesh">Its triangles.</param>
    public EdgePicks(Mesh mesh)
    {
        topology = Topology.Of(mesh);
        chart = ChartMesh.Of(topology, [.. Enumerable.Range(0, mesh.TriangleCount)], new bool[mesh.Corners.Length], new int[mesh.TriangleCount]);
        around = EdgePaths.Around(topology.Points, topology.Across, topology.PointCount);
    }

    /// <summary>The half-edge nearest to a place near the surface.</summary>
    /// <param name="at">Place, metres.</param>
    public int Nearest(Vector3 at)
    {
        int triangle = SurfaceTree.Build([topology.Mesh]).Nearest(at, float.PositiveInfinity).Triangle;
        return Enumerable.Range(3 * triangle, 3).MinBy(c => DistanceTo(c, at));
    }

    /// <summary>Picks edges.</summary>
    /// <param name="halfEdge">The one that was pressed.</param>
    /// <param name="at">Where, metres; null for its middle.</param>
    /// <param name="reach">How far.</param>
    /// <param name="from">Where a path begins, metres; null begins it at the pressed edge.</param>
    public PickedEdges Pick(int halfEdge, Vector3? at, EdgeReach reach, Vector3? from)
    {
        var pressed = at ?? (Start(halfEdge) + End(halfEdge)) / 2;
        int end = Vector3.DistanceSquared(Start(halfEdge), pressed) <= Vector3.DistanceSquared(End(halfEdge), pressed) ? halfEdge : Topology.Next(halfEdge);
        List<int> picked = reach switch
        {
            EdgeReach.Loop => Loop(halfEdge),
            EdgeReach.Path when from is { } start => Path(start, end),
            _ => [halfEdge],
        };
        var both = picked.Concat(picked.Select(c => topology.Across[c]).Where(c => c >= 0)).Distinct().Order();
        string name = topology.Mesh.Name;
        return new PickedEdges(
            [.. picked.Select(c => (A: Start(c), B: End(c))).Select(e => new SeamEdge(name, e.A.X, e.A.Y, e.A.Z, e.B.X, e.B.Y, e.B.Z, true))],
            [.. both], picked.Sum(c => (double)Vector3.Distance(Start(c), End(c))), Start(end));
    }

    private Vector3 Start(int c) => topology.Mesh.PositionAt(c);

    private Vector3 End(int c) => topology.Mesh.PositionAt(Topology.Next(c));

    private float DistanceTo(int c, Vector3 at)
    {
        Vector3 a = Start(c), along = End(c) - a;
        float t = Math.Clamp(Vector3.Dot(at - a, along) / MathF.Max(along.LengthSquared(), 1e-20f), 0, 1);
        return Vector3.Distance(at, a + t * along);
    }

    private bool IsCrease(int c)
    {
        int other = topology.Across[c];
        return other < 0 || SeamRules.IsHard(topology.Mesh, c, other) || Vector3.Dot(topology.FaceNormal(c / 3), topology.FaceNormal(other / 3)) < CreaseCosine;
    }

    /// <summary>The edge, and on from both its ends for as long as there is a straight one; along a crease only over creases.</summary>
    private List<int> Loop(int first)
    {
        first = topology.Across[first] >= 0 ? Math.Min(first, topology.Across[first]) : first;
        var loop = new List<int> { first };
        var seen = new HashSet<int> { first };
        bool isCrease = IsCrease(first);
        foreach (bool forward in (bool[])[true, false])
        {
            int edge = first, point = topology.Points[forward ? Topology.Next(first) : first];
            while (Straightest(edge, point, isCrease) is >= 0 and var next && seen.Add(next))
            {
                loop.Add(next);
                point = topology.Points[next] == point ? topology.Points[Topology.Next(next)] : topology.Points[next];
                edge = next;
            }
        }
        return loop;
    }

    private int Straightest(int edge, int point, bool overCreases)
    {
        var way = Away(edge, point) * -1;
        int best = -1;
        float most = LeastStraight;
        foreach (int c in around[point])
        {
            float straight = c == edge ? -1 : Vector3.Dot(Away(c, point), way);
            if (straight <= most || (overCreases && !IsCrease(c)))
                continue;
            (best, most) = (c, straight);
        }
        return best;
    }

    /// <summary>Direction of an edge from one of its ends.</summary>
    private Vector3 Away(int c, int point)
    {
        var along = topology.Points[c] == point ? End(c) - Start(c) : Start(c) - End(c);
        return along.LengthSquared() > 0 ? Vector3.Normalize(along) : along;
    }

    private List<int> Path(Vector3 from, int goal)
    {
        var cost = new float[chart.Corners.Length];
        int nearest = 0;
        for (int c = 0; c < cost.Length; c++)
        {
            cost[c] = Vector3.Distance(Start(c), End(c)) * (topology.Across[c] >= 0 && IsCrease(c) ? CreaseCost : 1);
            if (Vector3.DistanceSquared(Start(c), from) < Vector3.DistanceSquared(Start(nearest), from))
                nearest = c;
        }
        int wanted = topology.Points[goal];
        var isGoal = new bool[chart.VertexCount];
        var sources = new HashSet<int>();
        for (int c = 0; c < cost.Length; c++)
        {
            if (topology.Points[c] == wanted)
                isGoal[chart.Corners[c]] = true;
            if (topology.Points[c] == topology.Points[nearest])
                sources.Add(chart.Corners[c]);
        }
        return new EdgePaths(chart, cost).Cheapest(sources, v => isGoal[v]);
    }
}
