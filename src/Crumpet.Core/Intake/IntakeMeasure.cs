using System.Numerics;
using Crumpet.Core.Geometry;

namespace Crumpet.Core.Intake;

/// <summary>Measures what findings are drawn from.</summary>
internal static class IntakeMeasure
{
    private const float Slack = 1e-4f;
    private const int Raster = 1024;

    // Thousands of objects that each take the whole sheet are looked at until this many texels were; that they overlap is clear by then.
    private const long MostTexels = 64L * Raster * Raster;

    /// <summary>Two hundred-thousandths of an object's diagonal: below what a bake can show, above what rounding does.</summary>
    public static float WeldTolerance(Bounds bounds) => MathF.Max(1e-6f, 2e-5f * bounds.Size.Length());

    /// <summary>Looks through the build of all objects.</summary>
    public static MeshFlaws[] Flaws(IntakeState state, int threads, CancellationToken cancel)
    {
        var flaws = new MeshFlaws[state.Objects.Count];
        Parallel.For(0, flaws.Length, new ParallelOptions { MaxDegreeOfParallelism = threads, CancellationToken = cancel }, i =>
            flaws[i] = MeshFlaws.Find(state.Objects[i].Mesh, WeldTolerance(state.Objects[i].Mesh.Bounds()), cancel));
        return flaws;
    }

    /// <summary>Rows of all objects.</summary>
    public static ObjectReport[] Rows(IntakeState state, MeshFlaws[] flaws)
    {
        var rows = state.Objects.Select((o, i) => ReportOf(state, o, flaws[i])).ToArray();
        var sidesOf = rows.ToLookup(r => r.Part, r => r.Side, state.Names.PartComparer);
        var alone = rows.GroupBy(r => r.File, StringComparer.Ordinal).Where(g => g.Count() == 1).Select(g => g.Key).ToHashSet(StringComparer.Ordinal);
        // The only object of a file that names a side goes by the file's name, unless the other side knows it by its own.
        return Array.ConvertAll(rows, r => alone.Contains(r.File) && state.Names.GoesByFile(r.Name, r.File)
            && !sidesOf[r.Part].Any(s => s != r.Side) ? r with { Part = state.Names.PartOfFile(r.File) } : r);
    }

    private static ObjectReport ReportOf(IntakeState state, IntakeObject o, MeshFlaws flaws)
    {
        var reading = state.Names.Read(o.Mesh.Name);
        var (part, detail) = o.ForcedPart ?? (reading?.Part ?? o.Mesh.Name, reading?.Detail ?? "");
        var bounds = o.Mesh.Bounds();
        var size = bounds.Size;
        return new ObjectReport(
            o.File, o.Mesh.Name, part, state.SideOf(o), o.Mesh.TriangleCount, o.Mesh.PolygonCount, o.Mesh.Positions.Length,
            [.. o.Mesh.TriangleMaterials.Where(m => m >= 0).Distinct().Order().Select(m => state.Materials[m].Name)], o.Mesh.UvSets.Count,
                o.Mesh.Normals is not null, o.Mesh.Colours is not null,
            [size.X, size.Y, size.Z])
        {
            SourceName = o.SourceName,
            Detail = detail,
            Shells = flaws.Shells,
            BorderEdges = flaws.Borders.Count,
            HardEdges = flaws.Hard.Count,
            Transform = Placements.InWords(o.Mesh.Placement),
            MinMetres = [bounds.Min.X, bounds.Min.Y, bounds.Min.Z],
            MaxMetres = [bounds.Max.X, bounds.Max.Y, bounds.Max.Z],
            MaterialNumbers = [.. o.Mesh.TriangleMaterials.Distinct().Order()],
            IsHidden = o.Mesh.IsHidden,
        };
    }

    /// <summary>Names of the materials the low side uses, by first use.</summary>
    public static string[] LowMaterials(IntakeState state, IReadOnlyList<ObjectReport> rows) =>
        [.. state.Objects.Where((_, i) => rows[i].Side == Side.Low).SelectMany(o => o.Mesh.TriangleMaterials).Where(m => m >= 0).Distinct()
            .Select(m => state.Materials[m].Name)];

    /// <summary>What findings are told of one object beside its row.</summary>
    public static ObjectFacts Of(Mesh mesh, Side side, MeshFlaws flaws)
    {
        var found = new List<FlawFact>();
        foreach (var (kind, flaw) in BuildOf(flaws).Concat(side == Side.Low && mesh.UvSets.Count > 0 ? UvsOf(mesh) : []))
        {
            if (flaw.Count > 0)
                found.Add(new FlawFact(kind, flaw.Count, SpotAt(mesh, flaw.Corner)));
        }
        var m = mesh.Placement;
        float[]? placement = m.IsIdentity ? null
            : [m.M11, m.M12, m.M13, m.M14, m.M21, m.M22, m.M23, m.M24, m.M31, m.M32, m.M33, m.M34, m.M41, m.M42, m.M43, m.M44];
        return new ObjectFacts(found, flaws.IsFacetted, placement, side == Side.Low ? MaterialsOf(mesh) : []);
    }

    private static IEnumerable<(FlawKind, Flaw)> BuildOf(MeshFlaws f) =>
    [
        (FlawKind.Empty, f.Empty), (FlawKind.Doubled, f.Doubled), (FlawKind.Borders, f.Borders), (FlawKind.Crowded, f.Crowded), (FlawKind.Mixed, f.Mixed),
            (FlawKind.InsideOut, f.InsideOut),
        (FlawKind.AgainstNormals, f.AgainstNormals), (FlawKind.HardWithoutSeam, f.HardWithoutSeam), (FlawKind.Unwelded, f.Unwelded),
            (FlawKind.Concave, f.Concave), (FlawKind.Warped, f.Warped),
    ];

    private static IEnumerable<(FlawKind, Flaw)> UvsOf(Mesh mesh)
    {
        var uvs = mesh.Uvs!;
        yield return (FlawKind.UvOutside, Count(t => IsOutside(uvs, t)));
        yield return (FlawKind.UvMirrored, Count(t => Area(uvs, t) < -1e-12));
        yield return (FlawKind.UvEmpty, Count(t => Math.Abs(Area(uvs, t)) <= 1e-12 && !MeshFlaws.IsEmpty(mesh, t)));

        Flaw Count(Func<int, bool> test)
        {
            int count = 0, first = -1;
            for (int t = 0; t < mesh.TriangleCount; t++)
            {
                if (!test(t))
                    continue;
                count++;
                first = first < 0 ? 3 * t : first;
            }
            return new Flaw(count, first);
        }
    }

    private static MaterialFact[] MaterialsOf(Mesh mesh)
    {
        var seen = new Dictionary<int, (int Count, int First)>();
        for (int t = 0; t < mesh.TriangleMaterials.Length; t++)
        {
            int material = mesh.TriangleMaterials[t];
            seen[material] = seen.TryGetValue(material, out var known) ? (known.Count + 1, known.First) : (1, t);
        }
        return [.. seen.OrderBy(s => s.Value.First).Select(s => new MaterialFact(s.Key, s.Value.Count, SpotAt(mesh, 3 * s.Value.First)))];
    }

    /// <summary>The place of a corner.</summary>
    private static Spot SpotAt(Mesh mesh, int corner)
    {
        var bounds = mesh.Bounds();
        if (corner < 0)
            return Around(bounds);
        var at = mesh.PositionAt(corner);
        return new Spot(at.X, at.Y, at.Z, MathF.Max(bounds.Size.Length() * 0.05f, 4 * Vector3.Distance(at, mesh.PositionAt(Topology.Next(corner)))));
    }

    /// <summary>A whole box as a place.</summary>
    public static Spot Around(Bounds bounds)
    {
        var centre = bounds.Centre;
        return new Spot(centre.X, centre.Y, centre.Z, bounds.Size.Length() / 2);
    }

    private static bool IsOutside(Vector2[] uvs, int t)
    {
        for (int c = 3 * t; c < 3 * t + 3; c++)
        {
            if (uvs[c].X < -Slack || uvs[c].Y < -Slack || uvs[c].X > 1 + Slack || uvs[c].Y > 1 + Slack)
                return true;
        }
        return false;
    }

    internal static double Area(Vector2[] uvs, int t)
    {
        Vector2 a = uvs[3 * t], b = uvs[3 * t + 1] - a, c = uvs[3 * t + 2] - a;
        return ((double)b.X * c.Y - (double)b.Y * c.X) / 2;
    }

    /// <summary>For each sheet, which a material makes, the texels that several triangles cover.</summary>
    /// <param name="state">The objects.</param>
    /// <param name="low">Numbers of those of the low side that have UVs.</param>
    public static IEnumerable<OverlapFact> Overlaps(IntakeState state, IEnumerable<int> low) =>
        low.GroupBy(i => state.Objects[i].Mesh.TriangleMaterials.FirstOrDefault(-1)).Select(sheet => Overlap(state, [.. sheet])).OfType<OverlapFact>();

    /// <summary>Draws the triangles of a sheet and counts the texels whose middle more than one of them covers without being stacked on it.</summary>
    private static OverlapFact? Overlap(IntakeState state, int[] objects)
    {
        var owner = new int[Raster * Raster];
        var first = new List<(int Object, int Triangle)> { (-1, -1) };
        int texels = 0;
        (int Object, int Triangle)? worst = null;
        long seen = 0;
        foreach (int i in objects)
        {
            var mesh = state.Objects[i].Mesh;
            for (int t = 0; t < mesh.TriangleCount && seen < MostTexels; t++)
            {
                first.Add((i, t));
                int clashes = Draw(state, mesh.Uvs!, t, owner, first, ref seen);
                texels += clashes;
                if (clashes > 0)
                    worst ??= (i, t);
            }
        }
        return worst is { } at ? new OverlapFact(at.Object, texels, seen >= MostTexels, SpotAt(state.Objects[at.Object].Mesh, 3 * at.Triangle)) : null;
    }

    private static int Draw(IntakeState state, Vector2[] uvs, int t, int[] owner, List<(int Object, int Triangle)> drawn, ref long seen)
    {
        Vector2 a = uvs[3 * t] * Raster, b = uvs[3 * t + 1] * Raster, c = uvs[3 * t + 2] * Raster;
        float area = Cross(b - a, c - a);
        if (MathF.Abs(area) < 1e-6f || IsOutside(uvs, t))
            return 0;
        // What lies below is mostly one triangle: it is compared once, not at each texel.
        int clashes = 0, stackedOn = 0;
        int left = Math.Max(0, (int)MathF.Min(a.X, MathF.Min(b.X, c.X))), right = Math.Min(Raster - 1, (int)MathF.Max(a.X, MathF.Max(b.X, c.X)));
        int low = Math.Max(0, (int)MathF.Min(a.Y, MathF.Min(b.Y, c.Y))), high = Math.Min(Raster - 1, (int)MathF.Max(a.Y, MathF.Max(b.Y, c.Y)));
        seen += (long)Math.Max(0, right - left + 1) * Math.Max(0, high - low + 1);
        for (int y = low; y <= high; y++)
        {
            for (int x = left; x <= right; x++)
            {
                var p = new Vector2(x + 0.5f, y + 0.5f);
                // Well inside, so that neighbours that share an edge never clash.
                float u = Cross(b - a, p - a) / area, v = Cross(c - b, p - b) / area, w = Cross(a - c, p - c) / area;
                if (u < 1e-3f || v < 1e-3f || w < 1e-3f)
                    continue;
                ref int here = ref owner[y * Raster + x];
                if (here == 0)
                    here = drawn.Count - 1;
                else if (here != stackedOn)
                {
                    if (IsStacked(state, uvs, t, drawn[here]))
                        stackedOn = here;
                    else
                        clashes++;
                }
            }
        }
        return clashes;
    }

    /// <summary>Whether two triangles have the same corners on the sheet, as mirrored halves and copies do.</summary>
    private static bool IsStacked(IntakeState state, Vector2[] uvs, int t, (int Object, int Triangle) other)
    {
        var others = state.Objects[other.Object].Mesh.Uvs!;
        for (int i = 0; i < 3; i++)
        {
            bool met = false;
            for (int k = 0; k < 3; k++)
                met |= Vector2.DistanceSquared(uvs[3 * t + i], others[3 * other.Triangle + k]) < 1e-8f;
            if (!met)
                return false;
        }
        return true;
    }

    private static float Cross(Vector2 a, Vector2 b) => a.X * b.Y - a.Y * b.X;
}
