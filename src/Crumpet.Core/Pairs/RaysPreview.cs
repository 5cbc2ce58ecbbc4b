using System.Numerics;
using System.Runtime.InteropServices;
using System.Text.Json;
using Crumpet.Core.Geometry;

namespace Crumpet.Core.Pairs;

/// <summary>A part whose cage is shown.</summary>
/// <param name="Name">Its name.</param>
/// <param name="Low">Its low objects.</param>
/// <param name="Rays">One for each.</param>
/// <param name="OutwardReachMetres">How far outside the low surface rays start without a cage, metres.</param>
/// <param name="Outside">High vertices outside the cage, metres.</param>
internal sealed record PreviewedRays(string Name, IReadOnlyList<Mesh> Low, IReadOnlyList<LowRays> Rays, float OutwardReachMetres, Vector3[] Outside);

/// <summary>Cages and ray directions for the 3D stage.</summary>
/// <remarks>
/// Layout, little-endian: "CRP1", length of the JSON header in bytes, the header (padded with spaces to four), then per part of the header
/// its triangles' corners as three floats each of the cage, its hairs as six floats each (where a ray starts and where it ends), and
/// three floats for each high vertex outside the cage.
/// </remarks>
public static class RaysPreview
{
    /// <summary>The bytes of a preview.</summary>
    /// <param name="shown">Parts.</param>
    internal static byte[] Write(IReadOnlyList<PreviewedRays> shown)
    {
        using var data = new MemoryStream();
        var parts = new List<object>();
        foreach (var part in shown)
        {
            var cage = new List<Vector3>();
            var hairs = new List<Vector3>();
            for (int k = 0; k < part.Low.Count; k++)
                Add(part.Low[k], part.Rays[k], part.OutwardReachMetres, cage, hairs);
            long at = data.Position;
            parts.Add(new
            {
                name = part.Name,
                cage = at,
                triangles = cage.Count / 3,
                hairs = at + 12 * cage.Count,
                hairCount = hairs.Count / 2,
                outside = at + 12 * (cage.Count + hairs.Count),
                outsideCount = part.Outside.Length,
            });
            data.Write(MemoryMarshal.AsBytes<Vector3>(CollectionsMarshal.AsSpan(cage)));
            data.Write(MemoryMarshal.AsBytes<Vector3>(CollectionsMarshal.AsSpan(hairs)));
            data.Write(MemoryMarshal.AsBytes<Vector3>(part.Outside));
        }
        return StagePreview.Assemble("CRP1"u8, new { parts }, data);
    }

    private static void Add(Mesh mesh, LowRays rays, float outwardReachMetres, List<Vector3> cage, List<Vector3> hairs)
    {
        var starts = Starts(mesh, rays, outwardReachMetres);
        cage.AddRange(starts);
        // Corners of a vertex that share a direction are one hair.
        var seen = new HashSet<(int, Vector3)>();
        for (int c = 0; c < starts.Length; c++)
        {
            var position = mesh.PositionAt(c);
            if (!seen.Add((mesh.Corners[c], starts[c])))
                continue;
            var move = starts[c] - position;
            var direction = move.LengthSquared() > 1e-14f ? Vector3.Normalize(move) : rays.Directions[c];
            hairs.Add(starts[c]);
            hairs.Add(position - direction * rays.Inward[c]);
        }
    }

    /// <summary>Where rays of each corner start.</summary>
    public static Vector3[] Starts(Mesh low, LowRays rays, float outwardReachMetres) =>
        rays.Cage ?? [.. Enumerable.Range(0, low.Corners.Length).Select(c => low.PositionAt(c) + rays.Directions[c] * outwardReachMetres)];
}
