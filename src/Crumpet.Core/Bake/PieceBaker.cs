using Crumpet.Core.Geometry;
using Crumpet.Core.Pairs;

namespace Crumpet.Core.Bake;

/// <summary>Maps of one part to bake.</summary>
/// <param name="Part">Number of the part in the input.</param>
/// <param name="Material">Number of the sheet's material; null for all low triangles.</param>
/// <param name="Stacked">Triangles an earlier part bakes, numbered over the part's objects.</param>
/// <param name="Size">Side of the sheet, pixels.</param>
/// <param name="Maps">Maps to make.</param>
/// <param name="Seen">High objects its rays can meet, its own among them.</param>
/// <param name="Occluders">High objects that block its light; empty where no map asks.</param>
internal sealed record PieceRequest(
    int Part, int? Material, IReadOnlySet<int> Stacked, int Size, IReadOnlyList<BakeMap> Maps, IReadOnlyList<HighObject> Seen,
        IReadOnlyList<HighObject> Occluders);

/// <summary>
/// Bakes parts' shares of maps. Parts that see some of the same objects share a hierarchy of all that any of them sees, and all maps of a
/// part share its rays; a part's result is the same as if it were baked alone.
/// </summary>
internal static class PieceBaker
{
    /// <summary>Bakes.</summary>
    /// <param name="input">Parts, all lengths of which are said, and materials.</param>
    /// <param name="settings">Settings for all maps that are asked for.</param>
    /// <param name="requests">What to bake.</param>
    /// <param name="threads">Threads to use, at least 1; the result does not depend on it.</param>
    /// <param name="progress">Told after every row of a tile.</param>
    /// <param name="done">Takes what each request gave, by its number.</param>
    /// <param name="cancel">Ends the bake within the time of a tile's row.</param>
    public static void Bake(
        BakeInput input, BakeSettings settings, IReadOnlyList<PieceRequest> requests, int threads, IProgress<Progress>? progress,
        Action<int, PartCover, IReadOnlyList<PartMap>> done, CancellationToken cancel)
    {
        progress?.Report(new Progress(0, "preparing triangles"));
        var attributes = new HighAttributes(input, settings);
        var boxes = new Dictionary<(int, int), Bounds>();
        foreach (var o in requests.SelectMany(r => r.Seen.Concat(r.Occluders)))
            boxes.TryAdd((o.Part, o.Number), o.Mesh.Bounds());
        Bounds[] rooms = [.. requests.Select(r => PartViews.RoomOf(ViewOf(input.Parts[r.Part], settings)))];
        var seen = Groups([.. requests.Select(r => r.Seen)], rooms, boxes);
        float[] ranges = [.. requests.Select(r => input.Parts[r.Part].OcclusionRangeMetres ?? 0)];
        // Any distance is no box.
        Bounds[]? lit = ranges.All(r => r > 0) ? [.. rooms.Zip(ranges, PartViews.Grown)] : null;
        var occluders = Groups([.. requests.Select(r => r.Occluders)], lit, boxes);
        using var surfaces = new Surfaces(threads, cancel);
        var bakes = new PartBake[requests.Count];
        for (int i = 0; i < bakes.Length; i++)
        {
            cancel.ThrowIfCancellationRequested();
            var request = requests[i];
            var high = surfaces.Of(seen[i]);
            var light = request.Occluders.Count == 0 ? null : surfaces.Of(occluders[i]);
            attributes.Prepare(high.Objects, request.Maps, threads, cancel);
            var low = LowSurface.Build(input.Parts[request.Part], request.Material, request.Stacked, request.Size);
            var own = new Lazy<HighSurface>(() => surfaces.Of([.. request.Seen.Where(o => o.Part == request.Part)]));
            if (request.Maps.Any(m => m.Asks(MapNeeds.Thickness)))
                _ = own.Value;
            bakes[i] = new PartBake(input, settings, new PartScene(request.Part, low, high, light, () => own.Value), request.Maps, attributes, request.Size);
            progress?.Report(new Progress(0.05 * (i + 1) / bakes.Length, "preparing triangles"));
        }
        CastAll(bakes, settings, threads, progress, cancel);
        for (int i = 0; i < bakes.Length; i++)
        {
            int before = i;
            void Finishing(double share, string doing) => progress?.Report(new Progress(0.95 + 0.05 * (before + share) / bakes.Length, doing));
            Finishing(0, "looking through faults");
            var (cover, maps) = bakes[i].Finish(Finishing, threads, cancel);
            done(i, cover, maps);
        }
    }

    private static void CastAll(PartBake[] bakes, BakeSettings settings, int threads, IProgress<Progress>? progress, CancellationToken cancel)
    {
        var tiles = bakes.SelectMany(b => b.Tiles.Select(t => (Bake: b, Tile: t))).ToArray();
        int rows = 0;
        // With many rays a tile takes a good part of a second.
        void RowDone() => progress?.Report(new Progress(
            0.05 + 0.9 * Math.Min(1, Interlocked.Increment(ref rows) / ((double)tiles.Length * SampleRaster.TileSide)), "casting rays"));
        TileLoop.Run(
            tiles.Length, () => new PartBake.Scratch(settings.SamplesBaked * settings.SamplesBaked),
            (i, scratch) => tiles[i].Bake.BakeTile(tiles[i].Tile, scratch, RowDone, cancel), threads, cancel);
    }

    /// <summary>A part as far as it decides where its rays lie.</summary>
    public static ViewPart ViewOf(BakePart part, BakeSettings settings) => new(
        part.Low.Aggregate(Bounds.Empty, (b, m) => b.Including(m.Bounds())), [], part.Rays is null ? null : RaysRoom.Of(part.Rays),
        part.OutwardReachMetres ?? 0, part.InwardReachMetres ?? 0, 0, settings.Occluders, part.OcclusionRangeMetres ?? 0);

    /// <summary>
    /// For each list one that may stand in for it: the union of all lists that hang together with it, where nothing more could be met in
    /// that.
    /// </summary>
    /// <param name="lists">What each part sees.</param>
    /// <param name="rooms">Where the rays of each part lie; null where they go on for ever.</param>
    /// <param name="boxes">Box of each object.</param>
    private static HighObject[][] Groups(IReadOnlyList<HighObject>[] lists, Bounds[]? rooms, Dictionary<(int, int), Bounds> boxes)
    {
        var own = lists.Select(l => l.OrderBy(o => o.Part).ThenBy(o => o.Number).ToArray()).ToArray();
        if (rooms is null)
            return own;
        var parents = Enumerable.Range(0, lists.Length).ToArray();
        var first = new Dictionary<(int, int), int>();
        for (int i = 0; i < lists.Length; i++)
        {
            foreach (var o in lists[i])
            {
                if (!first.TryAdd((o.Part, o.Number), i))
                    parents[Root(i)] = Root(first[(o.Part, o.Number)]);
            }
        }
        foreach (var group in Enumerable.Range(0, lists.Length).GroupBy(Root).Where(g => g.Count() > 1))
        {
            HighObject[] union = [.. group.SelectMany(i => lists[i]).DistinctBy(o => (o.Part, o.Number)).OrderBy(o => o.Part).ThenBy(o => o.Number)];
            foreach (int i in group)
            {
                var mine = lists[i].Select(o => (o.Part, o.Number)).ToHashSet();
                if (union.All(o => mine.Contains((o.Part, o.Number)) || !PartViews.Meet(rooms[i], boxes[(o.Part, o.Number)])))
                    own[i] = union;
            }
        }
        return own;

        int Root(int i)
        {
            while (parents[i] != i)
                i = parents[i] = parents[parents[i]];
            return i;
        }
    }

    /// <summary>Hierarchies of lists of objects, each built once.</summary>
    private sealed class Surfaces(int threads, CancellationToken cancel) : IDisposable
    {
        private readonly Dictionary<string, HighSurface> built = new(StringComparer.Ordinal);
        private readonly Lock gate = new();

        public HighSurface Of(IReadOnlyList<HighObject> objects)
        {
            string key = string.Join(' ', objects.Select(o => $"{o.Part}/{o.Number}"));
            lock (gate)
            {
                if (!built.TryGetValue(key, out var surface))
                    built.Add(key, surface = HighSurface.Build(objects, threads, cancel));
                return surface;
            }
        }

        public void Dispose()
        {
            foreach (var surface in built.Values)
                surface.Dispose();
        }
    }
}
