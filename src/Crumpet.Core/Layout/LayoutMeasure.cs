using Crumpet.Core.Geometry;

namespace Crumpet.Core.Layout;

/// <summary>Measures islands where they lie.</summary>
internal static class LayoutMeasure
{
    /// <summary>A side of the raster on which overlaps and room are counted, at most.</summary>
    private const int MostRaster = 2048;

    /// <summary>A triangle turned over by less than this share of the tile is flat within rounding.</summary>
    private const double Rounding = 1e-9;
    private const double Outside = 1e-4;

    /// <summary>What the islands measure.</summary>
    /// <param name="islands">Islands on their tiles.</param>
    /// <param name="sheetMaterials">Material of each sheet, or null.</param>
    /// <param name="weights">Density wanted of each part against the others.</param>
    /// <param name="size">Side of the sheets, pixels.</param>
    /// <param name="paddingPixels">Padding half of which counts as used.</param>
    /// <param name="seamMetres">Length of all seams.</param>
    /// <param name="cancel">Ends the work early.</param>
    /// <returns>The report, and for each island which of its triangles share texels with others that they are not stacked on.</returns>
    public static (LayoutReport Report, HashSet<int>[] Overlapping) Of(
        IReadOnlyList<UvIsland> islands, IReadOnlyList<int?> sheetMaterials, double[] weights, int size, int paddingPixels, double seamMetres,
            CancellationToken cancel)
    {
        int raster = Math.Min(size, MostRaster);
        PackShape[] shapes = [.. islands.Select(i => (i.Flat with { Uv = i.Tile }).Shape())];
        double[] densities = [.. islands.Select(i => i.MeanScale(i.Tile) * size)];
        double[] areas = [.. islands.Select(i => i.Flat.Chart.Area)];
        HashSet<int>[] overlapping = [.. islands.Select(_ => new HashSet<int>())];
        int[] stackedOn = [.. islands.Select(i => i.StackedOn)];
        int pairs = 0, overlapTexels = 0;
        double padding = PaddingMeasure.Farthest, room = 0, covered = 0;
        var sheets = new List<SheetLayoutReport>();
        for (int sheet = 0; sheet < sheetMaterials.Count; sheet++)
        {
            int[] here = [.. Enumerable.Range(0, islands.Count).Where(i => islands[i].Sheet == sheet && stackedOn[i] < 0)];
            PackShape[] own = [.. here.Select(i => shapes[i])];
            foreach (var (pair, overlap) in CoverageRaster.Overlaps(own, raster, cancel).OrderBy(p => p.Key.One).ThenBy(p => p.Key.Two))
            {
                if (pair.One != pair.Two && LieOnEachOther(own[pair.One], own[pair.Two]))
                {
                    stackedOn[here[pair.Two]] = here[pair.One];
                    continue;
                }
                if (pair.One != pair.Two)
                    (pairs, padding) = (pairs + 1, 0);
                overlapTexels += overlap.Texels;
                overlapping[here[pair.One]].UnionWith(overlap.OfOne);
                overlapping[here[pair.Two]].UnionWith(overlap.OfTwo);
            }
            PackShape[] alone = [.. here.Where(i => stackedOn[i] < 0).Select(i => shapes[i])];
            padding = Math.Min(padding, PaddingMeasure.Least(alone, size, cancel));
            var report = new SheetLayoutReport(
                sheetMaterials[sheet], islands.Count(i => i.Sheet == sheet),
                CoverageRaster.RoomUsed(alone, raster, paddingPixels / 2.0 * raster / size, cancel), alone.Sum(s => s.Area));
            sheets.Add(report);
            room += report.RoomUsed / sheetMaterials.Count;
            covered += report.Covered / sheetMaterials.Count;
        }
        var (angle, area) = Stretches(islands);
        double median = Median(densities, areas, 0.5);
        double even = Median([.. densities.Select((d, i) => d / weights[islands[i].Part])], areas, 0.5);
        var whole = new LayoutReport
        {
            Size = size,
            Sheets = sheets,
            Islands = islands.Count,
            Triangles = islands.Sum(i => i.Flat.Chart.TriangleCount),
            RoomUsed = room,
            Covered = covered,
            MedianDensity = median,
            LeastDensity = densities.DefaultIfEmpty().Min(),
            GreatestDensity = densities.DefaultIfEmpty().Max(),
            DensitySpread = even > 0 ? densities.Select((d, i) => Math.Abs(d / weights[islands[i].Part] / even - 1)).Max() : 0,
            AngleStretch = angle,
            AreaStretch = area,
            OverlappingPairs = pairs,
            OverlapTexels = overlapTexels,
            StackedIslands = stackedOn.Count(s => s >= 0),
            FlippedTriangles = islands.Sum(Flipped),
            OutsideTriangles = islands.Where(i => i.StackedOn < 0).Sum(OutOfTile),
            SeamMetres = seamMetres,
            PaddingPixels = padding,
            Each = [.. islands.Select((island, i) => new IslandReport(
                island.Object, island.Sheet, island.Flat.Chart.TriangleCount, densities[i], shapes[i].Area, island.Flat.Stretch.Most, island.IsLocked,
                    stackedOn[i], SpotOn(island.Flat.Chart)))],
        };
        return (whole, overlapping);
    }

    /// <summary>The value half of all weight stays under, or another share.</summary>
    private static double Median(double[] values, double[] weights, double share)
    {
        var (order, by) = ((double[])values.Clone(), (double[])weights.Clone());
        Array.Sort(order, by);
        double total = by.Sum(), seen = 0;
        for (int i = 0; i < order.Length; i++)
        {
            seen += by[i];
            if (seen >= share * total)
                return order[i];
        }
        return 0;
    }

    /// <summary>Angle and area stretch of every triangle of every island.</summary>
    public static (Spread Angle, Spread Area) Stretches(IReadOnlyList<UvIsland> islands)
    {
        int count = islands.Sum(i => i.Flat.Chart.TriangleCount), at = 0;
        double[] angles = new double[count], areas = new double[count], weights = new double[count];
        foreach (var island in islands)
        {
            var chart = island.Flat.Chart;
            double flat = 0;
            for (int t = 0; t < chart.TriangleCount; t++)
            {
                var f = SymmetricDirichlet.Gradient(chart, island.Tile, t);
                flat += chart.Rest[t].Area * Math.Abs(f.A * f.D - f.B * f.C);
            }
            for (int t = 0; t < chart.TriangleCount; t++, at++)
            {
                var (s1, s2) = StretchMeasure.SingularValues(SymmetricDirichlet.Gradient(chart, island.Tile, t));
                double turned = Math.Max(Math.Abs(s2), StretchMeasure.LeastShare * s1);
                double size = Math.Max(s1 * turned * chart.Area / Math.Max(flat, 1e-30), 1e-12);
                (angles[at], areas[at], weights[at]) = (StretchMeasure.Angle((s1, s2)), StretchMeasure.Bounded(Math.Max(size, 1 / size)),
                    chart.Rest[t].Area);
            }
        }
        return (Spread.Of(angles, weights), Spread.Of(areas, weights));
    }

    private static int Flipped(UvIsland island)
    {
        int count = 0;
        for (int t = 0; t < island.Flat.Chart.TriangleCount; t++)
            count += SignedArea(island, t) < -Rounding ? 1 : 0;
        return count;
    }

    private static double SignedArea(UvIsland island, int triangle)
    {
        int[] corners = island.Flat.Chart.Corners;
        int a = 2 * corners[3 * triangle], b = 2 * corners[3 * triangle + 1], c = 2 * corners[3 * triangle + 2];
        double[] uv = island.Tile;
        return ((uv[b] - uv[a]) * (uv[c + 1] - uv[a + 1]) - (uv[b + 1] - uv[a + 1]) * (uv[c] - uv[a])) / 2;
    }

    private static int OutOfTile(UvIsland island)
    {
        int[] corners = island.Flat.Chart.Corners;
        return Enumerable.Range(0, island.Flat.Chart.TriangleCount).Count(t => IsOut(corners[3 * t]) || IsOut(corners[3 * t + 1]) || IsOut(corners[3 * t + 2]));

        bool IsOut(int vertex) => IsBeyond(island.Tile[2 * vertex]) || IsBeyond(island.Tile[2 * vertex + 1]);

        static bool IsBeyond(double at) => at is < -Outside or > 1 + Outside;
    }

    /// <summary>Whether two islands have the same outline in the same place.</summary>
    private static bool LieOnEachOther(PackShape one, PackShape two)
    {
        const double near = 1e-4;
        if (one.Points.Length != two.Points.Length || Math.Abs(one.Area - two.Area) > near * one.Area)
            return false;
        for (int axis = 0; axis < 2; axis++)
        {
            var (a, b) = (Extent(one.Points, axis), Extent(two.Points, axis));
            if (Math.Abs(a.Least - b.Least) > near || Math.Abs(a.Most - b.Most) > near)
                return false;
        }
        return true;
    }

    private static (double Least, double Most) Extent(double[] points, int axis)
    {
        var (least, most) = (double.PositiveInfinity, double.NegativeInfinity);
        for (int i = axis; i < points.Length; i += 2)
            (least, most) = (Math.Min(least, points[i]), Math.Max(most, points[i]));
        return (least, most);
    }

    /// <summary>The middle of the island's largest triangle, which names it.</summary>
    private static float[] SpotOn(ChartMesh chart)
    {
        int largest = 0;
        for (int t = 1; t < chart.TriangleCount; t++)
        {
            if (chart.Rest[t].Area > chart.Rest[largest].Area)
                largest = t;
        }
        var at = chart.Centre(largest);
        return [at.X, at.Y, at.Z];
    }
}
