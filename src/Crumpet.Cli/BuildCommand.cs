using System.CommandLine;
using Crumpet.Core;
using Crumpet.Core.Building;

namespace Crumpet.Cli;

/// <summary><c>crumpet build</c>: takes every asset of a kit folder to its package.</summary>
internal static class BuildCommand
{
    public static Command Make()
    {
        var folder = new Argument<DirectoryInfo>("kitfolder") { Description = "Folder with kit.json." };
        var target = new Option<DirectoryInfo>("--out") { Required = true, Description = "Folder for the packages." };
        var command = new Command("build", "Build every asset of a kit folder.") { folder, target };
        command.SetAction((parsed, cancel) => Task.FromResult(Run(parsed, parsed.GetRequiredValue(folder), parsed.GetRequiredValue(target), cancel)));
        return command;
    }

    private static int Run(ParseResult parsed, DirectoryInfo folder, DirectoryInfo target, CancellationToken cancel)
    {
        var kit = KitFile.Read(Output.ReadFile(new FileInfo(Path.Combine(folder.FullName, KitFile.FileName))));
        var assets = new List<object>();
        var lines = new List<string>();
        var findings = new List<Finding>();
        foreach (var asset in kit.Assets)
        {
            var store = new MemoryResultStore(keepsPieces: false);
            var sources = new SourceFolder(store);
            foreach (string source in asset.Sources)
                sources.Add(new FileInfo(Path.Combine(folder.FullName, asset.Folder, source)), null);
            var build = new AssetBuild(AssetBuild.FileNameOf(asset.Name), asset.Plan ?? new AssetPlan(), sources.Files, store, kit.Rules);
            var (station, result) = build.Run(Station.Deliver, throughStops: false, Environment.ProcessorCount, new ConsoleProgress(), cancel);
            var own = AssetBuild.Line.TakeWhile(s => s <= station).SelectMany(s => build.ResultOf(s)!.Findings).ToArray();
            if (own.FirstOrDefault(f => f.Code == "unreadable-file") is { } unreadable)
                return Output.Fail(unreadable.Sentence, ExitCode.Unreadable);
            findings.AddRange(own);
            var files = station == Station.Deliver ? result.Files.Select(f => new { path = Output.Write(target, f.Name, store.Load(f.Sha256)), f.Sha256, f.Bytes }).ToArray() : [];
            assets.Add(new { asset.Name, reached = station, files });
            lines.AddRange(files.Select(f => $"{f.path}  {f.Bytes} bytes  {f.Sha256}"));
            if (station != Station.Deliver)
                lines.Add($"{asset.Name} stopped at {station}.");
        }
        return Output.Print(parsed, new { kit = kit.Name, assets, findings }, lines, findings);
    }
}
