namespace Crumpet.Core.Layout;

/// <summary>How packing may turn islands.</summary>
public enum PackRotation
{
    /// <summary>By any angle.</summary>
    Free,

    /// <summary>By quarter turns.</summary>
    Quarter,

    /// <summary>Not at all.</summary>
    None,
}

/// <summary>Which turns are worth trying for a shape.</summary>
internal static class IslandTurns
{
    /// <summary>A shape that fills this share of its least box packs no better askew.</summary>
    private const double AlmostBox = 0.9;

    /// <summary>Up to so many islands are turned more finely.</summary>
    public const int FewIslands = 40;
    private const int MostSteps = 8, FewerSteps = 4;

    /// <summary>Turns to try, radians, the best first guess first.</summary>
    /// <param name="shape">Shape.</param>
    /// <param name="rotation">What is allowed.</param>
    /// <param name="side">About how long the sheet's side will be, in the shape's unit: what is longer may lie askew.</param>
    /// <param name="islands">How many islands are packed: the more there are, the less time for turns.</param>
    public static double[] Of(PackShape shape, PackRotation rotation, double side, int islands)
    {
        if (rotation == PackRotation.None)
            return [0];
        bool areFew = islands > LayoutSettings.ManyIslands;
        const double quarter = Math.PI / 2;
        if (rotation == PackRotation.Quarter)
            return areFew ? [0, quarter] : [0, quarter, 2 * quarter, 3 * quarter];
        var (turn, boxArea, length) = LeastBox(shape);
        if (areFew)
            return [turn, turn + quarter];
        double filled = boxArea > 0 ? shape.Area / boxArea : 1;
        if (filled > 0.995)
            return length > 0.9 * side ? [turn, turn + quarter, turn + quarter / 2, turn - quarter / 2] : [turn, turn + quarter];
        var turns = new List<double>();
        int steps = filled > AlmostBox ? 1 : islands <= FewIslands ? MostSteps : FewerSteps;
        for (int q = 0; q < 4; q++)
        {
            for (int i = 0; i < steps; i++)
                turns.Add(turn + q * quarter + i * quarter / steps);
        }
        return [.. turns];
    }

    /// <summary>The turn that makes the upright box around a shape least, lying, its area and its length.</summary>
    /// <remarks>One side of the least box lies on the convex hull. Source: H. Freeman, R. Shapira, 1975.</remarks>
    public static (double Turn, double Area, double Length) LeastBox(PackShape shape)
    {
        // Where no triangle is turned over, none reaches beyond the border.
        var corners = shape.IsOneWay && shape.Border.Length > 0 ? shape.Border : Enumerable.Range(0, shape.Points.Length / 2);
        return LeastBox(corners.Select(i => (shape.Points[2 * i], shape.Points[2 * i + 1])));
    }

    /// <summary>The same around points.</summary>
    public static (double Turn, double Area, double Length) LeastBox(IEnumerable<(double X, double Y)> points)
    {
        var hull = Hull(points);
        var (best, area, length) = (0.0, double.PositiveInfinity, 0.0);
        for (int i = 0; i < hull.Count; i++)
        {
            var (a, b) = (hull[i], hull[(i + 1) % hull.Count]);
            double angle = Math.Atan2(b.Y - a.Y, b.X - a.X);
            var (sin, cos) = Math.SinCos(-angle);
            double left = double.PositiveInfinity, right = double.NegativeInfinity, bottom = left, top = right;
            foreach (var (px, py) in hull)
            {
                double x = cos * px - sin * py, y = sin * px + cos * py;
                (left, right, bottom, top) = (Math.Min(left, x), Math.Max(right, x), Math.Min(bottom, y), Math.Max(top, y));
            }
            double here = (right - left) * (top - bottom);
            if (here < area * (1 - 1e-9))
                (best, area, length) = (right - left >= top - bottom ? -angle : Math.PI / 2 - angle, here, Math.Max(right - left, top - bottom));
        }
        return (best, double.IsFinite(area) ? area : 0, length);
    }

    /// <summary>Convex hull, counter-clockwise.</summary>
    /// <remarks>Source: A. M. Andrew, "Another efficient algorithm for convex hulls in two dimensions", 1979.</remarks>
    private static List<(double X, double Y)> Hull(IEnumerable<(double X, double Y)> points)
    {
        var sorted = points.Distinct().Order().ToArray();
        if (sorted.Length < 3)
            return [.. sorted];
        var hull = new List<(double X, double Y)>();
        foreach (var pass in new[] { sorted, [.. sorted.Reverse()] })
        {
            int floor = hull.Count;
            foreach (var p in pass)
            {
                while (hull.Count >= floor + 2 && Turn(hull[^2], hull[^1], p) <= 0)
                    hull.RemoveAt(hull.Count - 1);
                hull.Add(p);
            }
            hull.RemoveAt(hull.Count - 1);
        }
        return hull;
    }

    private static double Turn((double X, double Y) a, (double X, double Y) b, (double X, double Y) c) => (b.X - a.X) * (c.Y - a.Y) - (b.Y - a.Y) * (c.X - a.X);
}
