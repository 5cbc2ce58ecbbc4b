using Crumpet.Core.Jobs;

namespace Crumpet.Core.Building;

/// <summary>
/// From what was decided, the sources and the results so far to the jobs of an asset. A setting reaches only the jobs whose settings name
/// it.
/// </summary>
internal static class Expander
{
    /// <summary>Lists the jobs of further stations, up to one or as far as results tell.</summary>
    /// <param name="graph">Receives them.</param>
    /// <param name="upTo">Last station.</param>
    public static void Extend(AssetGraph graph, Station upTo)
    {
        foreach (var station in Station.UpTo(upTo).Skip(graph.Looked))
        {
            graph.Looked++;
            if (station.After.All(graph.Listed.Contains) && station.Expand(graph))
                graph.Listed.Add(station);
        }
    }
}
