using System.Numerics;
using Crumpet.Core.Geometry;

namespace Crumpet.Core.Intake;

/// <summary>What is wrong with the UVs of the low side.</summary>
internal static class UvFindings
{
    private const float Slack = 1e-4f;
    private const int Raster = 1024;

    // Thousands of objects that each take the whole sheet are looked at until this many texels were; that they overlap is clear by then.
    private const long MostTexels = 64L * Raster * Raster;

    public static IEnumerable<Finding> Of(IntakeLook look)
    {
        int[] low = [.. look.Of(Side.Low)];
        foreach (int i in low.Where(i => look.Rows[i].UvSets == 0))
            yield return new Finding(Severity.Warn, "low-without-uvs", look.Rows[i].Name, $"{look.Rows[i].Name} in {look.Rows[i].File} has no UVs; Layout unwraps it and packs all islands anew, so unwrap it before you drop it if the others are to stay where they are.", look.Rows[i].Triangles) { Spot = look.SpotAt(i, -1) };
        int[] laid = [.. low.Where(i => look.Rows[i].UvSets > 0)];
        foreach (var f in Kind(look, laid, Severity.Warn, "uv-outside", IsOutside, (n, names) => $"{SurfaceFindings.Many(n, "triangle")} of {names} {(n == 1 ? "leaves" : "leave")} the tile; what lies outside is not baked, so move {(n == 1 ? "it" : "them")} in."))
            yield return f;
        foreach (var f in Kind(look, laid, Severity.Note, "uv-flipped", (uvs, t) => Area(uvs, t) < -1e-12, (n, names) => $"{SurfaceFindings.Many(n, "triangle")} of {names} {(n == 1 ? "is" : "are")} mirrored on the sheet; {(n == 1 ? "its" : "their")} bake is right, text on {(n == 1 ? "it" : "them")} would read backwards."))
            yield return f;
        foreach (var f in Kind(look, laid, Severity.Warn, "uv-without-area", (uvs, t) => Math.Abs(Area(uvs, t)) <= 1e-12, (n, names) => $"{SurfaceFindings.Many(n, "triangle")} of {names} {(n == 1 ? "has" : "have")} no area on the sheet and {(n == 1 ? "gets" : "get")} no texels; unwrap {(n == 1 ? "it" : "them")} again.", alsoEmpty: false))
            yield return f;
        foreach (var sheet in laid.GroupBy(i => look.State.Objects[i].Mesh.TriangleMaterials.FirstOrDefault(-1)))
        {
            if (Overlap(look, [.. sheet]) is { } overlap)
                yield return overlap;
        }
    }

    private static IEnumerable<Finding> Kind(IntakeLook look, int[] among, Severity severity, string code, Func<Vector2[], int, bool> test, Func<int, string, string> sentence, bool alsoEmpty = true)
    {
        var found = among.Select(i =>
        {
            var mesh = look.State.Objects[i].Mesh;
            int[] hit = [.. Enumerable.Range(0, mesh.TriangleCount).Where(t => test(mesh.Uvs!, t) && (alsoEmpty || !MeshFlaws.IsEmpty(mesh, t)))];
            return (Object: i, hit.Length, Corner: hit.Length > 0 ? 3 * hit[0] : -1);
        }).Where(f => f.Length > 0).OrderByDescending(f => f.Length).ToArray();
        if (found.Length == 0)
            yield break;
        int total = found.Sum(f => f.Length);
        yield return new Finding(severity, code, look.Rows[found[0].Object].Name, sentence(total, look.Names([.. found.Select(f => f.Object)])), total) { Spot = look.SpotAt(found[0].Object, found[0].Corner) };
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

    /// <summary>Draws the triangles of a sheet and counts the texels whose middle more than one of them covers without being stacked on it.</summary>
    private static Finding? Overlap(IntakeLook look, int[] objects)
    {
        var owner = new int[Raster * Raster];
        var first = new List<(int Object, int Triangle)> { (-1, -1) };
        int texels = 0;
        (int Object, int Triangle)? worst = null;
        long seen = 0;
        foreach (int i in objects)
        {
            var mesh = look.State.Objects[i].Mesh;
            for (int t = 0; t < mesh.TriangleCount && seen < MostTexels; t++)
            {
                first.Add((i, t));
                int clashes = Draw(look, mesh.Uvs!, t, owner, first, ref seen);
                texels += clashes;
                if (clashes > 0)
                    worst ??= (i, t);
            }
        }
        // A few texels along shared edges are rounding.
        if (worst is not { } at || texels < 24)
            return null;
        double share = Math.Min(100, 100.0 * texels / owner.Length);
        return new Finding(
            Severity.Warn, "uv-overlap", look.Rows[at.Object].Name,
            FormattableString.Invariant($"UVs overlap on {(seen < MostTexels ? "" : "at least ")}{share:0.##} % of the sheet, first at {look.Rows[at.Object].Name}; surfaces that share texels overwrite each other's bake, so lay them apart or stack them exactly."), texels)
        {
            Spot = look.SpotAt(at.Object, 3 * at.Triangle),
        };
    }

    private static int Draw(IntakeLook look, Vector2[] uvs, int t, int[] owner, List<(int Object, int Triangle)> drawn, ref long seen)
    {
        Vector2 a = uvs[3 * t] * Raster, b = uvs[3 * t + 1] * Raster, c = uvs[3 * t + 2] * Raster;
        float area = Cross(b - a, c - a);
        if (MathF.Abs(area) < 1e-6f || IsOutside(uvs, t))
            return 0;
        int clashes = 0;
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
                else if (!IsStacked(look, uvs, t, drawn[here]))
                    clashes++;
            }
        }
        return clashes;
    }

    /// <summary>Whether two triangles have the same corners on the sheet, as mirrored halves and copies do.</summary>
    private static bool IsStacked(IntakeLook look, Vector2[] uvs, int t, (int Object, int Triangle) other)
    {
        var others = look.State.Objects[other.Object].Mesh.Uvs!;
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
