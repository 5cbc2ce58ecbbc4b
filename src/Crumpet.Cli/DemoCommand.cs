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
        var command = new Command("demo", "Write the demo kit: meshes and kit.json.") { folder };
        command.SetAction(parsed =>
        {
            var assets = DemoKit.Assets();
            var target = parsed.GetRequiredValue(folder);
            var kit = DemoKit.Kit(assets);
            var written = assets.Zip(kit.Assets).SelectMany(a => a.First.Files.Select(f => Output.Write(target, Path.Combine(a.Second.Folder, f.FileName), f.Bytes))).ToList();
            written.Add(Output.Write(target, KitFile.FileName, kit.Write()));
            return Output.Print(parsed, new { kit = kit.Name, files = written }, written, []);
        });
        return command;
    }
}
