using System.Collections.Concurrent;
using System.Diagnostics;
using System.Text.Json;
using Crumpet.Core.Bake;
using Crumpet.Core.Checking;
using Crumpet.Core.Intake;
using Crumpet.Core.Jobs;
using Crumpet.Core.Layout;
using Crumpet.Core.Pairs;

namespace Crumpet.Core.Building;

/// <summary>How far a build is.</summary>
/// <param name="Station">Station at work.</param>
/// <param name="Fraction">0 to 1 within the station.</param>
/// <param name="Doing">What is being done.</param>
public readonly record struct BuildProgress(Station Station, double Fraction, string Doing);

/// <summary>
/// Takes one asset along the line: expands what was decided to jobs, and works those whose results are not in the store. Whether a
/// station is fresh is never a flag.
/// </summary>
/// <param name="asset">Name the asset's files begin with.</param>
/// <param name="plan">Decisions; without a <see cref="AssetPlan.Problem"/>.</param>
/// <param name="sources">Source files; their order does not matter.</param>
/// <param name="store">Where results are kept.</param>
/// <param name="rules">What the kit's assets share; null for the defaults.</param>
/// <param name="shared">Assets of the kit whose textures its materials take, as far as they are there.</param>
public sealed class AssetBuild(
    string asset, AssetPlan plan, IReadOnlyList<SourceFile> sources, IResultStore store, IntakeRules? rules = null, IReadOnlyList<SharedAsset>? shared = null)
{
    // Below this size the whole is there as soon as a draft would be.
    private const int LeastDrafted = 1024;
    private const long MostCached = 512L << 20;

    private readonly GraphInput input = InputOf(asset, plan, sources, rules ?? new IntakeRules()) with { Shared = shared ?? [] };
    private readonly Dictionary<Station, StationResult> results = [];
    private readonly Dictionary<string, JobResult> found = new(StringComparer.Ordinal);
    private readonly ValueCache cache = new(MostCached);
    private readonly JobTimes times = new(store);
    private readonly List<WorkedJob> worked = [];
    private ConcurrentDictionary<string, Station> atWork = new(StringComparer.Ordinal);
    private Resolved? resolved;
    private AssetGraph? graph;

    /// <summary>Told of each draft of a layout or a bake as soon as it can be looked at; while nobody listens none is made.</summary>
    public Action<int>? Drafted { get; set; }

    /// <summary>What tells this asset from others in the store, so that its jobs can be compared with those it had before; null for its name.</summary>
    public string? Identity { get; init; }

    /// <summary>All stations in the order of the line.</summary>
    public static IReadOnlyList<Station> Line => Station.Table.All;

    /// <summary>Jobs that were worked by this build, in the order they were done.</summary>
    public IReadOnlyList<WorkedJob> Worked => worked;

    /// <summary>Keys of the jobs this build, or one of its drafts, is at work on. May be asked while it works.</summary>
    public IReadOnlyList<(string Key, Station Station)> AtWork => [.. atWork.Select(j => (j.Key, j.Value))];

    /// <summary>Whether another build was decided as this one, from the same sources.</summary>
    internal bool IsOfTheSame(AssetBuild other) => Document(input) == Document(other.input);

    private static string Document(GraphInput of) => JsonSerializer.Serialize(of, BuildJson.Options);

    /// <summary>Works a station's jobs that take no time to speak of, so that others are known.</summary>
    internal void WorkSmall(Station station, CancellationToken cancel)
    {
        while (Graph(station).Nodes.Where(n => n.Result is null && n.Job is not null && n.Station == station && !n.Kind.UsesThreads(n.Job.Inputs)).ToArray()
            is { Length: > 0 } small)
        {
            graph = null;
            if (new JobRunner(store, times, cache).Work(small, 1, null, (_, _) => { }, cancel) is [var failed, ..])
                throw failed;
        }
    }

    /// <summary>A name that can begin a file's name: lower case, with underscores for what is neither letter nor digit.</summary>
    public static string FileNameOf(string assetName)
    {
        var text = new string([.. assetName.Trim().ToLowerInvariant().Select(c => char.IsLetterOrDigit(c) ? c : '_')]).Trim('_');
        return text.Length > 0 ? text : "asset";
    }

    /// <summary>The jobs of the asset up to a station at least, as far as results tell. It is listed once, until this build has worked more.</summary>
    public AssetGraph Graph(Station upTo)
    {
        graph ??= new AssetGraph(input, Find);
        Expander.Extend(graph, upTo);
        return graph;
    }

    /// <summary>A station's result for the current plan and sources, or null where any of its jobs was not worked yet.</summary>
    public StationResult? ResultOf(Station station)
    {
        if (results.TryGetValue(station, out var known))
            return known;
        if (station.Kinds.Count == 0)
            return StationResult.Passed(station);
        resolved ??= new Resolved(input, store);
        var result = resolved.Find(station) ?? Assemble(station);
        if (result is not null)
            results.Add(station, result);
        return result;
    }

    /// <summary>What a station showed under the key of a result, or null where that is no longer kept.</summary>
    public static StationResult? Shown(Station station, string key, IResultStore store) => Resolved.Last(station, key, store);

    private StationResult? Assemble(Station station)
    {
        var known = Graph(station);
        if (!known.Listed.Contains(station) || known.Nodes.Exists(n => n.Station == station && n.Result is null))
            return null;
        var result = new StationResults(known, store).Of(station);
        resolved!.Keep(result);
        return result;
    }

    /// <summary>
    /// The finest draft of a station's result for the current plan and sources that was shown, with how coarse it is, or null where there is
    /// none.
    /// </summary>
    public (int Draft, StationResult Result)? DraftOf(Station station)
    {
        if (station.Drafts is not { } drafts || plan.DraftOf(station) != 0)
            return null;
        for (int draft = 1; draft <= drafts.Steps[0]; draft++)
        {
            // What was shown is kept; the graph need not be walked for it.
            if (new Resolved(input with { Plan = plan.Drafted(station, draft) }, store).Find(station) is { } result)
                return (draft, result);
        }
        return null;
    }

    private AssetBuild AsDraft(Station station, int draft) => new(asset, plan.Drafted(station, draft), sources, store, rules, shared) { atWork = atWork };

    /// <summary>What the graph of an asset is made of.</summary>
    public static GraphInput InputOf(string asset, AssetPlan plan, IReadOnlyList<SourceFile> sources, IntakeRules rules) =>
        new(asset, plan, rules, [.. sources.OrderBy(s => s.Name, StringComparer.Ordinal)]);

    /// <summary>Works every station up to one, as far as its jobs have no results yet.</summary>
    /// <param name="upTo">Last station.</param>
    /// <param name="throughStops">Whether to go on past stop findings with what can be worked.</param>
    /// <param name="threads">Threads to use, at least 1.</param>
    /// <param name="progress">Told often.</param>
    /// <param name="cancel">Ends the work early; what was done is kept, nothing half done is.</param>
    /// <returns>The last result: of <paramref name="upTo"/>, or of the first station that is blocked.</returns>
    /// <exception cref="JobFailedException">A job failed; all that does not need it was worked.</exception>
    public (Station Station, StationResult Result) Run(Station upTo, bool throughStops, int threads, IProgress<BuildProgress>? progress,
        CancellationToken cancel)
    {
        if ((plan.Problem() ?? FieldRules.Problem(input.Rules)) is { } problem)
            throw new ArgumentException(problem);
        foreach (var station in Line)
        {
            cancel.ThrowIfCancellationRequested();
            if (ResultOf(station) is not { } result)
            {
                progress?.Report(new BuildProgress(station, 0, "starting"));
                double drafted = Drafted is not null ? WorkDrafts(station, threads, progress, cancel) : 0;
                Work(station, threads, progress is null || drafted == 0 ? progress : new PartProgress(progress, drafted, 1, ""), cancel);
                result = ResultOf(station)!;
            }
            progress?.Report(new BuildProgress(station, 1, "done"));
            bool nothingToGoOnWith = station == Station.Pairs && upTo.Number > Station.Layout.Number && !Graph(station).GoesWithoutHigh
                && !result.As<PairReport>().Paired.Any();
            if (station == upTo || nothingToGoOnWith || (result.IsBlocked && !throughStops))
            {
                Last.Keep(Graph(station).NodesUpTo(station));
                return (station, result);
            }
        }
        throw new ArgumentOutOfRangeException(nameof(upTo), upTo, "There is no such station.");
    }

    /// <summary>What a run up to a station would work, and why.</summary>
    public BuildForecast Forecast(Station upTo) => BuildForecast.Of(Graph(upTo), upTo, Last, times);

    private LastGraph Last => new(store, Identity ?? asset);

    /// <summary>What is seen first is coarse, and gives way to finer ones.</summary>
    /// <returns>About what share of all the work that was.</returns>
    private double WorkDrafts(Station station, int threads, IProgress<BuildProgress>? progress, CancellationToken cancel)
    {
        double done = 0;
        if (station.Drafts is not { } drafts || plan.DraftOf(station) != 0 || !drafts.AreWorthIt(this))
            return done;
        foreach (int draft in drafts.Steps)
        {
            var build = AsDraft(station, draft);
            build.Work(station, threads, progress is null ? null : new PartProgress(progress, done, done + drafts.Share, "draft: "), cancel);
            done += drafts.Share;
            worked.AddRange(build.worked);
            if (build.ResultOf(station) is not { } result)
                continue;
            Drafted!(draft);
            if (drafts.IsEnough(result))
                break;
        }
        return done;
    }

    /// <summary>Whether islands are packed, and not just fitted in between others.</summary>
    internal bool IsMuchToLay() => plan.Layout.Held.Count == 0 && (plan.Layout.Pack || plan.Layout.Uvs == UvSource.Unwrap
        || ResultOf(Station.Intake)?.As<IntakeReport>().Objects.Any(o => o.Side == Side.Low && o.UvSets == 0) == true);

    /// <summary>Whether more than half of the pieces of a sheet that is not small have to be cast.</summary>
    internal bool IsMuchToBake()
    {
        if (plan.Bake.Size < LeastDrafted)
            return false;
        var pieces = Graph(Station.Bake).SheetNodes.Select(s => s.Covers.Concat(s.Pieces.Values.SelectMany(p => p)).ToArray());
        // Before stacked triangles are known nothing was cast.
        return pieces.Any(p => p.Length == 0 || p.Count(n => n.Result is null) > p.Length / 2);
    }

    /// <summary>Works the jobs of a station in rounds: what one makes known is listed in the next.</summary>
    private void Work(Station station, int threads, IProgress<BuildProgress>? progress, CancellationToken cancel)
    {
        var runner = new JobRunner(store, times, cache) { AtWork = atWork };
        var failed = new Dictionary<string, JobFailedException>(StringComparer.Ordinal);
        double done = 0, shown = 0;
        while (true)
        {
            cancel.ThrowIfCancellationRequested();
            var now = Graph(station);
            JobNode[] open = [.. now.NodesUpTo(station).Where(n => n.Result is null)];
            JobNode[] ready = [.. open.Where(n => n.Job is not null && !failed.ContainsKey(n.Job.Key))];
            if (ready.Length == 0)
                break;
            var expected = ready.ToDictionary(n => n, runner.Expected);
            double left = expected.Values.Sum() + open.Except(ready).Sum(runner.Expected);
            var gate = new Lock();
            // Also where this is cancelled: what was done until then is there.
            graph = null;
            var endings = runner.Work(
                ready, threads,
                progress is null ? null : (node, told) =>
                {
                    lock (gate)
                    {
                        // A bar that goes back is not believed.
                        shown = Math.Max(shown, Math.Min(0.999, (done + expected[node] * told.Fraction) / Math.Max(1e-9, done + left)));
                        progress.Report(new BuildProgress(station, shown, told.Doing == "starting" ? node.Name : told.Doing));
                    }
                },
                (node, result) =>
                {
                    lock (gate)
                    {
                        worked.Add(new WorkedJob(node.Station, node.Kind.Name, node.Label, result.Key, result.Seconds));
                        done += expected[node];
                        left -= expected[node];
                    }
                },
                cancel);
            foreach (var ending in endings)
                failed[ending.Node.Job!.Key] = ending;
        }
        if (failed.Count > 0)
            throw failed.Values.First();
    }

    /// <summary>The result of a key; one that is there stays there while this build is used.</summary>
    private JobResult? Find(string key)
    {
        if (!found.TryGetValue(key, out var result) && (result = store.Find(key)) is not null)
            found.Add(key, result);
        return result;
    }

    /// <summary>The progress of a part of the work, as that of the whole.</summary>
    private sealed class PartProgress(IProgress<BuildProgress> to, double from, double until, string prefix) : IProgress<BuildProgress>
    {
        public void Report(BuildProgress value) =>
            to.Report(value with { Fraction = from + (until - from) * value.Fraction, Doing = prefix + value.Doing });
    }
}

/// <summary>A job that was worked.</summary>
/// <param name="Station">Station it belongs to.</param>
/// <param name="Kind">Its kind.</param>
/// <param name="Label">What it is about.</param>
/// <param name="Key">Its key.</param>
/// <param name="Seconds">How long it took.</param>
public sealed record WorkedJob(Station Station, string Kind, string Label, string Key, double Seconds);
