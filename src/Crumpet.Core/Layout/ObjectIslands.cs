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
    public static List<UvIsland> Of(LayoutInput input, SortedDictionary<string, int> parts, SeamSight sight, IProgress<Progress>? progress,
        CancellationToken cancel)
    {
        var islands = new List<UvIsland>();
        long all = Math.Max(1, input.Objects.Sum(o => (long)o.Mesh.TriangleCount)), done = 0;
        double longest = Longest(input);
        var unwrapped = new List<(Topology Topology, SeamPlan Seams, IReadOnlyList<FlatChart> Flat)>();
        for (int i = 0; i < input.Objects.Count; i++)
        {
            cancel.ThrowIfCancellationRequested();
            var (mesh, part) = input.Objects[i];
            var own = input.Settings.Parts.GetValueOrDefault(part);
            var topology = Topology.Of(mesh);
            var chosen = new ChosenIslands(input.Settings, topology);
            bool keeps = mesh.Uvs is not null && (own?.Uvs ?? input.Settings.Uvs) == UvSource.Keep;
            int[] every = [.. Enumerable.Range(0, mesh.TriangleCount)];
            var kept = keeps ? IslandFinder.Find(topology, mesh.Uvs!, every, input.Settings.Sheets == SheetRule.Materials) : [];
            var anew = kept.Where(chosen.IsUnwrapped).ToList();
            foreach (var flat in kept.Except(anew))
                islands.Add(new UvIsland { Object = i, Part = parts[part], Flat = flat, IsKept = true });
            int[] triangles = keeps ? [.. anew.SelectMany(a => a.Chart.Triangles).Order()] : every;
            if (triangles.Length == 0)
                continue;
            var seams = chosen.Seams();
            bool isWhole = triangles.Length == every.Length;
            var flats = isWhole ? unwrapped.Find(u => ObjectCopies.AreAlike(u.Topology, u.Seams, topology, seams)).Flat : null;
            if (flats is null)
            {
                flats = Unwrapper.Unwrap(topology, triangles, seams, sight, input.Settings.Unwrap, longest, input.Threads, Told, cancel);
                if (isWhole)
                    unwrapped.Add((topology, seams, flats));
            }
            foreach (var flat in flats)
                islands.Add(new UvIsland { Object = i, Part = parts[part], Flat = Own(flat, topology), IsKept = false });
        }
        return islands;

        void Told(int triangles)
        {
            long now = Interlocked.Add(ref done, triangles);
            progress?.Report(new Progress(0.5 * now / all, "laying charts flat"));
        }
    }

    /// <summary>A chart that was laid flat for a copy, on the object's own positions.</summary>
    private static FlatChart Own(FlatChart flat, Topology topology) => flat with { Chart = flat.Chart.On(topology.Mesh) };

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
