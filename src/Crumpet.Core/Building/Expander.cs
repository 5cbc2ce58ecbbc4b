using Crumpet.Core.Jobs;

namespace Crumpet.Core.Building;

/// <summary>From what was decided, the sources and the results so far to the jobs of an asset. A setting reaches only the jobs whose settings name it.</summary>
internal static class Expander
{
    /// <summary>Lists jobs up to a station, or as far as results tell.</summary>
    /// <param name="input">What was decided, and the sources.</param>
    /// <param name="upTo">Last station.</param>
    /// <param name="find">The result of a key, or null.</param>
    public static AssetGraph Expand(GraphInput input, Station upTo, Func<string, JobResult?> find)
    {
        var graph = new AssetGraph(input, find);
        foreach (var station in Station.UpTo(upTo))
        {
            if (station.After.All(graph.Listed.Contains) && station.Expand(graph))
                graph.Listed.Add(station);
        }
        return graph;
    }
}
