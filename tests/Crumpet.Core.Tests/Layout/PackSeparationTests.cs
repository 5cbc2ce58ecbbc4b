using Crumpet.Core.Layout;
using Xunit;

namespace Crumpet.Core.Tests.Layout;

/// <summary>Islands that are moved apart, judged cell by cell.</summary>
public sealed class PackSeparationTests
{
    private const int Side = 120;

    [Fact]
    public void What_a_mask_covers_is_what_its_cells_count()
    {
        var random = new Random(3);
        var problem = Problem(random, 12, 2, 60);
        var places = Scattered(problem, random, 60, 1);
        var sums = new OverlapSums(2);
        for (int round = 0; round < 20; round++)
        {
            var place = places[random.Next(12)];
            var window = round % 2 == 0 ? new PackWindow(0, 0, 60, 60)
                : new PackWindow(place.X / 2, place.Y / 2, 60 - place.X / 2, 60 - place.Y / 2);
            sums.Begin(window, round % 4 == 1 ? place.Sheet : -1);
            for (int j = 0; j < places.Length; j++)
                sums.Add(places[j], 3 * j + 1);
            sums.Finish();
            long expected = 0;
            var own = Cells(place).ToHashSet();
            for (int j = 0; j < places.Length; j++)
                expected += (3 * j + 1) * Cells(places[j]).LongCount(own.Contains);
            Assert.Equal(expected, sums.Under(place, long.MaxValue));
            Assert.True(sums.Under(place, 5) >= Math.Min(5, expected));
        }
    }

    [Theory]
    [InlineData(1)]
    [InlineData(4096)]
    [InlineData(400_000)]
    public void The_least_place_along_a_row_is_the_first_that_covers_least(int heaviest)
    {
        var random = new Random(5);
        var problem = Problem(random, 30, 1, 60);
        var places = Scattered(problem, random, 60, 2);
        var sums = new OverlapSums(1);
        sums.Begin(new PackWindow(0, 0, 60, 60), 0);
        foreach (var place in places)
            sums.Add(place, 1 + random.Next(heaviest));
        sums.Finish();
        foreach (var place in places)
        {
            var mask = place.Mask!;
            int from = random.Next(61 - mask.Width), count = 1 + random.Next(61 - mask.Width - from), y = random.Next(61 - mask.Height);
            long[] costs = [.. Enumerable.Range(from, count).Select(x => sums.Under(place with { X = x, Y = y }, long.MaxValue))];
            var expected = (Cost: costs.Min(), X: from + Array.IndexOf(costs, costs.Min()));
            // More than a vector's number can hold is as bad as any.
            Assert.Equal(expected.Cost < 1 << 29 ? expected : null, sums.LeastAlong(mask, 0, from, count, y, long.MaxValue));
            Assert.Null(sums.LeastAlong(mask, 0, from, count, y, expected.Cost));
            Assert.Equal(expected.Cost < 1 << 29 ? expected : null, sums.LeastAlong(mask, 0, from, count, y, expected.Cost + 1));
        }
    }

    [Theory]
    [InlineData(4, 1, false)]
    [InlineData(9, 1, true)]
    [InlineData(20, 1, false)]
    [InlineData(12, 2, true)]
    public void Islands_grow_without_sharing_a_cell_and_settle_on_a_finer_raster(int count, int sheets, bool isLocked)
    {
        var random = new Random(count);
        double[] weights = [.. Enumerable.Range(0, count).Select(i => 1 + i % 3 * 0.2)];
        var (problem, fine) = (Problem(random, count, sheets, Side, isLocked), Problem(new Random(count), count, sheets, 4 * Side, isLocked));
        var start = PackSearch.Sketch(problem, weights, 0, 0, 1, default)!;
        var grown = PackSeparation.Improve(problem, weights, start, 0.2, Threads(2), _ => { });
        Assert.True(grown.Scale > start.Scale, $"islands stay at {start.Scale:0.000}");
        Free(problem, grown, weights, Side);
        var settled = PackSeparation.Settle(fine, weights, grown, 4, Threads(2));
        Assert.NotNull(settled);
        Assert.InRange(settled.Scale / grown.Scale, 3.8, 4.2);
        Free(fine, settled, weights, 4 * Side);
        Assert.Equal(grown.Attempt.Places.Select(p => (p.Sheet, p.Turn)), settled.Attempt.Places.Select(p => (p.Sheet, p.Turn)));
        var less = PackSeparation.At(fine, weights, settled, settled.Scale * 0.97, default);
        Assert.NotNull(less);
        Free(fine, less, weights, 4 * Side);
    }

    [Fact]
    public void Islands_are_moved_alike_on_any_number_of_threads()
    {
        double[] weights = [.. Enumerable.Repeat(1.0, 10)];
        var found = new[] { 1, 2, 5 }.Select(threads =>
        {
            var problem = Problem(new Random(7), 10, 1, Side);
            return PackSeparation.Improve(problem, weights, PackSearch.Sketch(problem, weights, 0, 0, threads, default)!, 0.3, Threads(threads), _ => { });
        }).ToArray();
        Assert.All(found, f => Assert.Equal(found[0].Attempt.Places.Select(At), f.Attempt.Places.Select(At)));

        static (int, int, int, int) At(PackPlace place) => (place.Sheet, place.X, place.Y, place.Turn);
    }

    [Fact]
    public void Boxes_that_fill_a_sheet_grow_by_a_tenth_over_what_an_order_lays()
    {
        // Four boxes around a square that is a fifth: the whole sheet.
        PackShape[] shapes = [Polygon((0, 0), (60, 0), (60, 40), (0, 40)), Polygon((0, 0), (20, 0), (20, 20), (0, 20))];
        double[][] turns = [[0, Math.PI / 2], [0]];
        PackItem[] items = [.. Enumerable.Range(0, 5).Select(i => new PackItem(i < 4 ? 0 : 1, 0, 0))];
        var problem = new PackProblem(shapes, turns, items, 101, 0, 1, []);
        double[] weights = [1];
        var start = PackSearch.Sketch(problem, weights, 0, 0, 1, default)!;
        var grown = PackSeparation.Improve(problem, weights, start, 0.4, Threads(2), _ => { });
        Free(problem, grown, weights, 101);
        Assert.True(grown.Scale > 1.1 * start.Scale, $"{start.Scale:0.000} to {grown.Scale:0.000} of a whole sheet");
    }

    [Fact]
    public void Many_islands_are_packed_by_orders_alone()
    {
        // Each against every other would be more than an array holds.
        var problem = Problem(new Random(1), 50_000, 1, 900);
        Assert.False(PackSeparation.AreFew(problem));
        Assert.False(PackSeparation.Suits(problem));
        double[] weights = [.. Enumerable.Repeat(1.0, 50_000)];
        var attempt = new PackAttempt([.. Enumerable.Repeat(new PackPlace(-1, null, 0, 0), 50_000)], 0);
        var before = new PackSearch.Found(1, new PackPlan([.. Enumerable.Range(0, 50_000)], new int[50_000], new bool[50_000]), attempt);
        // It does not fit at that scale, however it was packed before.
        Assert.Null(PackSearch.Again(problem, weights, before, 100, default));
    }

    private static ParallelOptions Threads(int count) => new() { MaxDegreeOfParallelism = count };

    /// <summary>No two islands share a cell, nor one with what is locked, and none reaches over the sheet.</summary>
    private static void Free(PackProblem problem, PackSearch.Found found, double[] weights, int side)
    {
        var taken = problem.Locked.SelectMany(Cells).ToHashSet();
        for (int i = 0; i < found.Attempt.Places.Length; i++)
        {
            var place = found.Attempt.Places[i];
            var item = problem.Items[i];
            Assert.Equal(problem.Mask(item.Class, place.Turn, found.Scale * weights[item.Group]).Runs, place.Mask!.Runs);
            foreach (var cell in Cells(place))
            {
                Assert.InRange(cell.X, 0, side - 1);
                Assert.InRange(cell.Y, 0, side - 1);
                Assert.True(taken.Add(cell), $"island {i} shares {cell}");
            }
        }
    }

    private static IEnumerable<(int Sheet, int X, int Y)> Cells(PackPlace place)
    {
        for (int row = 0; row < place.Mask!.Height; row++)
        {
            for (int r = place.Mask.Starts[row]; r < place.Mask.Starts[row + 1]; r += 2)
            {
                for (int x = place.Mask.Runs[r]; x < place.Mask.Runs[r + 1]; x++)
                    yield return (place.Sheet, place.X + x, place.Y + row);
            }
        }
    }

    private static PackPlace[] Scattered(PackProblem problem, Random random, int side, double scale) => [.. problem.Items.Select((item, i) =>
    {
        var mask = problem.Mask(item.Class, i % problem.TurnsOf(i), scale);
        return new PackPlace(random.Next(problem.Sheets), mask, random.Next(side - mask.Width + 1), random.Next(side - mask.Height + 1), 0);
    })];

    /// <summary>Triangles, corners and quadrangles of many sizes.</summary>
    private static PackProblem Problem(Random random, int count, int sheets, int side, bool isLocked = false)
    {
        var shapes = new List<PackShape>();
        for (int i = 0; i < count; i++)
        {
            double a = 5 + 10 * random.NextDouble(), b = 5 + 10 * random.NextDouble(), c = 2 + 3 * random.NextDouble();
            shapes.Add((i % 3) switch
            {
                0 => Polygon((0, 0), (a, 0), (c, b)),
                1 => Polygon((0, 0), (a, c), (a + c, b), (c, b)),
                _ => Polygon((0, 0), (a, 0), (a, c), (c, c), (c, b), (0, b)),
            });
        }
        double[][] turns = [.. shapes.Select(_ => Enumerable.Range(0, 8).Select(t => t * Math.PI / 4).ToArray())];
        PackItem[] items = [.. shapes.Select((_, i) => new PackItem(i, i, i % 4 == 0 ? 0 : -1))];
        double radius = side / 120.0;
        PackPlace[] locked = isLocked ? [new PackPlace(0, new ShapeMask(Polygon((0, 0), (7, 0), (0, 7)), 0.3, side / 60.0, radius), side / 3, side / 2)] : [];
        return new PackProblem(shapes, turns, items, side, radius, sheets, locked);
    }

    /// <summary>A polygon that its first corner sees whole.</summary>
    private static PackShape Polygon(params (double X, double Y)[] corners)
    {
        var points = new List<double>();
        var border = new List<int>();
        for (int i = 1; i + 1 < corners.Length; i++)
        {
            if (i == 1)
                border.Add(points.Count / 2);
            border.Add(points.Count / 2 + 1);
            if (i + 2 == corners.Length)
                border.Add(points.Count / 2 + 2);
            points.AddRange([corners[0].X, corners[0].Y, corners[i].X, corners[i].Y, corners[i + 1].X, corners[i + 1].Y]);
        }
        return new PackShape([.. points], [.. border]);
    }
}
