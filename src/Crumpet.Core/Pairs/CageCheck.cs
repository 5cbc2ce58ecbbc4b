using System.Numerics;
using Crumpet.Core.Geometry;
using Crumpet.Core.Tracing;

namespace Crumpet.Core.Pairs;

/// <summary>Looks what of the high side stands outside a shell, and where the shell crosses itself.</summary>
internal static class CageCheck
{
    private const float Inside = 1.0001f;
    private const float Touch = 1e-6f;
    private const int Chunk = 512;
    private const float Parted = 0.996f;
    private const int Cuts = 6;

    /// <summary>Looks.</summary>
    /// <param name="shell">Low side with its directions.</param>
    /// <param name="rays">Where rays start.</param>
    /// <param name="high">High side.</param>
    /// <param name="places">Where its vertices lie over the low side.</param>
    /// <param name="threads">Threads to use, at least 1; the result does not depend on it.</param>
    /// <param name="cancel">Ends the work early.</param>
    public static (CageReport Report, IReadOnlyList<Vector3> Outside) Look(ShellBase shell, RayStarts rays, SurfaceTree high, ShellPlace[] places,
        int threads, CancellationToken cancel)
    {
        var moves = rays.Moves;
        var starts = shell.Positions.Zip(moves, (p, m) => p + m).ToArray();
        float[] above = Above(shell, rays, places, high.Positions, threads, cancel);
        var outside = new List<Vector3>();
        float farthest = 0;
        Vector3? at = null;
        for (int i = 0; i < above.Length; i++)
        {
            if (above[i] < 0)
                continue;
            outside.Add(high.Positions[i]);
            if (at is null || above[i] > farthest)
                (farthest, at) = (above[i], high.Positions[i]);
        }
        var (crossings, crossingAt) = Crossings(shell, starts, cancel);
        double sum = 0;
        float greatest = 0;
        var seen = new bool[shell.VertexCount];
        for (int c = 0; c < moves.Length; c++)
        {
            greatest = MathF.Max(greatest, moves[c].Length());
            if (!seen[shell.Vertices[c]])
                sum += moves[c].Length();
            seen[shell.Vertices[c]] = true;
        }
        var report = new CageReport(
            CageKind.Reach, RayDirection.Smooth, shell.VertexCount == 0 ? 0 : (float)(sum / shell.VertexCount), greatest, 0, outside.Count, farthest,
                at is { } p ? [p.X, p.Y, p.Z] : null, 0,
            crossings, crossingAt is { } x ? [x.X, x.Y, x.Z] : null, 0);
        return (report, outside);
    }

    /// <summary>How far points stand off the shell, metres; -1 where rays of any low triangle reach them, or no ray comes by.</summary>
    private static float[] Above(ShellBase shell, RayStarts rays, ShellPlace[] places, Vector3[] points, int threads, CancellationToken cancel)
    {
        var moves = rays.Moves;
        var starts = shell.Positions.Zip(moves, (p, m) => p + m).ToArray();
        Vector3[] ends = rays.ReachMetres is { } reach ? Bulged(shell, reach) : starts;
        var surface = SurfaceTree.Build([new Mesh { Name = "", Positions = ends, Corners = [.. Enumerable.Range(0, ends.Length)], TriangleMaterials = [] }]);
        var swept = BoxTree.Build([.. Enumerable.Range(0, shell.TriangleCount).Select(t => Enumerable.Range(3 * t, 3)
            .Aggregate(Bounds.Empty, (box, c) => box.Including(shell.Positions[c]).Including(starts[c])
                .Including(shell.Positions[c] + new Vector3(rays.ReachMetres ?? 0)).Including(shell.Positions[c] - new Vector3(rays.ReachMetres ?? 0))))]);
        var above = new float[points.Length];
        Parallel.For(0, (points.Length + Chunk - 1) / Chunk, new ParallelOptions { MaxDegreeOfParallelism = threads, CancellationToken = cancel },
            () => new List<int>(), (chunk, _, around) =>
        {
            for (int i = chunk * Chunk; i < Math.Min(points.Length, (chunk + 1) * Chunk); i++)
                above[i] = IsReached(places[i], points[i], around) ? -1 : surface.Nearest(points[i], float.MaxValue).Distance;
            return around;
        }, _ => { });
        return above;

        bool IsReached(ShellPlace place, Vector3 point, List<int> around)
        {
            if (place.Triangle < 0 || place.Height <= 0 || shell.Metres(place) <= rays.ReachMetres * Inside)
                return true;
            int c = 3 * place.Triangle;
            var blend = (1 - place.U - place.V) * moves[c] + place.U * moves[c + 1] + place.V * moves[c + 2];
            var direction = (1 - place.U - place.V) * shell.Directions[c] + place.U * shell.Directions[c + 1] + place.V * shell.Directions[c + 2];
            // Well inside is inside; near the shell its real form decides, where it has one.
            float reached = Vector3.Dot(blend, direction) / direction.LengthSquared();
            if (reached > 1.3f * place.Height)
                return true;
            bool isFolded = !ShellMap.Solve(point, shell.Positions.AsSpan(c, 3), moves.AsSpan(c, 3), out _, out _, out _);
            if (isFolded && (place.Height - reached) * direction.Length() <= Touch)
                return true;
            swept.Around(point, Touch, around);
            foreach (int t in around)
            {
                if (ShellMap.Solve(point, shell.Positions.AsSpan(3 * t, 3), moves.AsSpan(3 * t, 3), out double u, out double v, out double share)
                    && share >= 0 && share * Shortened(t, (float)u, (float)v) <= Inside)
                    return true;
            }
            return false;
        }

        // Rays of one reach all go as far, though the blend of their corners' directions is shorter.
        float Shortened(int triangle, float u, float v) => rays.ReachMetres is null ? 1 : shell.DirectionAt(new ShellPlace(triangle, u, v, 0)).Length();
    }

    /// <summary>Where rays of one reach start: over triangles whose corners' directions part the shell bulges, and is cut up.</summary>
    private static Vector3[] Bulged(ShellBase shell, float reach)
    {
        var points = new List<Vector3>(shell.Positions.Length);
        for (int c = 0; c < shell.Positions.Length; c += 3)
        {
            Vector3 a = shell.Directions[c], b = shell.Directions[c + 1], d = shell.Directions[c + 2];
            int cuts = MathF.Min(Vector3.Dot(a, b), MathF.Min(Vector3.Dot(b, d), Vector3.Dot(d, a))) < Parted ? Cuts : 1;
            for (int i = 0; i < cuts; i++)
            {
                for (int j = 0; j < cuts - i; j++)
                {
                    points.AddRange([At(c, i, j, cuts), At(c, i + 1, j, cuts), At(c, i, j + 1, cuts)]);
                    if (i + j < cuts - 1)
                        points.AddRange([At(c, i + 1, j, cuts), At(c, i + 1, j + 1, cuts), At(c, i, j + 1, cuts)]);
                }
            }
        }
        return [.. points];

        Vector3 At(int corner, int i, int j, int cuts)
        {
            var place = new ShellPlace(corner / 3, (float)i / cuts, (float)j / cuts, 0);
            var direction = shell.DirectionAt(place);
            return shell.At(place) + (direction.LengthSquared() > 1e-12f ? Vector3.Normalize(direction) * reach : Vector3.Zero);
        }
    }

    /// <summary>Triangles that are turned against the low side's or cut a triangle they do not hang together with.</summary>
    public static (int Count, Vector3? At) Crossings(ShellBase shell, Vector3[] starts, CancellationToken cancel)
    {
        int count = 0;
        Vector3? at = null;
        var boxes = new Bounds[shell.TriangleCount];
        for (int t = 0; t < boxes.Length; t++)
            boxes[t] = Bounds.Empty.Including(starts[3 * t]).Including(starts[3 * t + 1]).Including(starts[3 * t + 2]);
        var tree = BoxTree.Build(boxes);
        var around = new List<int>();
        for (int t = 0; t < boxes.Length; t++)
        {
            cancel.ThrowIfCancellationRequested();
            int c = 3 * t;
            var normal = Vector3.Cross(shell.Positions[c + 1] - shell.Positions[c], shell.Positions[c + 2] - shell.Positions[c]);
            var moved = Vector3.Cross(starts[c + 1] - starts[c], starts[c + 2] - starts[c]);
            bool crosses = Vector3.Dot(normal, moved) < 0;
            if (!crosses)
            {
                tree.Around(boxes[t].Centre, boxes[t].Size.Length() / 2, around);
                foreach (int other in around)
                {
                    if (other != t && !ShareCorner(starts, t, other) && Meet(boxes[t], boxes[other])
                        && HullDistance.Between(starts.AsSpan(c, 3), starts.AsSpan(3 * other, 3), 1e-7f).Distance == 0)
                    {
                        crosses = true;
                        break;
                    }
                }
            }
            if (crosses)
            {
                count++;
                at ??= (starts[c] + starts[c + 1] + starts[c + 2]) / 3;
            }
        }
        return (count, at);
    }

    private static bool Meet(Bounds a, Bounds b) =>
        a.Min.X <= b.Max.X && b.Min.X <= a.Max.X && a.Min.Y <= b.Max.Y && b.Min.Y <= a.Max.Y && a.Min.Z <= b.Max.Z && b.Min.Z <= a.Max.Z;

    /// <summary>Whether two triangles hang together; at a hard edge with split directions they do not.</summary>
    private static bool ShareCorner(Vector3[] starts, int one, int two)
    {
        for (int i = 0; i < 3; i++)
            for (int j = 0; j < 3; j++)
                if (starts[3 * one + i] == starts[3 * two + j])
                    return true;
        return false;
    }
}
