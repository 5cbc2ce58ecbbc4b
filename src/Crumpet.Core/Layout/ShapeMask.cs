namespace Crumpet.Core.Layout;

/// <summary>An island's outline to pack: triangles and border in one plane.</summary>
/// <param name="Points">Two numbers a corner, six a triangle; any unit.</param>
/// <param name="Border">Corners whose half-edge is on the border.</param>
internal sealed record PackShape(double[] Points, int[] Border)
{
    /// <summary>Whether all triangles turn the same way, so that the border alone says what is covered.</summary>
    public bool IsOneWay { get; } = OneWay(Points);

    /// <summary>The longer side of its upright box.</summary>
    public double Extent { get; } = Longest(Points);

    private static double Longest(double[] points)
    {
        double left = double.PositiveInfinity, right = double.NegativeInfinity, bottom = left, top = right;
        for (int i = 0; i < points.Length; i += 2)
            (left, right, bottom, top) = (Math.Min(left, points[i]), Math.Max(right, points[i]), Math.Min(bottom, points[i + 1]), Math.Max(top, points[i + 1]));
        return points.Length == 0 ? 0 : Math.Max(right - left, top - bottom);
    }

    private static bool OneWay(double[] points)
    {
        int left = 0, right = 0;
        for (int i = 0; i < points.Length; i += 6)
        {
            double turn = (points[i + 2] - points[i]) * (points[i + 5] - points[i + 1]) - (points[i + 3] - points[i + 1]) * (points[i + 4] - points[i]);
            left += turn > 0 ? 1 : 0;
            right += turn < 0 ? 1 : 0;
        }
        return left == 0 || right == 0;
    }

    /// <summary>Area of the triangles.</summary>
    public double Area { get; } = AreaOf(Points);

    /// <summary>Length of the border.</summary>
    public double Around { get; } = LengthOf(Points, Border);

    private static double LengthOf(double[] points, int[] border)
    {
        double sum = 0;
        foreach (int a in border)
        {
            int b = Geometry.Topology.Next(a);
            double x = points[2 * b] - points[2 * a], y = points[2 * b + 1] - points[2 * a + 1];
            sum += Math.Sqrt(x * x + y * y);
        }
        return sum;
    }

    private static double AreaOf(double[] points)
    {
        double sum = 0;
        for (int i = 0; i < points.Length; i += 6)
            sum += Math.Abs((points[i + 2] - points[i]) * (points[i + 5] - points[i + 1]) - (points[i + 3] - points[i + 1]) * (points[i + 4] - points[i])) / 2;
        return sum;
    }
}

/// <summary>
/// Cells of a raster that a turned and scaled island touches with room around it, as runs of each row. The room counts to the
/// last hair: islands whose masks share no cell are at least two radii apart.
/// </summary>
internal sealed class ShapeMask
{
    /// <summary>Rasters an island.</summary>
    /// <param name="shape">Outline.</param>
    /// <param name="turn">Turn, radians counter-clockwise.</param>
    /// <param name="scale">Cells a unit.</param>
    /// <param name="radius">Room around it, cells.</param>
    public ShapeMask(PackShape shape, double turn, double scale, double radius)
    {
        Turn = turn;
        var (sin, cos) = Math.SinCos(turn);
        bool byBorder = shape.IsOneWay;
        var xy = new double[byBorder ? 4 * shape.Border.Length : shape.Points.Length];
        for (int i = 0; byBorder && i < shape.Border.Length; i++)
        {
            shape.Points.AsSpan(2 * shape.Border[i], 2).CopyTo(xy.AsSpan(4 * i));
            shape.Points.AsSpan(2 * Geometry.Topology.Next(shape.Border[i]), 2).CopyTo(xy.AsSpan(4 * i + 2));
        }
        if (!byBorder)
            shape.Points.CopyTo(xy, 0);
        double left = double.PositiveInfinity, bottom = double.PositiveInfinity, right = double.NegativeInfinity, top = double.NegativeInfinity;
        for (int i = 0; i < xy.Length; i += 2)
        {
            double x = scale * (cos * xy[i] - sin * xy[i + 1]), y = scale * (sin * xy[i] + cos * xy[i + 1]);
            (xy[i], xy[i + 1]) = (x, y);
            left = Math.Min(left, x);
            right = Math.Max(right, x);
            bottom = Math.Min(bottom, y);
            top = Math.Max(top, y);
        }
        OffsetX = radius - left;
        OffsetY = radius - bottom;
        Width = Math.Max(1, (int)Math.Ceiling(right - left + 2 * radius - 1e-9));
        Height = Math.Max(1, (int)Math.Ceiling(top - bottom + 2 * radius - 1e-9));
        for (int i = 0; i < xy.Length; i += 2)
        {
            xy[i] += OffsetX;
            xy[i + 1] += OffsetY;
        }
        var rows = new RowRuns(Width, Height);
        for (int i = 0; !byBorder && i < xy.Length; i += 6)
            rows.AddTriangle(xy.AsSpan(i, 6));
        for (int i = 0; i < shape.Border.Length; i++)
        {
            int a = byBorder ? 4 * i : 2 * shape.Border[i], b = byBorder ? 4 * i + 2 : 2 * Geometry.Topology.Next(shape.Border[i]);
            rows.AddCapsule(xy[a], xy[a + 1], xy[b], xy[b + 1], radius);
        }
        if (byBorder)
            rows.AddInside(xy);
        (Starts, Runs) = rows.Merged();
        for (int i = 0; i < Runs.Length; i += 2)
            Cells += Runs[i + 1] - Runs[i];
        CheckOrder = Spread(Height);
        RowLevels = new byte[(Height + 31) / 32 * 32];
        for (int row = 0; row < Height; row++)
        {
            for (int i = Starts[row]; i < Starts[row + 1]; i += 2)
                RowLevels[row] = Math.Max(RowLevels[row], (byte)System.Numerics.BitOperations.Log2((uint)(Runs[i + 1] - Runs[i])));
            MostLevel = Math.Max(MostLevel, RowLevels[row]);
        }
    }

    /// <summary>Turn, radians counter-clockwise.</summary>
    public double Turn { get; }

    /// <summary>Where the island's origin lies from the mask's lower left corner, cells.</summary>
    public double OffsetX { get; }

    /// <summary>Where the island's origin lies from the mask's lower left corner, cells.</summary>
    public double OffsetY { get; }

    public int Width { get; }

    public int Height { get; }

    /// <summary>How many cells it takes.</summary>
    public long Cells { get; }

    /// <summary>Where each row's runs begin in <see cref="Runs"/>, bottom row first.</summary>
    public int[] Starts { get; }

    /// <summary>First cell and the one after the last, of each run.</summary>
    public int[] Runs { get; }

    /// <summary>Binary logarithm of each row's longest run, rounded down; 0 up to a multiple of 32 rows.</summary>
    public byte[] RowLevels { get; }

    /// <summary>The greatest of <see cref="RowLevels"/>.</summary>
    public int MostLevel { get; }

    /// <summary>Rows in an order that meets obstacles early: spread over the whole height.</summary>
    public int[] CheckOrder { get; }

    private static int[] Spread(int count)
    {
        var order = new List<int>(count);
        int bits = 1;
        while (1 << bits < count)
            bits++;
        for (int i = 0; i < 1 << bits; i++)
        {
            int reversed = 0;
            for (int b = 0; b < bits; b++)
                reversed |= (i >> b & 1) << (bits - 1 - b);
            if (reversed < count)
                order.Add(reversed);
        }
        return [.. order];
    }
}
