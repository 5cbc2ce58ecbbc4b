namespace Crumpet.Core.Layout;

/// <summary>An island on its way to the tile.</summary>
internal sealed class UvIsland
{
    /// <summary>Number of its object.</summary>
    public required int Object { get; init; }

    /// <summary>Number of its part: islands of a part keep their sizes to each other.</summary>
    public required int Part { get; init; }

    /// <summary>The chart with its UVs: in tiles where <see cref="IsKept"/> or <see cref="IsLocked"/>, otherwise in metres.</summary>
    public required FlatChart Flat { get; init; }

    /// <summary>Whether the UVs are the source's.</summary>
    public required bool IsKept { get; init; }

    /// <summary>Whether it stays where it is.</summary>
    public bool IsLocked { get; init; }

    /// <summary>Where it was laid before, where it stays there; otherwise null.</summary>
    public LaidIsland? HeldAs { get; init; }

    /// <summary>Where on the tile each vertex lies, two numbers a vertex.</summary>
    public double[] Tile { get; set; } = [];

    /// <summary>Sheet.</summary>
    public int Sheet { get; set; }

    /// <summary>Island whose texels it shares; -1 for none.</summary>
    public int StackedOn { get; set; } = -1;

    /// <summary>Area-weighted mean of the lengths, on the flat chart, of what is one metre on the surface; 0 where there is no surface.</summary>
    public double MeanScale(double[] uv)
    {
        double sum = 0;
        for (int t = 0; t < Flat.Chart.TriangleCount; t++)
        {
            var (a, b, c, d) = SymmetricDirichlet.Gradient(Flat.Chart, uv, t);
            sum += Flat.Chart.Rest[t].Area * Math.Sqrt(Math.Abs(a * d - b * c));
        }
        double mean = sum / Flat.Chart.Area;
        return double.IsFinite(mean) ? mean : 0;
    }
}
