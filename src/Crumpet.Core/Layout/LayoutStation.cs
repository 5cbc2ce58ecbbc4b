using System.Numerics;
using Crumpet.Core.Geometry;
using Crumpet.Core.Tracing;

namespace Crumpet.Core.Layout;

/// <summary>An object to lay out.</summary>
/// <param name="Mesh">Its triangles; where it has UVs they may be kept.</param>
/// <param name="Part">Part it belongs to.</param>
public sealed record LayoutObject(Mesh Mesh, string Part);

/// <summary>What Layout works on.</summary>
/// <param name="Objects">Objects of the low side.</param>
/// <param name="Settings">What the artist decided; without a <see cref="LayoutSettings.Problem"/>.</param>
/// <param name="Size">Side of the sheets, pixels.</param>
public sealed record LayoutInput(IReadOnlyList<LayoutObject> Objects, LayoutSettings Settings, int Size)
{
    /// <summary>Threads to use, at least 1; the result does not depend on it.</summary>
    public int Threads { get; init; } = 1;
}

/// <summary>What Layout gives.</summary>
/// <param name="Report">Numbers.</param>
/// <param name="Findings">What was noticed.</param>
/// <param name="Uvs">For each object its UVs, one a corner.</param>
/// <param name="EvenUvs">The same at even density, where slack changed it; otherwise null.</param>
/// <param name="TriangleSheets">For each object the sheet of each triangle.</param>
/// <param name="TriangleIslands">For each object the island of each triangle.</param>
public sealed record LayoutResult(
    LayoutReport Report, IReadOnlyList<Finding> Findings, IReadOnlyList<Vector2[]> Uvs, IReadOnlyList<Vector2[]>? EvenUvs, IReadOnlyList<int[]> TriangleSheets,
        IReadOnlyList<int[]> TriangleIslands)
{
    /// <summary>For each object which triangles share texels with others that they are not stacked on.</summary>
    public required IReadOnlyList<bool[]> Overlapping { get; init; }

    /// <summary>Where islands lie, so that they can stay there; none where they were not packed.</summary>
    public required IReadOnlyList<LaidIsland> Places { get; init; }
}

/// <summary>Unwraps, scales and packs the UVs of the low side, or keeps what came, and measures the result.</summary>
public static class LayoutStation
{
    private const double OnTile = 1e-4;

    /// <summary>How much less padding than wanted there may be around an island that stays although it was scaled, pixels.</summary>
    private const double PaddingLost = 0.1;

    /// <summary>Lays the objects out.</summary>
    /// <param name="input">What to lay out and how.</param>
    /// <param name="progress">Told often.</param>
    /// <param name="cancel">Ends the work early.</param>
    public static LayoutResult Run(LayoutInput input, IProgress<Progress>? progress = null, CancellationToken cancel = default)
    {
        var solid = SolidTriangles.Of(input);
        var told = new LayoutProgress(progress, ObjectIslands.ToUnwrap(solid.Input), CutsForRoom(solid.Input.Settings),
            solid.Input.Settings.Draft > 0);
        return solid.Widen(RunSolid(solid.Input, solid.Left, scaledStay: false, told, cancel));
    }

    /// <param name="input">What has a surface.</param>
    /// <param name="left">How many triangles have none.</param>
    /// <param name="scaledStay">Whether islands that were scaled by a little stay on their texels, as others find no room beside those that stay.</param>
    /// <param name="progress">Told often.</param>
    /// <param name="cancel">Ends the work early.</param>
    private static LayoutResult RunSolid(LayoutInput input, int left, bool scaledStay, LayoutProgress progress, CancellationToken cancel)
    {
        var parts = ObjectIslands.PartNumbers(input.Objects);
        double[] weights = [.. parts.Select(p => (double)(input.Settings.Parts.GetValueOrDefault(p.Key)?.Weight ?? 1))];
        using var sight = new SeamSight([.. input.Objects.Select(o => o.Mesh)], input.Threads, cancel);
        var islands = ObjectIslands.Of(input, parts, sight, progress, cancel);
        Sheets(input, islands);
        int roomCuts = CutForRoom(input, islands, parts, weights, progress, cancel);
        var (held, scaled) = input.Settings.Pack || islands.Exists(i => !i.IsKept) ? HeldLayout.Hold(input, islands, scaledStay) : (0, 0);
        if (input.Settings is { KeepsPlaces: true, Pack: false })
            StayWhereTheyCame(islands);
        // Where little is as it was, nothing stays.
        if (held == 0 && input.Settings.Held.Count > 0)
            return Anew();
        var laid = Lay();
        // Nor where the others find no room beside what stays.
        if ((held > 0 || (islands.Exists(i => i.IsKept && i.IsLocked) && islands.Exists(i => !i.IsLocked))) && !laid.IsAsDense)
            return scaled > 0 && !scaledStay ? RunSolid(input, left, scaledStay: true, progress, cancel) : Anew();
        var (materials, slack, shortfalls) = (laid.Materials, laid.Slack, laid.Shortfalls);
        // Sheets that were allowed but not needed are none.
        if (input.Settings.Sheets == SheetRule.Together)
            materials = materials[..(1 + islands.Select(i => i.Sheet).DefaultIfEmpty().Max())];
        progress.Measuring();
        var (report, overlapping) = LayoutMeasure.Of(
            islands, materials, weights, input.Size, input.Settings.PaddingPixels, ObjectIslands.SeamMetres(islands), cancel);
        report = report with
        {
            Slack = slack,
            Shortfalls = shortfalls,
            TrianglesWithoutArea = left,
            HeldIslands = held,
            RoomCuts = roomCuts,
            IsPacked = laid.IsPacked,
            SeenSeamMetres = sight.SeenMetres([.. islands.Select(i => i.Flat.Chart)], input.Threads, cancel),
        };
        // They are taken to have kept their shapes.
        if (scaledStay && (report.OverlapTexels > 0 || report.OutsideTriangles > 0 || report.PaddingPixels < input.Settings.PaddingPixels - PaddingLost))
            return Anew();
        var uvs = Corners(input, islands, i => islands[i].Tile);
        var before = slack is null ? null : Corners(input, islands, i => laid.Even[i] ?? islands[i].Tile);
        return new LayoutResult(report, Finding.Sorted(LayoutFindings.Of(report, input.Settings, input.Size, i => input.Objects[i].Mesh.Name)), uvs, before,
            PerTriangle(input, islands, (i, _) => islands[i].Sheet), PerTriangle(input, islands, (i, _) => i))
        {
            Overlapping = PerTriangle(input, islands, (i, t) => overlapping[i].Contains(t)),
            Places = laid.IsPacked ? HeldLayout.Places(input, islands) : [],
        };

        LayoutResult Anew() => RunSolid(
            input with { Settings = input.Settings with { Held = [], KeepsPlaces = false } }, left, scaledStay: false, progress, cancel);

        Packing Lay()
        {
            var pinned = Pins.Hold(input, islands, cancel);
            var sheets = Sheets(input, islands);
            var even = new double[]?[islands.Count];
            if (input.Settings.Pack || held > 0 || islands.Exists(i => !i.IsKept && !i.IsLocked))
                return Pack(input, islands, sheets, parts, weights, even, pinned, progress, cancel);
            islands.ForEach(i => i.Tile = i.Flat.Uv);
            return new Packing(sheets, null, pinned, even) { IsPacked = false };
        }
    }

    /// <summary>What became of islands and sheets.</summary>
    private sealed record Packing(List<int?> Materials, SlackReport? Slack, LayoutShortfalls Shortfalls, double[]?[] Even)
    {
        /// <summary>Whether islands were moved at all.</summary>
        public bool IsPacked { get; init; } = true;

        /// <summary>Whether they lie as dense as they were to.</summary>
        public bool IsAsDense { get; init; } = true;
    }

    /// <summary>Gives islands their sheets where these are known, and says which material each sheet holds.</summary>
    private static List<int?> Sheets(LayoutInput input, List<UvIsland> islands)
    {
        if (input.Settings.Sheets == SheetRule.Together)
            return [.. Enumerable.Repeat<int?>(null, input.Settings.SheetCount)];
        int[] used = [.. input.Objects.SelectMany(o => o.Mesh.TriangleMaterials).Distinct().Order()];
        islands.ForEach(i => i.Sheet = 0);
        if (used.Length <= 1)
            return [used.Length == 1 && used[0] >= 0 ? used[0] : null];
        foreach (var island in islands)
            island.Sheet = Array.IndexOf(used, input.Objects[island.Object].Mesh.TriangleMaterials[island.Flat.Chart.Triangles[0]]);
        return [.. used.Select(m => (int?)m)];
    }

    /// <summary>Cuts large islands where nothing says where islands lie or how dense they are.</summary>
    private static int CutForRoom(
        LayoutInput input, List<UvIsland> islands, SortedDictionary<string, int> parts, double[] weights, LayoutProgress progress,
            CancellationToken cancel) => CutsForRoom(input.Settings)
            ? RoomCuts.Make(input, islands, Request(input, 1, null, false, weights, SheetOf(input.Settings, parts)), progress.Cut, cancel) : 0;

    /// <summary>Locks UVs that came onto the tile, so that others are fitted in between.</summary>
    private static void StayWhereTheyCame(List<UvIsland> islands)
    {
        for (int i = 0; i < islands.Count; i++)
        {
            var (island, flat) = (islands[i], islands[i].Flat);
            if (island.IsKept && Array.TrueForAll(flat.Uv, at => at is > -OnTile and < 1 + OnTile))
                islands[i] = new UvIsland { Object = island.Object, Part = island.Part, Flat = flat, IsKept = true, IsLocked = true, Sheet = island.Sheet };
        }
    }

    private static bool CutsForRoom(LayoutSettings settings) => settings.Unwrap.CutForRoom && settings.PixelsPerMetre is null && settings.Held.Count == 0
        && settings.Pins.Count == 0 && !settings.StackEqual && settings.Draft != LayoutSettings.FirstDraft;

    private static int[] SheetOf(LayoutSettings settings, SortedDictionary<string, int> parts) =>
        [.. parts.Keys.Select(p => settings.Parts.GetValueOrDefault(p)?.Sheet ?? -1)];

    private static PackRequest Request(LayoutInput input, int sheets, double? wanted, bool slackens, double[] weights, int[] sheetOf) => new(
        input.Size, input.Settings.PaddingPixels, input.Settings.Rotation, sheets, wanted, slackens ? input.Settings.SlackPercent / 100 : 0, weights, sheetOf)
    { Draft = input.Settings.Draft };

    private static Packing Pack(
        LayoutInput input, List<UvIsland> islands, List<int?> materials, SortedDictionary<string, int> parts, double[] weights, double[]?[] even,
            LayoutShortfalls shortfalls, LayoutProgress progress, CancellationToken cancel)
    {
        var settings = input.Settings;
        foreach (var island in islands.Where(i => i.IsLocked))
            island.Tile = island.Flat.Uv;
        var matches = IslandMatch.Find([.. islands.Select(i => i.Flat.Chart)]);
        if (settings.StackEqual)
            Stack(islands, matches, weights);
        bool together = settings.Sheets == SheetRule.Together;
        int[] sheetOf = SheetOf(settings, parts);
        foreach (var island in islands.Where(i => i.IsLocked && together))
            island.Sheet = sheetOf[island.Part] >= 0 ? sheetOf[island.Part] : Math.Clamp(island.Sheet, 0, materials.Count - 1);
        double? wanted = settings.PixelsPerMetre ?? LockedDensity(islands, weights, input.Size);
        int rounds = together ? 1 : materials.Count;
        var outcomes = new List<PackOutcome>();
        var plans = new PackSearch.Found?[rounds];
        for (int pass = 0; pass < 2; pass++)
        {
            outcomes.Clear();
            bool isLast = rounds == 1 || pass == 1;
            for (int sheet = 0; sheet < rounds; sheet++)
            {
                int[] here = [.. Enumerable.Range(0, islands.Count).Where(i => together || islands[i].Sheet == sheet)];
                // The first pass looks for the density of each sheet, the second mostly lays them at one that is known to fit.
                var (start, all) = rounds == 1 ? (0.0, 1.0) : pass == 0 ? (0.0, 0.8) : (0.8, 0.2);
                double from = start + all * sheet / rounds;
                var request = Request(input, together ? materials.Count : 1, wanted, isLast, weights, sheetOf) with { Before = plans[sheet] };
                var outcome = PackedIslands.Place([.. here.Select(i => islands[i])], Among(matches, here), request, input.Threads,
                    f => progress.Packed(from + all * f / rounds), cancel);
                if (outcome is null)
                {
                    shortfalls = shortfalls with { UnfitIslands = here.Length };
                    foreach (int i in here.Where(i => islands[i].Tile.Length == 0))
                        islands[i].Tile = islands[i].Flat.Uv;
                    continue;
                }
                outcomes.Add(outcome);
                plans[sheet] = outcome.Found;
                for (int k = 0; k < here.Length; k++)
                {
                    if (!together)
                        islands[here[k]].Sheet = sheet;
                    even[here[k]] = outcome.Even?[k];
                }
            }
            // Materials on sheets of their own are to be equally sharp: the fullest sheet says how sharp.
            double least = outcomes.Select(o => o.PixelsPerMetre).Where(d => d > 0).DefaultIfEmpty().Min(), most = outcomes.Select(o => o.PixelsPerMetre)
                .DefaultIfEmpty().Max();
            if (isLast || (most <= least * 1.002 && settings.SlackPercent == 0))
                break;
            wanted = least;
        }
        foreach (var (island, i) in islands.Select((island, i) => (island, i)).Where(p => p.island.StackedOn >= 0))
            LieOn(island, islands, matches[i]);
        double got = outcomes.Select(o => o.PixelsPerMetre).DefaultIfEmpty(double.PositiveInfinity).Min();
        if (got < settings.PixelsPerMetre * 0.999)
            shortfalls = shortfalls with { ReachedPixelsPerMetre = got };
        bool isAsDense = shortfalls.UnfitIslands == 0 && !(got < wanted * 0.999);
        if (outcomes.TrueForAll(o => o.Even is null))
            return new Packing(materials, null, shortfalls with { IsSlackUnused = settings.SlackPercent > 0 && outcomes.Count > 0 }, even)
            { IsAsDense = isAsDense };
        double room = RoomAt(input, islands, materials.Count, i => even[i] ?? islands[i].Tile, cancel);
        double[] scales = [.. outcomes.SelectMany(o => o.Scales)];
        var slack = new SlackReport(room, RoomAt(input, islands, materials.Count, i => islands[i].Tile, cancel), scales.Min(), scales.Max());
        return new Packing(materials, slack, shortfalls, even) { IsAsDense = isAsDense };
    }

    private static double RoomAt(LayoutInput input, List<UvIsland> islands, int sheets, Func<int, double[]> tile, CancellationToken cancel)
    {
        int raster = Math.Min(input.Size, 2048);
        return Enumerable.Range(0, sheets).Average(sheet => CoverageRaster.RoomUsed(
            [.. Enumerable.Range(0, islands.Count).Where(i => islands[i].Sheet == sheet && islands[i].StackedOn < 0)
                .Select(i => (islands[i].Flat with { Uv = tile(i) }).Shape())],
            raster, input.Settings.PaddingPixels / 2.0 * raster / input.Size, cancel));
    }

    /// <summary>Matches renumbered for some of the islands; one whose like is not among them stands alone.</summary>
    private static IslandMatch.Match[] Among(IslandMatch.Match[] matches, int[] here)
    {
        var place = here.Select((i, k) => (i, k)).ToDictionary(p => p.i, p => p.k);
        return [.. here.Select((i, k) => place.TryGetValue(matches[i].Like, out int like) ? matches[i] with { Like = like }
            : new IslandMatch.Match(k, null, false))];
    }

    /// <summary>Marks islands that share the texels of an equal one.</summary>
    private static void Stack(List<UvIsland> islands, IslandMatch.Match[] matches, double[] weights)
    {
        for (int i = 0; i < islands.Count; i++)
        {
            var (island, like) = (islands[i], islands[matches[i].Like]);
            if (matches[i].Like != i && !island.IsLocked && like.StackedOn < 0 && island.Sheet == like.Sheet && weights[island.Part] == weights[like.Part])
                island.StackedOn = matches[i].Like;
        }
    }

    /// <summary>Lays an island on the one it shares texels with, one tile aside so that a baker fills them once.</summary>
    private static void LieOn(UvIsland island, List<UvIsland> islands, IslandMatch.Match match)
    {
        var below = islands[island.StackedOn];
        var chart = island.Flat.Chart;
        island.Sheet = below.Sheet;
        island.Tile = new double[2 * chart.VertexCount];
        for (int c = 0; c < chart.Corners.Length; c++)
        {
            int from = below.Flat.Chart.Corners[match.Corners![c]], to = chart.Corners[c];
            island.Tile[2 * to] = below.Tile[2 * from] + 1;
            island.Tile[2 * to + 1] = below.Tile[2 * from + 1];
        }
    }

    /// <summary>Density of what stays where it is: the rest joins it.</summary>
    private static double? LockedDensity(List<UvIsland> islands, double[] weights, int size)
    {
        var locked = islands.Where(i => i.IsLocked).OrderByDescending(i => i.Flat.Chart.Area).FirstOrDefault();
        return locked is null ? null : locked.MeanScale(locked.Tile) * size / weights[locked.Part];
    }

    private static Vector2[][] Corners(LayoutInput input, List<UvIsland> islands, Func<int, double[]> tile)
    {
        Vector2[][] uvs = [.. input.Objects.Select(o => new Vector2[o.Mesh.Corners.Length])];
        for (int i = 0; i < islands.Count; i++)
        {
            var (chart, at) = (islands[i].Flat.Chart, tile(i));
            // What did not move stays as it came, to the bit.
            Vector2[]? came = islands[i].IsKept && ReferenceEquals(at, islands[i].Flat.Uv) ? input.Objects[islands[i].Object].Mesh.Uvs : null;
            for (int c = 0; c < chart.Corners.Length; c++)
            {
                int corner = 3 * chart.Triangles[c / 3] + c % 3;
                uvs[islands[i].Object][corner] = came?[corner] ?? new Vector2((float)at[2 * chart.Corners[c]], (float)at[2 * chart.Corners[c] + 1]);
            }
        }
        return uvs;
    }

    private static T[][] PerTriangle<T>(LayoutInput input, List<UvIsland> islands, Func<int, int, T> value)
    {
        T[][] values = [.. input.Objects.Select(o => new T[o.Mesh.TriangleCount])];
        for (int i = 0; i < islands.Count; i++)
        {
            int[] triangles = islands[i].Flat.Chart.Triangles;
            for (int t = 0; t < triangles.Length; t++)
                values[islands[i].Object][triangles[t]] = value(i, t);
        }
        return values;
    }
}
