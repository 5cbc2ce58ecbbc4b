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

    /// <summary>Looks.</summary>
    /// <param name="shell">Low side with its directions.</param>
    /// <param name="starts">The shell: a position per corner, metres.</param>
    /// <param name="high">High side.</param>
    /// <param name="limitMetres">How far from the low surface high surface still counts, metres.</param>
    /// <param name="threads">Threads to use, at least 1; the result does not depend on it.</param>
    /// <param name="cancel">Ends the work early.</param>
    public static (CageReport Report, IReadOnlyList<Vector3> Outside) Look(ShellBase shell, Vector3[] starts, SurfaceTree high, float limitMetres, int threads,
        CancellationToken cancel)
    {
        var moves = starts.Zip(shell.Positions, (s, p) => s - p).ToArray();
        var places = HighPoints.Place(shell, high.Positions, limitMetres, threads, cancel);
        float[] above = Above(shell, moves, places, high.Positions, threads, cancel);
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
    private static float[] Above(ShellBase shell, Vector3[] moves, ShellPlace[] places, Vector3[] points, int threads, CancellationToken cancel)
    {
        var starts = shell.Positions.Zip(moves, (p, m) => p + m).ToArray();
        int[] corners = [.. Enumerable.Range(0, starts.Length)];
        var surface = SurfaceTree.Build([new Mesh { Name = "", Positions = starts, Corners = corners, TriangleMaterials = [] }]);
        var swept = BoxTree.Build([.. Enumerable.Range(0, shell.TriangleCount).Select(t => Enumerable.Range(3 * t, 3)
            .Aggregate(Bounds.Empty, (box, c) => box.Including(shell.Positions[c]).Including(starts[c])))]);
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
            if (place.Triangle < 0 || place.Height <= 0)
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
                if (ShellMap.Solve(point, shell.Positions.AsSpan(3 * t, 3), moves.AsSpan(3 * t, 3), out _, out _, out double share)
                    && share is >= 0 and <= Inside)
                    return true;
            }
            return false;
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
