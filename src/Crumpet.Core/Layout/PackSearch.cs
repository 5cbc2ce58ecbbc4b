namespace Crumpet.Core.Layout;

/// <summary>Looks for the order and the scale at which islands fill the sheet best.</summary>
/// <remarks>
/// Bottom-left placement of true shapes in an order that a local search improves: at a scale slightly above what fitted last,
/// orders are changed by chance and kept when less is left out. The number of tries is given by the work, never by a clock,
/// and each round's tries are independent, so that any number of threads finds the same. A few islands are then moved apart at greater scales.
/// Source: E. Hopper, B. Turton, "An empirical investigation of meta-heuristic and heuristic algorithms for a 2D packing
/// problem", 2001; bottom-left fill after B. Chazelle, 1983.
/// </remarks>
internal static class PackSearch
{
    private const int TriesARound = 4;
    private const double Step = 1.003;
    private const int Finalists = 6;

    /// <summary>With less of the search than this one order goes on, as laying it out on fine rasters takes longer than the search.</summary>
    private const double QuickEffort = 0.1;
    private const double Exactness = 1.0008;
    private const double FirstStep = 0.99;

    /// <summary>A finer raster wastes less, or a sketch was too hopeful.</summary>
    private const double Hope = 1.01;

    /// <summary>How much is tried on the coarsest sketch: so many islands are laid in all, on a raster of so many cells a side.</summary>
    private const double Placements = 2_000_000;
    private const double PlacementSide = 255;

    /// <summary>A cell of the next finer raster is a quarter, and a try there as much dearer.</summary>
    private const int FewerOnFiner = 4;

    /// <summary>How much of a sheet one order of very many islands fills at least, with the room around islands.</summary>
    private const double ManyFill = 0.85;
    private const int LeastRounds = 6;
    private const int MostRounds = 5000;

    /// <summary>About what share of the time that is left a sketch takes, and of that what comes before its rounds.</summary>
    private const double FirstShare = 0.42, BeginningShare = 0.1, SeparationShare = 0.5;

    /// <summary>How much greater the scale must be at which islands are moved apart, as such a layout is dearer to go on with.</summary>
    private const double Worthwhile = 1.002;

    /// <summary>What the search found: the greatest scale at which all islands fit.</summary>
    /// <param name="Scale">Cells a unit.</param>
    /// <param name="Plan">How they were placed.</param>
    /// <param name="Attempt">Places.</param>
    public sealed record Found(double Scale, PackPlan Plan, PackAttempt Attempt);

    /// <summary>The greatest scale found, or null where islands do not fit however small.</summary>
    /// <param name="problem">Islands and sheets.</param>
    /// <param name="sketches">The same on coarser rasters, on which orders are tried, the coarsest first.</param>
    /// <param name="weightOf">Size of each group against the others.</param>
    /// <param name="wanted">Scale that is enough, cells a unit; null for the greatest.</param>
    /// <param name="before">How the same islands were packed on the same raster before, which is tried first where a scale is wanted; or null.</param>
    /// <param name="effort">How much of the full search is done, a share.</param>
    /// <param name="threads">Threads to use.</param>
    /// <param name="report">Told how far the search is, 0 to 1.</param>
    /// <param name="cancel">Ends the work early.</param>
    public static Found? Run(
        PackProblem problem, IReadOnlyList<PackProblem> sketches, double[] weightOf, double? wanted, Found? before, double effort, int threads,
        Action<double>? report, CancellationToken cancel)
    {
        var options = new ParallelOptions { MaxDegreeOfParallelism = threads, CancellationToken = cancel };
        if (wanted is { } simple && ((before is null ? null : Again(problem, weightOf, before, simple, cancel))
            ?? Orders(problem, weightOf).Select(p => At(problem, weightOf, p, simple, cancel)).FirstOrDefault(f => f is not null)) is { } enough)
            return enough;
        // What is best on a sketch need not be on the sheet, so several go on.
        var plans = new List<PackPlan>();
        PackProblem[] rasters = [.. sketches, problem];
        Found? best = null;
        double until = 0;
        bool isQuick = effort < QuickEffort, areMany = problem.Items.Count > LayoutSettings.ManyIslands;
        double placements = effort * Placements * Math.Pow(PlacementSide / rasters[0].Side, 2);
        int rounds = areMany ? 0 : (int)Math.Clamp(placements / TriesARound / problem.Items.Count, LeastRounds, Math.Max(LeastRounds, effort * MostRounds));
        rounds = Math.Min(rounds, OrdersOf(problem.Items.Count));
        // Islands that were moved apart lie as no order would lay them, and go on as they lie.
        bool isApart = false;
        double ordered = 0;
        for (int i = 0; i < rasters.Length; i++)
        {
            double from = until;
            until += (1 - until) * (i < sketches.Count ? FirstShare : 1);
            var settled = isApart ? PackSeparation.Settle(rasters[i], weightOf, best!, rasters[i].Side / (double)rasters[i - 1].Side, options) : null;
            // What came apart only on a raster that was too hopeful is let go.
            isApart = settled?.Scale / rasters[i].Side > ordered;
            best = isApart ? settled : Ordered(i, best);
            if (best is null || i >= sketches.Count)
                continue;
            bool separates = (i == 0 || isApart) && PackSeparation.Suits(rasters[i]);
            double share = separates ? SeparationShare : 0;
            if (!isApart)
            {
                plans.Clear();
                best = Improve(rasters[i], weightOf, best, rounds, options, f => Told(BeginningShare + (1 - BeginningShare - share) * f), plans);
            }
            if (separates)
            {
                ordered = isApart ? ordered : best.Scale / rasters[i].Side;
                var apart = PackSeparation.Improve(rasters[i], weightOf, best, effort, options, f => Told(1 - share + share * f));
                (isApart, best) = apart.Scale > best.Scale * Worthwhile ? (true, apart) : (isApart, best);
            }
            rounds = Math.Max(areMany ? 0 : LeastRounds, rounds / FewerOnFiner);

            void Told(double share) => report?.Invoke(from + (until - from) * share);
        }
        if (best is null || !(best.Scale > wanted))
            return best;
        return Again(problem, weightOf, best, wanted.Value, cancel) ?? Bisect(problem, weightOf, best.Plan, wanted.Value, cancel) ?? best;

        Found? Ordered(int i, Found? before)
        {
            double start = before is not null ? before.Scale * rasters[i].Side / rasters[i - 1].Side * Hope
                : areMany ? ManyScale(rasters[i], weightOf) : FirstScale(rasters[i], weightOf);
            // The last that were found, and the first: what was gained on a sketch may be lost on the sheet.
            PackPlan[] entrants = plans.Count > 0 ? [.. plans.AsEnumerable().Reverse().Take(isQuick ? 1 : Finalists).Append(plans[0]).Distinct()]
                : [.. Orders(rasters[i], weightOf).Take(areMany || isQuick ? 1 : int.MaxValue)];
            // None of them may fit where a sketch was too hopeful.
            return BestOf(rasters[i], weightOf, entrants, start, options) ?? (plans.Count == 0 ? null
                : BestOf(rasters[i], weightOf, Orders(rasters[i], weightOf), FirstScale(rasters[i], weightOf), options));
        }
    }

    /// <summary>How many orders there are of so many islands; of more than a few, more than are ever tried.</summary>
    private static int OrdersOf(int islands) => islands > 7 ? int.MaxValue : Enumerable.Range(1, islands).Aggregate(1, (a, b) => a * b);

    /// <summary>What a short search comes to, which says how well islands fill a sheet against others; null where they do not fit.</summary>
    /// <param name="problem">Islands and sheets, on a coarse raster.</param>
    /// <param name="weightOf">Size of each group against the others.</param>
    /// <param name="rounds">Rounds to search for.</param>
    /// <param name="effort">How much of the full search goes into moving few islands apart then, a share.</param>
    /// <param name="threads">Threads to use.</param>
    /// <param name="cancel">Ends the work early.</param>
    public static Found? Sketch(PackProblem problem, double[] weightOf, int rounds, double effort, int threads, CancellationToken cancel)
    {
        var options = new ParallelOptions { MaxDegreeOfParallelism = threads, CancellationToken = cancel };
        if (BestOf(problem, weightOf, Orders(problem, weightOf), FirstScale(problem, weightOf), options) is not { } best)
            return null;
        best = Improve(problem, weightOf, best, rounds, options, _ => { }, []);
        return PackSeparation.Suits(problem) ? PackSeparation.Improve(problem, weightOf, best, effort, options, _ => { }) : best;
    }

    /// <summary>How a plan comes out at a scale; null where not all fit.</summary>
    public static Found? At(PackProblem problem, double[] weightOf, PackPlan plan, double scale, CancellationToken cancel)
    {
        var attempt = problem.Try(plan, g => scale * weightOf[g], 0, cancel);
        return attempt.LeftOut == 0 ? new Found(scale, plan, attempt) : null;
    }

    /// <summary>Islands as they were found to fit, at a lesser scale; null where they cannot be laid so.</summary>
    public static Found? Again(PackProblem problem, double[] weightOf, Found found, double scale, CancellationToken cancel) =>
        At(problem, weightOf, found.Plan, scale, cancel)
            ?? (PackSeparation.AreFew(problem) ? PackSeparation.At(problem, weightOf, found, scale, cancel) : null);

    private static Found? BestOf(PackProblem problem, double[] weightOf, PackPlan[] plans, double start, ParallelOptions options)
    {
        var found = new Found?[plans.Length];
        if (plans.Length == 1)
            return Thirds(problem, weightOf, plans[0], start, options);
        Parallel.For(0, plans.Length, options, i => found[i] = Bisect(problem, weightOf, plans[i], start, options.CancellationToken));
        return found.Where(f => f is not null).MaxBy(f => f!.Scale);
    }

    /// <summary>
    /// Changes an order by chance so many times and lets it grow where that leaves nothing out; each order that grew is added to
    /// <paramref name="winners"/>, in the turns in which its islands came to lie.
    /// </summary>
    private static Found Improve(PackProblem problem, double[] weightOf, Found best, int rounds, ParallelOptions options, Action<double> report,
        List<PackPlan> winners)
    {
        var plan = Frozen(best.Plan, best.Attempt);
        winners.Add(plan);
        long least = long.MaxValue;
        for (int round = 0; round < rounds; round++)
        {
            double scale = best.Scale * Step;
            var tries = new (PackPlan Plan, PackAttempt Attempt)[TriesARound];
            Parallel.For(0, TriesARound, options, i =>
            {
                var changed = i == 0 && least == long.MaxValue ? plan : Changed(problem, plan, new SeededRandom((uint)((TriesARound * round) + i)));
                tries[i] = (changed, problem.Try(changed, g => scale * weightOf[g], Bar(), options.CancellationToken));
            });
            var (next, attempt) = tries.MinBy(t => t.Attempt.LeftOut);
            if (attempt.LeftOut <= Bar())
                (plan, least) = (EarlierLeftOut(Frozen(next, attempt), attempt), attempt.LeftOut);
            if (attempt.LeftOut == 0)
            {
                plan = Frozen(next, attempt);
                best = new Found(scale, plan, attempt);
                winners.Add(plan);
                least = long.MaxValue;
            }
            report((round + 1.0) / rounds);
        }
        return best;

        // A little worse is let pass now and then, so that the search leaves a dead end.
        long Bar() => least == long.MaxValue ? least : least + least / 8;
    }

    /// <summary>A scale at which the islands with their room would take the whole sheet.</summary>
    private static double FirstScale(PackProblem problem, double[] weightOf)
    {
        double area = Enumerable.Range(0, problem.Items.Count)
            .Sum(i => problem.ShapeOf(i).Area * weightOf[problem.Items[i].Group] * weightOf[problem.Items[i].Group]);
        return Math.Min(Math.Sqrt((double)problem.Side * problem.Side * problem.Sheets / Math.Max(area, 1e-30)), problem.LongestFit(weightOf));
    }

    private static double ManyScale(PackProblem problem, double[] weightOf) =>
        problem.FillingScale(weightOf, ManyFill) is var scale and > 0 ? Math.Min(scale, problem.LongestFit(weightOf)) : FirstScale(problem, weightOf);

    /// <summary>The greatest scale at which a plan fits, from a guess downwards; null where there is none.</summary>
    public static Found? Bisect(PackProblem problem, double[] weightOf, PackPlan plan, double start, CancellationToken cancel)
    {
        double high = start, low = start, step = FirstStep;
        Found? found = At(problem, weightOf, plan, start, cancel);
        for (int i = 0; i < 10 && found is null; i++, step *= step)
        {
            (high, low) = (low, low * step);
            found = At(problem, weightOf, plan, low, cancel);
        }
        while (found is not null && high / found.Scale > Exactness)
        {
            double middle = Math.Sqrt(found.Scale * high);
            if (At(problem, weightOf, plan, middle, cancel) is { } better)
                found = better;
            else
                high = middle;
        }
        return found;
    }

    /// <summary>The same, with two scales tried at a time.</summary>
    private static Found? Thirds(PackProblem problem, double[] weightOf, PackPlan plan, double start, ParallelOptions options)
    {
        double high = start / FirstStep, step = FirstStep;
        Found? found = null;
        for (int i = 0; i < 6 && found is null; i++, step *= step)
        {
            var (more, less) = Both(high * step, high * step * step);
            found = more ?? less;
            high = more is not null ? high : less is not null ? high * step : high * step * step;
        }
        while (found is not null && high / found.Scale > Exactness)
        {
            double third = Math.Cbrt(high / found.Scale);
            var (more, less) = Both(found.Scale * third * third, found.Scale * third);
            high = more is not null ? high : less is not null ? found.Scale * third * third : found.Scale * third;
            found = more ?? less ?? found;
        }
        return found;

        (Found? More, Found? Less) Both(double more, double less)
        {
            var both = new Found?[2];
            Parallel.For(0, 2, options, i => both[i] = At(problem, weightOf, plan, i == 0 ? more : less, options.CancellationToken));
            return (both[0], both[1]);
        }
    }

    /// <summary>Orders to begin with: large before small, by several measures of large.</summary>
    private static PackPlan[] Orders(PackProblem problem, double[] weightOf)
    {
        double likely = FirstScale(problem, weightOf) * 0.8;
        var sizes = Enumerable.Range(0, problem.Items.Count).Select(i =>
        {
            var mask = problem.Mask(problem.Items[i].Class, 0, weightOf[problem.Items[i].Group] * likely);
            return (Long: Math.Max(mask.Width, mask.Height), Short: Math.Min(mask.Width, mask.Height), mask.Cells);
        }).ToArray();
        Func<int, double>[] measures =
        [
            i => sizes[i].Cells,
            i => sizes[i].Short,
            i => sizes[i].Long,
            i => sizes[i].Long + sizes[i].Short,
        ];
        return [.. measures.Select(m => new PackPlan(
            [.. Enumerable.Range(0, sizes.Length).OrderByDescending(m).ThenByDescending(i => sizes[i].Long).ThenBy(i => problem.Items[i].Class).ThenBy(i => i)],
            [.. sizes.Select(_ => -1)], new bool[sizes.Length]))];
    }

    /// <summary>The same with every island in the turn in which it came to lie, which is found faster.</summary>
    public static PackPlan Frozen(PackPlan plan, PackAttempt attempt) =>
        plan with { Turns = [.. plan.Turns.Select((t, i) => attempt.Places[i].Sheet >= 0 ? attempt.Places[i].Turn : -1)] };

    /// <summary>The same with a few islands turned or placed earlier or later by chance.</summary>
    public static PackPlan Changed(PackProblem problem, PackPlan plan, SeededRandom random)
    {
        var order = plan.Order.ToList();
        int[] turns = [.. plan.Turns];
        bool[] toRight = [.. plan.ToRight];
        int moves = 1 + random.Next(3);
        for (int i = 0; i < moves; i++)
        {
            int from = random.Next(order.Count), item = order[from];
            turns[item] = random.Next(3) == 0 ? random.Next(problem.TurnsOf(item)) : -1;
            toRight[item] = random.Next(3) == 0;
            if (random.Next(4) == 0)
                continue;
            order.RemoveAt(from);
            // Near moves are more likely than far ones.
            int span = 1 + (int)(order.Count * Math.Pow(random.NextDouble(), 3));
            order.Insert(Math.Clamp(from + (random.Next(2) == 0 ? -span : span), 0, order.Count), item);
        }
        return new PackPlan([.. order], turns, toRight);
    }

    /// <summary>The plan with what was left out a little earlier.</summary>
    private static PackPlan EarlierLeftOut(PackPlan plan, PackAttempt attempt)
    {
        var order = plan.Order.ToList();
        foreach (int item in plan.Order.Where(i => attempt.Places[i].Sheet < 0))
        {
            int at = order.IndexOf(item);
            order.RemoveAt(at);
            order.Insert(at * 3 / 4, item);
        }
        return plan with { Order = [.. order] };
    }
}
