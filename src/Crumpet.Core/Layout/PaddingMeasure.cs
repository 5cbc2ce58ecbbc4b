using Crumpet.Core.Geometry;

namespace Crumpet.Core.Layout;

/// <summary>How near islands come to each other and to the border of the tile.</summary>
internal static class PaddingMeasure
{
    /// <summary>Distances from here on are not told apart, pixels.</summary>
    public const double Farthest = 64;

    /// <summary>
    /// Least distance between the borders of two islands, or twice what is left to the tile's border if that is less; pixels, at most
    /// <see cref="Farthest"/>.
    /// </summary>
    /// <param name="islands">Islands of one sheet, in tiles.</param>
    /// <param name="size">Side of the sheet, pixels.</param>
    /// <param name="cancel">Ends the work early.</param>
    public static double Least(IReadOnlyList<PackShape> islands, int size, CancellationToken cancel)
    {
        var owner = new List<int>();
        var ends = new List<((double X, double Y) A, (double X, double Y) B)>();
        double least = Farthest;
        for (int i = 0; i < islands.Count; i++)
        {
            double[] p = islands[i].Points;
            foreach (int corner in islands[i].Border)
            {
                int a = 2 * corner, b = 2 * Topology.Next(corner);
                owner.Add(i);
                ends.Add(((p[a] * size, p[a + 1] * size), (p[b] * size, p[b + 1] * size)));
                double edge = Math.Min(Math.Min(p[a], 1 - p[a]), Math.Min(p[a + 1], 1 - p[a + 1])) * size;
                least = Math.Min(least, Math.Max(0, 2 * edge));
            }
        }
        if (ends.Count == 0)
            return least;
        var grid = new SegmentGrid(ends.Count, i => ends[i]);
        for (int i = 0; i < ends.Count; i++)
        {
            if ((i & 1023) == 0)
                cancel.ThrowIfCancellationRequested();
            foreach (int j in grid.Near(ends[i].A, ends[i].B, Math.Min(least, Farthest)))
            {
                if (owner[j] != owner[i] && j > i)
                    least = Math.Min(least, Distance(ends[i], ends[j]));
            }
        }
        return least;
    }

    /// <summary>Distance of two segments; none where they cross.</summary>
    private static double Distance(((double X, double Y) A, (double X, double Y) B) one, ((double X, double Y) A, (double X, double Y) B) two) =>
        BorderCrossing.Cross(one.A, one.B, two.A, two.B)
        ? 0
        : Math.Min(Math.Min(ToSegment(one.A, two), ToSegment(one.B, two)), Math.Min(ToSegment(two.A, one), ToSegment(two.B, one)));

    private static double ToSegment((double X, double Y) p, ((double X, double Y) A, (double X, double Y) B) s)
    {
        double dx = s.B.X - s.A.X, dy = s.B.Y - s.A.Y, square = dx * dx + dy * dy;
        double t = square > 0 ? Math.Clamp(((p.X - s.A.X) * dx + (p.Y - s.A.Y) * dy) / square, 0, 1) : 0;
        double ex = p.X - s.A.X - t * dx, ey = p.Y - s.A.Y - t * dy;
        return Math.Sqrt(ex * ex + ey * ey);
    }
}
