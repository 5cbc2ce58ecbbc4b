using System.Numerics;
using System.Text.Json;
using Crumpet.Core.Geometry;
using Crumpet.Core.Intake;
using Crumpet.Core.Jobs;
using Crumpet.Core.Layout;
using Crumpet.Core.Pairs;

namespace Crumpet.Core.Building;

/// <summary>What an asset's results hold for work by hand: meshes to take elsewhere, edges to pick, pins to set.</summary>
/// <param name="build">The asset.</param>
/// <param name="plan">What was decided for it.</param>
/// <param name="store">Where its results are.</param>
public sealed class AssetFiles(AssetBuild build, AssetPlan plan, IResultStore store)
{
    private AssetGraph? graph;

    private AssetGraph Graph => graph ??= build.Graph(Station.Layout);

    /// <summary>The cages of all parts as a mesh file, each with the vertices and faces of its low object; null where nothing is paired.</summary>
    /// <param name="asObj">OBJ; otherwise GLB.</param>
    public byte[]? Cages(bool asObj)
    {
        if (build.ResultOf(Station.Pairs) is null || Graph.Pairs is not { } pairs || !pairs.Paired.Any())
            return null;
        var objects = Graph.Intake!.Objects;
        var names = NameReader.Create(plan.NamePattern, Graph.Input.Rules.Names);
        var rays = Graph.Rays.Select(r => RaysFile.InOrder(RaysFile.Read(Load(r["rays"])))).ToArray();
        var cages = pairs.Paired.SelectMany((row, p) => row.Low.Select((o, k) =>
        {
            var mesh = Whole(o);
            return CageMatch.Object(mesh, RaysPreview.Starts(mesh, rays[p][k], row.OutwardReachMetres), names.Write(row.Name, Side.Cage, objects[o].Detail));
        }));
        return Write(new Scene("", [.. cages], [], []), asObj);
    }

    /// <summary>The low side as a mesh file with the UVs Layout gave it; null before Layout.</summary>
    /// <param name="asObj">OBJ; otherwise GLB.</param>
    public byte[]? Laid(bool asObj) => LaidScene() is { Meshes.Count: > 0 } scene ? Write(scene, asObj) : null;

    /// <summary>The low side with the UVs Layout gave it; null before Layout.</summary>
    public Scene? LaidScene()
    {
        if (build.ResultOf(Station.Layout) is null || Graph.Laid is not { } laid)
            return null;
        bool showsSheets = LayoutExpansion.ShowsSheets(Graph, laid);
        var meshes = LayoutExpansion.LowNumbers(Graph).Select((o, k) =>
        {
            var mesh = Whole(o);
            var own = mesh.WithLaid(Load(Graph.Layout![$"laid/{k}"]));
            return showsSheets ? own : own with { TriangleMaterials = mesh.TriangleMaterials };
        });
        var materials = SceneFile.Read(Load(Graph.TakenIn!["materials"])).Materials;
        IReadOnlyList<Material> shown = showsSheets
            ? [.. Graph.Sheets.Select(s => (s.MainMaterial < 0 ? Material.Plain : materials[s.MainMaterial]) with { Name = s.Name })] : materials;
        return new Scene("", [.. meshes], shown, []);
    }

    /// <summary>All objects of the asset as intake left them; null before Intake.</summary>
    public IReadOnlyList<Mesh>? Objects() =>
        build.ResultOf(Station.Intake) is null ? null : [.. Enumerable.Range(0, Graph.Intake!.Objects.Count).Select(Whole)];

    /// <summary>
    /// Edges of the low side to cut or sew up, with half-edges numbered as in the islands' view; null where the place is on no object, or
    /// before Layout.
    /// </summary>
    /// <param name="place">The edge to begin with.</param>
    /// <param name="reach">How far to go on from it.</param>
    /// <param name="from">Where a path begins, metres, or null.</param>
    public PickedEdges? PickEdges(LowPlace place, EdgeReach reach, Vector3? from) => LaidScene() is { } scene ? place.Pick(scene.Meshes, reach, from) : null;

    /// <summary>What the low side comes to when it is cut in another way; null before Intake, or where there is no low side.</summary>
    /// <param name="unwrap">How it is cut.</param>
    /// <param name="threads">Threads to use.</param>
    /// <param name="cancel">Ends the work early.</param>
    public SeamOutlook? Outlook(UnwrapSettings unwrap, int threads, CancellationToken cancel)
    {
        if (build.ResultOf(Station.Intake) is null || LayoutExpansion.LowNumbers(Graph) is not { Length: > 0 } low)
            return null;
        var settings = LayoutExpansion.SettingsOf(Graph.Input) with { Unwrap = unwrap, Uvs = UvSource.Unwrap, Held = [], Draft = LayoutSettings.FirstDraft };
        var objects = low.Select(o => new LayoutObject(Whole(o) with { Name = Graph.Intake!.Objects[o].Name }, Graph.Intake.Objects[o].Part));
        return SeamOutlook.Of(new LayoutInput([.. objects], settings, plan.LaidSize) { Threads = threads }, cancel);
    }

    /// <summary>Pins for corners of the islands' view; those of no corner are left out. None before Layout.</summary>
    /// <param name="corners">Corners and where on the tile they are held.</param>
    public IReadOnlyList<UvPin> PinsAt(IEnumerable<(int Corner, float U, float V)> corners) =>
        LaidScene() is { } scene ? [.. corners.Select(c => new LowPlace(c.Corner).Pin(scene.Meshes, c.U, c.V)).OfType<UvPin>()] : [];

    /// <summary>The islands on which places lie, where they lie now. None before Layout.</summary>
    /// <param name="spots">A place on each.</param>
    public IReadOnlyList<HeldIsland> IslandsAt(IReadOnlyCollection<SurfaceSpot> spots) =>
        LaidScene() is { } scene ? [.. HeldIsland.At(scene.Meshes, spots, plan.Layout.Sheets == SheetRule.Together && Graph.Laid!.Layout.Sheets.Count > 1)]
            : [];

    /// <summary>Where all islands lie now. None before Layout, or where it packs nothing.</summary>
    public IReadOnlyList<LaidIsland> Places() => build.ResultOf(Station.Layout) is not null && Graph.Laid is not null
        ? JsonSerializer.Deserialize<LaidIsland[]>(Load(Graph.Layout![LayoutJob.Places]), BuildJson.Options)! : [];

    /// <summary>What can feed channels on each sheet, as far as it is there. None before Layout.</summary>
    public IReadOnlyList<SheetFeeds> Feeds() => [.. build.Graph(Station.Pack).SheetNodes.Select(s =>
        new SheetFeeds(s.Sheet.Name, s.PackedWidth, s.PackedHeight, [.. s.Feeds.Values]))];

    private Mesh Whole(int number)
    {
        var scene = Graph.TakenIn!;
        return MeshPieces.ReadShape(Load(scene[$"shape/{number}"])).WithSpread(Load(scene[$"spread/{number}"])).WithRest(Load(scene[$"rest/{number}"]));
    }

    private byte[] Load(JobFile file) => store.Load(file.File!);

    private static byte[] Write(Scene scene, bool asObj)
    {
        using var stream = new MemoryStream();
        if (asObj)
            ObjWriter.Write(scene, stream, null);
        else
            GltfWriter.WriteBinary(SceneDocument.Of(scene), stream);
        return stream.ToArray();
    }
}
