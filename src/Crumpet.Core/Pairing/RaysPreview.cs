using System.Numerics;
using System.Runtime.InteropServices;
using System.Text.Json;
using Crumpet.Core.Geometry;

namespace Crumpet.Core.Pairing;

/// <summary>Cages and ray directions for the 3D stage.</summary>
/// <remarks>
/// Layout, little-endian: "CRP1", length of the JSON header in bytes, the header (padded with spaces to four), then per part of the header
/// its triangles' corners as three floats each of the cage, its hairs as six floats each (where a ray starts and where it ends), and
/// three floats for each high vertex outside the cage.
/// </remarks>
public static class RaysPreview
{
    /// <summary>The bytes of a preview.</summary>
    /// <param name="report">Parts.</param>
    /// <param name="meshes">One an object.</param>
    /// <param name="rays">Rays by number of the low object.</param>
    /// <param name="outside">High vertices outside cages, by number of the row.</param>
    public static byte[] Write(PairReport report, IReadOnlyList<Mesh> meshes, IReadOnlyDictionary<int, LowRays> rays, IReadOnlyDictionary<int, Vector3[]> outside)
    {
        using var data = new MemoryStream();
        var parts = new List<object>();
        for (int number = 0; number < report.Parts.Count; number++)
        {
            var row = report.Parts[number];
            if (!row.IsPaired)
                continue;
            var cage = new List<Vector3>();
            var hairs = new List<Vector3>();
            foreach (int low in row.Low)
            {
                var mesh = meshes[low];
                var starts = Starts(mesh, rays[low], row.OutwardReachMetres);
                cage.AddRange(starts);
                // Corners of a vertex that share a direction are one hair.
                var seen = new HashSet<(int, Vector3)>();
                for (int c = 0; c < starts.Length; c++)
                {
                    var position = mesh.PositionAt(c);
                    if (!seen.Add((mesh.Corners[c], starts[c])))
                        continue;
                    var move = starts[c] - position;
                    var direction = move.LengthSquared() > 1e-14f ? Vector3.Normalize(move) : rays[low].Directions[c];
                    hairs.Add(starts[c]);
                    hairs.Add(position - direction * rays[low].Inward[c]);
                }
            }
            var over = outside.GetValueOrDefault(number) ?? [];
            long at = data.Position;
            parts.Add(new { name = row.Name, cage = at, triangles = cage.Count / 3, hairs = at + 12 * cage.Count, hairCount = hairs.Count / 2, outside = at + 12 * (cage.Count + hairs.Count), outsideCount = over.Length });
            data.Write(MemoryMarshal.AsBytes<Vector3>(CollectionsMarshal.AsSpan(cage)));
            data.Write(MemoryMarshal.AsBytes<Vector3>(CollectionsMarshal.AsSpan(hairs)));
            data.Write(MemoryMarshal.AsBytes<Vector3>(over));
        }
        return StagePreview.Assemble("CRP1"u8, new { parts }, data);
    }

    /// <summary>Where rays of each corner start.</summary>
    public static Vector3[] Starts(Mesh low, LowRays rays, float outwardReachMetres) =>
        rays.Cage ?? [.. Enumerable.Range(0, low.Corners.Length).Select(c => low.PositionAt(c) + rays.Directions[c] * outwardReachMetres)];

    /// <summary>The cages of all parts as objects with the low objects' vertices and faces, to be worked on elsewhere.</summary>
    /// <param name="report">Parts.</param>
    /// <param name="meshes">One an object.</param>
    /// <param name="rays">Rays by number of the low object.</param>
    /// <param name="nameOf">Name of a part's cage, given its detail.</param>
    public static IReadOnlyList<Mesh> Objects(PairReport report, IReadOnlyList<Mesh> meshes, IReadOnlyDictionary<int, LowRays> rays, Func<PartRow, int, string> nameOf) =>
        [.. report.Paired.SelectMany(row => row.Low.Select(i => CageMatch.Object(meshes[i], Starts(meshes[i], rays[i], row.OutwardReachMetres), nameOf(row, i))))];
}
