using System.Numerics;
using Crumpet.Core.Geometry;
using Crumpet.Core.Tracing;

namespace Crumpet.Core.Pairs;

/// <summary>Points of the high side that a shell must hold, and where they lie over the low side.</summary>
internal static class HighPoints
{
    private const int MostCuts = 8;
    private const int EdgeSamples = 4;
    private const int DepthSamples = 100_000;
    private const int LeastAcross = 8;
    private const int MostAcross = 32;

    /// <summary>All vertices, then points inside triangles that are large beside the low side's.</summary>
    /// <param name="high">High side.</param>
    /// <param name="spacingMetres">How far apart points may be, metres; 0 for vertices alone.</param>
    public static Vector3[] Of(SurfaceTree high, float spacingMetres)
    {
        var points = new List<Vector3>(high.Positions);
        if (spacingMetres <= 0)
            return [.. points];
        for (int t = 0; t < high.Corners.Length / 3; t++)
        {
            Vector3 a = high.Corner(t, 0), b = high.Corner(t, 1), c = high.Corner(t, 2);
            float longest = MathF.Max(Vector3.Distance(a, b), MathF.Max(Vector3.Distance(b, c), Vector3.Distance(c, a)));
            int cuts = (int)MathF.Min(MostCuts, MathF.Ceiling(longest / spacingMetres));
            for (int i = 0; i <= cuts; i++)
            {
                for (int j = 0; j <= cuts - i; j++)
                {
                    // The corners are there already.
                    if (cuts > 1 && (i, j) != (0, 0) && (i, j) != (cuts, 0) && (i, j) != (0, cuts))
                        points.Add(a + (b - a) * (i / (float)cuts) + (c - a) * (j / (float)cuts));
                }
            }
        }
        return [.. points];
    }

    /// <summary>Place of each point.</summary>
    public static ShellPlace[] Place(ShellBase shell, Vector3[] points, float limitMetres, int threads, CancellationToken cancel)
    {
        var map = new ShellMap(shell);
        var places = new ShellPlace[points.Length];
        const int Chunk = 512;
        Parallel.For(0, (points.Length + Chunk - 1) / Chunk, new ParallelOptions { MaxDegreeOfParallelism = threads, CancellationToken = cancel },
            () => new List<int>(), (chunk, _, around) =>
        {
            for (int i = chunk * Chunk; i < Math.Min(points.Length, (chunk + 1) * Chunk); i++)
                places[i] = map.Find(points[i], limitMetres, around);
            return around;
        }, _ => { });
        return places;
    }

    /// <summary>
    /// What high surface stands over the vertices and edges of the low side: there a shell bends, so that high triangles can cut it between their vertices.
    /// </summary>
    public static IReadOnlyList<ShellPlace> FromEdges(ShellBase shell, Bvh high, ShellPlace[] places, int threads, CancellationToken cancel)
    {
        float tallest = 0, deepest = 0;
        foreach (var place in places)
        {
            if (place.Triangle < 0)
                continue;
            tallest = MathF.Max(tallest, place.Height);
            deepest = MathF.Min(deepest, place.Height);
        }
        var found = new ShellPlace[shell.TriangleCount * 3 * EdgeSamples];
        Parallel.For(0, shell.TriangleCount, new ParallelOptions { MaxDegreeOfParallelism = threads, CancellationToken = cancel }, t =>
        {
            for (int edge = 0; edge < 3; edge++)
            {
                for (int k = 0; k < EdgeSamples; k++)
                {
                    float along = k / (float)EdgeSamples;
                    var (u, v) = edge switch { 0 => (along, 0f), 1 => (1 - along, along), _ => (0f, 1 - along) };
                    float w = 1 - u - v;
                    int c = 3 * t;
                    var p = w * shell.Positions[c] + u * shell.Positions[c + 1] + v * shell.Positions[c + 2];
                    var d = w * shell.Directions[c] + u * shell.Directions[c + 1] + v * shell.Directions[c + 2];
                    // From the outermost that belongs to this side inwards; heights count in lengths of the blend, as offsets do.
                    var ray = new Ray(p + d * (tallest * 1.001f), -d, 0, tallest * 1.001f - deepest * 1.001f + 1e-6f);
                    found[(3 * t + edge) * EdgeSamples + k] = high.ClosestFacing(ray, out var hit, out _)
                        ? new ShellPlace(t, u, v, tallest * 1.001f - hit.Distance)
                        : new ShellPlace(-1, 0, 0, 0);
                }
            }
        });
        return found;
    }

    /// <summary>How far below the surface rays from a shell meet the high side, at places spread over each triangle.</summary>
    /// <param name="shell">Low side with its directions.</param>
    /// <param name="starts">Where its rays start.</param>
    /// <param name="high">High side.</param>
    /// <param name="limitMetres">How far below the surface to look, metres.</param>
    /// <param name="threads">Threads to use, at least 1; the result does not depend on it.</param>
    /// <param name="cancel">Ends the work early.</param>
    public static IReadOnlyList<ShellPlace> Depths(ShellBase shell, RayStarts starts, Bvh high, float limitMetres, int threads, CancellationToken cancel)
    {
        int across = (int)Math.Clamp(Math.Sqrt(2.0 * DepthSamples / Math.Max(1, shell.TriangleCount)), LeastAcross, MostAcross),
            each = (across + 1) * (across + 2) / 2;
        var found = new ShellPlace[shell.TriangleCount * each];
        Parallel.For(0, shell.TriangleCount, new ParallelOptions { MaxDegreeOfParallelism = threads, CancellationToken = cancel }, t =>
        {
            int c = 3 * t, at = t * each;
            Vector3 a = starts.Moves[c], b = starts.Moves[c + 1], d = starts.Moves[c + 2];
            for (int i = 0; i <= across; i++)
            {
                for (int j = 0; j <= across - i; j++)
                {
                    float u = i / (float)across, v = j / (float)across, w = 1 - u - v;
                    var p = w * shell.Positions[c] + u * shell.Positions[c + 1] + v * shell.Positions[c + 2];
                    var move = w * a + u * b + v * d;
                    float reach = move.Length();
                    var direction = reach > 1e-7f ? move / reach
                        : Vector3.Normalize(w * shell.Directions[c] + u * shell.Directions[c + 1] + v * shell.Directions[c + 2]);
                    reach = starts.ReachMetres ?? reach;
                    found[at++] = high.ClosestFacing(new Ray(p + direction * reach, -direction, 0, reach + limitMetres), out var hit, out _)
                        ? new ShellPlace(t, u, v, hit.Distance - reach)
                        : new ShellPlace(-1, 0, 0, 0);
                }
            }
        });
        return found;
    }
}
