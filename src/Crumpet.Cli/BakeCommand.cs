using System.CommandLine;
using System.Diagnostics;
using System.Text.Json;
using Crumpet.Core;
using Crumpet.Core.Building;
using Crumpet.Core.Jobs;
using Crumpet.Core.Pairs;

namespace Crumpet.Cli;

/// <summary><c>crumpet bake</c>: bakes maps of low files from high files.</summary>
internal static class BakeCommand
{
    private static readonly Option<DirectoryInfo> Out = new(
        "--out")
    { Required = true, Description = "Folder for <sheet>_<map> files, fault maps, legends, scales and faults.json." };
    private static readonly Option<int> Threads = new("--threads") { DefaultValueFactory = _ => Environment.ProcessorCount, Description = "Threads to use." };

    public static Command Make()
    {
        var command = new Command("bake", "Bake maps from high onto low.");
        foreach (var option in (Option[])[.. PairOptions.All, Out, .. BakeOptions.All, Threads])
            command.Options.Add(option);
        command.SetAction((parsed, cancel) => Task.FromResult(Run(parsed, cancel)));
        return command;
    }

    private static int Run(ParseResult parsed, CancellationToken cancel)
    {
        var plan = PairOptions.Into(BakeOptions.Read(parsed), parsed);
        int threads = Output.Within("--threads", parsed.GetValue(Threads), 1, Output.MostThreads);
        using var temporary = new TemporaryStore();
        var store = temporary.Store;
        var watch = Stopwatch.StartNew();
        var build = new AssetBuild(PairOptions.AssetName(parsed), plan, PairOptions.Files(parsed, store), store, PairOptions.Rules(parsed));
        var (station, result) = build.Run(Station.Bake, throughStops: true, threads, new ConsoleProgress(), cancel);
        var findings = Station.UpTo(station).SelectMany(s => build.ResultOf(s)!.Findings).ToArray();
        if (findings.FirstOrDefault(f => f.Code == "unreadable-file") is { } unreadable)
            return Output.Fail(unreadable.Sentence, ExitCode.Unreadable);
        if (build.ResultOf(Station.Pairs) is { } pairs)
            PairOptions.Check(parsed, pairs.As<PairReport>().Parts.Select(p => p.Name));
        if (station != Station.Bake)
            return Output.Print(parsed, new { sheets = Array.Empty<object>(), findings }, [], findings);
        var report = result.As<BakeReport>();
        var target = parsed.GetRequiredValue(Out);
        var files = result.Files.Select(f => Output.Write(target, f.Name, store.Load(f))).ToList();
        var faults = new { sheets = report.Sheets.Select(s => new { s.Sheet, s.CoveredTexels, s.FaultTexels, s.RegionCount, s.Regions }) };
        files.Add(Output.Write(target, "faults.json", JsonSerializer.SerializeToUtf8Bytes(faults, BuildJson.Indented)));
        double seconds = watch.Elapsed.TotalSeconds;
        var lines = files.Append(FormattableString.Invariant(
            $"{report.Sheets.Sum(s => s.CoveredTexels)} texels, {report.Sheets.Sum(s => s.Rays) / 1e6:0.0} M rays, {seconds:0.0} s"));
        return Output.Print(parsed, new { files, report.Sheets, findings, seconds }, lines, findings);
    }
}
