using System.Numerics;
using Crumpet.Core.Geometry;
using Crumpet.Core.Tracing;

namespace Crumpet.Core.Pairs;

/// <summary>A low surface with a direction at each corner: what a shell is raised from.</summary>
/// <param name="Positions">Position per corner, three corners a triangle, metres.</param>
/// <param name="Directions">Unit direction per corner, outwards.</param>
/// <param name="Vertices">Number of the vertex of each corner: corners at one position of one object are one vertex.</param>
/// <param name="VertexCount">How many vertices there are.</param>
internal sealed record ShellBase(Vector3[] Positions, Vector3[] Directions, int[] Vertices, int VertexCount)
{
    public int TriangleCount => Positions.Length / 3;

    /// <summary>From each corner to where a shell with these offsets stands, metres.</summary>
    /// <param name="offsets">Offset of each vertex along its directions, metres.</param>
    public Vector3[] Moves(float[] offsets) => [.. Directions.Select((d, c) => d * offsets[Vertices[c]])];

    /// <summary>The direction at a place: the blend of the corners', shorter than a unit where they part.</summary>
    public Vector3 DirectionAt(in ShellPlace place)
    {
        int c = 3 * place.Triangle;
        return (1 - place.U - place.V) * Directions[c] + place.U * Directions[c + 1] + place.V * Directions[c + 2];
    }

    /// <summary>How far a point is from its place along a ray, metres; negative below the surface. Heights count in lengths of the blend.</summary>
    public float Metres(in ShellPlace place) => place.Triangle < 0 ? 0 : place.Height * DirectionAt(place).Length();

    /// <summary>The point of the surface under a place.</summary>
    public Vector3 At(in ShellPlace place)
    {
        int c = 3 * place.Triangle;
        return (1 - place.U - place.V) * Positions[c] + place.U * Positions[c + 1] + place.V * Positions[c + 2];
    }

    /// <summary>Joins low objects and their directions.</summary>
    public static ShellBase Build(IReadOnlyList<Mesh> low, IReadOnlyList<Vector3[]> directions)
    {
        int count = low.Sum(m => m.Corners.Length), at = 0, vertex = 0;
        var shell = new ShellBase(new Vector3[count], new Vector3[count], new int[count], 0);
        for (int i = 0; i < low.Count; i++)
        {
            int[] groups = PositionWeld.Groups(low[i].Positions, out int groupCount);
            for (int corner = 0; corner < low[i].Corners.Length; corner++, at++)
            {
                shell.Positions[at] = low[i].PositionAt(corner);
                shell.Directions[at] = directions[i][corner];
                shell.Vertices[at] = vertex + groups[low[i].Corners[corner]];
            }
            vertex += groupCount;
        }
        return shell with { VertexCount = vertex };
    }
}

/// <summary>Where rays of a low surface start.</summary>
/// <param name="Moves">From each corner to where its rays start, metres.</param>
/// <param name="ReachMetres">
/// How far from the surface every ray starts along its direction, metres; null where rays start on the shell that the moved corners span.
/// Where corners' directions part, that shell lies nearer the surface.
/// </param>
internal sealed record RayStarts(Vector3[] Moves, float? ReachMetres)
{
    /// <summary>Rays that start at one reach.</summary>
    public static RayStarts AtReach(ShellBase shell, float reachMetres) => new([.. shell.Directions.Select(d => d * reachMetres)], reachMetres);
}

/// <summary>Where a point lies over a low surface.</summary>
/// <param name="Triangle">Low triangle; -1 where the point lies over none.</param>
/// <param name="U">Weight of its second corner.</param>
/// <param name="V">Weight of its third corner.</param>
/// <param name="Height">How far along the interpolated direction, metres; negative below the surface.</param>
internal readonly record struct ShellPlace(int Triangle, float U, float V, float Height);

/// <summary>Finds for points the place of a low surface from which they are reached along its directions.</summary>
/// <remarks>
/// A point p over a triangle fulfils p = Σ wᵢ (Pᵢ + s·Dᵢ). For fixed s that asks p to lie in the plane of the moved corners, whose
/// determinant is a cubic in s; each of its roots gives weights, and the root nearest the surface with weights in the triangle counts.
/// </remarks>
internal sealed class ShellMap
{
    private const double Slack = 1e-5;

    // What lies this many times farther along a direction than the surface is away belongs to another place of it.
    private const float MostSlant = 4;
    private const float LeastReach = 1e-3f;

    private readonly ShellBase shell;
    private readonly SurfaceTree tree;

    /// <summary>How far along a direction surface can lie that belongs to a place it is this far away from, metres.</summary>
    public static float FarthestOver(float distanceMetres) => MostSlant * distanceMetres + LeastReach;

    public ShellMap(ShellBase shell)
    {
        this.shell = shell;
        var mesh = new Mesh { Name = "", Positions = shell.Positions, Corners = [.. Enumerable.Range(0, shell.Positions.Length)], TriangleMaterials = [] };
        tree = SurfaceTree.Build([mesh]);
    }

    /// <summary>Place of a point.</summary>
    /// <param name="point">Metres.</param>
    /// <param name="limit">How far from the surface to look, metres.</param>
    /// <param name="around">Room for the search.</param>
    public ShellPlace Find(Vector3 point, float limit, List<int> around)
    {
        var near = tree.Nearest(point, limit);
        if (near.Triangle < 0)
            return new ShellPlace(-1, 0, 0, 0);
        // Directions that slant reach points from farther off than the nearest place.
        for (float radius = 1.3f * near.Distance + 1e-6f; ; radius *= 2)
        {
            tree.Boxes.Around(point, radius, around);
            var best = new ShellPlace(-1, 0, 0, float.PositiveInfinity);
            foreach (int triangle in around)
            {
                var place = Over(point, triangle);
                if (place.Triangle < 0)
                    continue;
                float difference = MathF.Abs(place.Height) - MathF.Abs(best.Height);
                // Of two that meet at an edge always the same one.
                if (difference < -1e-7f || (difference < 1e-7f && triangle < best.Triangle))
                    best = place;
            }
            if (best.Triangle >= 0 && MathF.Abs(best.Height) <= MathF.Min(limit, FarthestOver(near.Distance)))
                return best;
            if (radius > FarthestOver(near.Distance) || radius > limit)
                return new ShellPlace(-1, 0, 0, 0);
        }
    }

    /// <summary>Place of a point over one triangle; of none where the point lies beside it.</summary>
    private ShellPlace Over(Vector3 point, int triangle)
    {
        int c = 3 * triangle;
        if (!Solve(point, shell.Positions.AsSpan(c, 3), shell.Directions.AsSpan(c, 3), out double u, out double v, out double height))
            return new ShellPlace(-1, 0, 0, 0);
        return new ShellPlace(triangle, (float)u, (float)v, (float)height);
    }

    /// <summary>Weights and height of a point over a triangle whose corners move along directions of any length.</summary>
    /// <param name="point">The point.</param>
    /// <param name="corners">Three positions.</param>
    /// <param name="directions">Three directions.</param>
    /// <param name="u">Weight of the second corner.</param>
    /// <param name="v">Weight of the third corner.</param>
    /// <param name="height">How far, in lengths of the directions; of several the nearest to 0.</param>
    public static bool Solve(Vector3 point, ReadOnlySpan<Vector3> corners, ReadOnlySpan<Vector3> directions, out double u, out double v, out double height)
    {
        D3 p = D3.From(point, corners[0]), e1 = D3.From(corners[1], corners[0]), e2 = D3.From(corners[2], corners[0]);
        D3 d0 = D3.From(directions[0], Vector3.Zero), d1 = D3.From(directions[1], directions[0]), d2 = D3.From(directions[2], directions[0]);
        D3 n0 = e1.Cross(e2), n1 = e1.Cross(d2) + d1.Cross(e2), n2 = d1.Cross(d2);
        Span<double> roots = stackalloc double[3];
        int count = CubicRoots.Find(-n2.Dot(d0), n2.Dot(p) - n1.Dot(d0), n1.Dot(p) - n0.Dot(d0), n0.Dot(p), roots);
        (u, v, height) = (0, 0, double.PositiveInfinity);
        for (int i = 0; i < count; i++)
        {
            double s = roots[i];
            if (Math.Abs(s) >= Math.Abs(height))
                continue;
            D3 a = e1 + d1 * s, b = e2 + d2 * s, w = p - d0 * s, normal = a.Cross(b);
            double area = normal.Dot(normal);
            // Beyond where the shell turns inside out nothing is over the triangle.
            if (area == 0 || normal.Dot(n0) <= 0)
                continue;
            double weightU = w.Cross(b).Dot(normal) / area, weightV = a.Cross(w).Dot(normal) / area;
            if (weightU < -Slack || weightV < -Slack || weightU + weightV > 1 + Slack)
                continue;
            (u, v, height) = (Math.Clamp(weightU, 0, 1), Math.Clamp(weightV, 0, 1 - Math.Clamp(weightU, 0, 1)), s);
        }
        return !double.IsInfinity(height);
    }

    private readonly record struct D3(double X, double Y, double Z)
    {
        public static D3 From(Vector3 v, Vector3 origin) => new((double)v.X - origin.X, (double)v.Y - origin.Y, (double)v.Z - origin.Z);

        public static D3 operator +(D3 a, D3 b) => new(a.X + b.X, a.Y + b.Y, a.Z + b.Z);

        public static D3 operator -(D3 a, D3 b) => new(a.X - b.X, a.Y - b.Y, a.Z - b.Z);

        public static D3 operator *(D3 a, double k) => new(a.X * k, a.Y * k, a.Z * k);

        public double Dot(D3 b) => X * b.X + Y * b.Y + Z * b.Z;

        public D3 Cross(D3 b) => new(Y * b.Z - Z * b.Y, Z * b.X - X * b.Z, X * b.Y - Y * b.X);
    }
}
