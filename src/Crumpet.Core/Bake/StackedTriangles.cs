using System.Numerics;
using Crumpet.Core.Geometry;

namespace Crumpet.Core.Bake;

/// <summary>Finds low triangles that lie exactly on those of an earlier part, as stacked and mirrored islands do on purpose: these are baked once.</summary>
internal static class StackedTriangles
{
    /// <summary>For each part its triangles that an earlier part bakes, numbered over the part's objects.</summary>
    /// <param name="parts">Low objects of each part.</param>
    /// <param name="material">Number of the sheet's material; null for all triangles.</param>
    public static IReadOnlyList<IReadOnlySet<int>> Find(IReadOnlyList<IReadOnlyList<Mesh>> parts, int? material)
    {
        var seen = new Dictionary<(Vector2, Vector2, Vector2), int>();
        var stacked = new HashSet<int>[parts.Count];
        for (int p = 0; p < stacked.Length; p++)
        {
            stacked[p] = [];
            foreach (var (number, o, triangle) in LowSurface.Chosen(parts[p], material))
            {
                if (parts[p][o].Uvs is not { } uvs)
                    continue;
                var key = Sorted(uvs[3 * triangle], uvs[3 * triangle + 1], uvs[3 * triangle + 2]);
                if (!seen.TryGetValue(key, out int first))
                    seen.Add(key, p);
                else if (first != p)
                    stacked[p].Add(number);
            }
        }
        return stacked;
    }

    private static (Vector2, Vector2, Vector2) Sorted(Vector2 a, Vector2 b, Vector2 c)
    {
        if (IsAfter(a, b))
            (a, b) = (b, a);
        if (IsAfter(b, c))
            (b, c) = (c, b);
        return IsAfter(a, b) ? (b, a, c) : (a, b, c);
    }

    private static bool IsAfter(Vector2 one, Vector2 two) => one.X > two.X || (one.X == two.X && one.Y > two.Y);
}
