using Crumpet.Core.Bake;
using Crumpet.Core.Bind;
using Crumpet.Core.Convert;
using Crumpet.Core.Deliver;
using Crumpet.Core.Intake;
using Crumpet.Core.Jobs;
using Crumpet.Core.Layout;
using Crumpet.Core.Pack;
using Crumpet.Core.Pairs;

namespace Crumpet.Core.Building;

/// <summary>The kinds of jobs stations have.</summary>
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
    internal static JobKind Choices { get; } = new ChoicesJob();
    internal static JobKind Bind { get; } = new BindJob();
    internal static JobKind Package { get; } = new PackageJob();

    /// <summary>All of them, in the order of the line.</summary>
    public static IReadOnlyList<JobKind> All => [.. Station.Table.All.SelectMany(s => s.Kinds)];

    /// <summary>The versions of all kinds: what tells a graph that was resolved by an earlier program.</summary>
    public static string Versions => string.Join(' ', All.Select(k => $"{k.Name}/{k.Version}"));

    /// <summary>The kind of this name, or null.</summary>
    public static JobKind? Find(string name) => All.FirstOrDefault(k => k.Name == name);
}
