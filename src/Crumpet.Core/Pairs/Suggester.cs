using System.Numerics;
using Crumpet.Core.Geometry;
using Crumpet.Core.Intake;
using Crumpet.Core.Tracing;

namespace Crumpet.Core.Pairs;

/// <summary>Proposes other sides for what has none, by how alike names are and how much surfaces lie on each other.</summary>
public static class Suggester
{
    /// <summary>From this score on a suggestion that is clear can be taken without a look.</summary>
    public const double Bar = 0.7;

    private const double NameWeight = 0.4;
    private const double Clear = 0.08;
    private const int Samples = 192;
    private const int MostEach = 3;

    private sealed record Candidate(int Low, int High, double Name, double Shape, bool Joins)
    {
        // What joins a part that is whole already is wanted less than what completes one.
        public double Score { get; } = (NameWeight * Name + (1 - NameWeight) * Shape) * (Joins ? 0.9 : 1);
    }

    /// <summary>Suggests.</summary>
    /// <param name="input">Objects and names.</param>
    /// <param name="meshes">One an object.</param>
    /// <param name="rows">Rows as matched.</param>
    /// <param name="reachMetres">How far apart surfaces still lie on each other, metres; null for a share of their size.</param>
    /// <param name="threads">Threads to use, at least 1; the result does not depend on it.</param>
    /// <param name="cancel">Ends the work early.</param>
    public static IReadOnlyList<Suggestion> Suggest(MatchInput input, IReadOnlyList<Mesh> meshes, IReadOnlyList<PartRow> rows, float? reachMetres, int threads,
        CancellationToken cancel)
    {
        int[] looseLow = [.. rows.Where(r => !r.IsPaired).SelectMany(r => r.Low)], looseHigh = [.. rows.Where(r => !r.IsPaired).SelectMany(r => r.High)];
        if (looseLow.Length + looseHigh.Length == 0)
            return [];
        int[] pairedLow = [.. rows.Where(r => r.IsPaired).SelectMany(r => r.Low)], pairedHigh = [.. rows.Where(r => r.IsPaired).SelectMany(r => r.High)];
        var trees = new SurfaceTree?[meshes.Count];
        var bounds = meshes.Select(m => m.Bounds()).ToArray();
        var options = new ParallelOptions { MaxDegreeOfParallelism = threads, CancellationToken = cancel };
        int[] concerned = looseLow.Length > 0 && looseHigh.Length > 0 ? [.. looseLow, .. looseHigh, .. pairedLow, .. pairedHigh] : looseLow.Length > 0
            ? [.. looseLow, .. pairedHigh] : [.. looseHigh, .. pairedLow];
        Parallel.ForEach(concerned, options, i => trees[i] = SurfaceTree.Build([meshes[i]]));
        var perLow = new IReadOnlyList<Candidate>[looseLow.Length];
        Parallel.For(0, looseLow.Length, options,
            i => perLow[i] = [.. looseHigh.Select(h => Weigh(looseLow[i], h, joins: false)), .. pairedHigh.Select(h => Weigh(looseLow[i], h, joins: true))]);
        var perHigh = new IReadOnlyList<Candidate>[looseHigh.Length];
        Parallel.For(0, looseHigh.Length, options, i => perHigh[i] = [.. pairedLow.Select(l => Weigh(l, looseHigh[i], joins: true))]);
        var all = perLow.Concat(perHigh).SelectMany(c => c).Where(c => c.Score >= 0.3).OrderByDescending(c => c.Score).ThenBy(c => c.Low).ThenBy(c => c.High)
            .ToArray();
        var loose = looseLow.Concat(looseHigh).ToHashSet();
        var given = new Dictionary<int, int>();
        var result = new List<Suggestion>();
        foreach (var c in all)
        {
            bool few = new[] { c.Low, c.High }.Where(loose.Contains).All(o => given.GetValueOrDefault(o) < MostEach);
            if (!few)
                continue;
            foreach (int o in new[] { c.Low, c.High }.Where(loose.Contains))
                given[o] = given.GetValueOrDefault(o) + 1;
            bool clear = !all.Any(o => o != c && o.Score > c.Score - Clear
                && ((o.Low == c.Low && loose.Contains(c.Low)) || (o.High == c.High && loose.Contains(c.High))));
            // Where the pattern has no detail, a part has room for one object a side.
            var (rename, part, side, detail) = Joined(input, c);
            if (input.FreeName(part, side, detail) is { } name)
                result.Add(new Suggestion(c.Low, c.High, c.Name, c.Shape, c.Score, clear, rename, name, part, detail));
        }
        return result;

        Candidate Weigh(int low, int high, bool joins)
        {
            double name = NameLikeness.Score(input.Objects[low].Part, input.Objects[high].Part);
            return new Candidate(low, high, name, Overlap(low, high, joins), joins);
        }

        double Overlap(int low, int high, bool joins)
        {
            cancel.ThrowIfCancellationRequested();
            Bounds a = bounds[low], b = bounds[high];
            float reach = reachMetres ?? ReachFit.NearShare * MathF.Min(a.Size.Length(), b.Size.Length());
            var grown = new Vector3(reach);
            if (Vector3.Max(a.Min - b.Max - grown, b.Min - a.Max - grown) is var gap && (gap.X > 0 || gap.Y > 0 || gap.Z > 0))
                return 0;
            // What joins a part need only lie on it; what completes one must also be covered.
            if (joins)
                return looseLow.Contains(low) ? FitMeasure.Share([meshes[low]], trees[high]!, reach, Samples)
                    : FitMeasure.Share([meshes[high]], trees[low]!, reach, Samples);
            return Math.Sqrt(FitMeasure.Share([meshes[low]], trees[high]!, reach, Samples) * FitMeasure.Share([meshes[high]], trees[low]!, reach, Samples));
        }
    }

    /// <summary>The object that gives way, and as what of which part.</summary>
    private static (int Object, string Part, Side Side, string Detail) Joined(MatchInput input, Candidate c)
    {
        ObjectReport low = input.Objects[c.Low], high = input.Objects[c.High];
        if (c.Joins)
        {
            bool lowJoins = !input.Objects.Any(o => o.Side == Side.High && input.Names.PartComparer.Equals(o.Part, low.Part));
            var (joining, to, side) = lowJoins ? (low, high, Side.Low) : (high, low, Side.High);
            return (lowJoins ? c.Low : c.High, to.Part, side, NameRepair.Clean(joining.Part));
        }
        bool readsLow = input.Names.Read(low.Name) is not null, readsHigh = input.Names.Read(high.Name) is not null;
        // What neither name is read as a part of is called what both share.
        if (!readsLow && !readsHigh && Shared(low.Name, high.Name) is { } shared)
            return (c.High, shared, Side.High, "");
        // Where only capitals differ, the one that has them gives way.
        bool lowGivesWay = string.Equals(low.Part, high.Part, StringComparison.OrdinalIgnoreCase) && low.Part.Any(char.IsUpper) && !high.Part.Any(char.IsUpper);
        // A low name that the pattern cannot read is no good name for the pair.
        lowGivesWay |= !readsLow && readsHigh;
        return lowGivesWay ? (c.Low, high.Part, Side.Low, low.Detail) : (c.High, low.Part, Side.High, high.Detail);
    }

    /// <summary>The words with which two names begin, or null where they are the same or begin with none.</summary>
    private static string? Shared(string one, string two)
    {
        int length = 0;
        while (length < Math.Min(one.Length, two.Length) && one[length] == two[length])
            length++;
        if (length == one.Length && length == two.Length)
            return null;
        // Words end where something else than a letter or digit stands.
        while (length > 0 && char.IsLetterOrDigit(one[length - 1]) && ((length < one.Length && char.IsLetterOrDigit(one[length]))
            || (length < two.Length && char.IsLetterOrDigit(two[length]))))
            length--;
        string words = one[..length].TrimEnd('_', '-', '.', ' ', ':');
        return words.Length > 0 ? words : null;
    }
}
