using System.Numerics;
using Crumpet.Core.Geometry;
using Crumpet.Core.Tracing;

namespace Crumpet.Core.Pairs;

/// <summary>A shell fitted around the high side.</summary>
/// <param name="Outward">Offset of each vertex along its directions, metres, margin included.</param>
/// <param name="Inward">How far each vertex's rays go on below the surface, metres, margin included.</param>
/// <param name="Uncovered">High vertices that lie over no low triangle, so that no ray can see them.</param>
internal sealed record FittedShell(float[] Outward, float[] Inward, int Uncovered);

/// <summary>Fits the least shell that holds the high side.</summary>
internal static class CageFit
{
    // Smoothing may lift the mean offset by this share.
    private const float SmoothingRoom = 0.1f;
    private const int SmoothingRounds = 12;
    private const int ExactRounds = 12;
    private const int CellsAcross = 10;
    private const float Deeper = 1.25f;

    /// <summary>How far apart points of the high side may be, metres.</summary>
    public static float Spacing(ShellBase shell) => MeanEdge(shell) / 4;

    /// <summary>Fits.</summary>
    /// <param name="shell">Low side with its directions.</param>
    /// <param name="high">High side.</param>
    /// <param name="bvh">The same for rays.</param>
    /// <param name="points">Points of the high side, its vertices first, no farther apart than <see cref="Spacing"/>.</param>
    /// <param name="places">Where they lie over the low side.</param>
    /// <param name="marginMetres">How much farther out and in the shell goes, metres.</param>
    /// <param name="limitMetres">How far from the low surface high surface still counts, metres.</param>
    /// <param name="threads">Threads to use, at least 1; the result does not depend on it.</param>
    /// <param name="cancel">Ends the work early.</param>
    public static FittedShell Fit(ShellBase shell, SurfaceTree high, Bvh bvh, Vector3[] points, ShellPlace[] places, float marginMetres, float limitMetres,
        int threads, CancellationToken cancel)
    {
        int vertices = high.Positions.Length;
        int uncovered = places.AsSpan(0, vertices).ToArray().Count(p => p.Triangle < 0);
        var over = places.ToList();
        over.AddRange(HighPoints.FromEdges(shell, bvh, places, threads, cancel));
        float[] outward = WithMargin(Offsets(shell, over, points, cancel), marginMetres);
        // What was measured from the low side, and every high vertex that lies below it.
        var depths = HighPoints.Depths(shell, new RayStarts(shell.Moves(outward), null), bvh, limitMetres, threads, cancel)
            .Concat(places.Where(p => p.Triangle >= 0 && p.Height < 0).Select(p => p with { Height = -shell.Metres(p) }));
        float[] inward = new CoverSolver([.. Tallest(shell, depths)], shell.VertexCount).Solve(cancel);
        return new FittedShell(outward, WithMargin(Deepened(shell, inward), marginMetres), uncovered);
    }

    /// <summary>What must be reached; of each small cell of a triangle the tallest, as only that can matter but for what cells leave open.</summary>
    private static IEnumerable<Cover> Tallest(ShellBase shell, IEnumerable<ShellPlace> places)
    {
        var tallest = new Dictionary<(int Triangle, int Cell), Cover>();
        foreach (var place in places)
        {
            if (place.Triangle < 0 || place.Height <= 0)
                continue;
            var key = (place.Triangle, Cell: (int)(place.U * CellsAcross) * (CellsAcross + 1) + (int)(place.V * CellsAcross));
            var cover = CoverOf(shell, place, place.Height);
            if (!tallest.TryGetValue(key, out var known) || cover.Height > known.Height)
                tallest[key] = cover;
        }
        return tallest.OrderBy(t => t.Key).Select(t => t.Value);
    }

    /// <summary>
    /// Ends as deep as the deepest around them, and a little more: between the places that were measured there are deeper ones, and a ray
    /// that could go on takes the first surface all the same.
    /// </summary>
    private static float[] Deepened(ShellBase shell, float[] inward)
    {
        float[] around = [.. inward];
        for (int c = 0; c < shell.Vertices.Length; c++)
        {
            int first = c - c % 3;
            for (int k = first; k < first + 3; k++)
                around[shell.Vertices[c]] = MathF.Max(around[shell.Vertices[c]], inward[shell.Vertices[k]] * Deeper);
        }
        return around;
    }

    private static float[] WithMargin(float[] offsets, float margin) => Array.ConvertAll(offsets, o => o + margin);

    private static float MeanEdge(ShellBase shell)
    {
        double sum = 0;
        for (int c = 0; c < shell.Positions.Length; c++)
            sum += Vector3.Distance(shell.Positions[c], shell.Positions[c % 3 == 2 ? c - 2 : c + 1]);
        return shell.Positions.Length == 0 ? 0 : (float)(sum / shell.Positions.Length);
    }

    /// <summary>Offsets that hold all places, without margin.</summary>
    private static float[] Offsets(ShellBase shell, List<ShellPlace> places, Vector3[] points, CancellationToken cancel)
    {
        var covers = Tallest(shell, places).ToList();
        float[] offsets = [];
        for (int round = 0; round < ExactRounds; round++)
        {
            var solver = new CoverSolver([.. covers], shell.VertexCount);
            offsets = solver.Solve(cancel);
            float[] least = [.. offsets];
            Smooth(shell, solver, offsets);
            // Evening out must not fold the shell where the least one is not folded.
            if (Folds(shell, offsets, cancel) > Folds(shell, least, cancel))
                offsets = least;
            int before = covers.Count;
            AddMissing(shell, places, points, offsets, covers);
            if (covers.Count == before)
                break;
        }
        return offsets;
    }

    /// <summary>Asks for more wherever a point still lies outside the shell as it really is: blends of moved corners, not blends of offsets.</summary>
    private static void AddMissing(ShellBase shell, List<ShellPlace> places, Vector3[] points, float[] offsets, List<Cover> covers)
    {
        Span<Vector3> moves = stackalloc Vector3[3];
        for (int i = 0; i < places.Count; i++)
        {
            var place = places[i];
            if (place.Triangle < 0 || place.Height <= 0)
                continue;
            var cover = CoverOf(shell, place, place.Height);
            float reached = cover.Reached(offsets);
            float wanted = cover.Height;
            // Far inside by the blend of offsets is inside in truth.
            if (i < points.Length && reached < 1.3f * cover.Height)
            {
                for (int k = 0; k < 3; k++)
                    moves[k] = shell.Directions[3 * place.Triangle + k] * offsets[shell.Vertices[3 * place.Triangle + k]];
                if (ShellMap.Solve(points[i], shell.Positions.AsSpan(3 * place.Triangle, 3), moves, out double u, out double v, out double share))
                {
                    if (share <= 0.99999)
                        continue;
                    // The blend at the place where the point really is, and a little more than it has.
                    cover = CoverOf(shell, new ShellPlace(place.Triangle, (float)u, (float)v, 0), 0);
                    wanted = cover.Reached(offsets) * (float)share * 1.0005f;
                    covers.Add(cover with { Height = wanted });
                    continue;
                }
            }
            if (reached < wanted * 0.99999f)
                covers.Add(cover with { Height = wanted * 1.0001f });
        }
    }

    private static Cover CoverOf(ShellBase shell, ShellPlace place, float height)
    {
        int c = 3 * place.Triangle;
        return new Cover(shell.Vertices[c], shell.Vertices[c + 1], shell.Vertices[c + 2], MathF.Max(0, 1 - place.U - place.V), place.U, place.V, height);
    }

    /// <summary>Evens out neighbours, never below what is needed and only while the mean offset hardly grows.</summary>
    private static void Smooth(ShellBase shell, CoverSolver solver, float[] offsets)
    {
        var neighbours = Neighbours(shell);
        double room = offsets.Sum(o => (double)o) * (1 + SmoothingRoom);
        for (int round = 0; round < SmoothingRounds; round++)
        {
            float[] before = [.. offsets];
            for (int v = 0; v < offsets.Length; v++)
            {
                if (neighbours[v].Length == 0)
                    continue;
                float mean = neighbours[v].Average(n => offsets[n]);
                offsets[v] = MathF.Max(solver.Needed(v, offsets) * 1.00001f, offsets[v] + 0.25f * (mean - offsets[v]));
            }
            if (offsets.Sum(o => (double)o) > room)
            {
                before.CopyTo(offsets, 0);
                return;
            }
        }
    }

    private static int Folds(ShellBase shell, float[] offsets, CancellationToken cancel) =>
        CageCheck.Crossings(shell, [.. shell.Positions.Select((p, c) => p + shell.Directions[c] * offsets[shell.Vertices[c]])], cancel).Count;

    private static int[][] Neighbours(ShellBase shell)
    {
        var sets = new SortedSet<int>[shell.VertexCount];
        for (int v = 0; v < sets.Length; v++)
            sets[v] = [];
        for (int c = 0; c < shell.Vertices.Length; c++)
        {
            int a = shell.Vertices[c], b = shell.Vertices[c % 3 == 2 ? c - 2 : c + 1];
            if (a != b)
            {
                sets[a].Add(b);
                sets[b].Add(a);
            }
        }
        return [.. sets.Select(s => s.ToArray())];
    }
}
