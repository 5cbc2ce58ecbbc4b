using System.Numerics;
using Crumpet.Core.Geometry;
using Crumpet.Core.Tracing;

namespace Crumpet.Core.Layout;

/// <summary>Where an object is cut, and what a cut costs anywhere else.</summary>
internal static class SeamRules
{
    private const float HardDifference = 1e-4f;
    private const int LooksOut = 12;

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

    /// <summary>Whether corner normals differ across an edge.</summary>
    public static bool IsHard(Mesh mesh, int corner, int across) =>
        mesh.Normals is { } normals
        && (Differ(normals[corner], normals[Topology.Next(across)]) || Differ(normals[Topology.Next(corner)], normals[across]));

    private static bool Differ(Vector3 a, Vector3 b)
    {
        var difference = Vector3.Abs(a - b);
        return MathF.Max(difference.X, MathF.Max(difference.Y, difference.Z)) > HardDifference;
    }

    /// <summary>What a seam costs along each half-edge: its length, less in grooves and where little of the sky is seen.</summary>
    /// <param name="topology">Object.</param>
    /// <param name="hide">Whether seams should hide; otherwise they are short.</param>
    /// <param name="cancel">Ends the work early.</param>
    public static float[] Costs(Topology topology, bool hide, CancellationToken cancel)
    {
        var mesh = topology.Mesh;
        var costs = new float[mesh.Corners.Length];
        float[]? open = hide ? Openness(topology, cancel) : null;
        for (int c = 0; c < costs.Length; c++)
        {
            int next = Topology.Next(c), other = topology.Across[c];
            costs[c] = Vector3.Distance(mesh.PositionAt(c), mesh.PositionAt(next));
            if (open is null)
                continue;
            costs[c] *= 0.25f + 0.375f * (open[topology.Points[c]] + open[topology.Points[next]]);
            if (other >= 0)
                costs[c] *= 1 - 0.6f * Groove(topology, c, other);
        }
        return costs;
    }

    /// <summary>How deep the groove at an edge is, from 0 for flat or outward bent to 1.</summary>
    private static float Groove(Topology topology, int corner, int across)
    {
        var mesh = topology.Mesh;
        var normal = topology.FaceNormal(corner / 3);
        var apex = mesh.PositionAt(Topology.Next(Topology.Next(across))) - mesh.PositionAt(corner);
        float turn = 1 - Vector3.Dot(normal, topology.FaceNormal(across / 3));
        return Vector3.Dot(apex, normal) > 0 ? MathF.Min(1, turn) : 0;
    }

    /// <summary>Share of rays from each point that leave the object.</summary>
    private static float[] Openness(Topology topology, CancellationToken cancel)
    {
        var mesh = topology.Mesh;
        var open = new float[topology.PointCount];
        var normals = new Vector3[topology.PointCount];
        var at = new Vector3[topology.PointCount];
        for (int c = 0; c < mesh.Corners.Length; c++)
        {
            normals[topology.Points[c]] += topology.FaceNormal(c / 3);
            at[topology.Points[c]] = mesh.PositionAt(c);
        }
        using var bvh = Bvh.Build(mesh.Positions, mesh.Corners, 1, cancel);
        float size = mesh.Bounds().Size.Length();
        for (int p = 0; p < open.Length; p++)
        {
            if ((p & 1023) == 0)
                cancel.ThrowIfCancellationRequested();
            var up = normals[p].LengthSquared() > 1e-12f ? Vector3.Normalize(normals[p]) : Vector3.UnitY;
            int free = 0;
            for (int i = 0; i < LooksOut; i++)
            {
                // Even directions over the sphere, turned to the point's side (golden spiral).
                float z = 1 - (2 * i + 1) / (float)LooksOut;
                var (sin, cos) = MathF.SinCos(2.39996323f * i);
                var direction = new Vector3(MathF.Sqrt(1 - z * z) * cos, MathF.Sqrt(1 - z * z) * sin, z);
                if (Vector3.Dot(direction, up) < 0)
                    direction = -direction;
                if (!bvh.Any(new Ray(at[p] + 1e-4f * size * up, direction, 0, size)))
                    free++;
            }
            open[p] = free / (float)LooksOut;
        }
        return open;
    }
}
