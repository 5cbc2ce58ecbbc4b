using Crumpet.Core.Geometry;

namespace Crumpet.Core.Layout;

/// <summary>
/// Makes a flat chart as true to the surface as it can be: Newton's method on the symmetric Dirichlet energy, which is
/// least where nothing is stretched and infinite where a triangle would turn over, so that none ever does.
/// </summary>
/// <remarks>
/// Energy: J. Smith, S. Schaefer, "Bijective Parameterization with Free Boundaries", 2015, with their longest step before a
/// triangle turns over. Positive definite Hessian: B. Smith, F. de Goes, T. Kim, "Analytic Eigensystems for Isotropic
/// Distortion Energies", 2019, here for two dimensions.
/// </remarks>
internal sealed class SymmetricDirichlet
{
    private const int MostIterations = 60;
    private const double EnoughGain = 1e-7;

    /// <summary>A limit that this many steps like the last do not reach is out of reach.</summary>
    private const double HopefulSteps = 2;

    /// <summary>How many times the stretch of the limit a single triangle may have.</summary>
    private const double WorstOfLimit = 5;

    /// <summary>The same for how far from square triangles are: their mean, and what 95 % stay under.</summary>
    private const double MeanAngle = 0.4, MostAngle = 1.2;

    private readonly ChartMesh chart;
    private readonly VertexGraph graph;
    private readonly BlockCholesky solver;
    private readonly bool[]? isPinned;
    private readonly double[] blocks;

    /// <summary>Prepares for a chart.</summary>
    /// <param name="chart">Chart.</param>
    /// <param name="graph">Its graph.</param>
    /// <param name="solver">Analysed for the graph.</param>
    /// <param name="isPinned">Vertices that stay; null pins none.</param>
    public SymmetricDirichlet(ChartMesh chart, VertexGraph graph, BlockCholesky solver, bool[]? isPinned = null)
    {
        this.chart = chart;
        this.graph = graph;
        this.solver = solver;
        this.isPinned = isPinned;
        blocks = new double[4 * graph.Neighbours.Length];
    }

    /// <summary>Energy as a multiple of that of the true shape: 1 is no stretch at all, infinite with a turned triangle.</summary>
    /// <param name="chart">Chart.</param>
    /// <param name="uv">Two numbers a vertex, metres.</param>
    public static double Energy(ChartMesh chart, double[] uv)
    {
        double sum = 0;
        for (int t = 0; t < chart.TriangleCount; t++)
        {
            var f = Gradient(chart, uv, t);
            double det = f.A * f.D - f.B * f.C;
            if (!(det > 0))
                return double.PositiveInfinity;
            double square = f.A * f.A + f.B * f.B + f.C * f.C + f.D * f.D;
            sum += chart.Rest[t].Area * square * (1 + 1 / (det * det));
        }
        return sum / (4 * chart.Area);
    }

    /// <summary>Improves a chart in place until little is gained.</summary>
    /// <param name="uv">Two numbers a vertex, metres, no triangle turned over.</param>
    /// <param name="cancel">Ends the work early.</param>
    public void Minimise(double[] uv, CancellationToken cancel) => Minimise(uv, () => false, cancel);

    /// <summary>Improves a chart in place until 95 % of it is within a stretch limit; false as soon as that seems out of reach.</summary>
    /// <param name="uv">Two numbers a vertex, metres, no triangle turned over.</param>
    /// <param name="limit">Stretch that 95 % may have; single triangles may have several times that.</param>
    /// <param name="cancel">Ends the work early.</param>
    public bool Reach(double[] uv, double limit, CancellationToken cancel)
    {
        double before = double.PositiveInfinity;
        bool reached = IsReached(), isHopeless = false;
        if (!reached)
            Minimise(uv, () => (reached = IsReached()) || isHopeless, cancel);
        return reached;

        bool IsReached()
        {
            // Stretch as a multiple of what is allowed.
            Spread lengths = StretchMeasure.OfChart(chart, uv), angles = StretchMeasure.Angles(chart, uv);
            double now = Math.Max(Math.Max(lengths.Most - 1, (lengths.Worst - 1) / WorstOfLimit),
                Math.Max((angles.Mean - 1) / MeanAngle, (angles.Most - 1) / MostAngle)) / (limit - 1);
            isHopeless = now - HopefulSteps * Math.Abs(before - now) > 1;
            before = now;
            return now <= 1;
        }
    }

    private void Minimise(double[] uv, Func<bool> isEnough, CancellationToken cancel)
    {
        if (isPinned is null)
            ScaleBest(chart, uv);
        double energy = Energy(chart, uv);
        var step = new double[uv.Length];
        var tried = new double[uv.Length];
        for (int i = 0; i < MostIterations; i++)
        {
            cancel.ThrowIfCancellationRequested();
            double slope = NewtonStep(uv, step, cancel);
            if (!(slope < 0))
                return;
            double length = Math.Min(1, 0.9 * LongestStep(chart, uv, step)), next;
            for (; ; length *= 0.5)
            {
                for (int k = 0; k < uv.Length; k++)
                    tried[k] = uv[k] + length * step[k];
                next = Energy(chart, tried);
                if (next <= energy + 1e-4 * length * slope)
                    break;
                if (length < 1e-10)
                    return;
            }
            tried.CopyTo(uv, 0);
            double gain = energy - next;
            energy = next;
            if (gain < EnoughGain * energy || isEnough())
                return;
        }
    }

    /// <summary>Scales a chart to least energy.</summary>
    public static void ScaleBest(ChartMesh chart, double[] uv)
    {
        double grown = 0, shrunk = 0;
        for (int t = 0; t < chart.TriangleCount; t++)
        {
            var f = Gradient(chart, uv, t);
            double det = f.A * f.D - f.B * f.C, square = f.A * f.A + f.B * f.B + f.C * f.C + f.D * f.D;
            grown += chart.Rest[t].Area * square;
            shrunk += chart.Rest[t].Area * square / (det * det);
        }
        double scale = Math.Pow(shrunk / grown, 0.25);
        if (!double.IsFinite(scale) || scale <= 0)
            return;
        for (int k = 0; k < uv.Length; k++)
            uv[k] *= scale;
    }

    /// <summary>Derivative of the map from the triangle's true shape to the chart, row by row.</summary>
    public static (double A, double B, double C, double D) Gradient(ChartMesh chart, double[] uv, int triangle)
    {
        var g = chart.Rest[triangle].Gradients();
        int v0 = 2 * chart.Corners[3 * triangle], v1 = 2 * chart.Corners[3 * triangle + 1], v2 = 2 * chart.Corners[3 * triangle + 2];
        return (
            g.X0 * uv[v0] + g.X1 * uv[v1] + g.X2 * uv[v2], g.Y0 * uv[v0] + g.Y1 * uv[v1] + g.Y2 * uv[v2],
            g.X0 * uv[v0 + 1] + g.X1 * uv[v1 + 1] + g.X2 * uv[v2 + 1], g.Y0 * uv[v0 + 1] + g.Y1 * uv[v1 + 1] + g.Y2 * uv[v2 + 1]);
    }

    /// <summary>Newton's step with negative curvature left out, and how fast the energy falls along it.</summary>
    private double NewtonStep(double[] uv, double[] step, CancellationToken cancel)
    {
        Array.Clear(blocks);
        Array.Clear(step);
        Span<double> modes = stackalloc double[16];
        Span<double> weights = stackalloc double[4];
        Span<double> gradients = stackalloc double[6];
        Span<double> q = stackalloc double[6];
        for (int t = 0; t < chart.TriangleCount; t++)
        {
            if ((t & 4095) == 0)
                cancel.ThrowIfCancellationRequested();
            var f = Gradient(chart, uv, t);
            double share = chart.Rest[t].Area / (4 * chart.Area);
            var (g0, h0, g1, h1, g2, h2) = chart.Rest[t].Gradients();
            (gradients[0], gradients[1], gradients[2], gradients[3], gradients[4], gradients[5]) = (g0, h0, g1, h1, g2, h2);
            Modes(f, modes, weights);
            // First derivative with respect to the map: 2 F (1 + 1/det²) minus 2 |F|²/det³ times the cofactors.
            double det = f.A * f.D - f.B * f.C, square = f.A * f.A + f.B * f.B + f.C * f.C + f.D * f.D;
            double along = 2 + 2 / (det * det), turn = -2 * square / (det * det * det);
            double pa = along * f.A + turn * f.D, pb = along * f.B - turn * f.C, pc = along * f.C - turn * f.B, pd = along * f.D + turn * f.A;
            for (int i = 0; i < 3; i++)
            {
                int v = 2 * chart.Corners[3 * t + i];
                step[v] -= share * (pa * gradients[2 * i] + pb * gradients[2 * i + 1]);
                step[v + 1] -= share * (pc * gradients[2 * i] + pd * gradients[2 * i + 1]);
            }
            var slots = graph.Slots(t);
            for (int m = 0; m < 4; m++)
            {
                double weight = share * weights[m];
                if (weight <= 0)
                    continue;
                for (int i = 0; i < 3; i++)
                {
                    q[2 * i] = modes[4 * m] * gradients[2 * i] + modes[4 * m + 1] * gradients[2 * i + 1];
                    q[2 * i + 1] = modes[4 * m + 2] * gradients[2 * i] + modes[4 * m + 3] * gradients[2 * i + 1];
                }
                for (int i = 0; i < 3; i++)
                {
                    double u = weight * q[2 * i], v = weight * q[2 * i + 1];
                    for (int j = 0; j < 3; j++)
                    {
                        int at = 4 * slots[3 * i + j];
                        blocks[at] += u * q[2 * j];
                        blocks[at + 1] += u * q[2 * j + 1];
                        blocks[at + 2] += v * q[2 * j];
                        blocks[at + 3] += v * q[2 * j + 1];
                    }
                }
            }
        }
        Ground();
        for (int v = 0; v < isPinned?.Length; v++)
        {
            if (isPinned[v])
                step[2 * v] = step[2 * v + 1] = 0;
        }
        var down = (double[])step.Clone();
        if (!solver.Factor(blocks, cancel))
            return 0;
        solver.Solve(step);
        double slope = 0;
        for (int k = 0; k < step.Length; k++)
            slope -= down[k] * step[k];
        for (int v = 0; v < isPinned?.Length; v++)
        {
            if (isPinned[v])
                step[2 * v] = step[2 * v + 1] = 0;
        }
        return slope;
    }

    /// <summary>The chart could drift and turn freely; a trace of the diagonal holds it, and much of it holds what is pinned.</summary>
    private void Ground()
    {
        for (int v = 0; v < graph.VertexCount; v++)
        {
            int at = 4 * graph.Slot(v, v);
            double trace = blocks[at] + blocks[at + 3], hold = (isPinned?[v] == true ? 1e9 : 1e-9) * trace + 1e-14;
            blocks[at] += hold;
            blocks[at + 3] += hold;
        }
    }

    /// <summary>The four directions in which the energy bends on its own, as matrices, and how strongly; none negative.</summary>
    private static void Modes((double A, double B, double C, double D) f, Span<double> modes, Span<double> weights)
    {
        var (ur, ui, vr, vi, s1, s2) = SingularValues(f);
        // U = [ur -ui; ui ur], Vᵀ = [vr vi; -vi vr].
        double p = s1 * s2, cube = p * p * p;
        weights[0] = 2 + 6 / (s1 * s1 * s1 * s1);
        weights[1] = 2 + 6 / (s2 * s2 * s2 * s2);
        weights[2] = Math.Max(0, 2 - 2 * (s1 * s1 - p + s2 * s2) / cube);
        weights[3] = 2 + 2 * (s1 * s1 + p + s2 * s2) / cube;
        const double r = 0.70710678118654752;
        Mode(modes, 1, 0, 0, 0);
        Mode(modes[4..], 0, 0, 0, 1);
        Mode(modes[8..], 0, -r, r, 0);
        Mode(modes[12..], 0, r, r, 0);

        void Mode(Span<double> into, double a, double b, double c, double d)
        {
            double la = ur * a - ui * c, lb = ur * b - ui * d, lc = ui * a + ur * c, ld = ui * b + ur * d;
            into[0] = la * vr - lb * vi;
            into[1] = la * vi + lb * vr;
            into[2] = lc * vr - ld * vi;
            into[3] = lc * vi + ld * vr;
        }
    }

    /// <summary>Rotations U and V, as cosine and sine, and singular values with F = U · diag(s1, s2) · Vᵀ for a map that turns nothing over.</summary>
    public static (double Ur, double Ui, double Vr, double Vi, double S1, double S2) SingularValues((double A, double B, double C, double D) f)
    {
        // The even and the odd part of F are a scaled rotation and a scaled reflection.
        double e = (f.A + f.D) / 2, g = (f.C - f.B) / 2, h = (f.A - f.D) / 2, k = (f.C + f.B) / 2;
        double even = Math.Sqrt(e * e + g * g), odd = Math.Sqrt(h * h + k * k);
        double sum = odd > 0 ? Math.Atan2(k, h) : 0, turn = even > 0 ? Math.Atan2(g, e) : 0;
        double u = (sum + turn) / 2, v = (sum - turn) / 2;
        return (Math.Cos(u), Math.Sin(u), Math.Cos(v), Math.Sin(v), even + odd, even - odd);
    }

    /// <summary>How far the step may be taken before the first triangle has no area; infinite if none ever does.</summary>
    public static double LongestStep(ChartMesh chart, double[] uv, double[] step)
    {
        double longest = double.PositiveInfinity;
        for (int t = 0; t < chart.TriangleCount; t++)
        {
            int o = 2 * chart.Corners[3 * t], p = 2 * chart.Corners[3 * t + 1], q = 2 * chart.Corners[3 * t + 2];
            double ax = uv[p] - uv[o], ay = uv[p + 1] - uv[o + 1], bx = uv[q] - uv[o], by = uv[q + 1] - uv[o + 1];
            double ux = step[p] - step[o], uy = step[p + 1] - step[o + 1], vx = step[q] - step[o], vy = step[q + 1] - step[o + 1];
            double a = ux * vy - uy * vx, b = ax * vy - ay * vx + ux * by - uy * bx, c = ax * by - ay * bx;
            longest = Math.Min(longest, FirstRoot(a, b, c));
        }
        return longest;
    }

    /// <summary>Least positive root of a x² + b x + c where c is positive.</summary>
    private static double FirstRoot(double a, double b, double c)
    {
        double inside = b * b - 4 * a * c;
        if (inside < 0)
            return double.PositiveInfinity;
        double root = Math.Sqrt(inside);
        // The form without cancellation, for either sign of b.
        double q = b > 0 ? -(b + root) / 2 : (root - b) / 2;
        double one = a != 0 ? q / a : double.PositiveInfinity, two = q != 0 ? c / q : double.PositiveInfinity;
        double least = double.PositiveInfinity;
        if (one > 0)
            least = one;
        return two > 0 && two < least ? two : least;
    }
}
