using System.Numerics;
using Crumpet.Core.Geometry;

namespace Crumpet.Core.Layout;

/// <summary>Where an object is cut, and what a cut costs anywhere else.</summary>
internal static class SeamRules
{
    private const float HardDifference = 1e-4f;

    /// <summary>Edges bent more than this are where charts are parted first, if parted at all.</summary>
    private const double SharpCosine = 0.5;

    /// <summary>What a seam that nobody sees costs against one in full sight.</summary>
    private const float LeastCost = 0.2f;

    /// <summary>How much less a seam costs in a sharp crease.</summary>
    private const float CreaseGain = 0.6f;
    private const float OutwardCrease = 0.8f;

    /// <summary>What a seam at a hard edge costs against the same elsewhere.</summary>
    private const float HardCost = 0.3f;

    /// <summary>For each half-edge whether charts end there by the rules.</summary>
    /// <param name="topology">Object.</param>
    /// <param name="settings">Rules.</param>
    public static bool[] Seams(Topology topology, UnwrapSettings settings)
    {
        var mesh = topology.Mesh;
        var isSeam = new bool[mesh.Corners.Length];
        double cut = settings.CutAngleDegrees >= 180 ? -2 : Math.Cos(settings.CutAngleDegrees * Math.PI / 180) - 1e-5;
        for (int c = 0; c < isSeam.Length; c++)
        {
            int other = topology.Across[c];
            isSeam[c] = other < 0 || topology.SameWay[c]
                || (settings.CutMaterials && mesh.TriangleMaterials[c / 3] != mesh.TriangleMaterials[other / 3])
                || (settings.CutHardEdges && IsHard(mesh, c, other))
                || Vector3.Dot(topology.FaceNormal(c / 3), topology.FaceNormal(other / 3)) < cut;
        }
        return isSeam;
    }

    /// <summary>
    /// For each half-edge whether charts end there at first, to be sewn up where that costs no stretch: sharp ones, and hard ones that are
    /// not cut anyway.
    /// </summary>
    /// <param name="topology">Object.</param>
    /// <param name="settings">Rules.</param>
    public static bool[] Soft(Topology topology, UnwrapSettings settings)
    {
        var mesh = topology.Mesh;
        var isSoft = new bool[mesh.Corners.Length];
        for (int c = 0; c < isSoft.Length; c++)
        {
            int other = topology.Across[c];
            isSoft[c] = other >= 0 && ((settings.HardEdges == HardEdgeRule.Free && IsHard(mesh, c, other))
                || Vector3.Dot(topology.FaceNormal(c / 3), topology.FaceNormal(other / 3)) < SharpCosine);
        }
        return isSoft;
    }

    /// <summary>Whether corner normals differ across an edge.</summary>
    public static bool IsHard(Mesh mesh, int corner, int across) =>
        mesh.Normals is { } normals
        && (Differ(normals[corner], normals[Topology.Next(across)]) || Differ(normals[Topology.Next(corner)], normals[across]));

    private static bool Differ(Vector3 a, Vector3 b)
    {
        var difference = Vector3.Abs(a - b);
        return MathF.Max(difference.X, MathF.Max(difference.Y, difference.Z)) > HardDifference;
    }

    /// <summary>What a seam costs along each half-edge: its length, less in grooves and where it is little seen.</summary>
    /// <param name="topology">Object.</param>
    /// <param name="settings">Rules.</param>
    /// <param name="seen">How much each of its points is seen; null where seams are to be short and no more.</param>
    public static float[] Costs(Topology topology, UnwrapSettings settings, float[]? seen)
    {
        var mesh = topology.Mesh;
        var costs = new float[mesh.Corners.Length];
        for (int c = 0; c < costs.Length; c++)
        {
            int next = Topology.Next(c), other = topology.Across[c];
            costs[c] = Vector3.Distance(mesh.PositionAt(c), mesh.PositionAt(next));
            if (other >= 0 && settings.HardEdges != HardEdgeRule.Ignore && IsHard(mesh, c, other))
                costs[c] *= HardCost;
            if (seen is null)
                continue;
            costs[c] *= LeastCost + (1 - LeastCost) / 2 * (seen[topology.Points[c]] + seen[topology.Points[next]]);
            if (other >= 0)
                costs[c] *= 1 - CreaseGain * Crease(topology, c, other);
        }
        return costs;
    }

    /// <summary>How sharply an edge is bent, from 0 for flat to 1 for a right angle or more; outward a little less.</summary>
    private static float Crease(Topology topology, int corner, int across)
    {
        var mesh = topology.Mesh;
        var normal = topology.FaceNormal(corner / 3);
        var apex = mesh.PositionAt(Topology.Next(Topology.Next(across))) - mesh.PositionAt(corner);
        float turn = MathF.Min(1, 1 - Vector3.Dot(normal, topology.FaceNormal(across / 3)));
        return Vector3.Dot(apex, normal) > 0 ? turn : OutwardCrease * turn;
    }
}
