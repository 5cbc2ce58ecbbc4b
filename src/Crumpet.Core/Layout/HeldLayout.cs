using System.Numerics;
using Crumpet.Core.Geometry;

namespace Crumpet.Core.Layout;

/// <summary>
/// Leaves what was laid where it lies when little changes: islands that are the same are locked, and the others are fitted in. Where more
/// than a little changes, or the others find no room, all are laid anew.
/// </summary>
internal static class HeldLayout
{
    /// <summary>Most islands that are remembered; with more, all are laid anew.</summary>
    private const int MostIslands = 20_000;

    /// <summary>Share of the surface, of what was laid and of what there is now, that must be the same.</summary>
    private const double LeastSame = 0.8;

    // An island that was not moved, turned and scaled as a whole is not remembered, tiles.
    private const double Tolerance = 1e-4;
    private const double SameArea = 1e-6;

    /// <summary>By how much of its area an island may have been scaled that stays on its texels, so that it is as dense as others within 0.5 %.</summary>
    private const double ScaledArea = 0.0095;

    /// <summary>Locks islands that were laid before and are the same still.</summary>
    /// <param name="input">What is laid out.</param>
    /// <param name="islands">Islands; those that are held are replaced, unless too little is the same.</param>
    /// <param name="scaledStay">Whether islands stay on their texels, too, that differ only by a little of their scale.</param>
    /// <returns>How many are the same and held, and how many differ by a little of their scale.</returns>
    public static (int Held, int Scaled) Hold(LayoutInput input, List<UvIsland> islands, bool scaledStay)
    {
        if (input.Settings.Held.Count == 0)
            return (0, 0);
        var known = new Dictionary<(string, Vector3), LaidIsland>();
        foreach (var held in input.Settings.Held)
            known.TryAdd((held.ObjectName, new Vector3(held.X, held.Y, held.Z)), held);
        var found = new LaidIsland?[islands.Count];
        var pinned = input.Settings.Pins.Select(p => p.ObjectName).ToHashSet(StringComparer.Ordinal);
        bool together = input.Settings.Sheets == SheetRule.Together;
        double same = 0, all = 0;
        for (int i = 0; i < islands.Count; i++)
        {
            var (chart, name) = (islands[i].Flat.Chart, input.Objects[islands[i].Object].Mesh.Name);
            // Pins hold their islands themselves.
            if (pinned.Contains(name))
                continue;
            all += chart.Area;
            if (known.TryGetValue((name, Middle(chart)), out var held) && held.Triangles == chart.TriangleCount
                && Math.Abs(held.Area - chart.Area) <= SameArea * chart.Area && (together || held.Sheet == islands[i].Sheet))
            {
                found[i] = held;
                same += chart.Area;
            }
        }
        if (same < LeastSame * all || same < LeastSame * input.Settings.Held.Where(h => !pinned.Contains(h.ObjectName)).Sum(h => h.Area))
            return (0, 0);
        int count = found.Count(f => f is not null);
        var scaled = Scaled(input, islands, found, pinned);
        foreach (var (i, like) in scaledStay ? scaled : [])
            found[i] = like;
        for (int i = 0; i < islands.Count; i++)
        {
            if (found[i] is not { } held)
                continue;
            Complex turn = new(held.TurnU, held.TurnV), move = new(held.U, held.V);
            var (island, flat) = (islands[i], islands[i].Flat);
            double[] tile = new double[flat.Uv.Length];
            for (int k = 0; k < tile.Length; k += 2)
            {
                var at = turn * new Complex(flat.Uv[k], flat.Uv[k + 1]) + move;
                (tile[k], tile[k + 1]) = (at.Real, at.Imaginary);
            }
            islands[i] = new UvIsland
            {
                Object = island.Object,
                Part = island.Part,
                Flat = flat with { Uv = tile },
                IsKept = false,
                IsLocked = true,
                HeldAs = held,
                Sheet = held.Sheet,
            };
        }
        return (count, scaled.Count);
    }

    /// <summary>
    /// Islands that were not found, but of whose object one was laid that has as many triangles and about the surface, and that is not there now.
    /// </summary>
    private static List<(int Island, LaidIsland As)> Scaled(LayoutInput input, List<UvIsland> islands, LaidIsland?[] found, HashSet<string> pinned)
    {
        var gone = input.Settings.Held.Except(found.OfType<LaidIsland>()).ToLookup(h => (h.ObjectName, h.Triangles));
        var taken = new HashSet<LaidIsland>();
        bool together = input.Settings.Sheets == SheetRule.Together;
        var scaled = new List<(int, LaidIsland)>();
        for (int i = 0; i < islands.Count; i++)
        {
            var (chart, name, sheet) = (islands[i].Flat.Chart, input.Objects[islands[i].Object].Mesh.Name, islands[i].Sheet);
            if (found[i] is not null || islands[i].IsKept || pinned.Contains(name))
                continue;
            var like = gone[(name, chart.TriangleCount)].FirstOrDefault(
                h => !taken.Contains(h) && (together || h.Sheet == sheet) && Math.Abs(h.Area - chart.Area) <= ScaledArea * chart.Area);
            if (like is null)
                continue;
            taken.Add(like);
            var (at, less) = (Middle(chart), Math.Sqrt(like.Area / chart.Area));
            scaled.Add((i, like with { X = at.X, Y = at.Y, Z = at.Z, Area = chart.Area, TurnU = less * like.TurnU, TurnV = less * like.TurnV }));
        }
        return scaled;
    }

    /// <summary>Where islands lie, for the next time; none where there are too many.</summary>
    /// <param name="input">What was laid out.</param>
    /// <param name="islands">Islands on their tiles.</param>
    public static IReadOnlyList<LaidIsland> Places(LayoutInput input, IReadOnlyList<UvIsland> islands)
    {
        if (islands.Count > MostIslands)
            return [];
        var places = islands.Where(i => i.StackedOn < 0).Select(i => (i.Object, Place: i.HeldAs is { } held ? held with { Sheet = i.Sheet, Cuts = null }
            : i.IsLocked ? null : Place(input.Objects[i.Object].Mesh.Name, i))).Where(p => p.Place is not null).ToArray();
        var chartsOf = islands.Where(i => !i.IsKept).ToLookup(i => i.Object, i => i.Flat.Chart);
        var isFirst = places.Select(p => p.Object).ToHashSet();
        return [.. places.Select(p => isFirst.Remove(p.Object) ? p.Place! with { Cuts = CutsOf(input, p.Object, [.. chartsOf[p.Object]]) } : p.Place!)];
    }

    /// <summary>Where an object is cut, where all of it was unwrapped.</summary>
    private static string? CutsOf(LayoutInput input, int number, ChartMesh[] charts)
    {
        var mesh = input.Objects[number].Mesh;
        if (charts.Sum(c => c.TriangleCount) != mesh.TriangleCount)
            return null;
        var topology = Topology.Of(mesh);
        return LaidCuts.Write(new Surface(topology, [], new ChosenIslands(input.Settings, topology).Seams()), charts);
    }

    private static LaidIsland? Place(string name, UvIsland island)
    {
        var (flat, tile) = (island.Flat, island.Tile);
        if (tile.Length != flat.Uv.Length)
            return null;
        int count = tile.Length / 2;
        Complex fromMiddle = Complex.Zero, toMiddle = Complex.Zero, turn = Complex.Zero;
        for (int k = 0; k < tile.Length; k += 2)
        {
            fromMiddle += new Complex(flat.Uv[k], flat.Uv[k + 1]) / count;
            toMiddle += new Complex(tile[k], tile[k + 1]) / count;
        }
        double spread = 0;
        for (int k = 0; k < tile.Length; k += 2)
        {
            var from = new Complex(flat.Uv[k], flat.Uv[k + 1]) - fromMiddle;
            turn += Complex.Conjugate(from) * (new Complex(tile[k], tile[k + 1]) - toMiddle);
            spread += from.Real * from.Real + from.Imaginary * from.Imaginary;
        }
        if (!(spread > 0))
            return null;
        turn /= spread;
        var move = toMiddle - turn * fromMiddle;
        for (int k = 0; k < tile.Length; k += 2)
        {
            if ((turn * new Complex(flat.Uv[k], flat.Uv[k + 1]) + move - new Complex(tile[k], tile[k + 1])).Magnitude > Tolerance)
                return null;
        }
        var at = Middle(flat.Chart);
        return new LaidIsland(name, at.X, at.Y, at.Z, flat.Chart.TriangleCount, flat.Chart.Area,
            turn.Real, turn.Imaginary, move.Real, move.Imaginary, island.Sheet);
    }

    private static Vector3 Middle(ChartMesh chart) =>
        (chart.Positions[chart.Corners[0]] + chart.Positions[chart.Corners[1]] + chart.Positions[chart.Corners[2]]) / 3;
}
