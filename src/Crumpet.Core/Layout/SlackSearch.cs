namespace Crumpet.Core.Layout;

/// <summary>Lets parts grow and shrink a little so that they fill the sheet.</summary>
internal static class SlackSearch
{
    private const int Rounds = 160;
    private const int TriesARound = 4;

    /// <summary>Scales of the parts against even, the places they give, and what they cover.</summary>
    public sealed record Found(double[] Scales, PackAttempt Attempt, double Covered);

    /// <summary>Area of all islands with parts at some scales, in the shapes' unit.</summary>
    public static double CoveredBy(PackProblem problem, double[] weights, double[] scales)
    {
        double sum = 0;
        for (int i = 0; i < problem.Items.Count; i++)
        {
            double scale = weights[problem.Items[i].Group] * scales[problem.Items[i].Group];
            sum += problem.ShapeOf(i).Area() * scale * scale;
        }
        return sum;
    }

    /// <summary>Changes scales by chance, some parts up, some down, and keeps what covers more and still fits.</summary>
    /// <param name="problem">Islands and sheets.</param>
    /// <param name="even">What fitted at even density on this raster.</param>
    /// <param name="scale">Cells a unit that count as even; not less than what fitted.</param>
    /// <param name="weights">Weight of each part.</param>
    /// <param name="slack">How far a scale may be from 1.</param>
    /// <param name="threads">Threads to use; the result does not depend on it.</param>
    /// <param name="cancel">Ends the work early.</param>
    public static Found Run(PackProblem problem, PackSearch.Found even, double scale, double[] weights, double slack, int threads, CancellationToken cancel)
    {
        var options = new ParallelOptions { MaxDegreeOfParallelism = threads, CancellationToken = cancel };
        int[] groups = [.. problem.Items.Select(i => i.Group).Distinct().Order()];
        double[] first = [.. Enumerable.Repeat(even.Scale / scale, weights.Length)];
        var best = new Found(first, even.Attempt, CoveredBy(problem, weights, first));
        var plan = PackSearch.Frozen(even.Plan, even.Attempt);
        for (int round = 0; round < Rounds; round++)
        {
            var tries = new (double[] Scales, PackPlan Plan, PackAttempt? Attempt)[TriesARound];
            Parallel.For(0, TriesARound, options, i =>
            {
                var random = new Chance((uint)((TriesARound * round) + i));
                double[] scales = Changed(best.Scales, groups, slack, random);
                if (CoveredBy(problem, weights, scales) <= best.Covered * 1.0005)
                    return;
                var changed = random.Next(2) == 0 ? plan : PackSearch.Changed(problem, plan, random);
                tries[i] = (scales, changed, problem.Try(changed, g => scale * weights[g] * scales[g], 0, options.CancellationToken));
            });
            var (next, nextPlan, attempt) = tries.Where(t => t.Attempt is { LeftOut: 0 }).OrderByDescending(t => CoveredBy(problem, weights, t.Scales)).FirstOrDefault();
            if (attempt is null)
                continue;
            best = new Found(next, attempt, CoveredBy(problem, weights, next));
            plan = PackSearch.Frozen(nextPlan, attempt);
        }
        return best;
    }

    private static double[] Changed(double[] scales, int[] groups, double slack, Chance random)
    {
        double[] changed = [.. scales];
        // Many parts a little, or few parts much.
        int count = 1 + (int)(groups.Length * Math.Pow(random.NextDouble(), 2));
        double reach = slack * Math.Pow(random.NextDouble(), 2);
        for (int i = 0; i < count; i++)
        {
            int g = groups[random.Next(groups.Length)];
            double by = random.Next(4) == 0 ? -reach : reach;
            changed[g] = Math.Clamp(changed[g] * (1 + by), 1 - slack, 1 + slack);
        }
        return changed;
    }
}
