using System.Numerics;
using Crumpet.Core.Geometry;

namespace Crumpet.Core.Layout;

/// <summary>The islands of the low side's objects before they are packed.</summary>
internal static class ObjectIslands
{
    /// <summary>Room a sheet is thought to fill when charts are checked for length.</summary>
    private const double LikelyRoom = 0.85;

    /// <summary>A chart longer than this share of the sheet's side is cut across.</summary>
    private const double LongestShare = 1;

    /// <summary>A number for each part, in the order of their names.</summary>
    public static SortedDictionary<string, int> PartNumbers(IReadOnlyList<LayoutObject> objects)
    {
        var parts = new SortedDictionary<string, int>(StringComparer.Ordinal);
        foreach (string part in objects.Select(o => o.Part).Distinct().Order(StringComparer.Ordinal))
            parts.Add(part, parts.Count);
        return parts;
    }

    /// <summary>Islands of all objects, kept or laid flat anew, in the order of the objects.</summary>
    public static List<UvIsland> Of(LayoutInput input, SortedDictionary<string, int> parts, SeamSight sight, LayoutProgress? progress,
        CancellationToken cancel)
    {
        var cuts = input.Settings.Held.Where(h => h.Cuts is not null).GroupBy(h => h.ObjectName, StringComparer.Ordinal)
            .ToDictionary(g => g.Key, g => g.First().Cuts!, StringComparer.Ordinal);
        var kept = new List<FlatChart>[input.Objects.Count];
        var surfaces = new List<Surface>();
        var surfaceOf = new int[input.Objects.Count];
        for (int i = 0; i < input.Objects.Count; i++)
        {
            cancel.ThrowIfCancellationRequested();
            var mesh = input.Objects[i].Mesh;
            var topology = Topology.Of(mesh);
            var chosen = new ChosenIslands(input.Settings, topology);
            bool keeps = Keeps(input, input.Objects[i]);
            int[] triangles = [.. Enumerable.Range(0, mesh.TriangleCount)];
            kept[i] = keeps ? IslandFinder.Find(topology, mesh.Uvs!, triangles, input.Settings.Sheets == SheetRule.Materials) : [];
            if (keeps)
            {
                triangles = [.. kept[i].Where(chosen.IsUnwrapped).SelectMany(k => k.Chart.Triangles).Order()];
                kept[i].RemoveAll(chosen.IsUnwrapped);
            }
            surfaceOf[i] = triangles.Length == 0 ? -1 : surfaces.Count;
            if (triangles.Length == 0)
                continue;
            var surface = new Surface(topology, triangles, chosen.Seams());
            surfaces.Add(!keeps && cuts.TryGetValue(mesh.Name, out string? text) ? surface with { Known = LaidCuts.Read(surface, text) } : surface);
        }
        double all = Math.Max(1, surfaces.Sum(s => (double)s.Triangles.Length)), done = 0;
        var gate = new Lock();
        var flats = Unwrapper.Unwrap(
            surfaces, sight, input.Settings.Unwrap, Longest(input), input.Settings.Draft == LayoutSettings.FirstDraft, input.Threads, Told, cancel);
        var islands = new List<UvIsland>();
        for (int i = 0; i < kept.Length; i++)
        {
            int part = parts[input.Objects[i].Part];
            islands.AddRange(kept[i].Select(k => new UvIsland { Object = i, Part = part, Flat = k, IsKept = true }));
            if (surfaceOf[i] >= 0)
                islands.AddRange(flats[surfaceOf[i]].Select(f => new UvIsland { Object = i, Part = part, Flat = f, IsKept = false }));
        }
        return islands;

        void Told(double triangles)
        {
            lock (gate)
            {
                done += triangles;
                progress?.Unwrapped(Math.Min(1, done / all));
            }
        }
    }

    private static double Longest(LayoutInput input)
    {
        if (input.Settings.PixelsPerMetre is { } density)
            return LongestShare * (input.Size - 2 * input.Settings.PaddingPixels) / density;
        double area = 0;
        foreach (var (mesh, _) in input.Objects)
        {
            for (int c = 0; c < mesh.Corners.Length; c += 3)
                area += Vector3.Cross(mesh.PositionAt(c + 1) - mesh.PositionAt(c), mesh.PositionAt(c + 2) - mesh.PositionAt(c)).Length() / 2;
        }
        return LongestShare * Math.Sqrt(area / LikelyRoom);
    }

    /// <summary>About how many triangles are unwrapped.</summary>
    public static int ToUnwrap(LayoutInput input) => input.Objects.Where(o => !Keeps(input, o)).Sum(o => o.Mesh.TriangleCount);

    private static bool Keeps(LayoutInput input, LayoutObject o) =>
        o.Mesh.Uvs is not null && (input.Settings.Parts.GetValueOrDefault(o.Part)?.Uvs ?? input.Settings.Uvs) == UvSource.Keep;

    /// <summary>Length of all seams, metres.</summary>
    public static double SeamMetres(List<UvIsland> islands)
    {
        double sum = 0;
        foreach (var chart in islands.Select(i => i.Flat.Chart))
        {
            for (int c = 0; c < chart.Across.Length; c++)
                sum += chart.Across[c] < 0 ? chart.Length(c) / 2 : 0;
        }
        return sum;
    }
}
