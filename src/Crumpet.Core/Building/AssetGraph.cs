using Crumpet.Core.Bake;
using Crumpet.Core.Geometry;
using Crumpet.Core.Intake;
using Crumpet.Core.Jobs;
using Crumpet.Core.Layout;
using Crumpet.Core.Pack;
using Crumpet.Core.Pairs;

namespace Crumpet.Core.Building;

/// <summary>What a graph is made of.</summary>
/// <param name="Asset">Name the asset's files begin with.</param>
/// <param name="Plan">What was decided.</param>
/// <param name="Rules">What the kit's assets share.</param>
/// <param name="Sources">Source files, by name.</param>
public sealed record GraphInput(string Asset, AssetPlan Plan, IntakeRules Rules, IReadOnlyList<SourceFile> Sources)
{
    /// <summary>The assets of the kit whose textures this one's materials take.</summary>
    public IReadOnlyList<SharedAsset> Shared { get; init; } = [];
}

/// <summary>An asset whose textures others take.</summary>
/// <param name="Name">Its name.</param>
/// <param name="Input">What its graph is made of.</param>
public sealed record SharedAsset(string Name, GraphInput Input);

/// <summary>A sheet of the low side.</summary>
/// <param name="Name">Name its maps begin with.</param>
/// <param name="Number">Number of the sheet among low triangles; null where one sheet has all of them.</param>
/// <param name="ShownMaterial">Number of the material the stage finds it by; null where it covers all.</param>
/// <param name="MainMaterial">Number of the scene's material of most of its triangles; -1 for none.</param>
/// <param name="Materials">Materials of its triangles, ascending.</param>
public sealed record LaidSheet(string Name, int? Number, int? ShownMaterial, int MainMaterial, IReadOnlyList<int> Materials)
{
    /// <summary>Without a mesh, what the names of its textures have in common; otherwise null.</summary>
    public string? Stem { get; init; }
}

/// <summary>Jobs of a baked sheet.</summary>
/// <param name="Sheet">The sheet.</param>
/// <param name="Size">Its side, pixels.</param>
public sealed record SheetNodes(LaidSheet Sheet, int Size)
{
    /// <summary>Finds stacked triangles.</summary>
    public JobNode? Stacked { get; set; }

    /// <summary>What each part covers.</summary>
    public List<JobNode> Covers { get; } = [];

    /// <summary>Each part's share of each map.</summary>
    public SortedDictionary<BakeMap, List<JobNode>> Pieces { get; } = new(BakeMap.Table);

    /// <summary>The fault map.</summary>
    public JobNode? Faults { get; set; }

    /// <summary>Maps that were baked.</summary>
    public SortedDictionary<BakeMap, JobNode> Maps { get; } = new(BakeMap.Table);

    /// <summary>Maps that were made from textures.</summary>
    public SortedDictionary<BakeMap, JobNode> Made { get; } = new(BakeMap.Table);

    /// <summary>Width of what is packed of it, pixels: the sheet's where it is baked, otherwise that of its largest texture.</summary>
    public int PackedWidth { get; set; } = Size;

    /// <summary>Height of what is packed of it, pixels.</summary>
    public int PackedHeight { get; set; } = Size;

    /// <summary>What can feed channels, by the names recipes know it by.</summary>
    public SortedDictionary<string, SheetFeed> Feeds { get; } = new(StringComparer.Ordinal);

    /// <summary>Packed outputs with what they were packed for.</summary>
    public List<(RecipeOutput Output, JobNode Picture)> Outputs { get; } = [];

    /// <summary>Textures, one an output.</summary>
    public List<JobNode> Textures { get; } = [];

    /// <summary>What textures could be stored as, one an output.</summary>
    public List<JobNode> Choices { get; } = [];
}

/// <summary>
/// The jobs of an asset as far as they can be told from the results so far: some lists are known only from results, which objects a
/// file holds, which parts pair, which sheets there are. It is made again whenever one is there; making it works nothing.
/// </summary>
public sealed class AssetGraph
{
    private readonly SharedAsset? sharedAs;

    /// <param name="input">What it is made of.</param>
    /// <param name="find">Finds results by their jobs' keys.</param>
    /// <param name="sharedAs">For an asset that is looked at for its textures alone: its jobs are work of the station that takes them.</param>
    internal AssetGraph(GraphInput input, Func<string, JobResult?> find, SharedAsset? sharedAs = null)
    {
        (Input, Find, this.sharedAs) = (input, find, sharedAs);
    }

    /// <summary>Whether materials may take other assets' textures; those of an asset that others take from take none in turn.</summary>
    internal bool TakesFromOthers => sharedAs is null;

    /// <summary>Graphs of the assets whose textures this one's materials take, by their names.</summary>
    internal Dictionary<string, AssetGraph> Shared { get; } = new(StringComparer.Ordinal);

    /// <summary>What it is made of.</summary>
    public GraphInput Input { get; }

    internal Func<string, JobResult?> Find { get; }

    /// <summary>All jobs, each after those whose results it takes.</summary>
    public List<JobNode> Nodes { get; } = [];

    /// <summary>Jobs up to a station.</summary>
    public IEnumerable<JobNode> NodesUpTo(Station last) => Nodes.Where(n => n.Station.Number <= last.Number);

    /// <summary>Stations all jobs of which are listed.</summary>
    public HashSet<Station> Listed { get; } = [];

    /// <summary>How many stations from the first on were looked at.</summary>
    internal int Looked { get; set; }

    internal List<JobNode> Reads { get; } = [];

    /// <summary>Pictures inside mesh files, named below the file that holds them.</summary>
    internal List<SourceFile> InnerPictures { get; } = [];
    internal JobNode? TakenIn { get; set; }
    internal JobNode? Thumbnail { get; set; }
    internal SortedDictionary<Side, JobNode> Stages { get; } = [];
    internal List<(JobNode Node, string Name)> PartThumbnails { get; } = [];
    internal List<JobNode> Rays { get; } = [];
    internal Dictionary<string, ReachSettings> FittedReaches { get; } = new(StringComparer.Ordinal);
    internal JobNode? Pair { get; set; }
    internal JobNode? CageStage { get; set; }
    internal JobNode? Layout { get; set; }
    internal JobNode? LowStage { get; set; }
    internal IReadOnlyList<LaidSheet> Sheets { get; set; } = [];
    internal List<SheetNodes> SheetNodes { get; } = [];
    internal JobNode? Bound { get; set; }
    internal JobNode? Package { get; set; }

    internal IntakeReport? Intake => TakenIn?.Report<IntakeReport>();

    /// <summary>Whether nothing has to be baked: maps are made from textures, or textures came along or are another asset's.</summary>
    internal bool GoesWithoutHigh => Input.Plan.Bake.GoesWithoutHigh() || Intake?.Textures.Count > 0 || HasOthersTextures;

    /// <summary>Whether a material takes another asset's textures.</summary>
    internal bool HasOthersTextures => Intake is { } intake
        && LowMaterials.Of(intake, Input.Asset).Any(name => SharedTextures.IsTaken(this, name));

    internal PairReport? Pairs => Pair?.Report<PairReport>();
    internal LaidReport? Laid => Layout?.Report<LaidReport>();

    internal JobNode Add(Station station, JobKind kind, string label, object settings, params IEnumerable<(string Role, JobFile File)> inputs)
    {
        var node = sharedAs is null ? new JobNode(station, kind, label, settings, [.. inputs], Find)
            : new JobNode(Station.Bind, kind, $"{sharedAs.Name}: {label}", settings, [.. inputs], Find);
        Nodes.Add(node);
        return node;
    }

    internal static float[] Three(System.Numerics.Vector3 v) => [v.X, v.Y, v.Z];

    internal static Bounds BoxOf(IEnumerable<ObjectReport> objects) => objects.Aggregate(Bounds.Empty, (b, o) => b.Including(o.Bounds()));
}
