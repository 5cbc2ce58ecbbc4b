using System.CommandLine;
using System.Globalization;
using Crumpet.Core.Building;
using Crumpet.Core.Intake;
using Crumpet.Core.Layout;
using Crumpet.Storage;

namespace Crumpet.Cli;

/// <summary><c>crumpet layout</c>: unwraps meshes, brings them to one density and packs them, and says what that came to.</summary>
internal static class LayoutCommand
{
    private static readonly Argument<FileInfo> In = new("in") { Description = "Mesh file: OBJ, GLB, PLY or STL." };
    private static readonly Option<FileInfo> Out = new("--out") { Required = true, Description = "Mesh file to write, OBJ or GLB." };
    private static readonly Option<double?> Density = new("--density") { Description = "Texel density, px/m; without it the tile is filled." };
    private static readonly Option<int> Size = new("--size") { DefaultValueFactory = _ => 2048, Description = "Side of the sheet, pixels." };
    private static readonly Option<int> Padding = new(
        "--padding")
    { DefaultValueFactory = _ => 8, Description = "Least room between islands and to the border, pixels." };
    private static readonly Option<float> Slack = new(
        "--slack")
    { Description = "How far a part's density may differ from even so that the tile fills, percent." };
    private static readonly Option<string> Rotate = new(
        "--rotate")
    { DefaultValueFactory = _ => "free", Description = "How islands may be turned: free, 90 or none." };
    private static readonly Option<bool> KeepUvs = new("--keep-uvs") { Description = "Keep the islands as they came and only pack them." };
    private static readonly Option<bool> FitIn = new("--fit-in")
    { Description = "Leave UVs that came where they came, and fit objects without any in between, as long as they find room." };
    private static readonly Option<int?> Sheets = new(
        "--sheets")
    { Description = "Lay all parts together on at most this many sheets; without it each material has its own." };
    private static readonly Option<bool> Stack = new("--stack") { Description = "Lay equal islands and mirror images on the same texels." };
    private static readonly Option<float> Stretch = new(
        "--stretch")
    { DefaultValueFactory = _ => 25, Description = "How much 95 % of a chart may be stretched at most, percent." };
    private static readonly Option<float> Angle = new(
        "--angle")
    { DefaultValueFactory = _ => 180, Description = "Edges bent more than this are cut whatever it costs, degrees; 180 cuts none." };
    private static readonly Option<string> HardEdges = new(
        "--hard-edges")
    {
        DefaultValueFactory = _ => "cut",
        Description = "Whether hard edges become seams. " + string.Join(" ", HardEdgeRules.All.Select(h => $"{h.Word} ({h.Words}): {h.Meaning}")),
    };
    private static readonly Option<bool> Whole = new("--whole") { Description = "Leave large islands whole, even where the sheet would fill better." };
    private static readonly Option<int> Threads = new(
        "--threads")
    { DefaultValueFactory = _ => Environment.ProcessorCount, Description = "Threads to use; the result does not depend on it." };

    public static Command Make()
    {
        var command = new Command("layout", "Unwrap a mesh, bring its islands to one texel density and pack them.");
        command.Arguments.Add(In);
        foreach (var option in (Option[])[Out, Density, Size, Padding, Slack, Rotate, KeepUvs, FitIn, Sheets, Stack, Stretch, Angle, HardEdges, Whole, Threads])
            command.Options.Add(option);
        command.SetAction((parsed, cancel) => Task.FromResult(Run(parsed, cancel)));
        return command;
    }

    private static int Run(ParseResult parsed, CancellationToken cancel)
    {
        int? sheets = parsed.GetValue(Sheets);
        var plan = new AssetPlan
        {
            Layout = new LayoutSettings
            {
                Uvs = parsed.GetValue(KeepUvs) || parsed.GetValue(FitIn) ? UvSource.Keep : UvSource.Unwrap,
                Pack = !parsed.GetValue(FitIn),
                KeepsPlaces = parsed.GetValue(FitIn),
                PixelsPerMetre = parsed.GetValue(Density),
                PaddingPixels = parsed.GetValue(Padding),
                SlackPercent = parsed.GetValue(Slack),
                StackEqual = parsed.GetValue(Stack),
                Sheets = sheets is null ? SheetRule.Materials : SheetRule.Together,
                SheetCount = sheets ?? 1,
                Rotation = parsed.GetValue(Rotate) switch
                {
                    "free" => PackRotation.Free,
                    "90" => PackRotation.Quarter,
                    "none" => PackRotation.None,
                    var other => throw new UsageException($"--rotate is '{other}'; it must be free, 90 or none."),
                },
                Unwrap = new UnwrapSettings
                {
                    StretchLimit = 1 + parsed.GetValue(Stretch) / 100,
                    CutAngleDegrees = parsed.GetValue(Angle),
                    CutForRoom = !parsed.GetValue(Whole),
                    HardEdges = HardEdgeOf(parsed.GetValue(HardEdges)!),
                },
            },
            Bake = new() { Size = parsed.GetValue(Size) },
        };
        if (plan.Problem() is { } problem)
            throw new UsageException(problem);
        int threads = Output.Within("--threads", parsed.GetValue(Threads), 1, Output.MostThreads);
        var target = parsed.GetRequiredValue(Out);
        if (target.Extension.ToLowerInvariant() is not (".obj" or ".glb"))
            throw new UsageException($"--out is '{target.Name}'; its name must end in .obj or .glb.");
        var store = new MemoryResultStore();
        var folder = new SourceFolder(store);
        folder.Add(parsed.GetRequiredValue(In), Side.Low);
        var build = new AssetBuild("sheet", plan, folder.Files, store);
        var (_, result) = build.Run(Station.Layout, throughStops: true, threads, new ConsoleProgress(), cancel);
        var intake = build.ResultOf(Station.Intake)!;
        if (intake.Findings.FirstOrDefault(f => f.Code == "unreadable-file") is { } unreadable)
            return Output.Fail(unreadable.Sentence, ExitCode.Unreadable);
        var report = result.As<LayoutReport>();
        if (report.Islands == 0)
            return Output.Fail($"{parsed.GetRequiredValue(In).Name} holds no triangles to lay out; give an OBJ, GLB, PLY or STL file that does.",
                ExitCode.Unreadable);
        if (result.IsBlocked)
            return Output.Print(parsed, new { report, result.Findings }, [], result.Findings);
        AtomicFile.Write(target.FullName, new AssetFiles(build, plan, store).Laid(target.Extension.Equals(".obj", StringComparison.OrdinalIgnoreCase))!);
        return Output.Print(parsed, new { report, result.Findings }, Lines(report), result.Findings);
    }

    private static HardEdgeRule HardEdgeOf(string word) => HardEdgeRules.All.FirstOrDefault(h => h.Word == word) is { Word: not null } found ? found.Rule
        : throw new UsageException($"--hard-edges is '{word}'; it must be {string.Join(" or ", HardEdgeRules.All.Select(h => h.Word))}.");

    private static IEnumerable<string> Lines(LayoutReport report)
    {
        yield return string.Create(CultureInfo.InvariantCulture, $"islands  {report.Islands}  of {report.Triangles} tris, {report.StackedIslands} stacked");
        for (int i = 0; i < report.Sheets.Count; i++)
            yield return string.Create(CultureInfo.InvariantCulture,
                $"sheet {i + 1}  {report.Sheets[i].Islands} islands  {report.Sheets[i].RoomUsed * 100:0.0} % room used  {report.Sheets[i].Covered * 100:0.0} "
                + $"% covered");
        yield return string.Create(CultureInfo.InvariantCulture,
            $"density  {report.MedianDensity:0.0} px/m median  {report.LeastDensity:0.0} least  {report.GreatestDensity:0.0} greatest  "
            + $"{report.DensitySpread * 100:0.00} % from even");
        yield return Stretched("angle stretch", report.AngleStretch);
        yield return Stretched("area stretch", report.AreaStretch);
        yield return string.Create(CultureInfo.InvariantCulture,
            $"overlaps  {report.OverlappingPairs} pairs  {report.OverlapTexels} texels  {report.FlippedTriangles} flipped tris  {report.OutsideTriangles} "
            + $"outside the tile");
        yield return string.Create(CultureInfo.InvariantCulture, $"seams  {report.SeamMetres:0.000} m  {report.SeenSeamMetres:0.000} m seen");
        if (report.RoomCuts > 0)
            yield return string.Create(CultureInfo.InvariantCulture, $"cut for room  {report.RoomCuts} large islands");
        yield return string.Create(CultureInfo.InvariantCulture, $"padding  {report.PaddingPixels:0.0} px least  kept to mip {report.PaddingMip}");
        if (report.Slack is { } slack)
            yield return string.Create(CultureInfo.InvariantCulture,
                $"slack  {slack.RoomBefore * 100:0.0} % room before  {slack.RoomAfter * 100:0.0} % after  parts from × {slack.LeastScale:0.000} to × "
                + $"{slack.GreatestScale:0.000}");
    }

    private static string Stretched(string name, Spread spread) =>
        string.Create(CultureInfo.InvariantCulture, $"{name}  {spread.Mean:0.000} mean  {spread.Most:0.000} for 95 %  {spread.Worst:0.000} worst");
}
