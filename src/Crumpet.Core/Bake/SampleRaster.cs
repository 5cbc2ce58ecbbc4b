using System.Numerics;

namespace Crumpet.Core.Bake;

/// <summary>Finds for every sample of a tile of the sheet the low triangle it lies in.</summary>
/// <remarks>
/// Edge functions in double precision, evaluated in one order for both triangles at an edge, with a rule for samples
/// exactly on it, so that a sample on a shared edge belongs to exactly one of the two.
/// Source: J. Pineda, "A parallel algorithm for polygon rasterization", 1988.
/// </remarks>
internal sealed class SampleRaster
{
    public const int TileSide = 32;

    private readonly Vector2[] texels;
    private readonly int samples;
    private readonly double[] places;
    private readonly double overhang;
    private readonly int tilesAcross;
    private readonly int[] starts;
    private readonly int[] triangles;

    /// <summary>Sorts triangles into tiles.</summary>
    /// <param name="texels">Corners, pixels from the sheet's top left.</param>
    /// <param name="size">Side of the sheet, pixels.</param>
    /// <param name="samples">Side of the grid of samples in a texel.</param>
    /// <param name="filter">How samples are spread; each has the same weight.</param>
    public SampleRaster(Vector2[] texels, int size, int samples, SampleFilter filter)
    {
        this.texels = texels;
        this.samples = samples;
        places = [.. Enumerable.Range(0, samples).Select(i => Place((i + 0.5) / samples, filter))];
        overhang = Math.Max(0, places[^1] - 1);
        tilesAcross = (size + TileSide - 1) / TileSide;
        starts = new int[tilesAcross * tilesAcross + 1];
        ForEachTile((tile, _) => starts[tile + 1]++);
        for (int i = 0; i < starts.Length - 1; i++)
            starts[i + 1] += starts[i];
        triangles = new int[starts[^1]];
        var next = starts.AsSpan(0, starts.Length - 1).ToArray();
        ForEachTile((tile, triangle) => triangles[next[tile]++] = triangle);
    }

    public int TileCount => tilesAcross * tilesAcross;

    /// <summary>Top left texel of a tile.</summary>
    public (int X, int Y) Corner(int tile) => (tile % tilesAcross * TileSide, tile / tilesAcross * TileSide);

    /// <summary>Whether no triangle comes near the tile.</summary>
    public bool IsEmpty(int tile) => starts[tile] == starts[tile + 1];

    /// <summary>Fills, for each of the tile's texels and each of its samples, the triangle (or -1), and whether a second one covers it too.</summary>
    public void Fill(int tile, int[] owner, bool[] overlapped)
    {
        Array.Fill(owner, -1);
        Array.Clear(overlapped);
        var (left, top) = Corner(tile);
        for (int i = starts[tile]; i < starts[tile + 1]; i++)
            FillTriangle(triangles[i], left, top, owner, overlapped);
    }

    /// <summary>Weights of the three corners at a point of the sheet.</summary>
    public Vector3 Weights(int triangle, double x, double y)
    {
        Vector2 a = texels[3 * triangle], b = texels[3 * triangle + 1], c = texels[3 * triangle + 2];
        double wa = Edge(b, c, x, y), wb = Edge(c, a, x, y), wc = Edge(a, b, x, y), sum = wa + wb + wc;
        return new Vector3((float)(wa / sum), (float)(wb / sum), (float)(wc / sum));
    }

    /// <summary>Place of a sample, in texels from the sheet's corner.</summary>
    public (double X, double Y) Place(int x, int y, int sample) =>
        (x + places[sample % samples], y + places[sample / samples]);

    /// <summary>Samples of a texel, the one nearest its middle first.</summary>
    public int[] FromMiddle() => [.. Enumerable.Range(0, samples * samples).OrderBy(s => FromMiddle(s % samples) + FromMiddle(s / samples)).ThenBy(s => s)];

    private double FromMiddle(int place) => (places[place] - 0.5) * (places[place] - 0.5);

    // Where a tent two texels wide, or a box one texel wide, has this share of its area to the left, from the texel's left edge.
    private static double Place(double share, SampleFilter filter) => filter == SampleFilter.Box ? share
        : share < 0.5 ? Math.Sqrt(2 * share) - 0.5 : 1.5 - Math.Sqrt(2 * (1 - share));

    private void FillTriangle(int triangle, int left, int top, int[] owner, bool[] overlapped)
    {
        Vector2 a = texels[3 * triangle], b = texels[3 * triangle + 1], c = texels[3 * triangle + 2];
        if (Edge(a, b, c.X, c.Y) < 0)
            (b, c) = (c, b);
        int x0 = Math.Max(left, (int)Math.Floor(MathF.Min(a.X, MathF.Min(b.X, c.X)) - overhang));
        int x1 = Math.Min(left + TileSide - 1, (int)Math.Floor(MathF.Max(a.X, MathF.Max(b.X, c.X)) + overhang));
        int y0 = Math.Max(top, (int)Math.Floor(MathF.Min(a.Y, MathF.Min(b.Y, c.Y)) - overhang));
        int y1 = Math.Min(top + TileSide - 1, (int)Math.Floor(MathF.Max(a.Y, MathF.Max(b.Y, c.Y)) + overhang));
        int perTexel = samples * samples;
        for (int y = y0; y <= y1; y++)
        {
            for (int x = x0; x <= x1; x++)
            {
                int slot = ((y - top) * TileSide + x - left) * perTexel;
                for (int s = 0; s < perTexel; s++)
                {
                    var (px, py) = Place(x, y, s);
                    if (!Inside(a, b, px, py) || !Inside(b, c, px, py) || !Inside(c, a, px, py))
                        continue;
                    if (owner[slot + s] < 0)
                        owner[slot + s] = triangle;
                    else
                        overlapped[slot + s] |= !Coincide(owner[slot + s], triangle);
                }
            }
        }
    }

    /// <summary>Whether two triangles lie exactly on each other, as stacked and mirrored islands do on purpose.</summary>
    private bool Coincide(int one, int two)
    {
        for (int i = 0; i < 3; i++)
        {
            var p = texels[3 * one + i];
            if (p != texels[3 * two] && p != texels[3 * two + 1] && p != texels[3 * two + 2])
                return false;
        }
        return true;
    }

    private static bool Inside(Vector2 from, Vector2 to, double x, double y)
    {
        double edge = Edge(from, to, x, y);
        return edge > 0 || (edge == 0 && (to.Y > from.Y || (to.Y == from.Y && to.X > from.X)));
    }

    private static double Edge(Vector2 from, Vector2 to, double x, double y)
    {
        if (from.X < to.X || (from.X == to.X && from.Y <= to.Y))
            return Cross(from, to, x, y);
        return -Cross(to, from, x, y);
    }

    private static double Cross(Vector2 a, Vector2 b, double x, double y) =>
        ((double)b.X - a.X) * (y - a.Y) - ((double)b.Y - a.Y) * (x - a.X);

    private void ForEachTile(Action<int, int> visit)
    {
        for (int triangle = 0; triangle < texels.Length / 3; triangle++)
        {
            Vector2 a = texels[3 * triangle], b = texels[3 * triangle + 1], c = texels[3 * triangle + 2];
            if (Edge(a, b, c.X, c.Y) == 0)
                continue;
            var hang = new Vector2((float)overhang);
            Vector2 min = (Vector2.Min(a, Vector2.Min(b, c)) - hang) / TileSide, max = (Vector2.Max(a, Vector2.Max(b, c)) + hang) / TileSide;
            int x1 = (int)MathF.Min(MathF.Floor(max.X), tilesAcross - 1), y1 = (int)MathF.Min(MathF.Floor(max.Y), tilesAcross - 1);
            for (int y = (int)MathF.Max(MathF.Floor(min.Y), 0); y <= y1; y++)
                for (int x = (int)MathF.Max(MathF.Floor(min.X), 0); x <= x1; x++)
                    visit(y * tilesAcross + x, triangle);
        }
    }
}
