namespace Crumpet.Core.Layout;

/// <summary>
/// Lets parts grow and shrink a little so that they fill the sheet: scales, and now and then the order, are changed by chance,
/// and what still fits is kept, at first also where it covers a little less than before (threshold accepting).
/// </summary>
/// <remarks>Source: G. Dueck, T. Scheuer, "Threshold accepting", 1990.</remarks>
internal sealed class SlackSearch
{
    private const int TriesARound = 4;
    private const int MostRounds = 1000;
    private const int LeastRounds = 60;

    /// <summary>The more islands, the dearer a try: rounds of this many islands in all.</summary>
    private const int IslandRounds = 40000;
    private const double Leniency = 0.006;
    private const int Finalists = 8;
    private const int FinalistStep = 3;
    private const double FinalStep = 0.9985;

    /// <summary>Share of the slack that parts may shrink by on a sketch; the rest is for what a finer raster does not grant.</summary>
    private const double SketchShare = 0.9;

    /// <summary>How far islands may be moved from where they lay on the sketch, cells.</summary>
    private static readonly int[] Reaches = [7, 31];

    private readonly PackProblem problem;
    private readonly PackSearch.Found even;
    private readonly double[] weights;
    private readonly double slack;
    private readonly ParallelOptions options;
    private readonly int[] groups;

    private SlackSearch(PackProblem problem, PackSearch.Found even, double[] weights, double slack, ParallelOptions options)
    {
        (this.problem, this.even, this.weights, this.slack, this.options) = (problem, even, weights, slack, options);
        groups = [.. problem.Items.Select(i => i.Group).Distinct().Order()];
    }

    /// <summary>Scales of the parts against even, and the places they give.</summary>
    public sealed record Found(double[] Scales, PackAttempt Attempt);

    private sealed record Candidate(double[] Scales, PackPlan Plan, double Covered);

    private double Least => 1 - SketchShare * slack;

    /// <summary>Looks for scales that cover more of the sheet.</summary>
    /// <param name="problem">Islands and sheets.</param>
    /// <param name="sketch">The same on a coarser raster, on which most is tried.</param>
    /// <param name="even">What fitted at even density.</param>
    /// <param name="weights">Weight of each part.</param>
    /// <param name="slack">How far a scale may be from 1.</param>
    /// <param name="threads">Threads to use; the result does not depend on it.</param>
    /// <param name="report">Told how far the search is, 0 to 1.</param>
    /// <param name="cancel">Ends the work early.</param>
    /// <returns>What covers most, or null where nothing covers more than even density does.</returns>
    public static Found? Run(PackProblem problem, PackProblem sketch, PackSearch.Found even, double[] weights, double slack, int threads,
        Action<double>? report, CancellationToken cancel)
    {
        var search = new SlackSearch(problem, even, weights, slack, new ParallelOptions { MaxDegreeOfParallelism = threads, CancellationToken = cancel });
        return search.Start(sketch) is { } start ? search.Finished(sketch, search.Grow(sketch, start, report)) : null;
    }

    private double ScaleOn(PackProblem raster) => even.Scale * raster.Side / problem.Side;

    private Candidate Of(PackPlan plan, double[] scales) => new(scales, plan, CoveredBy(scales));

    /// <summary>Area of all islands with parts at some scales, in the shapes' unit.</summary>
    private double CoveredBy(double[] scales)
    {
        double sum = 0;
        for (int i = 0; i < problem.Items.Count; i++)
        {
            double scale = weights[problem.Items[i].Group] * scales[problem.Items[i].Group];
            sum += problem.ShapeOf(i).Area * scale * scale;
        }
        return sum;
    }

    /// <summary>All parts as large as they are, or nearly; null where they do not fit on the sketch.</summary>
    private Candidate? Start(PackProblem sketch) =>
        PackSearch.Bisect(sketch, weights, PackSearch.Frozen(even.Plan, even.Attempt), ScaleOn(sketch), options.CancellationToken) is { } found
            && found.Scale >= ScaleOn(sketch) * Least
            ? Of(PackSearch.Frozen(found.Plan, found.Attempt), [.. weights.Select(_ => found.Scale / ScaleOn(sketch))])
            : null;

    /// <summary>What fitted, each covering more than all before.</summary>
    private List<Candidate> Grow(PackProblem sketch, Candidate start, Action<double>? report)
    {
        var now = start;
        var winners = new List<Candidate> { start };
        double one = ScaleOn(sketch);
        int rounds = Math.Clamp(IslandRounds / problem.Items.Count, LeastRounds, MostRounds);
        for (int i = 0; i < rounds; i++)
        {
            var from = now;
            double bar = from.Covered * (1 - Leniency * (1 - i / (double)rounds));
            var tries = new Candidate?[TriesARound];
            Parallel.For(0, TriesARound, options, k =>
            {
                var random = new SeededRandom((uint)(TriesARound * i + k));
                var next = Of(random.Next(2) == 0 ? from.Plan : PackSearch.Changed(sketch, from.Plan, random), Changed(from.Scales, random));
                if (next.Covered > bar && sketch.Try(next.Plan, g => one * weights[g] * next.Scales[g], 0, options.CancellationToken) is { LeftOut: 0 } attempt)
                    tries[k] = next with { Plan = PackSearch.Frozen(next.Plan, attempt) };
            });
            now = tries.MaxBy(t => t?.Covered ?? 0) ?? from;
            if (now.Covered > winners[^1].Covered)
                winners.Add(now);
            report?.Invoke((i + 1.0) / rounds);
        }
        return winners;
    }

    private double[] Changed(double[] scales, SeededRandom random)
    {
        double[] changed = [.. scales];
        // Many parts a little, or few parts much.
        int count = 1 + (int)(groups.Length * Math.Pow(random.NextDouble(), 2));
        double reach = slack * Math.Pow(random.NextDouble(), 2);
        for (int i = 0; i < count; i++)
        {
            int g = groups[random.Next(groups.Length)];
            double by = random.Next(4) == 0 ? -reach : reach;
            changed[g] = Math.Clamp(changed[g] * (1 + by), Least, 1 + slack);
        }
        return changed;
    }

    /// <summary>
    /// The best on the finest raster. What is best on a sketch need not be there, so several are tried: packed again by the same
    /// plan, and laid near where they lay.
    /// </summary>
    private Found? Finished(PackProblem sketch, IReadOnlyList<Candidate> winners)
    {
        Candidate[] last = [.. winners.Reverse().Where((_, i) => i % FinalistStep == 0).Take(Finalists)];
        var found = new Found?[last.Length];
        double atEven = CoveredBy([.. weights.Select(_ => 1.0)]);
        Parallel.For(0, last.Length, options, i =>
        {
            var lay = sketch.Try(last[i].Plan, g => ScaleOn(sketch) * weights[g] * last[i].Scales[g], 0, options.CancellationToken);
            for (double times = 1; found[i] is null && times * times * last[i].Covered > atEven; times *= FinalStep)
            {
                double[] scales = [.. last[i].Scales.Select(s => s * times)];
                if (groups.Any(g => scales[g] < 1 - slack))
                    break;
                double cells = times * problem.Side / sketch.Side;
                found[i] = Reaches.Select(r => problem.Settle(lay, cells, Scale, r, options.CancellationToken))
                    .Prepend(problem.Try(last[i].Plan, Scale, 0, options.CancellationToken))
                    .Where(a => a.LeftOut == 0).Select(a => new Found(scales, a)).FirstOrDefault();

                double Scale(int group) => even.Scale * weights[group] * scales[group];
            }
        });
        return found.OfType<Found>().MaxBy(f => CoveredBy(f.Scales));
    }
}
