using Crumpet.Core.Jobs;

namespace Crumpet.Core.Building;

/// <summary>Tells whether what a build is at work on is of use to a later one of the same asset.</summary>
public static class Superseding
{
    /// <summary>
    /// Whether most of the jobs at work would be worked for nothing. What the later build needs to know that is worked first, unless it
    /// is large: then what goes by it is another thing anyway.
    /// </summary>
    /// <param name="earlier">The build at work.</param>
    /// <param name="later">A build of what was decided since, not used for anything else meanwhile.</param>
    /// <param name="cancel">Ends the work early.</param>
    public static bool IsPointless(AssetBuild earlier, AssetBuild later, CancellationToken cancel)
    {
        var atWork = earlier.AtWork;
        if (atWork.Count == 0 || earlier.IsOfTheSame(later))
            return false;
        var station = atWork.Select(j => j.Station).MinBy(s => s.Number)!;
        foreach (var before in Station.UpTo(station).Where(s => s != station && Needs(station, s) && later.ResultOf(s) is null))
        {
            if (before == Station.Layout)
                return true;
            later.Run(before, throughStops: true, 1, null, cancel);
        }
        later.WorkSmall(station, cancel);
        var wanted = later.Graph(station).Nodes.Select(n => n.Job?.Key).OfType<string>().ToHashSet(StringComparer.Ordinal);
        return 2 * atWork.Count(j => wanted.Contains(j.Key)) < atWork.Count;
    }

    private static bool Needs(Station station, Station other) => station.After.Any(a => a == other || Needs(a, other));
}
