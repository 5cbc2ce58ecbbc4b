namespace Crumpet.Core.Building;

/// <summary>Jobs of one kind.</summary>
/// <param name="Kind">The kind.</param>
/// <param name="Worked">How many were worked.</param>
/// <param name="Kept">How many had a result already.</param>
/// <param name="Seconds">How long those that were worked took, all together.</param>
public sealed record KindTally(string Kind, int Worked, int Kept, double Seconds);

/// <summary>How many jobs a build worked, and how many it did not have to.</summary>
/// <param name="All">All jobs.</param>
/// <param name="Worked">Those that were worked.</param>
/// <param name="Kept">Those that had a result already.</param>
/// <param name="Kinds">The same by kind, in the order of the line.</param>
public sealed record JobTally(int All, int Worked, int Kept, IReadOnlyList<KindTally> Kinds)
{
    /// <summary>Counts the jobs of builds that ended; what two places ask for counts once.</summary>
    /// <param name="builds">The builds, each with the last station it reached.</param>
    public static JobTally Of(IEnumerable<(AssetBuild Build, Station Reached)> builds)
    {
        var worked = new Dictionary<string, WorkedJob>(StringComparer.Ordinal);
        var all = new Dictionary<string, string>(StringComparer.Ordinal);
        foreach (var (build, reached) in builds)
        {
            foreach (var job in build.Worked)
                worked[job.Key] = job;
            foreach (var node in build.Graph(reached).NodesUpTo(reached).Where(n => n.Job is not null))
                all[node.Job!.Key] = node.Kind.Name;
        }
        // Drafts were worked and are gone from the graph.
        foreach (var job in worked.Values)
            all.TryAdd(job.Key, job.Kind);
        var kinds = JobKinds.All.Select(k => new KindTally(
            k.Name, worked.Values.Count(w => w.Kind == k.Name), all.Count(a => a.Value == k.Name && !worked.ContainsKey(a.Key)),
                Math.Round(worked.Values.Where(w => w.Kind == k.Name).Sum(w => w.Seconds), 3)));
        return new JobTally(all.Count, worked.Count, all.Count - worked.Count, [.. kinds.Where(k => k.Worked + k.Kept > 0)]);
    }
}
