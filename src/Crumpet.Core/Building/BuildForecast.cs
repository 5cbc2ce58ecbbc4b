using Crumpet.Core.Jobs;

namespace Crumpet.Core.Building;

/// <summary>A job that will or may be worked.</summary>
/// <param name="Station">Station it belongs to.</param>
/// <param name="Kind">Its kind.</param>
/// <param name="Label">What it is about.</param>
/// <param name="IsSure">Whether it will be worked; otherwise only where what it takes comes out different.</param>
/// <param name="Why">Why, in a few words.</param>
/// <param name="Seconds">How long it is expected to take, or null where no job of its kind was worked here yet.</param>
public sealed record JobForecast(Station Station, string Kind, string Label, bool IsSure, string Why, double? Seconds);

/// <summary>What a run would work.</summary>
/// <param name="UpTo">Last station.</param>
/// <param name="All">Jobs there are, as far as they are known.</param>
/// <param name="IsWhole">Whether all are known; otherwise more follow from what is worked first.</param>
/// <param name="Jobs">Those without a result, in the order of the line.</param>
public sealed record BuildForecast(Station UpTo, int All, bool IsWhole, IReadOnlyList<JobForecast> Jobs)
{
    /// <summary>How many will be worked.</summary>
    public int Sure => Jobs.Count(j => j.IsSure);

    /// <summary>How many of those that are known will be worked at most.</summary>
    public int AtMost => Jobs.Count;

    /// <summary>Seconds that all of them are expected to take, or null where that cannot be told for most of them.</summary>
    public double? Seconds => Jobs.Count == 0 ? 0 : Jobs.Count(j => j.Seconds is null) * 2 > Jobs.Count ? null : Jobs.Sum(j => j.Seconds ?? 0);

    /// <summary>Bytes that all of them are expected to give, or null where no such job was worked here yet.</summary>
    public long? Bytes { get; init; }

    /// <summary>How much is to be done, in a few words: "3 of 214 jobs, about 12 s".</summary>
    public string InWords()
    {
        if (Jobs.Count == 0 && IsWhole)
            return $"none of {All} jobs: everything is there";
        string many = AtMost > Sure ? $"{Sure} to {AtMost}" : $"{Sure}";
        string jobs = IsWhole ? $"{many} of {All} jobs" : $"{many} of {All} jobs, and what follows from them";
        return Seconds is { } seconds ? $"{jobs}, about {Duration(seconds)}" : jobs;
    }

    private static string Duration(double seconds) => seconds switch
    {
        < 1 => "a second",
        < 90 => FormattableString.Invariant($"{Math.Ceiling(seconds):0} s"),
        < 5400 => FormattableString.Invariant($"{Math.Ceiling(seconds / 60):0} min"),
        _ => FormattableString.Invariant($"{seconds / 3600:0.0} h"),
    };

    /// <summary>Looks at a graph.</summary>
    internal static BuildForecast Of(AssetGraph graph, Station upTo, LastGraph last, JobTimes times)
    {
        JobNode[] nodes = [.. graph.NodesUpTo(upTo)];
        // Places that ask for the same work are worked once.
        var seen = new HashSet<string>(StringComparer.Ordinal);
        var jobs = nodes.Where(n => n.Result is null && (n.Job is null || seen.Add(n.Job.Key)))
            .Select(n => new JobForecast(n.Station, n.Kind.Name, n.Label, n.Job is not null, n.Job is null ? $"waits for {NamesOf(n)}"
                : JobDifference.Why(n, last), times.SecondsOf(n))).ToArray();
        bool isWhole = Station.UpTo(upTo).All(graph.Listed.Contains);
        double[] bytes = [.. nodes.Where(n => n.Result is null).Select(times.BytesOf).OfType<double>()];
        return new BuildForecast(upTo, isWhole ? nodes.Length : Math.Max(nodes.Length, last.Count), isWhole,
            jobs)
        { Bytes = bytes.Length == 0 ? null : (long)bytes.Sum() };
    }

    private static string NamesOf(JobNode node) =>
        node.WaitsFor.Count <= 2 ? string.Join(" and ", node.WaitsFor.Select(w => w.Name)) : $"{node.WaitsFor[0].Name} and {node.WaitsFor.Count - 1} more";
}
