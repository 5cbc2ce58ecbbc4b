using Crumpet.Core.Imaging;

namespace Crumpet.Core.Bake;

/// <summary>Bakes maps from the high side onto a sheet of the low side by casting rays, all in memory.</summary>
public static class Baker
{
    /// <summary>Bakes the maps of one sheet. The result does not depend on <paramref name="threads"/>.</summary>
    /// <param name="input">Parts and trays; every low object has UVs.</param>
    /// <param name="settings">Settings without a <see cref="BakeSettings.Problem"/>.</param>
    /// <param name="threads">Threads to use, at least 1.</param>
    /// <param name="progress">Told after every row of a tile.</param>
    /// <param name="cancel">Ends the bake within the time of a tile's row.</param>
    /// <exception cref="ArgumentException">The settings cannot be used.</exception>
    public static BakeResult Bake(BakeInput input, BakeSettings settings, int threads, IProgress<Progress>? progress, CancellationToken cancel)
    {
        if (settings.Problem() is { } problem)
            throw new ArgumentException(problem, nameof(settings));
        int size = settings.SizeOf(input.Sheet);
        input = input with { Parts = [.. input.Parts.Select(p => p.Fitted(settings, threads, cancel))] };
        BakeMap[] maps = BakeMap.Table.Sorted(settings.Maps);
        var views = new PartViews(Views(input, settings));
        bool asksLight = maps.Any(m => m.Asks(MapNeeds.Light));
        var stacked = StackedTriangles.Find([.. input.Parts.Select(p => p.Low)], input.Material);
        var requests = Enumerable.Range(0, input.Parts.Count)
            .Where(p => LowSurface.Chosen(input.Parts[p].Low, input.Material).Any(c => !stacked[p].Contains(c.Number)))
            .Select(p => new PieceRequest(p, input.Material, stacked[p], size, maps, High(views.Seen(p)), asksLight ? High(views.Occluders(p)) : [])).ToArray();
        var pieces = new SheetPiece[requests.Length];
        PieceBaker.Bake(
            input, settings, requests, threads, progress is null ? null : new Casting(progress),
            (i, cover, made) => pieces[i] = new SheetPiece(input.Parts[requests[i].Part].Name, cover, made.ToDictionary(m => m.Map)), cancel);
        return Compose(input, settings, maps, pieces, size, threads, progress, cancel);

        HighObject[] High(IReadOnlyList<(int Part, int Number)> objects) =>
            [.. objects.Select(o => new HighObject(o.Part, o.Number, input.Parts[o.Part].High[o.Number]))];
    }

    private static ViewPart[] Views(BakeInput input, BakeSettings settings)
    {
        var trayOf = new int[input.Parts.Count];
        for (int tray = 0; tray < input.Trays.Count; tray++)
        {
            foreach (int part in input.Trays[tray].Parts)
                trayOf[part] = tray;
        }
        return [.. input.Parts.Select((p, i) => PieceBaker.ViewOf(p,
            settings) with { High = [.. p.High.Select(m => m.Bounds())], Tray = trayOf[i], Sees = p.Sees ?? settings.Occluders })];
    }

    private static BakeResult Compose(
        BakeInput input, BakeSettings settings, BakeMap[] maps, SheetPiece[] pieces, int size, int threads, IProgress<Progress>? progress,
            CancellationToken cancel)
    {
        // Maps of one kind of rays share them.
        long rays = pieces.Sum(p => p.Cover.Rays + p.Maps.Values.GroupBy(m => m.Map.RayKind).Sum(g => g.Max(m => m.Rays)));
        settings = MapScales.Fitted(settings, m => MapSpread.Sum(pieces.Select(p => p.Maps.GetValueOrDefault(m)?.Spread)));
        var composer = new SheetComposer(pieces, settings, size, threads, cancel);
        var regions = FaultRegions.Sorted(pieces.SelectMany(p => p.Cover.Regions).Concat(composer.Cover()));
        int[]? sources = settings.PaddingPixels == 0 ? null : SheetPadding.Sources(composer.Covered, size, settings.PaddingBaked, threads, cancel);
        var bitmaps = new Dictionary<BakeMap, Bitmap>();
        var scales = new List<MapScale>();
        IReadOnlyList<LegendRow> legend = [];
        foreach (var map in maps)
        {
            int before = bitmaps.Count;
            string doing = $"putting together {map.Label}";
            void Composed(double share) => progress?.Report(new Progress(0.92 + 0.08 * (before + share) / maps.Length, doing));
            var sheet = composer.Compose(map, input.Bounds, input.Green, Composed, out var rows);
            if (sources is not null)
                sheet.Pad(sources, threads, cancel);
            bitmaps.Add(map, sheet.Bitmap);
            if (sheet.Scale is { } scale)
                scales.Add(scale);
            legend = map.Values == MapValues.Label ? rows : legend;
        }
        return new BakeResult(bitmaps, regions, composer.Covered.Count(c => c), rays) { Scales = scales, Legend = legend, Faulty = composer.Faulty };
    }

    /// <summary>The share of a bake that casting takes.</summary>
    private sealed class Casting(IProgress<Progress> to) : IProgress<Progress>
    {
        public void Report(Progress value) => to.Report(value with { Fraction = 0.92 * value.Fraction });
    }
}
