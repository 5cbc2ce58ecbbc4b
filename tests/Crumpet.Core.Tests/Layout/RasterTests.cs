using Crumpet.Core.Layout;
using Xunit;

namespace Crumpet.Core.Tests.Layout;

/// <summary>The packer's rasters against what is counted cell by cell, and measures against closed forms.</summary>
public sealed class RasterTests
{
    /// <summary>A rectangle as two triangles, its lower left corner in a place.</summary>
    private static PackShape Box(double x, double y, double width, double height) =>
        new([x, y, x + width, y, x + width, y + height, x, y, x + width, y + height, x, y + height], [0, 1, 4, 5]);

    /// <summary>An L of three unit squares.</summary>
    private static PackShape Corner(double unit)
    {
        PackShape foot = Box(0, 0, 2 * unit, unit), head = Box(0, unit, unit, unit);
        return new PackShape([.. foot.Points, .. head.Points], [0, 1, 4, 5, 7, 10, 11]);
    }

    [Theory]
    [InlineData(0, 0)]
    [InlineData(1.5, 0)]
    [InlineData(1.5, 0.4)]
    [InlineData(3, 1.1)]
    public void A_mask_takes_every_cell_within_its_radius_and_none_a_cell_beyond(double radius, double turn)
    {
        var shape = Corner(9);
        var mask = new ShapeMask(shape, turn, 1, radius);
        var (sin, cos) = Math.SinCos(-turn);
        int wrong = 0;
        for (int y = 0; y < mask.Height; y++)
        {
            for (int x = 0; x < mask.Width; x++)
            {
                // The cell's middle, in the shape's own frame.
                double px = x + 0.5 - mask.OffsetX, py = y + 0.5 - mask.OffsetY, far = Distance(cos * px - sin * py, sin * px + cos * py, 9);
                if (far < radius)
                    Assert.True(IsTaken(mask, x, y), $"cell {x} {y} is {far} from the shape and free");
                if (far > radius + 1 && IsTaken(mask, x, y))
                    wrong++;
            }
        }
        Assert.Equal(0, wrong);
    }

    [Fact]
    public void The_place_found_is_the_lowest_and_leftmost_in_the_window_that_is_free()
    {
        const int side = 70;
        var grid = new PackGrid(side);
        var taken = new bool[side, side];
        var mask = new ShapeMask(Corner(4), 0.3, 1, 0.8);
        var block = new ShapeMask(Box(0, 0, 11, 7), 0, 1, 0);
        foreach (var (x, y) in ((int X, int Y)[])[(0, 0), (30, 3), (59, 20), (12, 25), (40, 44), (0, 60)])
        {
            grid.Take(block, x, y);
            Mark(block, x, y);
        }
        (int FromY, int ToY, int FromX, int ToX)[] windows = [(0, side, 0, int.MaxValue), (5, side, 20, 50), (0, 30, 63, 70), (10, 40, 64, 66), (50, 60, 3, 4),
            (0, 3, 0, 9)];
        foreach (bool toRight in (bool[])[false, true])
        {
            foreach (var w in windows)
                Assert.Equal(ByHand(w, toRight), Key(grid.Find(mask, toRight, w.FromY, w.ToY, w.FromX, w.ToX)));
        }
        grid.Clear();
        Assert.Equal((0, 0), grid.Find(mask, false, 0, side));

        static (int X, int Y) Key((int X, int Y) found) => found.Y < 0 ? (0, -1) : found;

        void Mark(ShapeMask m, int left, int bottom)
        {
            for (int y = 0; y < m.Height; y++)
            {
                for (int x = 0; x < m.Width; x++)
                    taken[bottom + y, left + x] |= IsTaken(m, x, y);
            }
        }

        bool Fits(int left, int bottom)
        {
            for (int y = 0; y < mask.Height; y++)
            {
                for (int x = 0; x < mask.Width; x++)
                {
                    if (IsTaken(mask, x, y) && taken[bottom + y, left + x])
                        return false;
                }
            }
            return true;
        }

        (int X, int Y) ByHand((int FromY, int ToY, int FromX, int ToX) w, bool toRight)
        {
            for (int y = w.FromY; y < Math.Min(w.ToY, side - mask.Height + 1); y++)
            {
                var free = Enumerable.Range(w.FromX, Math.Max(0, Math.Min(w.ToX, side - mask.Width + 1) - w.FromX)).Where(x => Fits(x, y)).ToList();
                if (free.Count > 0)
                    return (toRight ? free[^1] : free[0], y);
            }
            return (0, -1);
        }
    }

    [Fact]
    public void Islands_settle_near_where_they_lay_without_meeting_each_other()
    {
        PackShape[] shapes = [Box(0, 0, 20, 12), Corner(8), Box(0, 0, 5, 40)];
        double[][] turns = [[0], [0, 0.5], [0, Math.PI / 2]];
        PackItem[] items = [.. Enumerable.Range(0, 9).Select(i => new PackItem(i % 3, i, 0))];
        PackProblem coarse = new(shapes, turns, items, 100, 1, 1, []), fine = new(shapes, turns, items, 400, 4, 1, []);
        var plan = new PackPlan([.. Enumerable.Range(0, 9)], [.. Enumerable.Repeat(-1, 9)], new bool[9]);
        var lay = coarse.Try(plan, _ => 1, 0, default);
        Assert.Equal(0, lay.LeftOut);
        var settled = fine.Settle(lay, 4, _ => 3.9, 31, default);
        Assert.Equal(0, settled.LeftOut);
        var taken = new HashSet<(int, int)>();
        for (int i = 0; i < 9; i++)
        {
            var (was, now) = (lay.Places[i], settled.Places[i]);
            Assert.Equal(was.Turn, now.Turn);
            Assert.True(Math.Abs(now.X - 4 * was.X) <= 31 && Math.Abs(now.Y - 4 * was.Y) <= 31,
                $"island {i} was moved from {4 * was.X} {4 * was.Y} to {now.X} {now.Y}");
            for (int y = 0; y < now.Mask!.Height; y++)
            {
                for (int x = 0; x < now.Mask.Width; x++)
                    Assert.True(!IsTaken(now.Mask, x, y) || taken.Add((now.X + x, now.Y + y)));
            }
        }
    }

    [Theory]
    [InlineData(0)]
    [InlineData(0.35)]
    [InlineData(2.2)]
    public void The_least_box_of_a_turned_rectangle_is_the_rectangle(double turn)
    {
        var (sin, cos) = Math.SinCos(turn);
        double[] points = [.. Box(3, 1, 5, 2).Points.Chunk(2).SelectMany(p => (double[])[cos * p[0] - sin * p[1], sin * p[0] + cos * p[1]])];
        var (_, area, length) = IslandTurns.LeastBox(new PackShape(points, [0, 1, 4, 5]));
        Assert.Equal(10, area, 1e-9);
        Assert.Equal(5, length, 1e-9);
    }

    [Theory]
    [InlineData(8)]
    [InlineData(3.5)]
    [InlineData(20)]
    public void Padding_is_the_gap_between_two_boxes_and_twice_that_to_the_border(double gap)
    {
        const int size = 256;
        double unit = 1.0 / size;
        PackShape[] beside = [Box(60 * unit, 60 * unit, 40 * unit, 30 * unit), Box((100 + gap) * unit, 70 * unit, 30 * unit, 40 * unit)];
        Assert.Equal(gap, PaddingMeasure.Least(beside, size, default), 1e-6);
        Assert.Equal(Math.Min(2 * gap, PaddingMeasure.Farthest), PaddingMeasure.Least([Box(gap * unit, 90 * unit, 50 * unit, 50 * unit)], size, default), 1e-6);
    }

    [Fact]
    public void Borders_that_cross_have_no_padding() =>
        Assert.Equal(0, PaddingMeasure.Least([Box(0.4, 0.2, 0.1, 0.6), Box(0.2, 0.4, 0.6, 0.1)], 512, default));

    [Fact]
    public void Room_is_the_islands_with_half_their_padding_over_the_tile()
    {
        // A square of 100 px with 8 px around it, its corners round.
        double room = CoverageRaster.RoomUsed([Box(0.25, 0.25, 100 / 512.0, 100 / 512.0)], 512, 8, default);
        Assert.Equal((100 * 100 + 4 * 100 * 8 + Math.PI * 64) / (512 * 512), room, 0.0004);
    }

    [Fact]
    public void Spread_counts_by_weight()
    {
        var spread = Spread.Of([1, 3, 2], [90, 1, 9]);
        Assert.Equal((1.11, 2.0, 3.0), (Math.Round(spread.Mean, 12), spread.Most, spread.Worst));
        Assert.Equal(new Spread(1, 1, 1), Spread.Of([], []));
        Assert.Equal(new Spread(1, 1, 1), Spread.Of([5], [0]));
    }

    private static bool IsTaken(ShapeMask mask, int x, int y)
    {
        for (int r = mask.Starts[y]; r < mask.Starts[y + 1]; r += 2)
        {
            if (x >= mask.Runs[r] && x < mask.Runs[r + 1])
                return true;
        }
        return false;
    }

    /// <summary>How far a point is from the L.</summary>
    private static double Distance(double x, double y, double unit) => Math.Min(ToBox(x, y, 2 * unit, unit), ToBox(x, y, unit, 2 * unit));

    private static double ToBox(double x, double y, double width, double height)
    {
        double dx = Math.Max(0, Math.Max(-x, x - width)), dy = Math.Max(0, Math.Max(-y, y - height));
        return Math.Sqrt(dx * dx + dy * dy);
    }
}
