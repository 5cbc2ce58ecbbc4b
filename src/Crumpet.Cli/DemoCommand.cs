using System.CommandLine;
using Crumpet.Core.Building;
using Crumpet.Demo;

namespace Crumpet.Cli;

/// <summary><c>crumpet demo</c>: writes the made-up demo kit as a kit folder.</summary>
internal static class DemoCommand
{
    public static Command Make()
    {
        var folder = new Option<DirectoryInfo>("--out") { Required = true, Description = "Folder to write the kit to." };
        var coarse = new Option<bool>("--coarse") { Description = "With a sixty-fourth of the high sides' triangles: quick to try." };
        var command = new Command("demo", "Write the demo kit as a kit folder.") { folder, coarse };
        command.SetAction(parsed =>
        {
            var assets = DemoKit.Assets(parsed.GetValue(coarse));
            var target = parsed.GetRequiredValue(folder);
            var kit = DemoKit.Kit(assets);
            var written = assets.Zip(kit.Assets).SelectMany(a =>
                a.First.Files.Select(f => Output.Write(target, Path.Combine(a.Second.Folder, f.FileName), f.Bytes))).ToList();
            written.AddRange(kit.Documents().Select(d => Output.Write(target, d.Path, d.Bytes)));
            return Output.Print(parsed, new { kit = kit.Name, files = written }, written, []);
        });
        return command;
    }
}
