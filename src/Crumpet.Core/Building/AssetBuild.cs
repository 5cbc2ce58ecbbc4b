using System.Numerics;
using System.Text.Json;
using Crumpet.Core.Checking;
using Crumpet.Core.Geometry;
using Crumpet.Core.Intake;
using Crumpet.Core.Layout;
using Crumpet.Core.Pairing;

namespace Crumpet.Core.Building;

/// <summary>How far a build is.</summary>
/// <param name="Station">Station at work.</param>
/// <param name="Fraction">0 to 1 within the station.</param>
/// <param name="Doing">What is being done.</param>
public readonly record struct BuildProgress(Station Station, double Fraction, string Doing);

/// <summary>
/// Takes one asset along the line. Each station's result is kept under a key made from its settings and the keys of what it
/// depends on, so a station whose key is in the store is never worked again, and whether it is fresh is never a flag.
/// </summary>
/// <param name="asset">Name the asset's files begin with.</param>
/// <param name="plan">Decisions; without a <see cref="AssetPlan.Problem"/>.</param>
/// <param name="sources">Source files; their order does not matter.</param>
/// <param name="store">Where results are kept.</param>
/// <param name="rules">What the kit's assets share; null for the defaults.</param>
public sealed class AssetBuild(string asset, AssetPlan plan, IReadOnlyList<SourceFile> sources, IResultStore store, IntakeRules? rules = null)
{
    internal const int StepVersion = 10;
    private readonly SourceFile[] sources = [.. sources.OrderBy(s => s.Name, StringComparer.Ordinal)];
    private readonly IntakeRules rules = rules ?? new IntakeRules();
    private readonly Dictionary<Station, string> keys = [];

    /// <summary>Told of each draft of a bake as soon as it can be looked at; while nobody listens none is made.</summary>
    public Action<int>? Drafted { get; set; }

    /// <summary>All stations in the order of the line.</summary>
    public static IReadOnlyList<Station> Line { get; } = Enum.GetValues<Station>();

    /// <summary>A name that can begin a file's name: lower case, with underscores for what is neither letter nor digit.</summary>
    public static string FileNameOf(string assetName)
    {
        var text = new string([.. assetName.Trim().ToLowerInvariant().Select(c => char.IsLetterOrDigit(c) ? c : '_')]).Trim('_');
        return text.Length > 0 ? text : "asset";
    }

    /// <summary>Key of a station's result for the current plan and sources.</summary>
    public string KeyOf(Station station)
    {
        if (!keys.TryGetValue(station, out string? key))
            keys.Add(station, key = MakeKey(station));
        return key;
    }

    /// <summary>A station's result for the current plan and sources, or null where it was not worked yet.</summary>
    public StepResult? ResultOf(Station station) => store.Find(KeyOf(station));

    /// <summary>The finest draft of a bake for the current plan and sources, with how coarse it is, or null where there is none.</summary>
    public (int Draft, StepResult Result)? DraftOfBake()
    {
        for (int draft = 1; plan.Bake.Draft == 0 && draft <= Baking.BakeSettings.CoarsestDraft; draft++)
        {
            if (store.Find(AsDraft(draft).KeyOf(Station.Bake)) is { } result)
                return (draft, result);
        }
        return null;
    }

    private AssetBuild AsDraft(int draft) => new(asset, plan with { Bake = plan.Bake.Drafted(draft) }, sources, store, rules);

    private StepResult Save(string key, Station station, (object Report, IReadOnlyList<StoredFile> Files, IReadOnlyList<Finding> Findings) work)
    {
        var result = new StepResult(key, station.ToString(), JsonSerializer.SerializeToElement(work.Report, work.Report.GetType(), BuildJson.Options), work.Files, work.Findings);
        store.Save(result);
        return result;
    }

    /// <summary>Works every station up to one that has no result yet.</summary>
    /// <param name="upTo">Last station.</param>
    /// <param name="throughStops">Whether to go on past stop findings with what can be worked.</param>
    /// <param name="threads">Threads to use, at least 1.</param>
    /// <param name="progress">Told often.</param>
    /// <param name="cancel">Ends the work early; nothing half done is kept.</param>
    /// <returns>The last result: of <paramref name="upTo"/>, or of the first station that is blocked.</returns>
    public (Station Station, StepResult Result) Run(Station upTo, bool throughStops, int threads, IProgress<BuildProgress>? progress, CancellationToken cancel)
    {
        if ((plan.Problem() ?? FieldRules.Problem(rules)) is { } problem)
            throw new ArgumentException(problem);
        var steps = new StationSteps(asset, plan, sources, store, rules, threads, cancel);
        foreach (var station in Line)
        {
            cancel.ThrowIfCancellationRequested();
            var result = ResultOf(station);
            if (result is null)
            {
                progress?.Report(new BuildProgress(station, 0, "starting"));
                var inner = progress is null ? null : new StationProgress(station, progress);
                var work = steps.Work(station, s => ResultOf(s)!, inner, Drafted is null ? null : (draft, coarse) =>
                {
                    Save(AsDraft(draft).KeyOf(Station.Bake), Station.Bake, coarse);
                    Drafted(draft);
                });
                cancel.ThrowIfCancellationRequested();
                result = Save(KeyOf(station), station, work);
            }
            progress?.Report(new BuildProgress(station, 1, "done"));
            bool nothingToGoOnWith = station == Station.Pairs && upTo > Station.Layout && plan.Bake.Made.Count == 0 && !result.Report<PairReport>().Paired.Any();
            if (station == upTo || nothingToGoOnWith || (result.IsBlocked && !throughStops))
                return (station, result);
        }
        throw new ArgumentOutOfRangeException(nameof(upTo), upTo, "There is no such station.");
    }

    /// <summary>The cages of all parts as a mesh file, each with the vertices and faces of its low object; Pairs must have been worked.</summary>
    /// <param name="asObj">OBJ; otherwise GLB.</param>
    public byte[] Cages(bool asObj)
    {
        var intake = ResultOf(Station.Intake);
        if (intake is null || ResultOf(Station.Pairs) is not { } pairs || !pairs.Files.Any(f => f.Name == StationSteps.RaysName))
            throw new InvalidOperationException("Nothing is paired yet.");
        var meshes = SceneFile.Read(store.Load(intake.File(StationSteps.SceneName).Sha256)).Meshes;
        var objects = intake.Report<IntakeReport>().Objects;
        var names = NameReader.Create(plan.NamePattern, rules.Names);
        var cages = RaysPreview.Objects(pairs.Report<PairReport>(), meshes, RaysFile.Read(store.Load(pairs.File(StationSteps.RaysName).Sha256)), (row, i) => names.Write(row.Name, Side.Cage, objects[i].Detail));
        using var stream = new MemoryStream();
        if (asObj)
            ObjWriter.Write(new Scene("", cages, [], []), stream, null);
        else
            GlbWriter.Write(new GlbDocument([.. cages.Select(m => new GlbMesh(m))], [], []), stream);
        return stream.ToArray();
    }

    /// <summary>The low side as a mesh file with the UVs Layout gave it; Layout must have been worked.</summary>
    /// <param name="asObj">OBJ; otherwise GLB.</param>
    public byte[] Laid(bool asObj)
    {
        if (ResultOf(Station.Layout) is not { } layout)
            throw new InvalidOperationException("Nothing is laid out yet.");
        var scene = SceneFile.Read(store.Load(layout.File(StationSteps.ShownName).Sha256));
        using var stream = new MemoryStream();
        if (asObj)
            ObjWriter.Write(scene, stream, null);
        else
            GlbWriter.Write(new GlbDocument([.. scene.Meshes.Select(m => new GlbMesh(m))], [.. scene.Materials.Select(m => new GlbMaterial(m))], []), stream);
        return stream.ToArray();
    }

    /// <summary>What is decided about UVs, with what the kit says where the asset does not.</summary>
    internal static LayoutSettings LayoutOf(AssetPlan plan, IntakeRules rules) =>
        plan.Layout.PixelsPerMetre is null && !plan.Layout.FillsTile && rules.PixelsPerMetre is { } density ? plan.Layout with { PixelsPerMetre = density } : plan.Layout;

    /// <summary>Edges of the low side to cut or sew up, with half-edges numbered as in the islands' view; null where the place is on no object, or before Layout.</summary>
    /// <param name="place">The edge to begin with.</param>
    /// <param name="reach">How far to go on from it.</param>
    /// <param name="from">Where a path begins, metres, or null.</param>
    public PickedEdges? PickEdges(LowPlace place, EdgeReach reach, Vector3? from) => LaidMeshes() is { } meshes ? place.Pick(meshes, reach, from) : null;

    /// <summary>Pins for corners of the islands' view; those of no corner are left out. None before Layout.</summary>
    /// <param name="corners">Corners and where on the tile they are held.</param>
    public IReadOnlyList<UvPin> PinsAt(IEnumerable<(int Corner, float U, float V)> corners) =>
        LaidMeshes() is { } meshes ? [.. corners.Select(c => new LowPlace(c.Corner).Pin(meshes, c.U, c.V)).OfType<UvPin>()] : [];

    /// <summary>The islands on which places lie, where they lie now. None before Layout.</summary>
    /// <param name="spots">A place on each.</param>
    public IReadOnlyList<HeldIsland> IslandsAt(IReadOnlyCollection<SurfaceSpot> spots) => LaidMeshes() is { } meshes ? [.. HeldIsland.At(meshes, spots, plan.Layout.Sheets == SheetRule.Together && ResultOf(Station.Layout)!.Report<LayoutReport>().Sheets.Count > 1)] : [];

    private IReadOnlyList<Geometry.Mesh>? LaidMeshes() =>
        ResultOf(Station.Layout)?.Files.FirstOrDefault(f => f.Name == StationSteps.ShownName) is { } file ? SceneFile.Read(store.Load(file.Sha256)).Meshes : null;

    private string MakeKey(Station station) => station switch
    {
        Station.Intake => BuildJson.Key("intake", StepVersion, new { plan.NamePattern, plan.Mends, rules = rules with { PixelsPerMetre = null }, green = GreenOfMadeNormals, needsNoHigh = plan.Bake.Made.Count > 0, files = sources.Select(s => new { s.Name, s.ForcedSide }) }, sources.Select(s => s.Sha256)),
        Station.Pairs => BuildJson.Key("pairs", StepVersion, new { plan.NamePattern, plan.Trays, plan.Pairs, plan.Bake.OutwardReachMetres, plan.Bake.InwardReachMetres, needsNoHigh = plan.Bake.Made.Count > 0 }, KeyOf(Station.Intake)),
        Station.Layout => BuildJson.Key("layout", StepVersion, new { Layout = LayoutOf(plan, rules), plan.Bake.Size }, KeyOf(Station.Intake)),
        // A low side without materials gives its sheet the asset's name.
        Station.Bake => BuildJson.Key("bake", StepVersion, new { asset, plan.Bake }, KeyOf(Station.Pairs), KeyOf(Station.Layout)),
        Station.Pack => BuildJson.Key("pack", StepVersion, new { asset, plan.Recipe, plan.BindPattern }, KeyOf(Station.Bake)),
        Station.Convert => BuildJson.Key("convert", StepVersion, new { plan.Recipe }, KeyOf(Station.Pack)),
        Station.Bind => BuildJson.Key("bind", StepVersion, new { plan.BindPattern }, KeyOf(Station.Convert)),
        Station.Deliver => BuildJson.Key("deliver", StepVersion, new { asset }, KeyOf(Station.Bind)),
        _ => throw new ArgumentOutOfRangeException(nameof(station)),
    };

    /// <summary>Which way green turns, where a mend makes normals; otherwise Intake does not depend on it.</summary>
    private Baking.GreenDirection? GreenOfMadeNormals => rules.Mends.Concat(plan.Mends).OfType<MakeNormals>().Any() ? plan.Bake.Green : null;

    private sealed class StationProgress(Station station, IProgress<BuildProgress> to) : IProgress<Progress>
    {
        public void Report(Progress value) => to.Report(new BuildProgress(station, value.Fraction, value.Doing));
    }
}
