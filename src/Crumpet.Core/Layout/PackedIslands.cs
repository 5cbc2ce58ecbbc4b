namespace Crumpet.Core.Layout;

/// <summary>How islands are packed.</summary>
/// <param name="Size">Side of the sheet, pixels.</param>
/// <param name="PaddingPixels">Least room between islands and to the border.</param>
/// <param name="Rotation">How they may be turned.</param>
/// <param name="Sheets">How many sheets there are.</param>
/// <param name="PixelsPerMetre">Density wanted; null for the greatest that fits.</param>
/// <param name="Slack">How far a part's scale may be from even, as a share.</param>
/// <param name="Weights">Density of each part against the others.</param>
/// <param name="SheetOfPart">Sheet of each part; -1 leaves it to the packer.</param>
internal sealed record PackRequest(int Size, int PaddingPixels, PackRotation Rotation, int Sheets, double? PixelsPerMetre, double Slack, double[] Weights,
    int[] SheetOfPart)
{
    /// <summary>How the same islands were packed before, which is tried first; null where they were not.</summary>
    public PackSearch.Found? Before { get; init; }

    /// <summary>How coarse a draft it is: 0 for the full search, otherwise as <see cref="LayoutSettings.Draft"/>.</summary>
    public int Draft { get; init; }
}

/// <summary>What packing came to.</summary>
/// <param name="PixelsPerMetre">Even density.</param>
/// <param name="Scales">Scale of each part against even.</param>
/// <param name="Even">Where vertices lay at even density, of each island; null where slack changed nothing.</param>
internal sealed record PackOutcome(double PixelsPerMetre, double[] Scales, double[][]? Even)
{
    /// <summary>How they were packed at even density; null where there was nothing to pack.</summary>
    public PackSearch.Found? Found { get; init; }
}

/// <summary>Packs islands onto sheets.</summary>
internal static class PackedIslands
{
    /// <summary>About how many cells a side the raster has; one cell is a power of two of pixels, or a share of one.</summary>
    private const int FineRaster = 4096;

    /// <summary>The same where there are so many islands or sheets that it would take too long.</summary>
    private const int QuickRaster = 2048;

    /// <summary>The same for drafts of many islands, and for any of thousands.</summary>
    private const int DraftRaster = 1024;
    private const int FewIslands = 100;
    private const double MostCellsAPixel = 2;
    private const int ManyIslands = 800;
    private const int ManySheets = 4;
    private const double MostTiles = 4;

    /// <summary>The coarsest sketch has about so many cells a side for each island along it.</summary>
    private const double CellsAnIsland = 16;
    private const int CoarsestShare = 16;

    /// <summary>About how much of the time goes into the search at even density, where there is slack.</summary>
    private const double SearchShare = 0.5;

    /// <summary>On how many cells a side, at most, parts grow and shrink.</summary>
    private const int SlackRaster = 1100;

    /// <summary>Room a sheet is thought to fill when turns are chosen.</summary>
    private const double LikelyRoom = 0.85;

    /// <summary>Sheets of so many pixels a side are searched in full, and smaller ones less, down to this share.</summary>
    private const double WholeSearch = 2048, LeastWorth = 1.0 / 8;

    /// <summary>How much of the full search goes into moving islands apart where it is only tried how well they fill a sheet: all of it for so many.</summary>
    private const double TriedEffort = 0.3, TriedIslands = 8;

    /// <summary>Cells a side of what is tried quickly.</summary>
    private const int SketchSide = 127;

    /// <summary>What a cell of the sketch counts too much, on average, on either side.</summary>
    private const double SketchAllowance = 0.35;

    /// <summary>Places all islands that are not locked or stacked; null where they do not fit, however small.</summary>
    /// <param name="islands">Islands; their <see cref="UvIsland.Tile"/> and <see cref="UvIsland.Sheet"/> are set.</param>
    /// <param name="matches">For each island the one it equals.</param>
    /// <param name="request">How.</param>
    /// <param name="threads">Threads to use; the places do not depend on it.</param>
    /// <param name="report">Told how far it is, 0 to 1.</param>
    /// <param name="cancel">Ends the work early.</param>
    public static PackOutcome? Place(IReadOnlyList<UvIsland> islands, IslandMatch.Match[] matches, PackRequest request, int threads, Action<double>? report,
        CancellationToken cancel)
    {
        int[] free = [.. Enumerable.Range(0, islands.Count).Where(i => !islands[i].IsLocked && islands[i].StackedOn < 0)];
        var scales = Enumerable.Repeat(1.0, request.Weights.Length).ToArray();
        if (free.Length == 0)
            return new PackOutcome(request.PixelsPerMetre ?? 0, scales, null);
        int raster = free.Length > ManyIslands || request.Sheets > ManySheets || request.Draft == LayoutSettings.FirstDraft ? QuickRaster : FineRaster;
        bool isDraft = free.Length > LayoutSettings.ManyIslands ? request.Draft > 0 : free.Length > FewIslands && request.Draft == LayoutSettings.FirstDraft;
        double cells = CellsAPixel(request.Size, isDraft ? DraftRaster : raster);
        int side = (int)Math.Floor((request.Size - request.PaddingPixels) * cells);
        var (shapes, items, classOf) = Classes(islands, matches, free, request);
        double[][] turns = Turns(shapes, request, AreaOf(shapes, items, request), items.Length);
        var problem = Problem(1, 0);
        PackProblem[] sketches = [.. SketchShares(side, items.Length / (double)request.Sheets).Select(s => Problem(s, SketchAllowance))];
        bool slackens = request.Slack > 0 && request.Weights.Length > 1;
        var found = PackSearch.Run(problem, sketches, request.Weights, request.PixelsPerMetre * cells, request.Before, EffortOf(request), threads,
            f => report?.Invoke(f * (slackens ? SearchShare : 1)), cancel);
        if (found is null)
            return null;
        Apply(found.Attempt, found.Scale);
        double[][]? even = null;
        if (slackens)
        {
            var sketch = sketches.Append(problem).Last(s => s.Side <= SlackRaster || s == sketches[0]);
            if (SlackSearch.Run(problem, sketch, found, request.Weights, request.Slack, threads,
                f => report?.Invoke(SearchShare + (1 - SearchShare) * f), cancel) is { } slack)
            {
                even = [.. islands.Select(i => (double[])i.Tile.Clone())];
                scales = slack.Scales;
                Apply(slack.Attempt, found.Scale);
            }
        }
        return new PackOutcome(found.Scale / cells, scales, even) { Found = found with { Plan = PackSearch.Frozen(found.Plan, found.Attempt) } };

        PackProblem Problem(int share, double allowance) => new(
            shapes, turns, items, side / share, Math.Max(0, request.PaddingPixels / 2.0 * cells / share - allowance), request.Sheets,
                Locked(islands, request, cells, share, side / share));

        void Apply(PackAttempt attempt, double scale)
        {
            for (int k = 0; k < free.Length; k++)
            {
                var island = islands[free[k]];
                var place = attempt.Places[k];
                island.Sheet = place.Sheet;
                island.Tile = OnTile(shapes[items[k].Class], classOf[k], place, scale * request.Weights[items[k].Group] * scales[items[k].Group], request,
                    cells, island.Flat.Chart);
            }
        }
    }

    /// <summary>About what share of the sheets islands themselves would cover, found quickly; 0 where they do not fit.</summary>
    /// <param name="islands">Islands; none is moved.</param>
    /// <param name="request">How.</param>
    /// <param name="rounds">Rounds to search for.</param>
    /// <param name="threads">Threads to use; the share does not depend on it.</param>
    /// <param name="cancel">Ends the work early.</param>
    public static double Covered(IReadOnlyList<UvIsland> islands, PackRequest request, int rounds, int threads, CancellationToken cancel)
    {
        int[] all = [.. Enumerable.Range(0, islands.Count)];
        var matches = IslandMatch.Find([.. islands.Select(i => i.Flat.Chart)]);
        double cells = SketchSide / (double)(request.Size - request.PaddingPixels);
        var (shapes, items, _) = Classes(islands, matches, all, request);
        double area = AreaOf(shapes, items, request);
        double[][] turns = Turns(shapes, request, area, Math.Max(items.Length, IslandTurns.FewIslands + 1));
        var problem = new PackProblem(shapes, turns, items, SketchSide, Math.Max(0, request.PaddingPixels / 2.0 * cells - SketchAllowance), request.Sheets, []);
        double side = SketchSide + request.PaddingPixels * cells, effort = TriedEffort * WorthOf(request.Size) * Math.Min(1, TriedIslands / items.Length);
        return PackSearch.Sketch(problem, request.Weights, rounds, effort, threads, cancel) is { } found
            ? area * found.Scale * found.Scale / request.Sheets / (side * side) : 0;
    }

    /// <summary>Area of all islands at the density of one, parts' weights counted.</summary>
    private static double AreaOf(List<PackShape> shapes, PackItem[] items, PackRequest request) =>
        items.Sum(i => shapes[i.Class].Area * request.Weights[i.Group] * request.Weights[i.Group]);

    /// <summary>Turns to try for each shape.</summary>
    private static double[][] Turns(List<PackShape> shapes, PackRequest request, double area, int islands)
    {
        double side = Math.Sqrt(area / request.Sheets / LikelyRoom) / request.Weights.Max();
        return [.. shapes.Select(s => IslandTurns.Of(s, request.Rotation, side, islands))];
    }

    /// <summary>How much of the search is done: less in drafts and on small sheets, where a point of room is worth few texels.</summary>
    private static double EffortOf(PackRequest request) => (request.Draft switch { 0 => 1, 1 => 1.0 / 8, _ => 1.0 / 64 }) * WorthOf(request.Size);

    private static double WorthOf(int size) => Math.Clamp(size / WholeSearch, LeastWorth, 1);

    /// <summary>Cells a pixel for a sheet of some size.</summary>
    private static double CellsAPixel(int size, int raster)
    {
        double cells = 1;
        while (size * cells > 1.5 * raster)
            cells /= 2;
        while (size * cells < 0.75 * raster && cells < MostCellsAPixel)
            cells *= 2;
        return cells;
    }

    /// <summary>How many cells of the sheet's raster one of each sketch has a side: the more islands, the finer the coarsest must be.</summary>
    private static IEnumerable<int> SketchShares(int side, double islandsASheet)
    {
        int share = CoarsestShare;
        while (share > 2 && side / share < CellsAnIsland * Math.Max(2, Math.Sqrt(islandsASheet)))
            share /= 2;
        for (; share >= 2 && side >= share; share /= 2)
            yield return share;
    }

    /// <summary>Shapes in metres at the density of one, one for islands that are the same, and which corners of it are each island's.</summary>
    private static (List<PackShape> Shapes, PackItem[] Items, int[]?[] CornersOf) Classes(IReadOnlyList<UvIsland> islands, IslandMatch.Match[] matches,
        int[] free, PackRequest request)
    {
        var shapes = new List<PackShape>();
        var known = new Dictionary<(int Like, bool IsKept), int>();
        var items = new PackItem[free.Length];
        var corners = new int[]?[free.Length];
        for (int k = 0; k < free.Length; k++)
        {
            var island = islands[free[k]];
            var match = matches[free[k]];
            // A mirror image lies mirrored, and UVs that came need not be equal where surfaces are.
            bool shares = !match.IsMirrored && !island.IsKept && !islands[match.Like].IsKept && !islands[match.Like].IsLocked;
            int like = shares ? match.Like : free[k];
            if (!known.TryGetValue((like, shares), out int shape))
            {
                shape = shapes.Count;
                known.Add((like, shares), shape);
                var model = islands[like];
                double mean = model.MeanScale(model.Flat.Uv);
                shapes.Add(Scaled(model.Flat.Shape(), mean > 0 ? 1 / mean : 1));
            }
            corners[k] = like == free[k] ? null : match.Corners;
            items[k] = new PackItem(shape, island.Part, request.SheetOfPart[island.Part]);
        }
        return (shapes, items, corners);
    }

    private static PackShape Scaled(PackShape shape, double scale) => new(Array.ConvertAll(shape.Points, p => p * scale), shape.Border);

    /// <summary>Where an island's vertices come to lie, in tiles.</summary>
    private static double[] OnTile(PackShape shape, int[]? corners, PackPlace place, double scale, PackRequest request, double cells, ChartMesh chart)
    {
        var mask = place.Mask!;
        var (sin, cos) = Math.SinCos(mask.Turn);
        double origin = request.PaddingPixels / 2.0, unit = 1.0 / request.Size;
        var tile = new double[2 * chart.VertexCount];
        for (int c = 0; c < chart.Corners.Length; c++)
        {
            int from = corners is null ? c : corners[c], v = chart.Corners[c];
            double x = shape.Points[2 * from], y = shape.Points[2 * from + 1];
            tile[2 * v] = ((place.X + mask.OffsetX + scale * (cos * x - sin * y)) / cells + origin) * unit;
            tile[2 * v + 1] = ((place.Y + mask.OffsetY + scale * (sin * x + cos * y)) / cells + origin) * unit;
        }
        return tile;
    }

    /// <summary>Masks of the islands that lie already.</summary>
    private static List<PackPlace> Locked(IReadOnlyList<UvIsland> islands, PackRequest request, double cells, int share, int side)
    {
        var places = new List<PackPlace>();
        double perTile = request.Size * cells / share, radius = request.PaddingPixels / 2.0 * cells / share;
        foreach (var island in islands.Where(i => i.IsLocked))
        {
            var shape = island.Flat.Shape();
            // An island that was locked over many tiles keeps no room on this one: there would be none left.
            if (!(shape.Extent <= MostTiles))
                continue;
            var mask = new ShapeMask(shape, 0, perTile, radius);
            // The raster begins half a padding inside the tile; between cells the mask takes both.
            double x = -mask.OffsetX - radius, y = -mask.OffsetY - radius;
            int left = (int)Math.Floor(x), bottom = (int)Math.Floor(y);
            for (int i = 0; i < 4; i++)
            {
                if (left + (i & 1) < side && bottom + (i >> 1) < side)
                    places.Add(new PackPlace(Math.Min(island.Sheet, request.Sheets - 1), mask, left + (i & 1), bottom + (i >> 1)));
            }
        }
        return places;
    }
}
