using System.Numerics;

namespace Crumpet.Core.Geometry;

/// <summary>Corrections of a mesh. Each gives a new mesh and leaves the old one as it is.</summary>
public static class MeshRepair
{
    /// <summary>The mesh with only some of its triangles.</summary>
    /// <param name="mesh">Source.</param>
    /// <param name="keep">Whether a triangle stays.</param>
    /// <param name="removed">How many went.</param>
    public static Mesh Keep(Mesh mesh, Func<int, bool> keep, out int removed)
    {
        int[] kept = [.. Enumerable.Range(0, mesh.TriangleCount).Where(keep)];
        removed = mesh.TriangleCount - kept.Length;
        if (removed == 0)
            return mesh;
        var polygons = mesh.TrianglePolygons is { } p ? Array.ConvertAll(kept, t => p[t]) : null;
        return mesh with
        {
            Corners = Of(mesh.Corners),
            Normals = mesh.Normals is { } normals ? Of(normals) : null,
            Colours = mesh.Colours is { } colours ? Of(colours) : null,
            UvSets = [.. mesh.UvSets.Select(Of)],
            TriangleMaterials = Array.ConvertAll(kept, t => mesh.TriangleMaterials[t]),
            TrianglePolygons = polygons,
            PolygonCount = polygons is not null ? polygons.Distinct().Count() : kept.Length,
        };

        T[] Of<T>(T[] perCorner)
        {
            var result = new T[3 * kept.Length];
            for (int i = 0; i < kept.Length; i++)
                perCorner.AsSpan(3 * kept[i], 3).CopyTo(result.AsSpan(3 * i));
            return result;
        }
    }

    /// <summary>Takes out triangles without area.</summary>
    public static Mesh DropEmpty(Mesh mesh, out int removed) => Keep(mesh, t => !MeshFlaws.IsEmpty(mesh, t), out removed);

    /// <summary>Takes out triangles that reach beyond <see cref="WorldLimit"/>, and the points nothing uses any more.</summary>
    public static Mesh DropFar(Mesh mesh, out int removed)
    {
        var near = Keep(mesh, t => WorldLimit.Holds(mesh.PositionAt(3 * t)) && WorldLimit.Holds(mesh.PositionAt(3 * t + 1))
            && WorldLimit.Holds(mesh.PositionAt(3 * t + 2)), out removed);
        if (removed == 0)
            return mesh;
        var number = new int[near.Positions.Length];
        foreach (int index in near.Corners)
            number[index] = 1;
        var positions = new List<Vector3>();
        for (int i = 0; i < number.Length; i++)
        {
            if (number[i] == 0)
                continue;
            number[i] = positions.Count;
            positions.Add(near.Positions[i]);
        }
        return near with { Positions = [.. positions], Corners = Array.ConvertAll(near.Corners, c => number[c]) };
    }

    /// <summary>Takes out triangles over the same three points as one before them.</summary>
    public static Mesh DropDoubled(Mesh mesh, out int removed)
    {
        var topology = Topology.Of(mesh);
        var seen = new HashSet<(int, int, int)>(mesh.TriangleCount);
        return Keep(mesh, t => seen.Add(MeshFlaws.Key(topology, t)), out removed);
    }

    /// <summary>Makes points that lie within a distance of each other one: all move to where the first of them is.</summary>
    /// <param name="mesh">Source.</param>
    /// <param name="toleranceMetres">Greatest distance.</param>
    /// <param name="moved">Distinct points that were taken into another one.</param>
    public static Mesh Weld(Mesh mesh, float toleranceMetres, out int moved)
    {
        int[] exact = PositionWeld.Groups(mesh.Positions, out int count);
        var points = new Vector3[count];
        for (int i = mesh.Positions.Length - 1; i >= 0; i--)
            points[exact[i]] = mesh.Positions[i];
        var cells = new Dictionary<(long, long, long), List<int>>();
        var target = new int[count];
        moved = 0;
        for (int point = 0; point < count; point++)
        {
            target[point] = point;
            var (x, y, z) = MeshFlaws.Cell(points[point], MathF.Max(toleranceMetres, 1e-9f));
            for (int i = 0; i < 27 && target[point] == point; i++)
            {
                if (!cells.TryGetValue((x + i % 3 - 1, y + i / 3 % 3 - 1, z + i / 9 - 1), out var near))
                    continue;
                int found = near.FindIndex(other => Vector3.DistanceSquared(points[other], points[point]) <= toleranceMetres * toleranceMetres);
                if (found >= 0)
                    target[point] = near[found];
            }
            if (target[point] != point)
            {
                moved++;
                continue;
            }
            if (!cells.TryGetValue((x, y, z), out var own))
                cells.Add((x, y, z), own = []);
            own.Add(point);
        }
        var numbers = new int[count];
        var kept = new List<Vector3>(count - moved);
        for (int point = 0; point < count; point++)
        {
            if (target[point] == point)
            {
                numbers[point] = kept.Count;
                kept.Add(points[point]);
            }
        }
        return mesh with { Positions = [.. kept], Corners = Array.ConvertAll(mesh.Corners, c => numbers[target[exact[c]]]) };
    }

    /// <summary>
    /// Turns triangles so that neighbours agree and closed shells face outward; open shells follow their normals where they have
    /// any, otherwise the larger part of their surface.
    /// </summary>
    /// <param name="mesh">Source.</param>
    /// <param name="turned">Triangles that were turned over, or whose normals were.</param>
    public static Mesh FaceOutward(Mesh mesh, out int turned)
    {
        var topology = Topology.Of(mesh);
        var flip = new bool[mesh.TriangleCount];
        var done = new bool[mesh.TriangleCount];
        var groups = new List<(List<int> Triangles, bool IsClosed)>();
        var open = new Stack<int>();
        for (int seed = 0; seed < mesh.TriangleCount; seed++)
        {
            if (done[seed])
                continue;
            var group = new List<int>();
            open.Push(seed);
            done[seed] = true;
            bool closed = true;
            while (open.TryPop(out int triangle))
            {
                group.Add(triangle);
                for (int c = 3 * triangle; c < 3 * triangle + 3; c++)
                {
                    int across = topology.Across[c];
                    closed &= across >= 0 || across == Topology.NoEdge;
                    if (across < 0 || done[across / 3])
                        continue;
                    done[across / 3] = true;
                    flip[across / 3] = flip[triangle] ^ topology.SameWay[c];
                    open.Push(across / 3);
                }
            }
            groups.Add((group, closed));
        }
        var bounds = groups.Select(g => g.Triangles.Aggregate(Bounds.Empty,
            (b, t) => b.Including(mesh.PositionAt(3 * t)).Including(mesh.PositionAt(3 * t + 1)).Including(mesh.PositionAt(3 * t + 2)))).ToArray();
        for (int i = 0; i < groups.Count; i++)
        {
            var (group, closed) = groups[i];
            // The inner wall of something hollow looks inwards.
            if (Vote(topology, group, flip, closed) < 0 != (closed && MeshFlaws.IsCavity(bounds, i)))
                group.ForEach(t => flip[t] = !flip[t]);
        }
        turned = Enumerable.Range(0, mesh.TriangleCount).Count(t => flip[t] || (mesh.Normals is { } source && Against(topology, source, t, false)));
        return turned > 0 ? Flip(mesh, topology, flip) : mesh;
    }

    /// <summary>Positive where the group faces the right way when turned as flip says.</summary>
    private static double Vote(Topology topology, List<int> group, bool[] flip, bool closed)
    {
        var mesh = topology.Mesh;
        var first = mesh.PositionAt(3 * group[0]);
        double volume = 0, withNormals = 0, asItWas = 0;
        foreach (int t in group)
        {
            Vector3 a = mesh.PositionAt(3 * t) - first, b = mesh.PositionAt(3 * t + 1) - first, c = mesh.PositionAt(3 * t + 2) - first;
            double sign = flip[t] ? -1 : 1;
            volume += sign * Vector3.Dot(a, Vector3.Cross(b, c));
            var area = Vector3.Cross(b - a, c - a);
            asItWas += sign * area.Length();
            if (mesh.Normals is { } normals)
                withNormals += sign * Vector3.Dot(area, normals[3 * t] + normals[3 * t + 1] + normals[3 * t + 2]);
        }
        return closed && volume != 0 ? volume : withNormals != 0 ? withNormals : asItWas;
    }

    private static bool Against(Topology topology, Vector3[] normals, int t, bool flipped) =>
        Vector3.Dot(normals[3 * t] + normals[3 * t + 1] + normals[3 * t + 2], topology.FaceNormal(t)) * (flipped ? -1 : 1) < -0.3f;

    private static Mesh Flip(Mesh mesh, Topology topology, bool[] flip)
    {
        var normals = mesh.Normals is { } source ? Turned(source) : null;
        for (int t = 0; t < mesh.TriangleCount && normals is not null; t++)
        {
            // Normals that still look to the back were turned together with the face.
            if (!Against(topology, mesh.Normals!, t, flip[t]))
                continue;
            for (int c = 3 * t; c < 3 * t + 3; c++)
                normals[c] = -normals[c];
        }
        return mesh with
        {
            Corners = Turned(mesh.Corners),
            Normals = normals,
            Colours = mesh.Colours is { } colours ? Turned(colours) : null,
            UvSets = [.. mesh.UvSets.Select(Turned)],
        };

        T[] Turned<T>(T[] perCorner)
        {
            var result = (T[])perCorner.Clone();
            for (int t = 0; t < flip.Length; t++)
            {
                if (flip[t])
                    (result[3 * t + 1], result[3 * t + 2]) = (result[3 * t + 2], result[3 * t + 1]);
            }
            return result;
        }
    }

    /// <summary>Gives smooth normals that break at edges sharper than an angle and at borders.</summary>
    /// <param name="mesh">Source.</param>
    /// <param name="degrees">Sharpest bend that is still smooth.</param>
    public static Mesh SmoothByAngle(Mesh mesh, float degrees)
    {
        var topology = Topology.Of(mesh);
        float limit = MathF.Cos(degrees * MathF.PI / 180) - 1e-6f;
        return mesh with
        {
            Normals = SmoothNormals.ByFans(topology,
            c => Vector3.Dot(topology.FaceNormal(c / 3), topology.FaceNormal(topology.Across[c] / 3)) >= limit, out _)
        };
    }

    /// <summary>Makes edges smooth over which shading breaks while UVs run on; everything else keeps its normals.</summary>
    /// <param name="mesh">Source with normals and UVs.</param>
    /// <param name="softened">Edges that became smooth.</param>
    public static Mesh Soften(Mesh mesh, out int softened)
    {
        softened = 0;
        if (mesh.Uvs is not { } uvs || mesh.Normals is not { } normals)
            return mesh;
        var topology = Topology.Of(mesh);
        var chosen = new bool[mesh.Corners.Length];
        var touched = new bool[topology.PointCount];
        for (int c = 0; c < chosen.Length; c++)
        {
            if (topology.Across[c] < 0 || !MeshFlaws.IsHard(topology, c) || !MeshFlaws.RunsOn(topology, uvs, c))
                continue;
            chosen[c] = touched[topology.Points[c]] = touched[topology.Points[Topology.Next(c)]] = true;
            softened += topology.Across[c] > c ? 1 : 0;
        }
        if (softened == 0)
            return mesh;
        var smooth = SmoothNormals.ByFans(topology, c => chosen[c] || !MeshFlaws.IsHard(topology, c), out var fans);
        // Only fans with an edge that was softened change; their neighbours' normals may be an artist's own.
        var changed = new HashSet<int>();
        for (int c = 0; c < chosen.Length; c++)
        {
            if (!chosen[c])
                continue;
            changed.Add(fans[c]);
            changed.Add(fans[Topology.Next(c)]);
        }
        return mesh with { Normals = [.. normals.Select((n, c) => changed.Contains(fans[c]) ? smooth[c] : n)] };
    }

    /// <summary>
    /// Cuts UVs along hard edges where that parts an island in two, and draws the parts together so that a gap opens. Edges that end
    /// inside an island part nothing and stay.
    /// </summary>
    /// <param name="mesh">Source with normals and UVs.</param>
    /// <param name="gap">Width of the gap as a share of the tile.</param>
    /// <param name="cut">Edges that became seams.</param>
    public static Mesh CutHardEdges(Mesh mesh, float gap, out int cut)
    {
        cut = 0;
        if (mesh.Uvs is not { } uvs || mesh.Normals is null)
            return mesh;
        var topology = Topology.Of(mesh);
        var parent = Enumerable.Range(0, mesh.TriangleCount).ToArray();
        var hard = new List<int>();
        for (int c = 0; c < mesh.Corners.Length; c++)
        {
            if (topology.Across[c] <= c || !MeshFlaws.RunsOn(topology, uvs, c))
                continue;
            if (MeshFlaws.IsHard(topology, c))
                hard.Add(c);
            else
                parent[Topology.Root(parent, c / 3)] = Topology.Root(parent, topology.Across[c] / 3);
        }
        var drawn = new HashSet<int>();
        foreach (int c in hard)
        {
            int one = Topology.Root(parent, c / 3), other = Topology.Root(parent, topology.Across[c] / 3);
            if (one == other)
                continue;
            cut++;
            drawn.Add(one);
            drawn.Add(other);
        }
        if (cut == 0)
            return mesh;
        var boxes = new Dictionary<int, (Vector2 Min, Vector2 Max)>();
        for (int c = 0; c < uvs.Length; c++)
        {
            int island = Topology.Root(parent, c / 3);
            if (!drawn.Contains(island))
                continue;
            var box = boxes.GetValueOrDefault(island, (Min: new Vector2(float.PositiveInfinity), Max: new Vector2(float.NegativeInfinity)));
            boxes[island] = (Vector2.Min(box.Min, uvs[c]), Vector2.Max(box.Max, uvs[c]));
        }
        var moved = (Vector2[])uvs.Clone();
        for (int c = 0; c < uvs.Length; c++)
        {
            if (!boxes.TryGetValue(Topology.Root(parent, c / 3), out var box))
                continue;
            // One scale for both directions keeps the density even; half the gap goes on either side.
            float smaller = MathF.Min(box.Max.X - box.Min.X, box.Max.Y - box.Min.Y);
            float scale = smaller > 2 * gap ? 1 - gap / smaller : 0.5f;
            var centre = (box.Min + box.Max) / 2;
            moved[c] = centre + (uvs[c] - centre) * scale;
        }
        return mesh with { UvSets = [moved, .. mesh.UvSets.Skip(1)] };
    }
}
