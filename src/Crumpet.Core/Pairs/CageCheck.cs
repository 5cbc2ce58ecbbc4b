using System.Numerics;
using Crumpet.Core.Geometry;
using Crumpet.Core.Tracing;

namespace Crumpet.Core.Pairs;

/// <summary>Looks what of the high side stands outside a shell, and where the shell crosses itself.</summary>
internal static class CageCheck
{
    private const float Inside = 1.0001f;

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
        var outside = new List<Vector3>();
        float farthest = 0;
        Vector3? at = null;
        var places = HighPoints.Place(shell, high.Positions, limitMetres, threads, cancel);
        for (int i = 0; i < places.Length; i++)
        {
            var place = places[i];
            if (place.Triangle < 0 || place.Height <= 0)
                continue;
            int c = 3 * place.Triangle;
            var blend = (1 - place.U - place.V) * moves[c] + place.U * moves[c + 1] + place.V * moves[c + 2];
            var direction = (1 - place.U - place.V) * shell.Directions[c] + place.U * shell.Directions[c + 1] + place.V * shell.Directions[c + 2];
            float reached = Vector3.Dot(blend, direction) / direction.LengthSquared(), above = (place.Height - reached) * direction.Length();
            // Well inside is inside; near the shell its real form decides.
            if (reached > 1.3f * place.Height)
                continue;
            if (ShellMap.Solve(high.Positions[i], shell.Positions.AsSpan(c, 3), moves.AsSpan(c, 3), out _, out _, out double share))
            {
                if (share <= Inside)
                    continue;
                above = MathF.Max(above, 1e-6f);
            }
            else if (above <= 1e-6f)
            {
                continue;
            }
            outside.Add(high.Positions[i]);
            // How far it stands off cannot be told everywhere, where it is can.
            if (at is null || above > farthest)
                (farthest, at) = (above > 0 ? above : 0, high.Positions[i]);
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
