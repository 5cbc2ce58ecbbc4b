using System.Numerics;
using Crumpet.Core.Geometry;

namespace Crumpet.Core.Pairs;

/// <summary>Puts the corners of a cage object beside those of the low object it was made from.</summary>
internal static class CageMatch
{
    /// <summary>Where rays of each low corner start, or null where the cage does not fit.</summary>
    /// <param name="low">Low objects of a part.</param>
    /// <param name="cages">Cage objects of the part, one a low object, in the same order.</param>
    /// <param name="problem">What is wrong, one sentence without its subject; empty where nothing is.</param>
    public static Vector3[]? Starts(IReadOnlyList<Mesh> low, IReadOnlyList<Mesh> cages, out string problem)
    {
        problem = "";
        if (cages.Count == 0)
            return null;
        if (cages.Count != low.Count)
        {
            problem = $"has {cages.Count} cage objects for {low.Count} low ones";
            return null;
        }
        var starts = new List<Vector3>();
        for (int i = 0; i < low.Count; i++)
        {
            // Faces in the same order have corners in the same order, whatever a format did to vertices.
            if (low[i].TriangleCount != cages[i].TriangleCount)
            {
                problem = $"has a cage of {cages[i].TriangleCount} triangles for a low object of {low[i].TriangleCount}";
                return null;
            }
            if (!AgreeInVertices(low[i], cages[i]))
            {
                problem = "has a cage whose faces stand in another order than the low object's";
                return null;
            }
            starts.AddRange(Enumerable.Range(0, cages[i].Corners.Length).Select(cages[i].PositionAt));
        }
        return [.. starts];
    }

    /// <summary>Whether corners that are one point on the low object are one point on the cage too.</summary>
    private static bool AgreeInVertices(Mesh low, Mesh cage)
    {
        int[] lowGroups = PositionWeld.Groups(low.Positions, out int count), cageGroups = PositionWeld.Groups(cage.Positions, out _);
        var partner = Enumerable.Repeat(-1, count).ToArray();
        for (int c = 0; c < low.Corners.Length; c++)
        {
            ref int known = ref partner[lowGroups[low.Corners[c]]];
            int group = cageGroups[cage.Corners[c]];
            if (known < 0)
                known = group;
            else if (known != group)
                return false;
        }
        return true;
    }

    /// <summary>The cage as an object with the low object's vertices and faces; where corners of a vertex part, their middle.</summary>
    /// <param name="low">Low object.</param>
    /// <param name="starts">Where rays of its corners start, metres.</param>
    /// <param name="name">Name of the cage.</param>
    public static Mesh Object(Mesh low, ReadOnlySpan<Vector3> starts, string name)
    {
        var sum = new Vector3[low.Positions.Length];
        var count = new int[sum.Length];
        for (int c = 0; c < starts.Length; c++)
        {
            sum[low.Corners[c]] += starts[c];
            count[low.Corners[c]]++;
        }
        return low with
        {
            Name = name,
            Positions = [.. sum.Select((s, i) => count[i] > 0 ? s / count[i] : low.Positions[i])],
            Normals = null,
            UvSets = [],
            Colours = null,
            TriangleMaterials = [.. Enumerable.Repeat(-1, low.TriangleCount)],
            Placement = Matrix4x4.Identity,
        };
    }
}
