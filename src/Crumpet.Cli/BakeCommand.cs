using System.CommandLine;
using System.Diagnostics;
using System.Text.Json;
using Crumpet.Core;
using Crumpet.Core.Baking;
using Crumpet.Core.Building;
using Crumpet.Core.Intake;
using Crumpet.Core.Pairing;

namespace Crumpet.Cli;

/// <summary><c>crumpet bake</c>: bakes maps of a low file from high files.</summary>
internal static class BakeCommand
{
    private static readonly Option<FileInfo> Low = new("--low") { Required = true, Description = "Mesh of the low side." };
    private static readonly Option<FileInfo[]> High = new("--high") { Required = true, AllowMultipleArgumentsPerToken = true, Description = "Meshes of the high side." };
    private static readonly Option<DirectoryInfo> Out = new("--out") { Required = true, Description = "Folder for <sheet>_<map>.png and faults.json." };
    private static readonly Option<string> Maps = new("--maps") { DefaultValueFactory = _ => "normal,ao", Description = "normal, ao or both, with a comma." };
    private static readonly Option<int> Size = new("--size") { DefaultValueFactory = _ => 2048, Description = "Side of the sheet, pixels." };
    private static readonly Option<int> Samples = new("--samples") { DefaultValueFactory = _ => 2, Description = "Side of the sample grid in a texel: 1, 2, 4 or 8." };
    private static readonly Option<float> Outward = new("--outward") { DefaultValueFactory = _ => 0.012f, Description = "Outward reach, metres." };
    private static readonly Option<float> Inward = new("--inward") { DefaultValueFactory = _ => 0.02f, Description = "Inward reach, metres." };
    private static readonly Option<string> Trays = new("--trays") { DefaultValueFactory = _ => "plan", Description = "plan: the fewest on which no parts in contact lie together; one: all parts see each other; parts: each on its own." };
    private static readonly Option<string?> Cage = new("--cage") { Description = "fit: rays start on the least shell that holds the high side; or a mesh file with the low side's faces. Default: at the outward reach." };
    private static readonly Option<string> Green = new("--green") { DefaultValueFactory = _ => "up", Description = "Direction of the normal map's green: up or down." };
    private static readonly Option<int> Bits = new("--bits") { DefaultValueFactory = _ => 8, Description = "Bits a channel: 8 or 16." };
    private static readonly Option<int> Padding = new("--padding") { DefaultValueFactory = _ => 16, Description = "Padding, pixels." };
    private static readonly Option<int> AoRays = new("--ao-rays") { DefaultValueFactory = _ => 64, Description = "Occlusion rays a texel." };
    private static readonly Option<string> OccludedBy = new("--occluders") { DefaultValueFactory = _ => "tray", Description = "What blocks light: tray, asset or part." };
    private static readonly Option<int> Threads = new("--threads") { DefaultValueFactory = _ => Environment.ProcessorCount, Description = "Threads to use." };

    public static Command Make()
    {
        var command = new Command("bake", "Bake a normal map and ambient occlusion from high onto low.");
        foreach (var option in (Option[])[Low, High, Out, Maps, Size, Samples, Outward, Inward, Trays, Cage, Green, Bits, Padding, AoRays, OccludedBy, Threads])
            command.Options.Add(option);
        command.SetAction((parsed, cancel) => Task.FromResult(Run(parsed, cancel)));
        return command;
    }

    private static int Run(ParseResult parsed, CancellationToken cancel)
    {
        var plan = ReadPlan(parsed);
        int threads = parsed.GetValue(Threads);
        if (threads < 1)
            throw new UsageException($"--threads is {threads}; it must be 1 or more.");
        var store = new MemoryResultStore();
        var folder = new SourceFolder(store);
        var low = parsed.GetRequiredValue(Low);
        folder.Add(low, Side.Low);
        foreach (var high in parsed.GetRequiredValue(High))
            folder.Add(high, Side.High);
        if (parsed.GetValue(Cage) is { } cage and not "fit")
            folder.Add(new FileInfo(cage), Side.Cage);
        var watch = Stopwatch.StartNew();
        var build = new AssetBuild(AssetBuild.FileNameOf(Path.GetFileNameWithoutExtension(low.Name)), plan, folder.Files, store);
        var (station, result) = build.Run(Station.Bake, throughStops: true, threads, new ConsoleProgress(), cancel);
        var findings = AssetBuild.Line.TakeWhile(s => s <= station).SelectMany(s => build.ResultOf(s)!.Findings).ToArray();
        if (findings.FirstOrDefault(f => f.Code == "unreadable-file") is { } unreadable)
            return Output.Fail(unreadable.Sentence, ExitCode.Unreadable);
        if (station != Station.Bake)
            return Output.Print(parsed, new { sheets = Array.Empty<object>(), findings }, [], findings);
        var report = result.Report<BakeReport>();
        var target = parsed.GetRequiredValue(Out);
        var files = result.Files.Select(f => Output.Write(target, f.Name, store.Load(f.Sha256))).ToList();
        var faults = new { sheets = report.Sheets.Select(s => new { s.Sheet, s.CoveredTexels, s.FaultTexels, s.RegionCount, s.Regions }) };
        files.Add(Output.Write(target, "faults.json", JsonSerializer.SerializeToUtf8Bytes(faults, BuildJson.Indented)));
        double seconds = watch.Elapsed.TotalSeconds;
        var lines = files.Append(FormattableString.Invariant($"{report.Sheets.Sum(s => s.CoveredTexels)} texels, {report.Sheets.Sum(s => s.Rays) / 1e6:0.0} M rays, {seconds:0.0} s"));
        return Output.Print(parsed, new { files, report.Sheets, findings, seconds }, lines, findings);
    }

    private static AssetPlan ReadPlan(ParseResult parsed)
    {
        var plan = new AssetPlan
        {
            Trays = parsed.GetValue(Trays) switch
            {
                "one" => TrayMode.One,
                "parts" => TrayMode.Parts,
                "plan" => TrayMode.Planned,
                var other => throw new UsageException($"--trays is '{other}'; it must be plan, one or parts."),
            },
            Pairs = new PairSettings { Cage = parsed.GetValue(Cage) switch { null => CageKind.Reach, "fit" => CageKind.Fitted, _ => CageKind.File } },
            Bake = new BakeSettings
            {
                Maps = [.. parsed.GetValue(Maps)!.Split(',', StringSplitOptions.TrimEntries | StringSplitOptions.RemoveEmptyEntries).Select(MapOf).Distinct()],
                Size = parsed.GetValue(Size),
                Samples = parsed.GetValue(Samples),
                OutwardReachMetres = parsed.GetValue(Outward),
                InwardReachMetres = parsed.GetValue(Inward),
                Green = parsed.GetValue(Green) switch
                {
                    "up" => GreenDirection.Up,
                    "down" => GreenDirection.Down,
                    var other => throw new UsageException($"--green is '{other}'; it must be up or down."),
                },
                Bits = parsed.GetValue(Bits),
                PaddingPixels = parsed.GetValue(Padding),
                OcclusionRays = parsed.GetValue(AoRays),
                Occluders = parsed.GetValue(OccludedBy) switch
                {
                    "tray" => Occluders.Tray,
                    "asset" => Occluders.Asset,
                    "part" => Occluders.Part,
                    var other => throw new UsageException($"--occluders is '{other}'; it must be tray, asset or part."),
                },
            },
        };
        return plan.Problem() is { } problem ? throw new UsageException(problem) : plan;
    }

    private static BakeMap MapOf(string word) => word switch
    {
        "normal" => BakeMap.Normal,
        "ao" => BakeMap.Occlusion,
        _ => throw new UsageException($"--maps has '{word}'; the maps are normal and ao."),
    };
}
