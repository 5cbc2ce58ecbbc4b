using Crumpet.Core.Bake;
using Crumpet.Core.Bind;
using Crumpet.Core.Checking;
using Crumpet.Core.Intake;
using Crumpet.Core.Layout;
using Crumpet.Core.Pairs;

namespace Crumpet.Core.Building;

/// <content>The stations there are. A new one is an entry here, and its place in the table at the end.</content>
public sealed partial class Station
{
    /// <summary>Files are read and looked through.</summary>
    public static Station Intake { get; } = new()
    {
        Word = "intake",
        Label = "Intake",
        Does = "Files are read, looked through and mended.",
        Kinds = [JobKinds.Read, JobKinds.Look, JobKinds.TakeIn, JobKinds.Stage, JobKinds.Thumbnail],
        Expand = IntakeExpansion.Add,
        Assemble = r => r.Intake(),
        Report = typeof(IntakeReport),
        AlsoShows = ["target.largestTexture", "target.squareTextures", "target.powerOfTwoTextures"],
    };

    /// <summary>Low and high are matched.</summary>
    public static Station Pairs { get; } = new()
    {
        Word = "pairs",
        Label = "Pairs",
        Does = "Low and high are matched by name, and parts spread over trays.",
        Kinds = [JobKinds.Rays, JobKinds.Fit, JobKinds.Contacts, JobKinds.Suggest, JobKinds.Pair, JobKinds.CageStage],
        After = [Intake],
        Expand = PairExpansion.Add,
        Assemble = r => r.Pairs(),
        Report = typeof(PairReport),
        Settings = ["namePattern", "trays", "pairs"],
        AlsoShows = ["bake.outwardReachMetres", "bake.inwardReachMetres"],
    };

    /// <summary>UVs are laid out.</summary>
    public static Station Layout { get; } = new()
    {
        Word = "layout",
        Label = "Layout",
        Does = "UVs are unwrapped, scaled and packed onto sheets.",
        Kinds = [JobKinds.Layout],
        After = [Intake],
        Expand = LayoutExpansion.Add,
        Assemble = r => r.Layout(),
        Report = typeof(LayoutReport),
        Settings = ["layout"],
        Drafts = new([LayoutSettings.FirstDraft, 1], 0.15, p => p.Layout.Draft, (p, draft) => p with { Layout = p.Layout with { Draft = draft } })
        {
            AreWorthIt = b => b.IsMuchToLay(),
            // Of thousands of islands a short search finds nothing the full one does not.
            IsEnough = r => r.As<LayoutReport>().Islands > LayoutSettings.ManyIslands,
        },
    };

    /// <summary>Maps are baked.</summary>
    public static Station Bake { get; } = new()
    {
        Word = "bake",
        Label = "Bake",
        Does = "Maps are cast from the high side onto the low one.",
        Kinds = [JobKinds.Stacked, JobKinds.Piece, JobKinds.FaultMap, JobKinds.SheetMap, JobKinds.MadeMap],
        After = [Pairs, Layout],
        Expand = BakeExpansion.Add,
        Assemble = r => r.Bake(),
        Report = typeof(BakeReport),
        Settings = ["bake"],
        AlsoShows = ["target.green"],
        Drafts = new([BakeSettings.CoarsestDraft, 1], 0.04, p => p.Bake.Draft, (p, draft) => p with { Bake = p.Bake.Drafted(draft) })
        {
            AreWorthIt = b => b.IsMuchToBake(),
        },
    };

    /// <summary>Colour, roughness and metalness are made from what was baked.</summary>
    public static Station Finish { get; } = new()
    {
        Word = "finish",
        Label = "Finish",
        Does = "Colour, roughness and metalness are made from what was baked.",
        NothingToDo = "Baked maps and textures that were brought along need no finish, so every asset passes.",
    };

    /// <summary>Channels are put together.</summary>
    public static Station Pack { get; } = new()
    {
        Word = "pack",
        Label = "Pack",
        Does = "Channels of maps are patched into outputs.",
        Kinds = [JobKinds.MaterialMaps, JobKinds.Output],
        After = [Bake],
        Expand = PackExpansion.Add,
        Assemble = r => r.Pack(),
        Report = typeof(PackReport),
        Settings = ["recipe"],
    };

    /// <summary>Textures are compressed.</summary>
    public static Station Convert { get; } = new()
    {
        Word = "convert",
        Label = "Convert",
        Does = "Outputs are compressed with their mip chains.",
        Kinds = [JobKinds.Texture, JobKinds.Choices],
        After = [Pack],
        Expand = OutputExpansion.AddConvert,
        Assemble = r => r.Convert(),
        Report = typeof(ConvertReport),
        AlsoShows = ["recipe.outputs"],
    };

    /// <summary>Textures are bound to material inputs.</summary>
    public static Station Bind { get; } = new()
    {
        Word = "bind",
        Label = "Bind",
        Does = "Textures are bound to material inputs by their names.",
        Kinds = [JobKinds.Bind],
        After = [Convert],
        Expand = OutputExpansion.AddBind,
        Assemble = r => r.Bind(),
        Report = typeof(BindReport),
        Settings = ["bindPattern", "materials"],
    };

    /// <summary>Levels of detail and hulls are made.</summary>
    public static Station Lods { get; } = new()
    {
        Word = "lods",
        Label = "LODs & hulls",
        Does = "Coarser levels and collision hulls are made.",
        NothingToDo = "No levels and no hulls are asked for, so every asset passes.",
    };

    /// <summary>The package is made.</summary>
    public static Station Deliver { get; } = new()
    {
        Word = "deliver",
        Label = "Deliver",
        Does = "Mesh, textures and manifest leave as a numbered package.",
        Kinds = [JobKinds.Package],
        After = [Bind],
        Expand = OutputExpansion.AddDeliver,
        Assemble = r => r.Deliver(),
        Report = typeof(DeliverReport),
        Settings = ["target"],
    };

    /// <inheritdoc/>
    public static Table<Station> Table { get; } = new("station", Intake, Pairs, Layout, Bake, Finish, Pack, Convert, Bind, Lods, Deliver);
}
