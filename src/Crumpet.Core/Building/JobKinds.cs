using Crumpet.Core.Baking;
using Crumpet.Core.Binding;
using Crumpet.Core.Channels;
using Crumpet.Core.Compression;
using Crumpet.Core.Delivery;
using Crumpet.Core.Intake;
using Crumpet.Core.Jobs;
using Crumpet.Core.Layout;
using Crumpet.Core.Pairing;

namespace Crumpet.Core.Building;

/// <summary>All kinds of jobs there are.</summary>
public static class JobKinds
{
    internal static JobKind Read { get; } = new ReadJob();
    internal static JobKind Look { get; } = new LookJob();
    internal static JobKind TakeIn { get; } = new TakeInJob();
    internal static JobKind Stage { get; } = new StageJob();
    internal static JobKind Thumbnail { get; } = new ThumbnailJob();
    internal static JobKind Rays { get; } = new RaysJob();
    internal static JobKind Fit { get; } = new FitJob();
    internal static JobKind Contacts { get; } = new ContactsJob();
    internal static JobKind Suggest { get; } = new SuggestJob();
    internal static JobKind Pair { get; } = new PairJob();
    internal static JobKind CageStage { get; } = new CageStageJob();
    internal static JobKind Layout { get; } = new LayoutJob();
    internal static JobKind Stacked { get; } = new StackedJob();
    internal static JobKind Piece { get; } = new PieceJob();
    internal static JobKind FaultMap { get; } = new FaultMapJob();
    internal static JobKind SheetMap { get; } = new SheetMapJob();
    internal static JobKind MadeMap { get; } = new MadeMapJob();
    internal static JobKind MaterialMaps { get; } = new MaterialMapsJob();
    internal static JobKind Output { get; } = new OutputJob();
    internal static JobKind Texture { get; } = new TextureJob();
    internal static JobKind Bind { get; } = new BindJob();
    internal static JobKind Package { get; } = new PackageJob();

    /// <summary>All of them, in the order of the line.</summary>
    public static IReadOnlyList<JobKind> All { get; } =
    [
        Read, Look, TakeIn, Stage, Thumbnail, Rays, Fit, Contacts, Suggest, Pair, CageStage, Layout, Stacked, Piece, FaultMap, SheetMap, MadeMap, MaterialMaps, Output, Texture, Bind, Package,
    ];

    /// <summary>The versions of all kinds: what tells a graph that was resolved by an earlier program.</summary>
    public static string Versions { get; } = string.Join(' ', All.Select(k => $"{k.Name}/{k.Version}"));

    /// <summary>The kind of this name, or null.</summary>
    public static JobKind? Find(string name) => All.FirstOrDefault(k => k.Name == name);
}
