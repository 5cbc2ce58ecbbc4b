namespace Crumpet.Core.Layout;

/// <summary>Which islands cover which texels of a sheet, by texel centres, each edge belonging to one side only.</summary>
internal static class CoverageRaster
{
    /// <summary>Texels that are covered by two islands, or twice by one.</summary>
    /// <param name="One">Island met first.</param>
    /// <param name="Two">Island met then.</param>
    public readonly record struct Pair(int One, int Two);

    /// <summary>Texels that two islands share, and the triangles of both that cover them.</summary>
    public sealed class Overlap
    {
        public int Texels { get; set; }

        public HashSet<int> OfOne { get; } = [];

        public HashSet<int> OfTwo { get; } = [];
    }

    /// <summary>Counts texels of the tile that are covered twice, by pair of islands.</summary>
    /// <param name="islands">Islands of one sheet, six numbers a triangle, in tiles.</param>
    /// <param name="size">Side of the raster, texels.</param>
    /// <param name="cancel">Ends the work early.</param>
    public static Dictionary<Pair, Overlap> Overlaps(IReadOnlyList<PackShape> islands, int size, CancellationToken cancel)
    {
        var owner = new (int Island, int Triangle)[size * size];
        var overlaps = new Dictionary<Pair, Overlap>();
        for (int island = 0; island < islands.Count; island++)
        {
            cancel.ThrowIfCancellationRequested();
            double[] p = islands[island].Points;
            for (int t = 0; t < p.Length / 6; t++)
            {
                ForEachTexel(p.AsSpan(6 * t, 6), size, at =>
                {
                    var (one, triangle) = owner[at];
                    if (one == 0)
                    {
                        owner[at] = (island + 1, t);
                        return;
                    }
                    var pair = new Pair(one - 1, island);
                    if (!overlaps.TryGetValue(pair, out var overlap))
                        overlaps.Add(pair, overlap = new Overlap());
                    overlap.Texels++;
                    overlap.OfOne.Add(triangle);
                    overlap.OfTwo.Add(t);
                });
            }
        }
        return overlaps;
    }

    /// <summary>Visits the texels whose centre lies in a triangle.</summary>
    /// <remarks>
    /// Rows between exact crossings, computed from the lower end of each edge so that both triangles at it agree to the bit.
    /// </remarks>
    public static void ForEachTexel(ReadOnlySpan<double> p, int size, Action<int> visit)
    {
        double bottom = Math.Min(p[1], Math.Min(p[3], p[5])) * size, top = Math.Max(p[1], Math.Max(p[3], p[5])) * size;
        int first = (int)Math.Clamp(Math.Ceiling(bottom - 0.5), 0, size), last = (int)Math.Clamp(Math.Ceiling(top - 0.5), 0, size) - 1;
        for (int row = first; row <= last; row++)
        {
            double y = row + 0.5, left = double.PositiveInfinity, right = double.NegativeInfinity;
            for (int e = 0; e < 3; e++)
            {
                int a = 2 * e, b = 2 * ((e + 1) % 3);
                if (p[a + 1] > p[b + 1] || (p[a + 1] == p[b + 1] && p[a] > p[b]))
                    (a, b) = (b, a);
                double ay = p[a + 1] * size, by = p[b + 1] * size;
                if (!(ay <= y && y < by))
                    continue;
                double x = p[a] * size + (p[b] * size - p[a] * size) * ((y - ay) / (by - ay));
                left = Math.Min(left, x);
                right = Math.Max(right, x);
            }
            int from = (int)Math.Clamp(Math.Ceiling(left - 0.5), 0, size), to = (int)Math.Clamp(Math.Ceiling(right - 0.5), 0, size);
            for (int x = from; x < to; x++)
                visit(row * size + x);
        }
    }

    /// <summary>Share of the tile that islands take with room around them.</summary>
    /// <param name="islands">Islands of one sheet, in tiles.</param>
    /// <param name="size">Side of the raster, texels.</param>
    /// <param name="radius">Room around each, texels.</param>
    /// <param name="cancel">Ends the work early.</param>
    public static double RoomUsed(IReadOnlyList<PackShape> islands, int size, double radius, CancellationToken cancel)
    {
        var isTaken = new bool[size * size];
        foreach (var island in islands)
        {
            cancel.ThrowIfCancellationRequested();
            Fill(island, size, radius, isTaken);
        }
        return isTaken.Count(t => t) / (double)isTaken.Length;
    }

    /// <summary>Takes the texels whose centre lies in an island or nearer to its border than the radius.</summary>
    private static void Fill(PackShape island, int size, double radius, bool[] isTaken)
    {
        double[] p = island.Points;
        for (int i = 0; i < p.Length; i += 6)
            ForEachTexel(p.AsSpan(i, 6), size, at => isTaken[at] = true);
        foreach (int corner in island.Border)
        {
            int b = 2 * Geometry.Topology.Next(corner);
            double ax = p[2 * corner] * size, ay = p[2 * corner + 1] * size, dx = p[b] * size - ax, dy = p[b + 1] * size - ay, square = dx * dx + dy * dy;
            int y0 = (int)Math.Clamp(Math.Min(ay, ay + dy) - radius, 0, size), y1 = (int)Math.Clamp(Math.Max(ay, ay + dy) + radius, -1, size - 1);
            for (int row = y0; row <= y1; row++)
            {
                // The part of the segment that is near enough to the row bounds which columns matter.
                double y = row + 0.5, from = 0, to = 1;
                if (dy != 0)
                {
                    double t0 = (y - radius - ay) / dy, t1 = (y + radius - ay) / dy;
                    (from, to) = (Math.Clamp(Math.Min(t0, t1), 0, 1), Math.Clamp(Math.Max(t0, t1), 0, 1));
                }
                double left = ax + dx * (dx > 0 ? from : to) - radius, right = ax + dx * (dx > 0 ? to : from) + radius;
                int x0 = (int)Math.Clamp(left, 0, size), x1 = (int)Math.Clamp(right, -1, size - 1);
                for (int x = x0; x <= x1; x++)
                {
                    double px = x + 0.5 - ax, py = y - ay, t = square > 0 ? Math.Clamp((px * dx + py * dy) / square, 0, 1) : 0;
                    double ex = px - t * dx, ey = py - t * dy;
                    if (ex * ex + ey * ey <= radius * radius)
                        isTaken[row * size + x] = true;
                }
            }
        }
    }
}
