namespace Crumpet.Core.Layout;

/// <summary>
/// Makes a few islands fit at a greater scale by moving them apart: they are laid larger where they lay, and the ones that overlap move, one by
/// one, to where they overlap least, overlaps that last counting more and more (guided local search).
/// </summary>
/// <remarks>
/// Every round's tries are independent, and their number is given by the work alone, so that any number of threads finds the same.
/// Sources: C. Voudouris, E. Tsang, "Guided local search", 1999; J. Egeblad, B. Nielsen, A. Odgaard, "Fast neighborhood search for two- and
/// three-dimensional nesting problems", 2007.
/// </remarks>
internal sealed class PackSeparation
{
    private const int TriesARound = 4;

    /// <summary>More islands than this are packed as well one after the other; more sheets, or finer ones, would take too long.</summary>
    private const int MostItems = 64, MostSheets = 4, MostSide = 600;

    /// <summary>How much larger islands are laid, at first and at least, and after how many rounds that did not fit the search ends.</summary>
    private const double FirstStep = 1.008, LastStep = 1.002;
    private const int MostRounds = 40, MostFailures = 4;

    /// <summary>How often islands are moved, at most; fewer on a raster of more cells a side.</summary>
    private const int MostMoves = 480, MovesAnItem = 16, MostSettling = 240, SettlingSide = 1024, LeastSettling = 48;

    /// <summary>Over how many passes overlaps may not become less, in a search and where islands only settle.</summary>
    private const int Patience = 16, SettlingPatience = 40;

    /// <summary>
    /// In how many turns an island is tried, along how many rows of places, how many of the best places are then bettered, and by how many cells
    /// to each side at a time.
    /// </summary>
    private const int TurnsTried = 4, Rows = 24, Bettered = 2, Around = 7;

    /// <summary>How far islands move that only settle on a finer raster, as a share of the sheet's side.</summary>
    private const int SettlingShare = 40;

    /// <summary>What settling tries: scales around that of the coarser raster, and then between the best that fits and the next.</summary>
    private const double SettlingStep = 0.004;
    private const int SettlingBatches = 4;

    /// <summary>What an overlap counts, in sixteenths, at first and at most.</summary>
    private const int LeastWeight = 16, MostWeight = 4096;
    private const double Growth = 0.6, Decay = 0.95;

    private readonly PackProblem problem;
    private readonly double[] scales;
    private readonly PackPlace[] places;
    private readonly int[] weights;
    private readonly long[] overlaps;
    private readonly OverlapSums beside;
    private readonly SeededRandom random;
    private readonly CancellationToken cancel;
    private readonly int count, side, reach;
    private readonly bool settles;

    private PackSeparation(PackProblem problem, double[] scales, PackPlace[] start, uint seed, bool settles, CancellationToken cancel)
    {
        (this.problem, this.scales, this.cancel, count, side, places) = (problem, scales, cancel, problem.Items.Count, problem.Side, start);
        this.settles = settles;
        reach = side / SettlingShare;
        random = new SeededRandom(seed);
        weights = new int[count * count];
        Array.Fill(weights, LeastWeight);
        overlaps = new long[count * count];
        beside = new OverlapSums(problem.Sheets);
    }

    /// <summary>Whether islands can be moved apart: each is held against every other.</summary>
    public static bool AreFew(PackProblem problem) => problem.Items.Count <= MostItems && problem.Sheets <= MostSheets;

    /// <summary>Whether it is worth searching for greater scales.</summary>
    public static bool Suits(PackProblem problem) =>
        AreFew(problem) && problem.Items.Count > 1 && problem.Locked.Count == 0 && problem.Side <= MostSide;

    /// <summary>Lets a layout grow as long as its islands can be moved apart.</summary>
    /// <param name="problem">Islands and sheets, on a coarse raster.</param>
    /// <param name="weightOf">Size of each group against the others.</param>
    /// <param name="best">What fits; all islands do.</param>
    /// <param name="effort">How much of the full search is done, a share.</param>
    /// <param name="options">Threads to use, and what ends the work early.</param>
    /// <param name="report">Told how far it is, 0 to 1.</param>
    public static PackSearch.Found Improve(PackProblem problem, double[] weightOf, PackSearch.Found best, double effort, ParallelOptions options,
        Action<double> report)
    {
        double step = FirstStep;
        int rounds = (int)(MostRounds * effort);
        for (int round = 0, failures = 0; round < rounds && failures < MostFailures; round++)
        {
            var (from, scale) = (best, best.Scale * step);
            var tries = new PackPlace[]?[TriesARound];
            Parallel.For(0, TriesARound, options, i => tries[i] = new PackSeparation(problem, ScalesOf(problem, weightOf, scale), [.. from.Attempt.Places],
                (uint)(TriesARound * round + i), settles: false, options.CancellationToken).Run(1, isScattered: i > 0));
            if (tries.FirstOrDefault(t => t is not null) is { } apart)
                (best, failures) = (Found(scale, apart), 0);
            else
                (step, failures) = (Math.Max(LastStep, Math.Sqrt(step)), step > LastStep ? 0 : failures + 1);
            report((round + 1.0) / rounds);
        }
        return best;
    }

    /// <summary>Lays islands about where they lay on a coarser raster, as large as they can be moved apart there; null where they cannot.</summary>
    /// <param name="problem">Islands and sheets.</param>
    /// <param name="weightOf">Size of each group against the others.</param>
    /// <param name="from">How they lay.</param>
    /// <param name="times">Cells of this raster for one of the other.</param>
    /// <param name="options">Threads to use, and what ends the work early.</param>
    public static PackSearch.Found? Settle(PackProblem problem, double[] weightOf, PackSearch.Found from, double times, ParallelOptions options)
    {
        double most = from.Scale * times * (1 + 2 * SettlingStep);
        for (int batch = 0; batch < SettlingBatches; batch++, most = Down(most, SettlingStep, TriesARound))
        {
            if (First(most, SettlingStep) is not { Found: { } fits } coarse)
                continue;
            most = Down(most, SettlingStep, coarse.At);
            return First(most, SettlingStep / (TriesARound + 1))?.Found ?? fits;
        }
        return null;

        // The greatest of four scales at which they fit.
        (PackSearch.Found Found, int At)? First(double most, double step)
        {
            var tries = new PackSearch.Found?[TriesARound];
            Parallel.For(0, TriesARound, options, i => tries[i] = At(problem, weightOf, from, times, Down(most, step, i + 1), options.CancellationToken));
            int first = Array.FindIndex(tries, t => t is not null);
            return first < 0 ? null : (tries[first]!, first);
        }

        static double Down(double scale, double step, int times) => scale / (1 + times * step);
    }

    /// <summary>Islands, of which there are few, about where they lay, at another scale; null where they cannot be moved apart there.</summary>
    public static PackSearch.Found? At(PackProblem problem, double[] weightOf, PackSearch.Found from, double scale, CancellationToken cancel) =>
        At(problem, weightOf, from, 1, scale, cancel);

    private static PackSearch.Found? At(PackProblem problem, double[] weightOf, PackSearch.Found from, double times, double scale, CancellationToken cancel)
    {
        PackPlace[] start = [.. from.Attempt.Places.Select(p => p with { X = (int)(p.X * times), Y = (int)(p.Y * times) })];
        return new PackSeparation(problem, ScalesOf(problem, weightOf, scale), start, 0, settles: true, cancel).Run(times, isScattered: false) is { } apart
            ? Found(scale, apart) : null;
    }

    private static double[] ScalesOf(PackProblem problem, double[] weightOf, double scale) => [.. problem.Items.Select(i => scale * weightOf[i.Group])];

    private static PackSearch.Found Found(double scale, PackPlace[] places) => new(scale, new PackPlan(
        [.. Enumerable.Range(0, places.Length).OrderBy(i => places[i].Sheet).ThenBy(i => places[i].Y).ThenBy(i => places[i].X).ThenBy(i => i)],
        [.. places.Select(p => p.Turn)], new bool[places.Length]), new PackAttempt(places, 0));

    /// <summary>Places without overlaps, or null where none were found.</summary>
    /// <param name="times">Cells of this raster for one of that on which islands' masks are so far.</param>
    /// <param name="isScattered">Whether some are laid anywhere at first.</param>
    private PackPlace[]? Run(double times, bool isScattered)
    {
        for (int i = 0; i < count; i++)
        {
            var place = places[i];
            int turns = problem.TurnsOf(i);
            int turn = Enumerable.Range(place.Turn, settles ? 1 : turns).Select(t => t % turns).FirstOrDefault(t => Fits(Mask(i, t)), -1);
            if (turn < 0)
                return null;
            var (was, mask) = (place.Mask!, Mask(i, turn));
            // Grown about its middle.
            places[i] = place with
            {
                Mask = mask,
                Turn = turn,
                X = Within(place.X + (int)(was.Width * times - mask.Width) / 2, mask.Width),
                Y = Within(place.Y + (int)(was.Height * times - mask.Height) / 2, mask.Height),
            };
        }
        for (int k = isScattered ? 1 + random.Next(Math.Min(count, 3)) : 0; k > 0; k--)
        {
            int item = random.Next(count), turn = random.Next(problem.TurnsOf(item));
            if (Mask(item, turn) is var mask && Fits(mask))
                places[item] = places[item] with { Mask = mask, Turn = turn, X = random.Next(side - mask.Width + 1), Y = random.Next(side - mask.Height + 1) };
        }
        for (int i = 0; i < count; i++)
            Measure(i);
        int most = !settles ? Math.Min(MostMoves, MovesAnItem * count) : Math.Clamp(MostSettling * SettlingSide / side, LeastSettling, MostSettling);
        long least = long.MaxValue;
        for (int moves = 0, since = 0; moves < most && since < (settles ? SettlingPatience : Patience); since++)
        {
            int[] moving = [.. Enumerable.Range(0, count).Where(Overlaps)];
            if (moving.Length == 0)
                return places;
            Shuffle(moving);
            foreach (int i in moving.Where(Overlaps))
            {
                moves++;
                cancel.ThrowIfCancellationRequested();
                Move(i);
            }
            long all = overlaps.Sum();
            if (all < least)
                (least, since) = (all, 0);
            Weigh();
        }
        return null;
    }

    private bool Fits(ShapeMask mask) => mask.Width <= side && mask.Height <= side;

    private int Within(int at, int length) => Math.Clamp(at, 0, side - length);

    private bool Overlaps(int item)
    {
        for (int j = 0; j < count; j++)
        {
            if (overlaps[item * count + j] > 0)
                return true;
        }
        return false;
    }

    /// <summary>Lets overlaps that are left count more, and those that are gone less.</summary>
    private void Weigh()
    {
        double most = Math.Max(1, overlaps.Max());
        for (int k = 0; k < weights.Length; k++)
        {
            weights[k] = overlaps[k] > 0 ? Math.Min(MostWeight, (int)(weights[k] * (1 + Growth * (0.5 + 0.5 * overlaps[k] / most))) + 1)
                : Math.Max(LeastWeight, (int)(weights[k] * Decay));
        }
    }

    private void Shuffle(int[] items)
    {
        for (int i = items.Length - 1; i > 0; i--)
        {
            int j = random.Next(i + 1);
            (items[i], items[j]) = (items[j], items[i]);
        }
    }

    private ShapeMask Mask(int item, int turn) => problem.Mask(problem.Items[item].Class, turn, scales[item]);

    /// <summary>Counts the cells an item shares with each other and with what is locked, which stands in its own place.</summary>
    private void Measure(int item)
    {
        for (int j = 0; j < count; j++)
        {
            if (j != item)
                overlaps[item * count + j] = overlaps[j * count + item] = Shared(places[item], places[j]);
        }
        overlaps[item * count + item] = problem.Locked.Sum(l => Shared(places[item], l));
    }

    private static long Shared(PackPlace a, PackPlace b)
    {
        if (a.Sheet != b.Sheet || a.X >= b.X + b.Mask!.Width || b.X >= a.X + a.Mask!.Width)
            return 0;
        long shared = 0;
        int to = Math.Min(a.Y + a.Mask.Height, b.Y + b.Mask.Height);
        for (int y = Math.Max(a.Y, b.Y); y < to; y++)
        {
            int i = a.Mask.Starts[y - a.Y], lastI = a.Mask.Starts[y - a.Y + 1], j = b.Mask.Starts[y - b.Y], lastJ = b.Mask.Starts[y - b.Y + 1];
            while (i < lastI && j < lastJ)
            {
                int endA = a.X + a.Mask.Runs[i + 1], endB = b.X + b.Mask.Runs[j + 1];
                shared += Math.Max(0, Math.Min(endA, endB) - Math.Max(a.X + a.Mask.Runs[i], b.X + b.Mask.Runs[j]));
                if (endA < endB)
                    i += 2;
                else
                    j += 2;
            }
        }
        return shared;
    }

    /// <summary>Moves an item to where it overlaps least of all places that are tried.</summary>
    private void Move(int item)
    {
        var now = places[item];
        Sum(item);
        var found = new List<(long Cost, PackPlace Place)> { (beside.Under(now, long.MaxValue), now) };
        int turns = problem.TurnsOf(item), only = settles ? now.Sheet : problem.Items[item].Sheet;
        for (int i = 0; i < (settles ? 1 : Math.Min(turns, TurnsTried)); i++)
        {
            int turn = i == 0 ? now.Turn : random.Next(turns);
            var mask = Mask(item, turn);
            int spanX = beside.Window.Width - mask.Width, spanY = beside.Window.Height - mask.Height;
            if (spanX < 0 || spanY < 0)
                continue;
            int apart = Math.Max(1, spanY / Rows), first = random.Next(Math.Min(apart, spanY + 1));
            for (int sheet = only >= 0 ? only : 0; sheet < (only >= 0 ? only + 1 : problem.Sheets); sheet++)
            {
                for (int y = first; y <= spanY; y += apart)
                {
                    if (beside.LeastAlong(mask, sheet, beside.Window.X, spanX + 1, beside.Window.Y + y, Bar()) is { } least)
                        Offer(least.Cost, new PackPlace(sheet, mask, least.X, beside.Window.Y + y, turn));
                }
            }
        }
        places[item] = found.Select(f => Descend(item, f.Cost, f.Place)).MinBy(f => f.Cost).Place;
        Measure(item);

        long Bar() => found.Count < Bettered ? long.MaxValue : found[^1].Cost;

        void Offer(long cost, PackPlace place)
        {
            int at = found.FindIndex(f => cost < f.Cost);
            found.Insert(at < 0 ? found.Count : at, (cost, place));
            if (found.Count > Bettered)
                found.RemoveAt(Bettered);
        }
    }

    /// <summary>Finds what lies beside an item, anywhere or around it, each as heavy as its overlap with the item counts.</summary>
    private void Sum(int item)
    {
        var now = places[item];
        var window = new PackWindow(0, 0, side, side);
        if (settles)
        {
            int half = Math.Max(now.Mask!.Width, now.Mask.Height) / 2 + reach, x = now.X + now.Mask.Width / 2, y = now.Y + now.Mask.Height / 2;
            int left = Math.Clamp(x - half, 0, now.X), low = Math.Clamp(y - half, 0, now.Y);
            window = new PackWindow(
                left, low, Math.Clamp(x + half, now.X + now.Mask.Width, side) - left, Math.Clamp(y + half, now.Y + now.Mask.Height, side) - low);
        }
        beside.Begin(window, settles ? now.Sheet : -1);
        for (int j = 0; j < count; j++)
        {
            if (j != item)
                beside.Add(places[j], weights[item * count + j]);
        }
        foreach (var place in problem.Locked)
            beside.Add(place, weights[item * count + item]);
        beside.Finish();
    }

    /// <summary>Moves and turns a place to where it overlaps least around it, as long as that becomes less.</summary>
    private (long Cost, PackPlace Place) Descend(int item, long cost, PackPlace place)
    {
        int turns = settles ? 1 : problem.TurnsOf(item);
        for (bool isLess = true; isLess && cost > 0;)
        {
            isLess = false;
            var around = place;
            for (int k = 0; k < Math.Min(3, turns); k++)
            {
                int turn = settles ? place.Turn : (around.Turn + (k == 2 ? turns - 1 : k)) % turns;
                var mask = Mask(item, turn);
                if (mask.Width > beside.Window.Width || mask.Height > beside.Window.Height)
                    continue;
                var (low, high) = (About(around, mask, turn, -Around, -Around), About(around, mask, turn, Around, Around));
                for (int y = low.Y; y <= high.Y; y++)
                {
                    if (beside.LeastAlong(mask, place.Sheet, low.X, high.X - low.X + 1, y, cost) is { } least)
                        (isLess, cost, place) = (true, least.Cost, low with { X = least.X, Y = y });
                }
            }
        }
        return (cost, place);
    }

    /// <summary>A place with about the same middle but for a move, within the window.</summary>
    private PackPlace About(PackPlace place, ShapeMask mask, int turn, int across, int up) => place with
    {
        Mask = mask,
        Turn = turn,
        X = Math.Clamp(place.X + (place.Mask!.Width - mask.Width) / 2 + across, beside.Window.X, beside.Window.X + beside.Window.Width - mask.Width),
        Y = Math.Clamp(place.Y + (place.Mask.Height - mask.Height) / 2 + up, beside.Window.Y, beside.Window.Y + beside.Window.Height - mask.Height),
    };
}
