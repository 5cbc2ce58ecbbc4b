using System.Numerics;

namespace Crumpet.Demo;

/// <summary>Places islands on one sheet at one density, on shelves.</summary>
internal static class SheetLayout
{
    private const float Gap = 1 / 256f;

    /// <summary>For each island where its lower left corner goes and whether it is turned by 90°, and the scale from metres to the tile.</summary>
    public static (float Scale, (Vector2 Corner, bool Turned)[] Places) Place(IReadOnlyList<Island> islands)
    {
        float low = 0, high = 10;
        for (int i = 0; i < 24; i++)
        {
            float middle = (low + high) / 2;
            if (TryPlace(islands, middle, null))
                low = middle;
            else
                high = middle;
        }
        var places = new (Vector2, bool)[islands.Count];
        TryPlace(islands, low, places);
        return (low, places);
    }

    private static bool TryPlace(IReadOnlyList<Island> islands, float scale, (Vector2, bool)[]? places)
    {
        var order = Enumerable.Range(0, islands.Count)
            .OrderByDescending(i => MathF.Min(islands[i].Width, islands[i].Height))
            .ThenByDescending(i => MathF.Max(islands[i].Width, islands[i].Height)).ThenBy(i => i);
        float x = Gap, y = Gap, shelf = 0;
        foreach (int i in order)
        {
            bool turned = islands[i].Height > islands[i].Width;
            float w = scale * MathF.Max(islands[i].Width, islands[i].Height), h = scale * MathF.Min(islands[i].Width, islands[i].Height);
            if (x + w + Gap > 1)
            {
                x = Gap;
                y += shelf + Gap;
                shelf = 0;
            }
            if (x + w + Gap > 1 || y + h + Gap > 1)
                return false;
            if (places is not null)
                places[i] = (new Vector2(x, y), turned);
            x += w + Gap;
            shelf = MathF.Max(shelf, h);
        }
        return true;
    }
}
