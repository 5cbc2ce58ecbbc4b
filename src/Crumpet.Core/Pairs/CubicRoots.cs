namespace Crumpet.Core.Pairs;

/// <summary>Real roots of a cubic.</summary>
/// <remarks>Source: W. H. Press and others, Numerical Recipes, third edition, section 5.6, followed by at most two steps of Newton's method.</remarks>
internal static class CubicRoots
{
    /// <summary>Finds the real roots of <c>a·x³ + b·x² + c·x + d</c>, of lower degree where leading coefficients vanish beside the others.</summary>
    /// <returns>How many there are, up to three.</returns>
    public static int Find(double a, double b, double c, double d, Span<double> roots)
    {
        // Against roots of the size that matter here, at most a metre or so.
        double size = Math.Max(Math.Abs(b), Math.Max(Math.Abs(c), Math.Abs(d)));
        if (Math.Abs(a) <= 1e-10 * size)
            return Quadratic(b, c, d, roots);
        double p = b / a, q = c / a, r = d / a;
        double bigQ = (p * p - 3 * q) / 9, bigR = (2 * p * p * p - 9 * p * q + 27 * r) / 54, cube = bigQ * bigQ * bigQ;
        int count;
        if (bigR * bigR < cube)
        {
            double angle = Math.Acos(Math.Clamp(bigR / Math.Sqrt(cube), -1, 1)), root = -2 * Math.Sqrt(bigQ);
            for (int i = 0; i < 3; i++)
                roots[i] = root * Math.Cos((angle + 2 * Math.PI * (i - 1)) / 3) - p / 3;
            count = 3;
        }
        else
        {
            double one = -Math.CopySign(Math.Cbrt(Math.Abs(bigR) + Math.Sqrt(Math.Max(0, bigR * bigR - cube))), bigR);
            roots[0] = one + (one == 0 ? 0 : bigQ / one) - p / 3;
            count = 1;
        }
        for (int i = 0; i < count; i++)
        {
            // Where two roots meet, rounding over a vanishing slope would throw the step far away: only better places count.
            double residual = At(roots[i]);
            for (int step = 0; step < 2; step++)
            {
                double x = roots[i], slope = (3 * a * x + 2 * b) * x + c;
                double next = x - residual / slope, left = At(next);
                if (!(Math.Abs(left) < Math.Abs(residual)))
                    break;
                (roots[i], residual) = (next, left);
            }
        }
        return count;

        double At(double x) => ((a * x + b) * x + c) * x + d;
    }

    private static int Quadratic(double a, double b, double c, Span<double> roots)
    {
        if (Math.Abs(a) <= 1e-10 * Math.Max(Math.Abs(b), Math.Abs(c)))
        {
            roots[0] = b == 0 ? 0 : -c / b;
            return b == 0 ? 0 : 1;
        }
        double inner = b * b - 4 * a * c;
        if (inner < 0)
            return 0;
        double q = -0.5 * (b + Math.CopySign(Math.Sqrt(inner), b));
        roots[0] = q / a;
        roots[1] = q == 0 ? 0 : c / q;
        return 2;
    }
}
