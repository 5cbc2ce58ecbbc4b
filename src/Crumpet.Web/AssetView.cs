using System.Numerics;
using System.Text.Json;
using Crumpet.Core;
using Crumpet.Core.Building;
using Crumpet.Core.Intake;
using Crumpet.Core.Jobs;
using Crumpet.Core.Layout;
using Crumpet.Core.Pairs;
using Crumpet.Storage;

namespace Crumpet.Web;

/// <summary>How a station of an asset stands.</summary>
public enum StopState
{
    /// <summary>Never done.</summary>
    Open,

    /// <summary>Its result is that of the present decisions and files.</summary>
    Fresh,

    /// <summary>Something it depends on changed.</summary>
    Stale,

    /// <summary>It has a stop finding.</summary>
    Blocked,

    /// <summary>It is being worked.</summary>
    Running,

    /// <summary>It has nothing to do.</summary>
    Passed,
}

/// <summary>One stop of an asset's line.</summary>
/// <param name="Station">Which.</param>
/// <param name="State">How it stands.</param>
/// <param name="Findings">How many findings hang under it.</param>
/// <param name="Worst">Severity of the worst one, or null.</param>
public sealed record StationStop(Station Station, StopState State, int Findings, Severity? Worst)
{
    /// <summary>Number of the stop, from 1; its key, where ten is 0.</summary>
    public int Number => Station.Number;
}

/// <summary>A setting an asset says otherwise than its kit.</summary>
/// <param name="Setting">Which.</param>
/// <param name="Own">What the asset says.</param>
/// <param name="Kits">What the kit says.</param>
public sealed record OwnSetting(PlanSetting Setting, string Own, string Kits);

/// <summary>A kit and its assets as their pages show them.</summary>
/// <param name="Kit">The kit.</param>
/// <param name="Assets">Assets in use.</param>
/// <param name="Archived">Assets put out of sight.</param>
/// <param name="Runs">The latest runs that ended, newest first.</param>
public sealed record KitView(Kit Kit, IReadOnlyList<AssetView> Assets, IReadOnlyList<Asset> Archived, IReadOnlyList<Run> Runs);

/// <summary>An asset as its pages show it. States follow from keys, so they are never out of date.</summary>
public sealed class AssetView
{
    private readonly AssetBuild build;
    private readonly IResultStore store;
    private readonly Dictionary<Station, StationResult?> results = [];
    private readonly Dictionary<string, StationResult?> lastResults = [];
    private readonly AssetFiles files;
    private readonly Dictionary<Station, (int Draft, StationResult Result)?> drafts = [];

    /// <summary>Looks at an asset.</summary>
    /// <param name="asset">The asset with sources, marks, findings and deliveries.</param>
    /// <param name="run">The run that works on it or waits, or null.</param>
    /// <param name="store">Where its results are.</param>
    public AssetView(Asset asset, Run? run, IResultStore store)
    {
        Asset = asset;
        this.store = store;
        Run = run;
        Plan = asset.Plan();
        build = asset.Build(store);
        files = new AssetFiles(build, Plan, store);
        Line = [.. AssetBuild.Line.Select(StopOf)];
    }

    /// <summary>The asset.</summary>
    public Asset Asset { get; }

    /// <summary>What the artist decided.</summary>
    public AssetPlan Plan { get; }

    /// <summary>Grows with every change of what holds for the asset, its own or the kit's.</summary>
    public int Version => Asset.Version + Asset.Kit!.Version;

    /// <summary>Settings the asset says otherwise than its kit, with both.</summary>
    public IReadOnlyList<OwnSetting> OwnSettings()
    {
        System.Text.Json.Nodes.JsonNode kit = PlanLayers.Document(Asset.Kit!.Plan().Following(Plan.Recipe.Name)), own = PlanLayers.Document(Plan);
        return [.. PlanLayers.Paths(Asset.Own()).Where(PlanLayers.CanBeKits).Select(PlanSettings.Find).OfType<PlanSetting>()
            .Where(s => s.IsSaid(own) || s.IsSaid(kit)).Select(s => new OwnSetting(s, s.In(own), s.In(kit)))];
    }

    /// <summary>The run at work or waiting, or null.</summary>
    public Run? Run { get; }

    /// <summary>The latest run of the asset that ended, or null.</summary>
    public Run? LastRun { get; init; }

    /// <summary>Jobs the latest run worked and kept, or null.</summary>
    public JobTally? LastTally => LastRun?.JobsJson is { } json ? JsonSerializer.Deserialize<JobTally>(json, BuildJson.Options) : null;

    /// <summary>What a run up to a station would work, or null where the station is fresh.</summary>
    public BuildForecast? Forecast(Station station) => Result(station) is null && Asset.Sources.Exists(s => s.IsCurrent) ? build.Forecast(station) : null;

    /// <summary>The stops.</summary>
    public IReadOnlyList<StationStop> Line { get; }

    /// <summary>What intake learned, if it is fresh.</summary>
    public IntakeReport? Intake => Report<IntakeReport>(Station.Intake);

    /// <summary>Side of the object of this name, as the stage calls it, or null where there is none.</summary>
    public string? SideOf(string name) => Intake?.Objects.FirstOrDefault(o => o.Name == name) is { } row ? Sides.Word(row.Side) : null;

    /// <summary>The latest delivery, or null.</summary>
    public Delivery? LastDelivery => Asset.Deliveries.MaxBy(d => d.Number);

    /// <summary>The result of a station for the present decisions and files, or null.</summary>
    public StationResult? Result(Station station)
    {
        if (!results.TryGetValue(station, out var result))
            results.Add(station, result = build.ResultOf(station));
        return result;
    }

    /// <summary>What a station shows: its result, or while it is at work the finest draft of it.</summary>
    public StationResult? Shown(Station station) => Result(station) ?? DraftOf(station)?.Result;

    /// <summary>The finest draft of a station's result that is not there yet, with how coarse it is, or null.</summary>
    public (int Draft, StationResult Result)? DraftOf(Station station)
    {
        if (!drafts.TryGetValue(station, out var draft))
            drafts.Add(station, draft = build.DraftOf(station));
        return draft;
    }

    /// <summary>The report of what the bake station shows, or null.</summary>
    public BakeReport? ShownBake => Shown(Station.Bake) is { } result ? result.As<BakeReport>() : null;

    /// <summary>The result a station gave last, fresh or not, or null where it is no longer kept.</summary>
    public StationResult? LastResult(Station station)
    {
        if (Result(station) is { } fresh || MarkOf(station) is not { } mark)
            return Result(station);
        if (!lastResults.TryGetValue(mark.Key, out var last))
            lastResults.Add(mark.Key, last = AssetBuild.Shown(station, mark.Key, store));
        return last;
    }

    /// <summary>The report of a station's fresh result, or null.</summary>
    public T? Report<T>(Station station)
        where T : class => Result(station)?.As<T>();

    /// <summary>Findings of a station, worst first: those of its fresh result, otherwise of its last one.</summary>
    public IReadOnlyList<Finding> FindingsOf(Station station) => Result(station)?.Findings
        ?? [.. Asset.Findings.Where(f => f.Station == station).OrderBy(f => f.Order)
            .Select(f => new Finding(f.Severity, f.Code, f.Place, f.Sentence, f.Count))];

    /// <summary>The safe mends that a station's fresh findings propose, one a finding.</summary>
    public IReadOnlyList<MendOffer> SafeMends(Station station) =>
        [.. (Result(station)?.Findings ?? []).Select(f => f.Mends.FirstOrDefault(m => m.IsSafe)).OfType<MendOffer>().DistinctBy(o => BuildJson.OfMend(o.Mend))];

    /// <summary>All findings with their stations, worst first.</summary>
    public IEnumerable<(Station Station, Finding Finding)> AllFindings() =>
        AssetBuild.Line.SelectMany(s => FindingsOf(s).Select(f => (s, f))).OrderBy(f => f.f.Severity).ThenByDescending(f => f.f.Count);

    /// <summary>When a station last worked and how long it took, or null where it never did.</summary>
    public StationMark? MarkOf(Station station) => Asset.Marks.Find(m => m.Station == station);

    /// <summary>When and how long a station's fresh result was worked, or null where another one was worked since.</summary>
    public StationMark? FreshMarkOf(Station station) => MarkOf(station) is { } mark && mark.Key == Result(station)?.Key ? mark : null;

    /// <summary>The delivery that holds the present content, or null.</summary>
    public Delivery? CurrentDelivery => Result(Station.Deliver) is { } result ? Asset.Deliveries.FirstOrDefault(d => d.Sha256 == result.Files[0].Sha256) : null;

    /// <summary>Address of a station's file, with its hash so that a changed file is fetched anew; null where there is none.</summary>
    public string? Url(Station station, string name) => Shown(station)?.Files.FirstOrDefault(f => f.Name == name) is { } file
        ? $"/assets/{Asset.Id}/files/{station.Word}/{Uri.EscapeDataString(name)}?v={file.Sha256[..12]}"
        : null;

    /// <summary>The first stop that is not fresh; the last one where all are.</summary>
    public Station FirstUnfinished => Line.FirstOrDefault(s => s.State is not (StopState.Fresh or StopState.Passed))?.Station ?? Station.Deliver;

    /// <summary>How many parts have both sides, or null before Pairs.</summary>
    public int? PartCount => Report<PairReport>(Station.Pairs)?.Paired.Count();

    /// <summary>Memory of all textures as the engine holds them, bytes, or null before Convert.</summary>
    public long? TextureBytes => Report<ConvertReport>(Station.Convert)?.Textures.Sum(t => t.Bytes);

    /// <summary>The content of a texture as it arrived, also of one inside a mesh file; null where it is gone.</summary>
    public string? ContentOf(TextureReport texture) => Asset.Sources.Find(s => s.IsCurrent && s.Name == texture.File)?.Sha256
        ?? Result(Station.Intake)?.Files.FirstOrDefault(f => f.Name == texture.File)?.Sha256;

    /// <summary>The cages of all parts as a mesh file, or null where nothing is paired.</summary>
    /// <param name="asObj">OBJ; otherwise GLB.</param>
    public byte[]? Cages(bool asObj) => files.Cages(asObj);

    /// <summary>The low side as a mesh file with the UVs Layout gave it, or null before Layout.</summary>
    /// <param name="asObj">OBJ; otherwise GLB.</param>
    public byte[]? Laid(bool asObj) => files.Laid(asObj);

    /// <summary>What can feed channels on each sheet, as <see cref="AssetFiles.Feeds"/>.</summary>
    public IReadOnlyList<SheetFeeds> Feeds() => files.Feeds();

    /// <summary>Edges of the low side from one on, as <see cref="AssetFiles.PickEdges"/>.</summary>
    public PickedEdges? PickEdges(LowPlace place, EdgeReach reach, Vector3? from) => files.PickEdges(place, reach, from);

    /// <summary>What another cut of the low side comes to, as <see cref="AssetFiles.Outlook"/>.</summary>
    public SeamOutlook? Outlook(UnwrapSettings unwrap, int threads, CancellationToken cancel) => files.Outlook(unwrap, threads, cancel);

    /// <summary>Pins for corners of the islands' view, as <see cref="AssetFiles.PinsAt"/>.</summary>
    public IReadOnlyList<UvPin> PinsAt(IEnumerable<(int Corner, float U, float V)> corners) => files.PinsAt(corners);

    /// <summary>Islands where they lie now, as <see cref="AssetFiles.IslandsAt"/>.</summary>
    public IReadOnlyList<HeldIsland> IslandsAt(IReadOnlyCollection<SurfaceSpot> spots) => files.IslandsAt(spots);

    private StationStop StopOf(Station station)
    {
        var result = Result(station);
        var mark = MarkOf(station);
        var findings = FindingsOf(station);
        var state = result is { IsPassed: true } ? StopState.Passed
            : result is { IsBlocked: true } ? StopState.Blocked
            : result is not null ? StopState.Fresh
            : mark is not null ? StopState.Stale
            : StopState.Open;
        if (Run is { State: RunState.Running } && Run.Station == station && result is null)
            state = StopState.Running;
        return new StationStop(station, state, findings.Count, findings.Count > 0 ? findings[0].Severity : null);
    }
}
