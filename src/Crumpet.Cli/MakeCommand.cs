using System.CommandLine;
using Crumpet.Core.Bake;
using Crumpet.Core.Imaging;

namespace Crumpet.Cli;

/// <summary><c>crumpet make</c>: makes a map from another one.</summary>
internal static class MakeCommand
{
    public static Command Make()
    {
        var file = new Argument<FileInfo>("file") { Description = "Height or normal map." };
        var from = new Option<string>("--from") { DefaultValueFactory = _ => "height", Description = "What it is: height or normal." };
        var to = new Option<string>("--to") { Required = true, Description = "What is made: normal, ao or curvature." };
        var target = new Option<FileInfo>("--out") { Required = true, Description = "PNG file to write, 16 bits a channel." };
        var strength = new Option<float>(
            "--strength")
        { DefaultValueFactory = _ => MadeMap.Plain.Strength, Description = "How many texels white stands above black in a height map." };
        var radius = new Option<int>(
            "--radius")
        {
            DefaultValueFactory = _ =>
            MadeMap.Plain.RadiusPixels,
            Description = "How far occlusion reaches and over how much curvature is averaged, texels."
        };
        var edges = new Option<bool>("--no-wrap") { Description = "The picture ends at its edges instead of going on at the opposite one." };
        var green = new Option<string>("--green") { DefaultValueFactory = _ => "up", Description = "Direction of a normal map's green: up or down." };
        var command = new Command("make",
            "Make a normal map, occlusion or curvature from a height or normal map.") { file, from, to, target, strength, radius, edges, green };
        command.SetAction((parsed, cancel) => Task.FromResult(Run(
            parsed, parsed.GetRequiredValue(file), parsed.GetRequiredValue(target), Read(parsed, file, from, to, strength, radius, edges),
                Green(parsed.GetValue(green)!), cancel)));
        return command;
    }

    private static MadeMap Read(ParseResult parsed, Argument<FileInfo> file, Option<string> from, Option<string> to, Option<float> strength, Option<int> radius,
        Option<bool> edges)
    {
        var source = parsed.GetValue(from) switch
        {
            "height" => MadeOf.Height,
            "normal" => MadeOf.Normal,
            var other => throw new UsageException($"--from is '{other}'; it must be height or normal."),
        };
        string word = parsed.GetRequiredValue(to);
        var made = new MadeMap(parsed.GetRequiredValue(file).Name, source, BakeMaps.Find(word)
            ?? throw new UsageException(
            $"--to is '{word}'; it must be one of {string.Join(", ", BakeMaps.All.Where(m => m.MadeFrom.Count > 0).Select(m => m.Name))}."))
        {
            Strength = parsed.GetValue(strength),
            RadiusPixels = parsed.GetValue(radius),
            Wrap = !parsed.GetValue(edges),
        };
        return made.Problem() is { } problem ? throw new UsageException(problem) : made;
    }

    private static GreenDirection Green(string word) => word switch
    {
        "up" => GreenDirection.Up,
        "down" => GreenDirection.Down,
        _ => throw new UsageException($"--green is '{word}'; it must be up or down."),
    };

    private static int Run(ParseResult parsed, FileInfo file, FileInfo target, MadeMap made, GreenDirection green, CancellationToken cancel)
    {
        var map = MapMaker.Make(made, ImageFile.Read(Output.ReadFile(file), file.Name), green, Environment.ProcessorCount, cancel);
        string path = Output.Write(target.Directory!, target.Name, ImageFile.WritePng(map, cancel: cancel));
        return Output.Print(parsed, new { path, map.Width, map.Height, map.Channels },
            [$"{path}: {made.To.Label} from {file.Name}, {map.Width} x {map.Height} px"], []);
    }
}
