using Crumpet.Core.Geometry;
using Crumpet.Core.Imaging;
using Crumpet.Core.Pairing;

namespace Crumpet.Core.Baking;

/// <summary>
/// Bakes maps from the high side onto a sheet of the low side by casting rays. Each part's share of each map is a piece of its own,
/// so that with a <see cref="PieceMemory"/> only what changed is cast again. Keep one for bakes of the same objects, drafts for instance:
/// it keeps their hierarchies. Not for two bakes at once.
/// </summary>
public sealed class Baker : IDisposable
{
    private readonly Dictionary<string, HighSurface> surfaces = new(StringComparer.Ordinal);
    private readonly HighLooks.Memory looksKnown = new();
    private readonly ObjectKeys known = new();

    /// <summary>Bakes the maps of one sheet. The result does not depend on <paramref name="threads"/>.</summary>
    /// <param name="input">Parts and trays; every low object has UVs.</param>
    /// <param name="settings">Settings without a <see cref="BakeSettings.Problem"/>.</param>
    /// <param name="threads">Threads to use, at least 1.</param>
    /// <param name="progress">Told after every row of a tile.</param>
    /// <param name="cancel">Ends the bake within the time of a tile's row.</param>
    /// <exception cref="ArgumentException">The settings cannot be used.</exception>
    public static BakeResult Bake(BakeInput input, BakeSettings settings, int threads, IProgress<Progress>? progress, CancellationToken cancel)
    {
        using var baker = new Baker();
        return baker.BakeSheet(input, settings, threads, progress, cancel);
    }

    /// <summary>Share of a sheet's parts that would have to be baked, 0 to 1: the rest is kept.</summary>
    public double ShareToBake(BakeInput input, BakeSettings settings)
    {
        var jobs = PlanAll(input, settings, new PartViews(input, settings));
        return jobs.Length == 0 ? 0 : (double)jobs.Count(j => j.Missing.Count > 0) / jobs.Length;
    }

    /// <inheritdoc cref="Bake"/>
    public BakeResult BakeSheet(BakeInput input, BakeSettings settings, int threads, IProgress<Progress>? progress, CancellationToken cancel)
    {
        if (settings.Problem() is { } problem)
            throw new ArgumentException(problem, nameof(settings));
        progress?.Report(new Progress(0, "looking for what changed"));
        int size = settings.SizeOf(input.Sheet);
        var views = new PartViews(input, settings);
        var jobs = PlanAll(input, settings, views);
        var open = jobs.Where(j => j.Missing.Count > 0).ToArray();
        cancel.ThrowIfCancellationRequested();
        if (open.Length > 0)
        {
            progress?.Report(new Progress(0.01, "preparing triangles"));
            BakeParts(input, settings, views, open, size, threads, progress, cancel);
        }
        return Compose(input, settings, jobs, size, open.Length, threads, progress, cancel);
    }

    /// <inheritdoc/>
    public void Dispose()
    {
        foreach (var surface in surfaces.Values)
            surface.Dispose();
        surfaces.Clear();
    }

    /// <summary>One part of the sheet: what is known of it, and what is to be baked.</summary>
    private sealed class Job
    {
        public required int Part { get; init; }

        public required IReadOnlySet<int> Stacked { get; init; }

        public required string CoverKey { get; init; }

        public required Dictionary<BakeMap, string> MapKeys { get; init; }

        public required List<BakeMap> Missing { get; init; }

        public PartCover? Cover { get; set; }

        public Dictionary<BakeMap, PartMap> Maps { get; } = [];
    }

    private Job[] PlanAll(BakeInput input, BakeSettings settings, PartViews views)
    {
        var stacked = StackedTriangles.Find(input);
        var keys = input.Memory is null ? null : new PieceKeys(input, settings, settings.SizeOf(input.Sheet), known);
        var onSheet = Enumerable.Range(0, input.Parts.Count).Where(p => LowSurface.Chosen(input.Parts[p], input.Material).Any(c => !stacked[p].Contains(c.Number)));
        return [.. onSheet.Select(p => Plan(input, settings, keys, views, p, stacked[p]))];
    }

    private static Job Plan(BakeInput input, BakeSettings settings, PieceKeys? keys, PartViews views, int part, IReadOnlySet<int> stacked)
    {
        if (keys is null || input.Memory is not { } memory)
            return new Job { Part = part, Stacked = stacked, CoverKey = "", MapKeys = [], Missing = [.. settings.Maps.Distinct().Order()] };
        string cover = keys.Cover(part, stacked, views.Seen(part));
        var maps = settings.Maps.Distinct().ToDictionary(m => m, m => keys.Map(m, cover, part, views.Seen(part), views.Occluders(part)));
        var job = new Job { Part = part, Stacked = stacked, CoverKey = cover, MapKeys = maps, Missing = [] };
        foreach (var (map, key) in maps)
        {
            if (memory.Find(key) is { } piece)
                job.Maps.Add(map, PieceFile.ReadMap(piece));
        }
        job.Cover = memory.Find(cover) is { } kept ? PieceFile.ReadCover(kept) : null;
        job.Missing.AddRange(maps.Keys.Where(m => !job.Maps.ContainsKey(m)).Order());
        // A cover that was lost is baked again with a map, which then is the same as before.
        if (job.Cover is null && job.Missing.Count == 0)
            job.Missing.Add(maps.Keys.Min());
        return job;
    }

    private void BakeParts(BakeInput input, BakeSettings settings, PartViews views, Job[] open, int size, int threads, IProgress<Progress>? progress, CancellationToken cancel)
    {
        var looks = new HighLooks(input, settings, looksKnown);
        var bakes = new PartBake[open.Length];
        for (int i = 0; i < open.Length; i++)
        {
            cancel.ThrowIfCancellationRequested();
            var job = open[i];
            // Parts of one tray share a hierarchy of all that any of them sees.
            var tray = open.Where(j => views.TrayOf(j.Part) == views.TrayOf(job.Part)).ToArray();
            var high = SurfaceOf(tray.SelectMany(j => views.Seen(j.Part)), threads, cancel);
            bool asksLight = job.Missing.Any(m => m is BakeMap.Occlusion or BakeMap.BentNormal);
            var rule = views.RuleOf(job.Part);
            var light = !asksLight ? null : SurfaceOf(open.Where(j => views.RuleOf(j.Part) == rule && (rule switch
            {
                Occluders.Asset => true,
                Occluders.Tray => views.TrayOf(j.Part) == views.TrayOf(job.Part),
                _ => j == job,
            })).SelectMany(j => views.Occluders(j.Part)), threads, cancel);
            looks.Prepare(high.Objects, job.Missing, threads, cancel);
            var low = LowSurface.Build(input.Parts[job.Part], input.Material, job.Stacked, settings, size);
            var own = new Lazy<HighSurface>(() => SurfaceOf(views.Own(job.Part), threads, cancel));
            if (job.Missing.Contains(BakeMap.Thickness))
                _ = own.Value;
            bakes[i] = new PartBake(input, settings, new PartScene(job.Part, low, high, light, () => own.Value), job.Missing, looks, size);
            progress?.Report(new Progress(0.01 + 0.04 * (i + 1) / open.Length, "preparing triangles"));
        }
        CastAll(bakes, settings, threads, progress, cancel);
        for (int i = 0; i < open.Length; i++)
        {
            int before = i;
            void Finishing(double share, string doing) => progress?.Report(new Progress(0.9 + 0.02 * (before + share) / open.Length, doing));
            Finishing(0, "looking through faults");
            var (cover, maps) = bakes[i].Finish(Finishing, threads, cancel);
            bool isNew = open[i].Cover is null;
            open[i].Cover ??= cover;
            foreach (var map in maps)
                open[i].Maps[map.Map] = map;
            if (input.Memory is not { } memory)
                continue;
            if (isNew)
                memory.Save(open[i].CoverKey, PieceFile.Write(cover));
            foreach (var map in maps)
            {
                cancel.ThrowIfCancellationRequested();
                memory.Save(open[i].MapKeys[map.Map], PieceFile.Write(map));
            }
        }
    }

    private static void CastAll(PartBake[] bakes, BakeSettings settings, int threads, IProgress<Progress>? progress, CancellationToken cancel)
    {
        var tiles = bakes.SelectMany(b => b.Tiles.Select(t => (Bake: b, Tile: t))).ToArray();
        int rows = 0;
        // With many rays a tile takes a good part of a second.
        void RowDone() => progress?.Report(new Progress(0.05 + 0.85 * Math.Min(1, Interlocked.Increment(ref rows) / ((double)tiles.Length * SampleRaster.TileSide)), "casting rays"));
        TileLoop.Run(
            tiles.Length, () => new PartBake.Scratch(settings.SamplesBaked * settings.SamplesBaked),
            (i, scratch) => tiles[i].Bake.BakeTile(tiles[i].Tile, scratch, RowDone, cancel), threads, cancel);
    }

    /// <summary>The hierarchy of some objects, built once.</summary>
    private HighSurface SurfaceOf(IEnumerable<HighObject> objects, int threads, CancellationToken cancel)
    {
        HighObject[] all = [.. objects.DistinctBy(o => (o.Part, o.Number)).OrderBy(o => o.Part).ThenBy(o => o.Number)];
        string key = string.Join(' ', all.Select(o => $"{o.Part}/{o.Number}"));
        lock (surfaces)
        {
            if (!surfaces.TryGetValue(key, out var surface))
                surfaces.Add(key, surface = HighSurface.Build(all, threads, cancel));
            return surface;
        }
    }

    private static BakeResult Compose(BakeInput input, BakeSettings settings, Job[] jobs, int size, int baked, int threads, IProgress<Progress>? progress, CancellationToken cancel)
    {
        // Occlusion and the bent normal are made of the same rays.
        long rays = jobs.Sum(j => j.Cover!.Rays + j.Maps.Values.GroupBy(m => m.Map == BakeMap.BentNormal ? BakeMap.Occlusion : m.Map).Sum(g => g.Max(m => m.Rays)));
        var pieces = jobs.Select(j => new SheetPiece(input.Parts[j.Part].Name, j.Cover!, j.Maps)).ToArray();
        var composer = new SheetComposer(pieces, settings, size, threads, cancel);
        var regions = pieces.SelectMany(p => p.Cover.Regions).Concat(composer.Cover()).OrderByDescending(r => r.Texels).ThenBy(r => r.Y).ThenBy(r => r.X).ToArray();
        int[]? sources = settings.PaddingPixels == 0 ? null : SheetPadding.Sources(composer.Covered, size, settings.PaddingBaked, threads, cancel);
        var maps = new Dictionary<BakeMap, Bitmap>();
        var scales = new List<MapScale>();
        IReadOnlyList<LegendRow> legend = [];
        foreach (var map in settings.Maps.Distinct().Order())
        {
            int before = maps.Count;
            string doing = $"putting together {map.Words()}";
            void Composed(double share) => progress?.Report(new Progress(0.92 + 0.08 * (before + share) / settings.Maps.Count, doing));
            var sheet = composer.Compose(map, input.Bounds, Composed, out var rows);
            if (sources is not null)
                sheet.Pad(sources, threads, cancel);
            maps.Add(map, sheet.Bitmap);
            if (sheet.Scale is { } scale)
                scales.Add(scale);
            legend = map == BakeMap.Id ? rows : legend;
            // Its piece is in the picture now.
            foreach (var job in jobs)
                job.Maps.Remove(map);
        }
        return new BakeResult(maps, regions, composer.Covered.Count(c => c), rays) { Scales = scales, Legend = legend, Faulty = composer.Faulty, PartsBaked = baked };
    }
}
