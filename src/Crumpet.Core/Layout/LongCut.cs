namespace Crumpet.Core.Layout;

/// <summary>Cuts charts across that are too long for the sheet.</summary>
internal static class LongCut
{
    private const int Candidates = 24;
    private const double LeastGain = 0.85;

    /// <summary>The halves of a flat chart that is longer than wanted, or null where it is short enough.</summary>
    public static List<ChartMesh>? Across(FlatChart flat, double longestMetres)
    {
        var chart = flat.Chart;
        if (chart.TriangleCount < 2)
            return null;
        var (turn, _, length) = IslandTurns.LeastBox(flat.Shape());
        if (length <= longestMetres)
            return null;
        var (sin, cos) = Math.SinCos(-turn);
        var along = new double[chart.VertexCount];
        for (int v = 0; v < along.Length; v++)
            along[v] = cos * flat.Uv[2 * v] + sin * flat.Uv[2 * v + 1];
        double least = along.Min(), middle = least + length / 2;
        // Where vertices lie in a row across the chart, the fewest triangles lie on both sides of the cut.
        double cut = along.OrderBy(x => Math.Abs(x - middle)).Where(x => x > least + length / 4 && x < least + 0.75 * length).Take(Candidates).Append(middle)
            .MinBy(x => Straddling(chart, along, x) + Math.Abs(x - middle) / length);
        var label = new int[chart.TriangleCount];
        for (int t = 0; t < label.Length; t++)
            label[t] = along[chart.Corners[3 * t]] + along[chart.Corners[3 * t + 1]] + along[chart.Corners[3 * t + 2]] < 3 * cut ? 0 : 1;
        // Faces that run the whole length are not shortened by parting them.
        if (label.Min() == label.Max() || Enumerable.Range(0, 2).Any(side => Extent(chart, along, label, side) > LeastGain * length))
            return null;
        return ChartSplit.Parts(chart, label);
    }

    private static double Extent(ChartMesh chart, double[] along, int[] label, int side)
    {
        double least = double.PositiveInfinity, most = double.NegativeInfinity;
        for (int c = 0; c < chart.Corners.Length; c++)
        {
            if (label[c / 3] != side)
                continue;
            least = Math.Min(least, along[chart.Corners[c]]);
            most = Math.Max(most, along[chart.Corners[c]]);
        }
        return most - least;
    }

    private static int Straddling(ChartMesh chart, double[] along, double cut)
    {
        int count = 0;
        double slack = 1e-6 * (1 + Math.Abs(cut));
        for (int t = 0; t < chart.TriangleCount; t++)
        {
            double a = along[chart.Corners[3 * t]], b = along[chart.Corners[3 * t + 1]], c = along[chart.Corners[3 * t + 2]];
            if (Math.Min(a, Math.Min(b, c)) < cut - slack && Math.Max(a, Math.Max(b, c)) > cut + slack)
                count++;
        }
        return count;
    }
}
