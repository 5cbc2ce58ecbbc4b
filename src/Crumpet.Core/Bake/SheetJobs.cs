using System.Text.Json.Serialization;
using Crumpet.Core.Geometry;
using Crumpet.Core.Imaging;
using Crumpet.Core.Jobs;

namespace Crumpet.Core.Bake;

/// <summary>What the fault map of a sheet depends on beside what parts cover.</summary>
/// <param name="Size">Side of the sheet, pixels.</param>
/// <param name="Samples">Side of the grid of samples in a texel.</param>
/// <param name="Parts">Names of the parts on it.</param>
public sealed record FaultMapSettings(int Size, int Samples, IReadOnlyList<string> Parts);

/// <summary>What is known of a sheet once its parts are put together.</summary>
/// <param name="CoveredTexels">Texels some low triangle covers.</param>
/// <param name="Texels">Wrong texels by cause.</param>
/// <param name="Largest">The largest wrong regions, most texels first.</param>
/// <param name="Regions">How many regions there are.</param>
public sealed record FaultMapReport(int CoveredTexels, IReadOnlyDictionary<FaultKind, int> Texels, IReadOnlyList<FaultRegion> Largest, int Regions);

/// <summary>Puts what parts cover together: <c>cover/P</c> to the fault map <c>faults</c> and all <c>regions</c>.</summary>
public sealed class FaultMapJob() : JobKind<FaultMapSettings>("fault map", 1)
{
    private const int RegionsReported = 400;

    /// <inheritdoc/>
    public override string Words => "fault maps to draw";

    /// <inheritdoc/>
    public override double SecondsAUnit => 0.15;

    /// <inheritdoc/>
    public override bool UsesThreads(IReadOnlyList<StoredFile> inputs) => true;

    /// <inheritdoc/>
    protected override double Cost(FaultMapSettings settings, IReadOnlyList<StoredFile> inputs) => 0.05 + settings.Size * settings.Size / 1e6;

    /// <inheritdoc/>
    protected override JobOutput Work(FaultMapSettings settings, JobInputs inputs, JobContext context)
    {
        var pieces = SheetPieces.Covers(settings.Parts, inputs);
        var composer = new SheetComposer(pieces, new BakeSettings { Samples = settings.Samples }, settings.Size, context.Threads, context.Cancel);
        var regions = FaultRegions.Sorted(pieces.SelectMany(p => p.Cover.Regions).Concat(composer.Cover()));
        context.Progress?.Report(new Progress(0.5, "drawing faults"));
        var texels = regions.GroupBy(f => f.Kind).OrderByDescending(g => g.Key).ToDictionary(g => g.Key, g => g.Sum(f => f.Texels));
        return new JobOutput { Report = new FaultMapReport(composer.Covered.Count(c => c), texels, [.. regions.Take(RegionsReported)], regions.Length) }
            .With("faults", ImageFile.WritePng(composer.Faulty, 1, cancel: context.Cancel))
            .With("regions", context.Write(regions));
    }
}

/// <summary>Everything a sheet's map depends on beside its pieces; what the map does not ask for is null, and not part of its key.</summary>
public sealed record SheetMapSettings
{
    /// <summary>The map.</summary>
    public required BakeMap Map { get; init; }

    /// <summary>Side of the sheet, pixels.</summary>
    public required int Size { get; init; }

    /// <summary>Side of the grid of samples in a texel.</summary>
    public required int Samples { get; init; }

    /// <summary>How it is written.</summary>
    public required MapFile File { get; init; }

    /// <summary>Whether it is dithered.</summary>
    public required bool Dither { get; init; }

    /// <summary>Whether it gets an alpha channel that is full where a low triangle is.</summary>
    public required bool CoverageAlpha { get; init; }

    /// <summary>How far islands grow, pixels; negative for the whole sheet.</summary>
    public required int PaddingPixels { get; init; }

    /// <summary>Parts on the sheet.</summary>
    public required int Parts { get; init; }

    /// <summary>Direction of green, for vectors in tangent space.</summary>
    [JsonIgnore(Condition = JsonIgnoreCondition.WhenWritingNull)]
    public GreenDirection? Green { get; init; }

    /// <summary>What full scale stands for, metres: thickness, height, or the radius whose curvature is white.</summary>
    [JsonIgnore(Condition = JsonIgnoreCondition.WhenWritingNull)]
    public float? ScaleMetres { get; init; }

    /// <summary>Whether rays that met nothing are holes, for opacity.</summary>
    [JsonIgnore(Condition = JsonIgnoreCondition.WhenWritingNull)]
    public bool? MissesAreHoles { get; init; }

    /// <summary>Bounds positions are measured in, metres: smallest corner.</summary>
    [JsonIgnore(Condition = JsonIgnoreCondition.WhenWritingNull)]
    public float[]? Min { get; init; }

    /// <summary>Largest corner.</summary>
    [JsonIgnore(Condition = JsonIgnoreCondition.WhenWritingNull)]
    public float[]? Max { get; init; }

    internal Bounds Bounds => Min is null || Max is null ? Bounds.Empty : new Bounds(new(Min), new(Max));

    /// <summary>The same as settings of a bake.</summary>
    internal BakeSettings ToBake()
    {
        var plain = new BakeSettings();
        return plain with
        {
            Maps = MissesAreHoles == true ? [Map, BakeMap.Opacity] : [Map],
            Samples = Samples,
            Files = new Dictionary<BakeMap, MapFile> { [Map] = File },
            Dither = Dither,
            CoverageAlpha = CoverageAlpha,
            PaddingPixels = PaddingPixels,
            ThicknessRangeMetres = ScaleMetres,
            HeightRangeMetres = ScaleMetres ?? 0,
            CurvatureFullRadiusMetres = ScaleMetres,
            OpacityBy = MissesAreHoles == true ? OpacitySource.Misses : OpacitySource.Alpha,
        };
    }
}

/// <summary>What is known of a sheet's map.</summary>
/// <param name="Ending">Ending of its file.</param>
/// <param name="Scale">What full scale stands for; null where it is plain.</param>
/// <param name="Legend">What colours stand for; empty for all but IDs.</param>
public sealed record SheetMapReport(string Ending, MapScale? Scale, IReadOnlyList<LegendRow> Legend);

/// <summary>
/// Puts a sheet's map together and writes it: <c>cover/P</c> and <c>piece/P</c> to <c>map</c>, and to <c>shown</c> where that is no picture
/// a browser shows; floating point also to <c>scale</c>, JSON.
/// </summary>
public sealed class SheetMapJob() : JobKind<SheetMapSettings>("sheet map", 3)
{
    /// <inheritdoc/>
    public override string Words => "maps to put together";

    /// <inheritdoc/>
    public override double SecondsAUnit => 0.25;

    /// <inheritdoc/>
    public override bool UsesThreads(IReadOnlyList<StoredFile> inputs) => true;

    /// <inheritdoc/>
    protected override double Cost(SheetMapSettings settings, IReadOnlyList<StoredFile> inputs) => 0.05 + settings.Size * settings.Size / 1e6;

    /// <inheritdoc/>
    protected override JobOutput Work(SheetMapSettings settings, JobInputs inputs, JobContext context)
    {
        var bake = settings.ToBake();
        var covers = SheetPieces.Covers([.. Enumerable.Repeat("", settings.Parts)], inputs);
        var pieces = covers.Select((c, p) =>
            c with { Maps = new Dictionary<BakeMap, PartMap> { [settings.Map] = PieceFile.ReadMap(inputs.Bytes($"piece/{p}")) } }).ToArray();
        var composer = new SheetComposer(pieces, bake, settings.Size, context.Threads, context.Cancel);
        var sheet = composer.Compose(settings.Map, settings.Bounds, settings.Green ?? GreenDirection.Up, share => Told(0.5 * share, "putting together"),
            out var legend);
        if (settings.PaddingPixels != 0)
            sheet.Pad(SheetPieces.Padding(covers, settings, inputs, context), context.Threads, context.Cancel);
        var (ending, bytes) = MapFiles.Write(sheet.Bitmap, settings.File, context.Threads, share => Told(0.5 + 0.45 * share, "writing"), context.Cancel);
        var output = new JobOutput { Report = new SheetMapReport(ending, sheet.Scale, settings.Map.Values == MapValues.Label ? legend : []) }
            .With("map", bytes);
        if (ending == ".exr")
            output.With("scale", MapFiles.WriteScale(sheet.Scale));
        if (ending != ".png")
            output.With("shown", ImageFile.WritePng(MapFiles.Shown(settings.Map, sheet.Bitmap, sheet.Scale), 1, cancel: context.Cancel));
        return output;

        void Told(double share, string doing) => context.Progress?.Report(new Progress(share, $"{doing} {settings.Map.Label}"));
    }
}

/// <summary>What parts cover, and how islands grow, once for all maps of a sheet.</summary>
internal static class SheetPieces
{
    /// <summary>Pieces without maps.</summary>
    public static SheetPiece[] Covers(IReadOnlyList<string> parts, JobInputs inputs) =>
        [.. parts.Select((name, p) => new SheetPiece(name, inputs.Value($"cover/{p}", PieceFile.ReadCover), new Dictionary<BakeMap, PartMap>()))];

    /// <summary>For each texel the covered one it shows, as <see cref="SheetPadding.Sources(bool[], int, int, int, CancellationToken)"/>.</summary>
    public static int[] Padding(IReadOnlyList<SheetPiece> covers, SheetMapSettings settings, JobInputs inputs, JobContext context) =>
        inputs.Made($"padding {settings.Size} {settings.Samples} {settings.PaddingPixels}", inputs.List("cover"), 4L * settings.Size * settings.Size, () =>
        {
            var composer = new SheetComposer(covers, settings.ToBake(), settings.Size, context.Threads, context.Cancel);
            composer.Cover();
            return SheetPadding.Sources(composer.Covered, settings.Size, settings.PaddingPixels, context.Threads, context.Cancel);
        });
}

/// <summary>What a map made from a texture depends on beside the texture.</summary>
/// <param name="From">What the texture is.</param>
/// <param name="To">What is made.</param>
/// <param name="Strength">How many texels white stands above black.</param>
/// <param name="RadiusPixels">How far occlusion reaches, texels.</param>
/// <param name="Wrap">Whether the picture goes on at its opposite edge.</param>
/// <param name="Green">Direction of green.</param>
/// <param name="Size">Side of the sheet, pixels.</param>
/// <param name="Ending">Ending of the texture's name.</param>
public sealed record MadeMapSettings(MadeOf From, BakeMap To, float Strength, int RadiusPixels, bool Wrap, GreenDirection Green, int Size, string Ending);

/// <summary>Makes a map from a texture: <c>picture</c> to <c>map</c>.</summary>
public sealed class MadeMapJob() : JobKind<MadeMapSettings>("made map", 1)
{
    /// <inheritdoc/>
    public override string Words => "maps to make from textures";

    /// <inheritdoc/>
    public override double SecondsAUnit => 0.5;

    /// <inheritdoc/>
    public override bool UsesThreads(IReadOnlyList<StoredFile> inputs) => true;

    /// <inheritdoc/>
    protected override double Cost(MadeMapSettings settings, IReadOnlyList<StoredFile> inputs) => 0.05 + settings.Size * settings.Size / 1e6;

    /// <inheritdoc/>
    protected override JobOutput Work(MadeMapSettings settings, JobInputs inputs, JobContext context)
    {
        string file = "picture" + settings.Ending;
        var made = new MadeMap(file, settings.From, settings.To) { Strength = settings.Strength, RadiusPixels = settings.RadiusPixels, Wrap = settings.Wrap };
        var picture = MapMaker.Make(made, ImageFile.Read(inputs.Bytes("picture"), file), settings.Green, context.Threads, context.Cancel);
        bool fits = picture.Width == settings.Size && picture.Height == settings.Size;
        return new JobOutput().With("map",
            ImageFile.WritePng(fits ? picture : PictureOps.Resize(picture, settings.Size, settings.Size, settings.To.Meaning, context.Cancel),
            cancel: context.Cancel));
    }
}
