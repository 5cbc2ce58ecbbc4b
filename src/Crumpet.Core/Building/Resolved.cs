using System.Text.Json;
using Crumpet.Core.Jobs;

namespace Crumpet.Core.Building;

/// <summary>
/// Keeps what stations show under what was decided, so that a page need not walk the graph again. Of no use to another program than
/// the one that made it: its sentences may be better.
/// </summary>
internal sealed class Resolved(GraphInput input, IResultStore store)
{
    private static readonly string Program = typeof(Resolved).Module.ModuleVersionId.ToString("N");
    private readonly string under = BuildJson.Key("resolved", 1, new { input.Asset, input.Plan, input.Rules, Program, JobKinds.Versions },
        SourcesOf(input).Concat(input.Shared.SelectMany(s =>
            SourcesOf(s.Input).Append($"{s.Name} {JsonSerializer.Serialize(s.Input.Plan, BuildJson.Options)}"))));

    private static IEnumerable<string> SourcesOf(GraphInput input) => input.Sources.Select(s => $"{s.Name} {s.Sha256} {s.Bytes} {s.ForcedSide}");

    private sealed record Pointer(string Key);

    /// <summary>What a station shows, or null where it was not made yet.</summary>
    public StationResult? Find(Station station) =>
        store.Find(PointerKey(station)) is { } pointer ? Last(station, pointer.Report<Pointer>(BuildJson.Options).Key, store) : null;

    /// <summary>Keeps what a station shows.</summary>
    public void Keep(StationResult result)
    {
        store.Save(new JobResult(
            ResultKey(result.Key), $"station {result.Station.Word}",
                JsonSerializer.SerializeToElement(result.Report, result.Report.GetType(), BuildJson.Options), result.Files, result.Findings));
        store.Save(new JobResult(PointerKey(result.Station), "resolved", JsonSerializer.SerializeToElement(new Pointer(result.Key), BuildJson.Options), [],
            []));
    }

    /// <summary>What a station showed under a key, or null where that is no longer kept.</summary>
    public static StationResult? Last(Station station, string key, IResultStore store) => store.Find(ResultKey(key)) is { } kept
        ? Reports.GetValue(kept, k => new StationResult(station, key, k.Summary.Deserialize(station.Report, BuildJson.Options)!, k.Files, k.Findings))
        : null;

    // Read from its text once.
    private static readonly System.Runtime.CompilerServices.ConditionalWeakTable<JobResult, StationResult> Reports = [];

    private string PointerKey(Station station) => BuildJson.Key("resolved station", 1, new { station }, under);

    private static string ResultKey(string key) => BuildJson.Key("shown station", 1, new { Program }, key);
}
