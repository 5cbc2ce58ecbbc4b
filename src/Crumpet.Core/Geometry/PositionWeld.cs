using System.Numerics;

namespace Crumpet.Core.Geometry;

/// <summary>Finds positions that are equal to the bit, so that split vertices count as one point of the surface.</summary>
public static class PositionWeld
{
    /// <summary>For each position the number of its group; groups are numbered by first appearance.</summary>
    /// <param name="positions">Positions in metres.</param>
    /// <param name="groupCount">How many distinct positions there are.</param>
    public static int[] Groups(ReadOnlySpan<Vector3> positions, out int groupCount)
    {
        var groups = new int[positions.Length];
        var seen = new Dictionary<Vector3, int>(positions.Length);
        for (int i = 0; i < positions.Length; i++)
        {
            // Adding zero folds -0 into +0, which compare equal but hash apart.
            var key = positions[i] + Vector3.Zero;
            if (!seen.TryGetValue(key, out int group))
                seen.Add(key, group = seen.Count);
            groups[i] = group;
        }
        groupCount = seen.Count;
        return groups;
    }
}
