using System.Numerics;
using Crumpet.Core.Geometry;

namespace Crumpet.Core.Bake;

/// <summary>Finds hard edges of the low side that run within an island: two tangent frames meet in one row of texels, which shows when lit.</summary>
internal static class HardEdges
{
    // Source: the definition of a hard edge is that corner normals differ by more than 1e-4; what bends less than half a degree is not seen.
    private const float LeastChord = 0.01f;

    /// <summary>One region for the part, or none. Its rays point out of the middle of the longest edge.</summary>
    public static IEnumerable<FaultRegion> Find(BakePart part, LowSurface low)
    {
        double texels = 0;
        float longest = 0;
        FaultRegion? region = null;
        for (int o = 0; o < part.Low.Count; o++)
        {
            int[] placeOf = Places(low, o, part.Low[o].TriangleCount);
            if (!placeOf.Any(p => p >= 0))
                continue;
            var topology = Topology.OfSolid(part.Low[o]);
            var normals = part.Low[o].NormalsOrSmooth();
            var uvs = part.Low[o].Uvs!;
            for (int c = 0; c < topology.Across.Length; c++)
            {
                int across = topology.Across[c];
                if (across <= c || topology.SameWay[c] || placeOf[c / 3] < 0 || placeOf[across / 3] < 0)
                    continue;
                int next = Topology.Next(c), far = Topology.Next(across);
                bool isHard = Vector3.Distance(normals[c], normals[far]) > LeastChord || Vector3.Distance(normals[next], normals[across]) > LeastChord;
                if (!isHard || uvs[c] != uvs[far] || uvs[next] != uvs[across])
                    continue;
                int at = 3 * placeOf[c / 3];
                Vector2 a = low.Texels[at + c % 3], b = low.Texels[at + next % 3];
                float length = Vector2.Distance(a, b);
                texels += length;
                if (length <= longest)
                    continue;
                longest = length;
                var middle = (low.Positions[at + c % 3] + low.Positions[at + next % 3]) / 2;
                var outside = middle + Vector3.Normalize(low.Directions[at + c % 3] + low.Directions[at + next % 3]) * (
                    Vector3.Distance(low.Positions[at + c % 3], low.Positions[at + next % 3]) / 4);
                var min = Vector2.Min(a, b);
                var size = Vector2.Max(a, b) - min;
                region = new FaultRegion(FaultKind.HardEdge, part.Name, "", 0, (int)min.X, (int)min.Y, (int)size.X + 1, (int)size.Y + 1)
                {
                    Ray = new FaultRay([middle.X, middle.Y, middle.Z], [outside.X, outside.Y, outside.Z], [middle.X, middle.Y, middle.Z]),
                    Degrees = MathF.Acos(Math.Clamp(Vector3.Dot(normals[c], normals[far]), -1, 1)) * 180 / MathF.PI,
                };
            }
        }
        if (region is not null && texels >= 1)
            yield return region with { Texels = (int)texels };
    }

    /// <summary>For each triangle of an object its place in the low surface, or -1.</summary>
    private static int[] Places(LowSurface low, int number, int count)
    {
        var places = new int[count];
        Array.Fill(places, -1);
        for (int t = 0; t < low.Sources.Length; t++)
        {
            if (low.Sources[t].Object == number)
                places[low.Sources[t].Triangle] = t;
        }
        return places;
    }
}
