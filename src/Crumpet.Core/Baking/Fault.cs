namespace Crumpet.Core.Baking;

/// <summary>Why a texel of a bake is wrong, worst last. Where several apply the worst is kept.</summary>
public enum FaultKind : byte
{
    /// <summary>Nothing wrong.</summary>
    None,

    /// <summary>The high surface stands at more than 60° to the ray.</summary>
    Skew,

    /// <summary>Two low triangles share the texel without lying exactly on each other.</summary>
    Overlap,

    /// <summary>The ray hit in the last 2 % of its reach.</summary>
    ReachExhausted,

    /// <summary>The ray hit a surface that belongs to another part.</summary>
    Neighbour,

    /// <summary>Only surfaces seen from behind were hit.</summary>
    BackFace,

    /// <summary>Nothing was hit.</summary>
    Miss,
}

/// <summary>Texels that hang together and are wrong for the same reason.</summary>
/// <param name="Kind">Why.</param>
/// <param name="Part">Low part they belong to.</param>
/// <param name="Other">Part whose surface was hit, for <see cref="FaultKind.Neighbour"/>; empty otherwise.</param>
/// <param name="Texels">How many.</param>
/// <param name="X">Left edge on the sheet, pixels from the left.</param>
/// <param name="Y">Top edge on the sheet, pixels from the top.</param>
/// <param name="Width">Pixels.</param>
/// <param name="Height">Pixels.</param>
public sealed record FaultRegion(FaultKind Kind, string Part, string Other, int Texels, int X, int Y, int Width, int Height);

/// <summary>One fault per texel, filled tile by tile, and grouped into regions when the bake is done.</summary>
internal sealed class FaultMap(int size)
{
    private readonly FaultKind[] kinds = new FaultKind[size * size];
    private readonly ushort[] parts = new ushort[size * size];
    private readonly ushort[] others = new ushort[size * size];

    /// <summary>The worst fault noted for a texel so far.</summary>
    public FaultKind KindAt(int texel) => kinds[texel];

    /// <summary>Sets the fault of a texel.</summary>
    public void Set(int texel, FaultKind kind, int part, int other)
    {
        kinds[texel] = kind;
        parts[texel] = (ushort)part;
        others[texel] = (ushort)other;
    }

    /// <summary>Regions, most texels first.</summary>
    public IReadOnlyList<FaultRegion> Regions(IReadOnlyList<string> partNames)
    {
        var regions = new List<FaultRegion>();
        var seen = new bool[kinds.Length];
        var open = new Stack<int>();
        for (int start = 0; start < kinds.Length; start++)
        {
            if (kinds[start] == FaultKind.None || seen[start])
                continue;
            int count = 0, x0 = size, y0 = size, x1 = 0, y1 = 0;
            seen[start] = true;
            open.Push(start);
            while (open.TryPop(out int texel))
            {
                count++;
                int x = texel % size, y = texel / size;
                (x0, y0, x1, y1) = (Math.Min(x0, x), Math.Min(y0, y), Math.Max(x1, x), Math.Max(y1, y));
                for (int ny = Math.Max(0, y - 1); ny <= Math.Min(size - 1, y + 1); ny++)
                {
                    for (int nx = Math.Max(0, x - 1); nx <= Math.Min(size - 1, x + 1); nx++)
                    {
                        int next = ny * size + nx;
                        if (seen[next] || kinds[next] != kinds[start] || parts[next] != parts[start] || others[next] != others[start])
                            continue;
                        seen[next] = true;
                        open.Push(next);
                    }
                }
            }
            string other = kinds[start] == FaultKind.Neighbour ? partNames[others[start]] : "";
            regions.Add(new FaultRegion(kinds[start], partNames[parts[start]], other, count, x0, y0, x1 - x0 + 1, y1 - y0 + 1));
        }
        return [.. regions.OrderByDescending(r => r.Texels).ThenBy(r => r.Y).ThenBy(r => r.X)];
    }
}
