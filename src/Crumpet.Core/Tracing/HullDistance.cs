using System.Numerics;

namespace Crumpet.Core.Tracing;

/// <summary>Where two hulls come nearest.</summary>
/// <param name="Distance">Metres; 0 where they meet.</param>
/// <param name="One">Nearest point of the first, metres.</param>
/// <param name="Two">Nearest point of the second, metres.</param>
public readonly record struct HullGap(float Distance, Vector3 One, Vector3 Two);

/// <summary>Least distance between the convex hulls of two small sets of points.</summary>
/// <remarks>
/// Source: E. G. Gilbert, D. W. Johnson, S. S. Keerthi, "A fast procedure for computing the distance between complex objects in
/// three-dimensional space", 1988; the nearest point of the simplex is found by solving for all its faces and keeping the best,
/// as in C. Ericson, Real-Time Collision Detection, 2005, chapter 9. In double precision around the first point, so that a
/// tenth of a millimetre stands far above rounding at any place a metre-sized asset can be.
/// </remarks>
public static class HullDistance
{
    private const int MostSteps = 64;
    private const double Close = 1e-9;

    /// <summary>Measures two hulls.</summary>
    /// <param name="one">Points of the first, metres.</param>
    /// <param name="two">Points of the second, metres.</param>
    /// <param name="limit">Distances that are not below this may be given too small, but never below it.</param>
    public static HullGap Between(ReadOnlySpan<Vector3> one, ReadOnlySpan<Vector3> two, float limit = float.PositiveInfinity)
    {
        var origin = one[0];
        Span<Point> a = stackalloc Point[one.Length], b = stackalloc Point[two.Length];
        for (int i = 0; i < a.Length; i++)
            a[i] = Point.From(one[i], origin);
        for (int i = 0; i < b.Length; i++)
            b[i] = Point.From(two[i], origin);
        Span<Vertex> simplex = stackalloc Vertex[4];
        Span<double> weights = stackalloc double[4];
        simplex[0] = new Vertex(0, 0, a[0] - b[0]);
        weights[0] = 1;
        int count = 1;
        var nearest = simplex[0].At;
        for (int step = 0; step < MostSteps; step++)
        {
            double squared = nearest.Dot(nearest);
            if (squared < Close * Close)
                break;
            var next = Support(a, b, nearest);
            double reached = nearest.Dot(next.At);
            // The hulls lie beyond the plane through the newest support.
            if (reached > 0 && reached * reached >= (double)limit * limit * squared)
                break;
            if (squared - reached <= 1e-7 * squared || Holds(simplex[..count], next))
                break;
            simplex[count++] = next;
            var found = Nearest(simplex, weights, ref count);
            // No step forward is the end of what rounding allows.
            if (found.Dot(found) >= squared)
                break;
            nearest = found;
            if (count == 4)
                return new HullGap(0, Mixed(a, simplex, weights, 4, first: true).Back(origin), Mixed(a, simplex, weights, 4, first: true).Back(origin));
        }
        double distance = Math.Sqrt(nearest.Dot(nearest));
        var onOne = Mixed(a, simplex, weights, count, first: true);
        var onTwo = Mixed(b, simplex, weights, count, first: false);
        return new HullGap(distance < Close ? 0 : (float)distance, onOne.Back(origin), onTwo.Back(origin));
    }

    private readonly record struct Point(double X, double Y, double Z)
    {
        public static Point From(Vector3 v, Vector3 origin) => new((double)v.X - origin.X, (double)v.Y - origin.Y, (double)v.Z - origin.Z);

        public static Point operator -(Point a, Point b) => new(a.X - b.X, a.Y - b.Y, a.Z - b.Z);

        public static Point operator +(Point a, Point b) => new(a.X + b.X, a.Y + b.Y, a.Z + b.Z);

        public static Point operator *(Point a, double k) => new(a.X * k, a.Y * k, a.Z * k);

        public double Dot(Point b) => X * b.X + Y * b.Y + Z * b.Z;

        public Point Cross(Point b) => new(Y * b.Z - Z * b.Y, Z * b.X - X * b.Z, X * b.Y - Y * b.X);

        public Vector3 Back(Vector3 origin) => new((float)(X + origin.X), (float)(Y + origin.Y), (float)(Z + origin.Z));
    }

    private readonly record struct Vertex(int One, int Two, Point At);

    private static Vertex Support(ReadOnlySpan<Point> a, ReadOnlySpan<Point> b, Point direction)
    {
        int least = 0, most = 0;
        for (int i = 1; i < a.Length; i++)
            if (a[i].Dot(direction) < a[least].Dot(direction))
                least = i;
        for (int i = 1; i < b.Length; i++)
            if (b[i].Dot(direction) > b[most].Dot(direction))
                most = i;
        return new Vertex(least, most, a[least] - b[most]);
    }

    private static bool Holds(ReadOnlySpan<Vertex> simplex, Vertex vertex)
    {
        foreach (var v in simplex)
            if (v.One == vertex.One && v.Two == vertex.Two)
                return true;
        return false;
    }

    private static Point Mixed(ReadOnlySpan<Point> points, ReadOnlySpan<Vertex> simplex, ReadOnlySpan<double> weights, int count, bool first)
    {
        var sum = default(Point);
        for (int i = 0; i < count; i++)
            sum += points[first ? simplex[i].One : simplex[i].Two] * weights[i];
        return sum;
    }

    /// <summary>The point of the simplex nearest to the origin; the simplex is cut down to the face that holds it.</summary>
    private static Point Nearest(Span<Vertex> simplex, Span<double> weights, ref int count)
    {
        Span<Vertex> best = stackalloc Vertex[4];
        Span<double> bestWeights = stackalloc double[4];
        Span<double> solved = stackalloc double[4];
        Span<Vertex> face = stackalloc Vertex[4];
        int bestCount = 0;
        double least = double.PositiveInfinity;
        var nearest = default(Point);
        for (int mask = 1; mask < 1 << count; mask++)
        {
            int size = 0;
            for (int i = 0; i < count; i++)
                if ((mask & 1 << i) != 0)
                    face[size++] = simplex[i];
            if (!Solve(face[..size], solved))
                continue;
            var point = default(Point);
            for (int i = 0; i < size; i++)
                point += face[i].At * solved[i];
            double squared = size == 4 ? 0 : point.Dot(point);
            // Of equal faces the smaller one is kept: it is what the point really needs.
            if (squared < least)
            {
                (least, nearest, bestCount) = (squared, size == 4 ? default : point, size);
                face[..size].CopyTo(best);
                solved[..size].CopyTo(bestWeights);
            }
        }
        best[..bestCount].CopyTo(simplex);
        bestWeights[..bestCount].CopyTo(weights);
        count = bestCount;
        return nearest;
    }

    /// <summary>Weights of the point of a face's plane nearest to the origin, where it lies within the face.</summary>
    private static bool Solve(ReadOnlySpan<Vertex> face, Span<double> weights)
    {
        var a = face[0].At;
        if (face.Length == 1)
        {
            weights[0] = 1;
            return true;
        }
        var ab = face[1].At - a;
        if (face.Length == 2)
        {
            double length = ab.Dot(ab);
            if (length == 0)
                return false;
            weights[1] = -a.Dot(ab) / length;
            weights[0] = 1 - weights[1];
            return weights[0] >= 0 && weights[1] >= 0;
        }
        var ac = face[2].At - a;
        if (face.Length == 3)
        {
            var normal = ab.Cross(ac);
            double area = normal.Dot(normal);
            if (area == 0)
                return false;
            weights[1] = ac.Cross(a).Dot(normal) / area;
            weights[2] = a.Cross(ab).Dot(normal) / area;
            weights[0] = 1 - weights[1] - weights[2];
            return weights[0] >= 0 && weights[1] >= 0 && weights[2] >= 0;
        }
        var ad = face[3].At - a;
        double volume = ab.Dot(ac.Cross(ad));
        if (Math.Abs(volume) < 1e-30)
            return false;
        weights[1] = -a.Dot(ac.Cross(ad)) / volume;
        weights[2] = -a.Dot(ad.Cross(ab)) / volume;
        weights[3] = -a.Dot(ab.Cross(ac)) / volume;
        weights[0] = 1 - weights[1] - weights[2] - weights[3];
        return weights[0] >= 0 && weights[1] >= 0 && weights[2] >= 0 && weights[3] >= 0;
    }
}
