using System.Numerics;
using System.Text.Json;
using Crumpet.Core.Geometry;

namespace Crumpet.Core.Layout;

/// <summary>
/// The islands for the browser's canvas: every triangle with its UVs and what it can be coloured by.
/// </summary>
/// <remarks>
/// Layout, little-endian: "CPU1", length of the JSON header in bytes, the header (padded with spaces to four), then the arrays it
/// points into by byte offset, each padded to four: six floats of UV a triangle, the same at even density where slack changed them,
/// an int of the island, floats of density (px/m), angle and area stretch, a byte of flags (1 turned over, 2 covered by
/// others too, bits 2 to 4 for edges on the island's border, bits 5 to 7 for hard edges).
/// </remarks>
public static class LayoutView
{
    private const int Turned = 1, Overlapping = 2, FirstBorder = 4, FirstHard = 32;

    /// <summary>The bytes of a view.</summary>
    /// <param name="input">What was laid out.</param>
    /// <param name="result">How.</param>
    public static byte[] Write(LayoutInput input, LayoutResult result)
    {
        int count = input.Objects.Sum(o => o.Mesh.TriangleCount), at = 0;
        var uvs = new Vector2[3 * count];
        var even = result.EvenUvs is null ? null : new Vector2[3 * count];
        var islands = new int[count];
        float[] densities = new float[count], angles = new float[count], areas = new float[count];
        var flags = new byte[count];
        for (int i = 0; i < input.Objects.Count; i++)
        {
            var mesh = input.Objects[i].Mesh;
            result.Uvs[i].CopyTo(uvs, 3 * at);
            result.EvenUvs?[i].CopyTo(even!, 3 * at);
            result.TriangleIslands[i].CopyTo(islands, at);
            Measure(mesh, result, i, input.Size, densities.AsSpan(at), angles.AsSpan(at), areas.AsSpan(at), flags.AsSpan(at));
            at += mesh.TriangleCount;
        }
        using var data = new MemoryStream();
        var header = new
        {
            size = input.Size,
            triangles = count,
            sheets = result.Report.Sheets.Count,
            // By what number the stage knows the triangles of each sheet; one sheet has all of them.
            numbers = result.Report.Sheets.Select((s, i) => input.Settings.Sheets == SheetRule.Together ? i : s.Material ?? -1),
            objects = input.Objects.Select(o => new { name = o.Mesh.Name, part = o.Part, triangles = o.Mesh.TriangleCount }),
            islands = result.Report.Each.Select(e =>
                new
                {
                    on = e.ObjectNumber,
                    sheet = e.Sheet,
                    triangles = e.Triangles,
                    density = Math.Round(e.Density, 2),
                    stretch = Math.Round(e.Stretch, 4),
                    locked = e.IsLocked,
                    stackedOn = e.StackedOn,
                    spot = e.Spot
                }),
            uv = StagePreview.Append<Vector2>(data, uvs),
            even = even is null ? (long?)null : StagePreview.Append<Vector2>(data, even),
            island = StagePreview.Append<int>(data, islands),
            density = StagePreview.Append<float>(data, densities),
            angle = StagePreview.Append<float>(data, angles),
            area = StagePreview.Append<float>(data, areas),
            flags = StagePreview.Append<byte>(data, flags),
        };
        return StagePreview.Assemble("CPU1"u8, header, data);
    }

    private static void Measure(Mesh mesh, LayoutResult result, int number, int size, Span<float> densities, Span<float> angles, Span<float> areas,
        Span<byte> flags)
    {
        var topology = Topology.OfSolid(mesh);
        var uvs = result.Uvs[number];
        bool[] isBorder = IslandFinder.Seams(topology, uvs, false);
        int[] islands = result.TriangleIslands[number];
        for (int t = 0; t < mesh.TriangleCount; t++)
        {
            if (MeshFlaws.IsEmpty(mesh, t))
            {
                (densities[t], angles[t], areas[t], flags[t]) = (0, 1, 1, 0);
                continue;
            }
            var rest = RestShape.Of(mesh.PositionAt(3 * t), mesh.PositionAt(3 * t + 1), mesh.PositionAt(3 * t + 2), 1e-4);
            var g = rest.Gradients();
            Vector2 a = uvs[3 * t], b = uvs[3 * t + 1], c = uvs[3 * t + 2];
            var (s1, s2) = StretchMeasure.SingularValues((
                g.X0 * a.X + g.X1 * b.X + g.X2 * c.X, g.Y0 * a.X + g.Y1 * b.X + g.Y2 * c.X, g.X0 * a.Y + g.X1 * b.Y + g.X2 * c.Y,
                    g.Y0 * a.Y + g.Y1 * b.Y + g.Y2 * c.Y));
            double turned = Math.Max(Math.Abs(s2), 1e-12), density = Math.Sqrt(s1 * turned) * size, mean = result.Report.Each[islands[t]].Density;
            densities[t] = (float)density;
            angles[t] = (float)StretchMeasure.Bounded(s1 / turned);
            areas[t] = mean > 0 ? (float)(density * density / (mean * mean)) : 1;
            int flag = s2 < 0 ? Turned : 0;
            for (int k = 0; k < 3; k++)
            {
                int corner = 3 * t + k, across = topology.Across[corner];
                if (isBorder[corner] || (across >= 0 && islands[across / 3] != islands[t]))
                    flag |= FirstBorder << k;
                if (across >= 0 && SeamRules.IsHard(mesh, corner, across))
                    flag |= FirstHard << k;
            }
            flags[t] = (byte)(flag | (result.Overlapping[number][t] ? Overlapping : 0));
        }
    }
}
