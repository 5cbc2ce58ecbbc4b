using System.Collections.Concurrent;

namespace Crumpet.Core.Layout;

/// <summary>One island to pack.</summary>
/// <param name="Class">Number of its shape; islands of one class are the same.</param>
/// <param name="Group">Islands of one group keep their sizes to each other.</param>
/// <param name="Sheet">Sheet it must lie on; -1 leaves it to the packer.</param>
internal sealed record PackItem(int Class, int Group, int Sheet);

/// <summary>Where an island came to lie.</summary>
/// <param name="Sheet">Sheet; -1 where it did not fit.</param>
/// <param name="Mask">Turned and scaled mask.</param>
/// <param name="X">Cell of its left column.</param>
/// <param name="Y">Cell of its bottom row.</param>
/// <param name="Turn">Number of its turn.</param>
internal readonly record struct PackPlace(int Sheet, ShapeMask? Mask, int X, int Y, int Turn = 0);

/// <summary>How islands are laid one after the other.</summary>
/// <param name="Order">Which comes first, second and so on.</param>
/// <param name="Turns">Number of each item's turn; -1 for the one that lies lowest.</param>
/// <param name="ToRight">Whether each item goes as far right, rather than left, as it can.</param>
internal sealed record PackPlan(int[] Order, int[] Turns, bool[] ToRight);

/// <summary>What one attempt gave.</summary>
/// <param name="Places">Place of each item.</param>
/// <param name="LeftOut">Cells of the items that did not fit.</param>
internal sealed record PackAttempt(PackPlace[] Places, long LeftOut);

/// <summary>Islands, a raster of sheets, and what is already taken on them: packs in a given order at a given scale.</summary>
/// <param name="shapes">Shape of each class; units at scale 1.</param>
/// <param name="turns">Turns to try for each class, radians.</param>
/// <param name="items">Islands.</param>
/// <param name="side">Cells a side that islands with their room may take.</param>
/// <param name="radius">Room around each island, cells.</param>
/// <param name="sheets">How many sheets.</param>
/// <param name="locked">Masks that lie already, and where.</param>
internal sealed class PackProblem(
    IReadOnlyList<PackShape> shapes, IReadOnlyList<double[]> turns, IReadOnlyList<PackItem> items, int side, double radius, int sheets,
        IReadOnlyList<PackPlace> locked)
{
    private const int MostKept = 60000;
    private const double Diagonal = 1.4143;
    private readonly ConcurrentBag<PackGrid[]> grids = [];
    private readonly ConcurrentDictionary<(int Class, int Turn, double Scale), ShapeMask> masks = [];
    private int kept;

    public IReadOnlyList<PackItem> Items => items;

    public int Side => side;

    public int Sheets => sheets;

    public IReadOnlyList<PackPlace> Locked => locked;

    /// <summary>The shape of an item.</summary>
    public PackShape ShapeOf(int item) => shapes[items[item].Class];

    /// <summary>How many turns an item may take.</summary>
    public int TurnsOf(int item) => turns[items[item].Class].Length;

    /// <summary>The mask of a class in one of its turns.</summary>
    public ShapeMask Mask(int shape, int turn, double scale)
    {
        if (masks.TryGetValue((shape, turn, scale), out var known))
            return known;
        // The dictionary's own count waits for every writer.
        if (Interlocked.Increment(ref kept) > MostKept)
        {
            masks.Clear();
            kept = 0;
        }
        return masks[(shape, turn, scale)] = new ShapeMask(shapes[shape], turns[shape][turn], scale, radius);
    }

    /// <summary>Whether a shape is longer than a sheet's diagonal, so that nothing of it needs to be drawn to know that it does not fit.</summary>
    private bool IsTooLong(int shape, double scale) => !(shapes[shape].Extent * scale <= Diagonal * side);

    /// <summary>The greatest scale at which no shape is longer than a sheet's diagonal, cells a unit.</summary>
    /// <param name="weightOf">Size of each group against the others.</param>
    public double LongestFit(double[] weightOf) => items.Min(i => Diagonal * side / Math.Max(shapes[i.Class].Extent * weightOf[i.Group], 1e-30));

    /// <summary>The scale at which the islands with their room take a share of the sheets, cells a unit; 0 where their room alone takes more.</summary>
    /// <param name="weightOf">Size of each group against the others.</param>
    /// <param name="share">The share.</param>
    public double FillingScale(double[] weightOf, double share)
    {
        // Room reaches so far out from the border, and around each corner of it.
        double square = 0, linear = 0;
        foreach (var item in items)
        {
            square += shapes[item.Class].Area * weightOf[item.Group] * weightOf[item.Group];
            linear += shapes[item.Class].Around * weightOf[item.Group] * radius;
        }
        double rest = share * side * side * sheets - items.Count * Math.PI * radius * radius;
        return rest <= 0 || square <= 0 ? 0 : (Math.Sqrt(linear * linear + 4 * square * rest) - linear) / (2 * square);
    }

    /// <summary>Packs the islands one after the other, each as low as it goes.</summary>
    /// <param name="plan">How.</param>
    /// <param name="scaleOf">Cells a unit for each group.</param>
    /// <param name="giveUpAt">Ends the attempt when this many cells are left out.</param>
    /// <param name="cancel">Ends the work early.</param>
    public PackAttempt Try(PackPlan plan, Func<int, double> scaleOf, long giveUpAt, CancellationToken cancel) =>
        OnSheets(sheetsOf => Fill(sheetsOf, plan, scaleOf, giveUpAt, cancel));

    /// <summary>Works on sheets on which only what is locked lies.</summary>
    private PackAttempt OnSheets(Func<PackGrid[], PackAttempt> work)
    {
        if (!grids.TryTake(out var sheetsOf))
            sheetsOf = [.. Enumerable.Range(0, sheets).Select(_ => new PackGrid(side))];
        try
        {
            foreach (var grid in sheetsOf)
                grid.Clear();
            foreach (var place in locked)
                sheetsOf[place.Sheet].Take(place.Mask!, place.X, place.Y);
            return work(sheetsOf);
        }
        finally
        {
            grids.Add(sheetsOf);
        }
    }

    /// <summary>Lays islands near where they lay on another raster, each as low as it goes there.</summary>
    /// <param name="attempt">Where they lay; all of them did.</param>
    /// <param name="times">Cells of this raster for one of the other.</param>
    /// <param name="scaleOf">Cells a unit for each group.</param>
    /// <param name="reach">How far from there they may be moved, cells.</param>
    /// <param name="cancel">Ends the work early.</param>
    public PackAttempt Settle(PackAttempt attempt, double times, Func<int, double> scaleOf, int reach, CancellationToken cancel) => OnSheets(sheetsOf =>
    {
        var places = new PackPlace[items.Count];
        Array.Fill(places, new PackPlace(-1, null, 0, 0));
        var homeless = new List<int>();
        foreach (int item in Enumerable.Range(0, items.Count).OrderBy(i => attempt.Places[i].Y).ThenBy(i => attempt.Places[i].X).ThenBy(i => i))
        {
            cancel.ThrowIfCancellationRequested();
            var was = attempt.Places[item];
            int left = (int)(was.X * times), low = (int)(was.Y * times);
            // No farther than it must, so that it takes no room others will need.
            for (int near = 0; near <= reach && places[item].Sheet < 0; near = 2 * near + 1)
                Lay(item, low - near, low + near + 1, left - near, left + near + 1);
            if (places[item].Sheet < 0)
                homeless.Add(item);
        }
        foreach (int item in homeless)
            Lay(item, 0, side, 0, side);
        return new PackAttempt(places, homeless.Where(i => places[i].Sheet < 0).Sum(i => Mask(items[i].Class, 0, scaleOf(items[i].Group)).Cells));

        void Lay(int item, int fromY, int toY, int fromX, int toX)
        {
            var was = attempt.Places[item];
            var mask = Mask(items[item].Class, was.Turn, scaleOf(items[item].Group));
            var (x, y) = sheetsOf[was.Sheet].Find(mask, false, Math.Max(0, fromY), toY, Math.Max(0, fromX), toX);
            if (y < 0)
                return;
            places[item] = new PackPlace(was.Sheet, mask, x, y, was.Turn);
            sheetsOf[was.Sheet].Take(mask, x, y);
        }
    });

    private PackAttempt Fill(PackGrid[] sheetsOf, PackPlan plan, Func<int, double> scaleOf, long giveUpAt, CancellationToken cancel)
    {
        var places = new PackPlace[items.Count];
        Array.Fill(places, new PackPlace(-1, null, 0, 0));
        // Sheets only fill up: where a mask did not fit it never will, so the next of its class goes on from there.
        var tried = new Dictionary<(int Class, int Turn, double Scale, int Sheet), int>();
        long leftOut = 0;
        foreach (int item in plan.Order)
        {
            cancel.ThrowIfCancellationRequested();
            int shape = items[item].Class;
            double scale = scaleOf(items[item].Group);
            if (IsTooLong(shape, scale))
            {
                leftOut = (long)Math.Min(leftOut + Math.Max(1, shapes[shape].Area * scale * scale), long.MaxValue / 2);
                if (leftOut > giveUpAt)
                    break;
                continue;
            }
            for (int sheet = Math.Max(0, items[item].Sheet); sheet < sheets && places[item].Sheet < 0; sheet++)
            {
                var grid = sheetsOf[sheet];
                int lowest = int.MaxValue;
                int first = plan.Turns[item], last = first < 0 ? turns[shape].Length - 1 : first;
                for (int turn = Math.Max(0, first); turn <= last; turn++)
                {
                    var mask = Mask(shape, turn, scale);
                    int from = tried.GetValueOrDefault((shape, turn, scale, sheet));
                    // Only a place whose top is lower than that of the best so far is of use.
                    int to = lowest == int.MaxValue ? side : lowest - mask.Height;
                    if (from >= to)
                        continue;
                    var (x, y) = grid.Find(mask, plan.ToRight[item], from, to);
                    tried[(shape, turn, scale, sheet)] = y >= 0 ? y : to == side ? side : Math.Max(from, to);
                    if (y < 0)
                        continue;
                    lowest = y + mask.Height;
                    places[item] = new PackPlace(sheet, mask, x, y, turn);
                }
                if (items[item].Sheet >= 0)
                    break;
            }
            if (places[item] is { Sheet: >= 0, Mask: { } placed })
                sheetsOf[places[item].Sheet].Take(placed, places[item].X, places[item].Y);
            else if ((leftOut += Mask(shape, 0, scale).Cells) > giveUpAt)
                break;
        }
        return new PackAttempt(places, leftOut);
    }
}
