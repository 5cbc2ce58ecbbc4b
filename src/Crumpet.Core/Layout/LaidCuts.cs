using System.Buffers.Binary;
using System.Runtime.InteropServices;
using Crumpet.Core.Geometry;

namespace Crumpet.Core.Layout;

/// <summary>
/// Where an object was cut, in a short text, so that it is cut there again as long as its triangles hang together as they did: neither a
/// point that is moved nor what stands around it then moves a seam.
/// </summary>
internal static class LaidCuts
{
    /// <summary>The longest such text; objects that need a longer one are cut anew each time.</summary>
    public const int Longest = 1 << 20;

    /// <summary>The cuts of an object; null where they take too long a text.</summary>
    /// <param name="surface">All of the object, and what it is cut by.</param>
    /// <param name="charts">The charts it was cut into.</param>
    public static string? Write(Surface surface, IEnumerable<ChartMesh> charts)
    {
        var bytes = new List<byte>(BitConverter.GetBytes(0UL));
        BinaryPrimitives.WriteUInt64LittleEndian(CollectionsMarshal.AsSpan(bytes), KeyOf(surface));
        int last = -1;
        foreach (int c in charts.SelectMany(CutsOf).Order())
        {
            // Steps from cut to cut, seven bits a byte.
            uint step = (uint)(c - last - 1);
            for (; step > 127; step >>= 7)
                bytes.Add((byte)(step | 128));
            bytes.Add((byte)step);
            last = c;
        }
        return bytes.Count <= Longest / 4 * 3 ? System.Convert.ToBase64String(CollectionsMarshal.AsSpan(bytes)) : null;

        IEnumerable<int> CutsOf(ChartMesh chart) => Enumerable.Range(0, chart.Across.Length).Where(c => chart.Across[c] < 0)
            .Select(c => 3 * chart.Triangles[c / 3] + c % 3).Where(c => surface.Topology.Across[c] > c && !surface.Seams.IsSeam[c]);
    }

    /// <summary>For each half-edge whether it is cut; null where the text is of another object, or of other rules.</summary>
    /// <param name="surface">All of the object, and what it is cut by.</param>
    /// <param name="text">The text.</param>
    public static bool[]? Read(Surface surface, string text)
    {
        Span<byte> bytes = new byte[text.Length];
        if (!System.Convert.TryFromBase64String(text, bytes, out int count) || count < 8 || BinaryPrimitives.ReadUInt64LittleEndian(bytes) != KeyOf(surface))
            return null;
        bool[] isCut = [.. surface.Seams.IsSeam];
        long at = -1;
        for (int i = 8; i < count; i++)
        {
            long step = 0;
            for (int shift = 0; ; shift += 7, i++)
            {
                if (i >= count || shift > 28)
                    return null;
                step |= (long)(bytes[i] & 127) << shift;
                if (bytes[i] < 128)
                    break;
            }
            at += step + 1;
            if (at >= isCut.Length || surface.Topology.Across[at] < 0)
                return null;
            isCut[at] = isCut[surface.Topology.Across[at]] = true;
        }
        return isCut;
    }

    /// <summary>A number that differs, for all that is likely, where triangles or rules do.</summary>
    /// <remarks>Source: G. Fowler, L. C. Noll, K.-P. Vo, "The FNV Non-Cryptographic Hash Algorithm", 64 bits, here four bytes at a time.</remarks>
    private static ulong KeyOf(Surface surface)
    {
        var mesh = surface.Topology.Mesh;
        ulong key = 14695981039346656037;
        for (int c = 0; c < mesh.Corners.Length; c++)
            key = (((key ^ (uint)surface.Topology.Points[c]) * 1099511628211) ^ (surface.Seams.IsSeam[c] ? 1u : 0)) * 1099511628211;
        return key;
    }
}
