using System.Numerics;

namespace Crumpet.Core.Geometry;

/// <summary>So many of one flaw, and the corner where the first one is.</summary>
/// <param name="Count">How many.</param>
/// <param name="Corner">A corner at the first; -1 where there is none.</param>
public readonly record struct Flaw(int Count, int Corner);

/// <summary>What an artist would want to know about the build of a mesh before baking.</summary>
public sealed class MeshFlaws
{
    private const float HardAngle = 1f;

    private MeshFlaws(Topology topology) => Topology = topology;

    /// <summary>Neighbourhoods it was found by.</summary>
    public Topology Topology { get; }

    /// <summary>Pieces that hang together.</summary>
    public int Shells { get; private set; }

    /// <summary>Triangles without area.</summary>
    public Flaw Empty { get; private set; }

    /// <summary>Triangles over the same three points as one before them.</summary>
    public Flaw Doubled { get; private set; }

    /// <summary>Edges with one triangle.</summary>
    public Flaw Borders { get; private set; }

    /// <summary>Edges with more than two triangles.</summary>
    public Flaw Crowded { get; private set; }

    /// <summary>Edges whose triangles disagree about which side is out.</summary>
    public Flaw Mixed { get; private set; }

    /// <summary>Triangles of closed shells that are inside out.</summary>
    public Flaw InsideOut { get; private set; }

    /// <summary>Triangles whose normals point to their back.</summary>
    public Flaw AgainstNormals { get; private set; }

    /// <summary>Edges between neighbours over which shading breaks.</summary>
    public Flaw Hard { get; private set; }

    /// <summary>Hard edges over which UVs run on.</summary>
    public Flaw HardWithoutSeam { get; private set; }

    /// <summary>Points of borders that lie within the tolerance of another one without being it.</summary>
    public Flaw Unwelded { get; private set; }

    /// <summary>Polygons with a corner that turns inwards.</summary>
    public Flaw Concave { get; private set; }

    /// <summary>Polygons whose corners leave their plane by more than two degrees.</summary>
    public Flaw Warped { get; private set; }

    /// <summary>Whether every corner has its triangle's normal although the surface bends gently, as scans and prints do without smoothing.</summary>
    public bool IsFacetted { get; private set; }

    /// <summary>Looks through a mesh.</summary>
    /// <param name="mesh">Triangles.</param>
    /// <param name="weldTolerance">How near points of borders must be to count as meant to be one, metres.</param>
    /// <param name="cancel">Ends the work early.</param>
    public static MeshFlaws Find(Mesh mesh, float weldTolerance, CancellationToken cancel = default)
    {
        var flaws = new MeshFlaws(Topology.Of(mesh));
        cancel.ThrowIfCancellationRequested();
        flaws.LookAtTriangles();
        cancel.ThrowIfCancellationRequested();
        flaws.LookAtEdges();
        flaws.LookAtShells();
        cancel.ThrowIfCancellationRequested();
        flaws.LookForUnwelded(weldTolerance);
        flaws.LookAtPolygons();
        return flaws;
    }

    /// <summary>Whether a triangle has no area worth the name.</summary>
    public static bool IsEmpty(Mesh mesh, int triangle)
    {
        Vector3 a = mesh.PositionAt(3 * triangle), b = mesh.PositionAt(3 * triangle + 1) - a, c = mesh.PositionAt(3 * triangle + 2) - a;
        float longest = MathF.Max(b.LengthSquared(), MathF.Max(c.LengthSquared(), (c - b).LengthSquared()));
        return !(Vector3.Cross(b, c).Length() > 1e-6f * longest);
    }

    /// <summary>Whether shading breaks over a half-edge, whose triangles must be neighbours.</summary>
    public static bool IsHard(Topology topology, int corner)
    {
        if (topology.Mesh.Normals is not { } normals)
            return false;
        var (near, far) = Ends(topology, corner);
        float limit = MathF.Cos(HardAngle * MathF.PI / 180);
        return Vector3.Dot(normals[corner], normals[near]) < limit || Vector3.Dot(normals[Topology.Next(corner)], normals[far]) < limit;
    }

    /// <summary>Whether UVs run on over a half-edge, whose triangles must be neighbours.</summary>
    public static bool RunsOn(Topology topology, Vector2[] uvs, int corner)
    {
        var (near, far) = Ends(topology, corner);
        return Vector2.DistanceSquared(uvs[corner], uvs[near]) < 1e-10f && Vector2.DistanceSquared(uvs[Topology.Next(corner)], uvs[far]) < 1e-10f;
    }

    /// <summary>The corners across the edge at the half-edge's beginning and end.</summary>
    internal static (int Near, int Far) Ends(Topology topology, int corner)
    {
        int across = topology.Across[corner];
        return topology.SameWay[corner] ? (across, Topology.Next(across)) : (Topology.Next(across), across);
    }

    private void LookAtTriangles()
    {
        var mesh = Topology.Mesh;
        var seen = new HashSet<(int, int, int)>(mesh.TriangleCount);
        Counter empty = new(), doubled = new(), against = new();
        for (int t = 0; t < mesh.TriangleCount; t++)
        {
            if (IsEmpty(mesh, t))
            {
                empty.Add(3 * t);
                continue;
            }
            if (!seen.Add(Key(Topology, t)))
                doubled.Add(3 * t);
            if (mesh.Normals is { } normals && Vector3.Dot(normals[3 * t] + normals[3 * t + 1] + normals[3 * t + 2], Topology.FaceNormal(t)) < -0.3f)
                against.Add(3 * t);
        }
        (Empty, Doubled, AgainstNormals) = (empty.Flaw, doubled.Flaw, against.Flaw);
    }

    /// <summary>The three points of a triangle in a fixed order.</summary>
    internal static (int, int, int) Key(Topology topology, int triangle)
    {
        int a = topology.Points[3 * triangle], b = topology.Points[3 * triangle + 1], c = topology.Points[3 * triangle + 2];
        if (a > b)
            (a, b) = (b, a);
        if (b > c)
            (b, c) = (c, b);
        return a > b ? (b, a, c) : (a, b, c);
    }

    private void LookAtEdges()
    {
        var mesh = Topology.Mesh;
        Counter borders = new(), crowded = new(), mixed = new(), hard = new(), seamless = new();
        long inner = 0, gentle = 0, flat = 0;
        float gentleLimit = MathF.Cos(35 * MathF.PI / 180);
        for (int c = 0; c < Topology.Across.Length; c++)
        {
            int across = Topology.Across[c];
            if (across == Topology.Border)
                borders.Add(c);
            else if (across == Topology.Crowded)
                crowded.Add(c);
            if (across < c)
                continue;
            if (Topology.SameWay[c])
                mixed.Add(c);
            float bend = Vector3.Dot(Topology.FaceNormal(c / 3), Topology.FaceNormal(across / 3));
            inner++;
            if (bend > gentleLimit && bend < 0.999999f)
                gentle++;
            if (!IsHard(Topology, c))
                continue;
            hard.Add(c);
            if (bend > gentleLimit && bend < 0.999999f)
                flat++;
            if (mesh.Uvs is { } uvs && RunsOn(Topology, uvs, c))
                seamless.Add(c);
        }
        // Each crowded edge was met once for each of its triangles.
        (Borders, Crowded, Mixed) = (borders.Flaw, new Flaw(Topology.CrowdedEdges, crowded.Flaw.Corner), mixed.Flaw);
        (Hard, HardWithoutSeam) = (hard.Flaw, seamless.Flaw);
        // Edges under a degree are no breaks to the eye, so a few gentle ones may count as soft.
        IsFacetted = inner > 0 && gentle > inner / 2 && flat > 0.8 * gentle;
    }

    private void LookAtShells()
    {
        var mesh = Topology.Mesh;
        var shells = Topology.Shells(out int count);
        Shells = count;
        var volume = new double[count];
        var open = new bool[count];
        for (int c = 0; c < Topology.Across.Length; c++)
        {
            if (Topology.Across[c] is Topology.Border or Topology.Crowded || Topology.SameWay[c])
                open[shells[c / 3]] = true;
        }
        var first = mesh.Positions.Length > 0 ? mesh.PositionAt(0) : Vector3.Zero;
        for (int t = 0; t < mesh.TriangleCount; t++)
            volume[shells[t]] += Vector3.Dot(mesh.PositionAt(3 * t) - first,
                Vector3.Cross(mesh.PositionAt(3 * t + 1) - first, mesh.PositionAt(3 * t + 2) - first));
        var bounds = new Bounds[count];
        Array.Fill(bounds, Bounds.Empty);
        for (int c = 0; c < mesh.Corners.Length; c++)
            bounds[shells[c / 3]] = bounds[shells[c / 3]].Including(mesh.PositionAt(c));
        var wrong = Enumerable.Range(0, count).Select(i => !open[i] && volume[i] < 0 && !IsCavity(bounds, i)).ToArray();
        var insideOut = new Counter();
        for (int t = 0; t < mesh.TriangleCount; t++)
        {
            if (wrong[shells[t]])
                insideOut.Add(3 * t);
        }
        InsideOut = insideOut.Flaw;
    }

    /// <summary>Whether a shell lies inside another one, as the inner wall of something hollow does.</summary>
    internal static bool IsCavity(IReadOnlyList<Bounds> shells, int number)
    {
        var (min, max) = shells[number];
        for (int i = 0; i < shells.Count; i++)
        {
            var (outerMin, outerMax) = shells[i];
            if (i != number && Vector3.Max(min, outerMin) == min && Vector3.Min(max, outerMax) == max && min != outerMin && max != outerMax)
                return true;
        }
        return false;
    }

    private void LookForUnwelded(float tolerance)
    {
        var unwelded = new Counter();
        var mesh = Topology.Mesh;
        var cells = new Dictionary<(long, long, long), List<int>>();
        var met = new HashSet<int>();
        for (int c = 0; c < Topology.Across.Length; c++)
        {
            if (Topology.Across[c] != Topology.Border)
                continue;
            foreach (int corner in (ReadOnlySpan<int>)[c, Topology.Next(c)])
            {
                if (met.Add(Topology.Points[corner]))
                {
                    var cell = Cell(mesh.PositionAt(corner), tolerance);
                    if (!cells.TryGetValue(cell, out var list))
                        cells.Add(cell, list = []);
                    list.Add(corner);
                }
            }
        }
        foreach (var (cell, corners) in cells)
        {
            foreach (int corner in corners)
            {
                if (HasNeighbour(cells, cell, corner, tolerance))
                    unwelded.Add(corner);
            }
        }
        Unwelded = unwelded.Flaw;
    }

    private bool HasNeighbour(Dictionary<(long, long, long), List<int>> cells, (long X, long Y, long Z) cell, int corner, float tolerance)
    {
        var at = Topology.Mesh.PositionAt(corner);
        for (int i = 0; i < 27; i++)
        {
            if (!cells.TryGetValue((cell.X + i % 3 - 1, cell.Y + i / 3 % 3 - 1, cell.Z + i / 9 - 1), out var others))
                continue;
            foreach (int other in others)
            {
                if (Topology.Points[other] != Topology.Points[corner] && Vector3.DistanceSquared(at, Topology.Mesh.PositionAt(other)) <= tolerance * tolerance)
                    return true;
            }
        }
        return false;
    }

    internal static (long, long, long) Cell(Vector3 p, float size) =>
        ((long)Math.Floor(p.X / (double)size), (long)Math.Floor(p.Y / (double)size), (long)Math.Floor(p.Z / (double)size));

    private void LookAtPolygons()
    {
        var mesh = Topology.Mesh;
        if (mesh.TrianglePolygons is not { } polygons)
            return;
        Counter concave = new(), warped = new();
        for (int from = 0, to; from < mesh.TriangleCount; from = to)
        {
            for (to = from + 1; to < mesh.TriangleCount && polygons[to] == polygons[from];)
                to++;
            if (to - from < 2)
                continue;
            var normal = Vector3.Zero;
            for (int t = from; t < to; t++)
                normal += Vector3.Cross(mesh.PositionAt(3 * t + 1) - mesh.PositionAt(3 * t), mesh.PositionAt(3 * t + 2) - mesh.PositionAt(3 * t));
            if (!(normal.LengthSquared() > 0))
                continue;
            normal = Vector3.Normalize(normal);
            if (Enumerable.Range(from, to - from).Any(t => !IsEmpty(mesh, t) && Vector3.Dot(Topology.FaceNormal(t), normal) < 0.99939f))
                warped.Add(3 * from);
            if (IsConcave(mesh, from, to, normal))
                concave.Add(3 * from);
        }
        (Concave, Warped) = (concave.Flaw, warped.Flaw);
    }

    /// <summary>Walks the outline, the edges that only one of the polygon's triangles has, and looks for a corner that turns inwards.</summary>
    private static bool IsConcave(Mesh mesh, int from, int to, Vector3 normal)
    {
        var next = new Dictionary<int, int>();
        var inner = new HashSet<(int, int)>();
        for (int c = 3 * from; c < 3 * to; c++)
            inner.Add((mesh.Corners[c], mesh.Corners[Topology.Next(c)]));
        foreach (var (a, b) in inner)
        {
            if (!inner.Contains((b, a)))
                next[a] = b;
        }
        foreach (var (a, b) in next)
        {
            if (!next.TryGetValue(b, out int c))
                continue;
            Vector3 into = mesh.Positions[b] - mesh.Positions[a], onward = mesh.Positions[c] - mesh.Positions[b];
            if (Vector3.Dot(Vector3.Cross(into, onward), normal) < -0.01f * into.Length() * onward.Length())
                return true;
        }
        return false;
    }

    private sealed class Counter
    {
        private int count;
        private int first = -1;

        public Flaw Flaw => new(count, first);

        public void Add(int corner)
        {
            if (count++ == 0)
                first = corner;
        }
    }
}
