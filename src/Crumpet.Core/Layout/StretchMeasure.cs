namespace Crumpet.Core.Layout;

/// <summary>How a quantity that is 1 where nothing is stretched is spread over a surface, by area.</summary>
/// <param name="Mean">Mean.</param>
/// <param name="Most">What 95 % of the surface stays under.</param>
/// <param name="Worst">Greatest.</param>
public sealed record Spread(double Mean, double Most, double Worst)
{
    /// <summary>The spread of values that count by weight; 1 throughout where there are none.</summary>
    public static Spread Of(double[] values, double[] weights)
    {
        double total = 0, sum = 0;
        for (int i = 0; i < values.Length; i++)
        {
            total += weights[i];
            sum += weights[i] * values[i];
        }
        if (!(total > 0))
            return new Spread(1, 1, 1);
        var (order, by) = ((double[])values.Clone(), (double[])weights.Clone());
        Array.Sort(order, by);
        double seen = 0, most = order[^1];
        for (int i = 0; i < order.Length; i++)
        {
            seen += by[i];
            if (seen >= 0.95 * total)
            {
                most = order[i];
                break;
            }
        }
        return new Spread(sum / total, most, order[^1]);
    }
}

/// <summary>How far flat charts are from the surface's true shape.</summary>
internal static class StretchMeasure
{
    /// <summary>What stands for a stretch without end.</summary>
    private const double Endless = 1e6;

    /// <summary>A lesser stretch counts as no less than this share of the greater.</summary>
    public const double LeastShare = 1e-12;

    /// <summary>Greatest lengthening or shortening of each triangle against the chart's mean scale, as a factor of 1 or more; turned over or not.</summary>
    public static Spread OfChart(ChartMesh chart, double[] uv)
    {
        double flat = 0;
        var values = new double[chart.TriangleCount];
        var weights = new double[chart.TriangleCount];
        for (int t = 0; t < chart.TriangleCount; t++)
        {
            var f = SymmetricDirichlet.Gradient(chart, uv, t);
            flat += chart.Rest[t].Area * Math.Abs(f.A * f.D - f.B * f.C);
        }
        double scale = Math.Max(Math.Sqrt(flat / chart.Area), 1e-30);
        for (int t = 0; t < chart.TriangleCount; t++)
        {
            var (s1, s2) = SingularValues(SymmetricDirichlet.Gradient(chart, uv, t));
            values[t] = Bounded(Math.Max(s1 / scale, scale / Math.Max(Math.Abs(s2), 1e-30)));
            weights[t] = chart.Rest[t].Area;
        }
        return Spread.Of(values, weights);
    }

    /// <summary>How far each triangle is from square: greater over lesser stretch.</summary>
    public static Spread Angles(ChartMesh chart, double[] uv)
    {
        var values = new double[chart.TriangleCount];
        var weights = new double[chart.TriangleCount];
        for (int t = 0; t < chart.TriangleCount; t++)
        {
            (values[t], weights[t]) = (Angle(SingularValues(SymmetricDirichlet.Gradient(chart, uv, t))), chart.Rest[t].Area);
        }
        return Spread.Of(values, weights);
    }

    /// <summary>Greater over lesser stretch, of a triangle that may be turned over.</summary>
    public static double Angle((double S1, double S2) stretch) => Bounded(stretch.S1 / Math.Max(Math.Abs(stretch.S2), LeastShare * stretch.S1));

    /// <summary>A stretch that can be told: what comes from no length or no area at all is without end.</summary>
    public static double Bounded(double factor) => factor <= Endless ? factor : Endless;

    /// <summary>Greater and lesser singular value; the lesser is negative for a map that turns over.</summary>
    public static (double S1, double S2) SingularValues((double A, double B, double C, double D) f)
    {
        double even = Math.Sqrt((f.A + f.D) * (f.A + f.D) + (f.C - f.B) * (f.C - f.B)) / 2,
            odd = Math.Sqrt((f.A - f.D) * (f.A - f.D) + (f.C + f.B) * (f.C + f.B)) / 2;
        return (even + odd, even - odd);
    }
}
