using System.CommandLine;
using System.Text;
using Crumpet.Core.Building;
using Crumpet.Core.Checking;
using Crumpet.Core.Targets;

namespace Crumpet.Cli;

/// <summary><c>crumpet target</c>: the ready targets, to begin one's own with.</summary>
internal static class TargetCommand
{
    /// <summary>An option that takes a target.</summary>
    public static Option<string?> Option(string description) => new("--target")
    { Description = $"{description}: NAME.target.json, or a ready one by its name." };

    public static Command Make()
    {
        var name = new Argument<string?>("name") { Arity = ArgumentArity.ZeroOrOne, Description = "A ready target; without it, which there are." };
        var command = new Command("target", "Print a ready target, as a file to change.") { name };
        command.SetAction(parsed => Run(parsed, parsed.GetValue(name)));
        return command;
    }

    /// <summary>The target that was given.</summary>
    public static Target Read(string said)
    {
        if (ReadyTargets.Find(said) is { } ready)
            return ready;
        var file = new FileInfo(said);
        if (!file.Exists)
            throw new UsageException($"--target is '{FieldRules.Quoted(said)}', which is neither a file nor a ready target. "
                + $"{Hint(said)}.");
        return TargetFile.Read(Output.ReadFile(file), file.Name);
    }

    private static string Hint(string said) => NearestWord.Hint(said, [.. ReadyTargets.All.Select(t => t.Name)]);

    private static int Run(ParseResult parsed, string? name)
    {
        if (name is null)
            return Output.Print(parsed, new { targets = ReadyTargets.All }, ReadyTargets.All.Select(t => t.InWords()), []);
        if (ReadyTargets.Find(name) is not { } ready)
            throw new UsageException($"There is no ready target '{FieldRules.Quoted(name)}'. {Hint(name)}.");
        Console.Out.Write(Encoding.UTF8.GetString(TargetFile.Write(ready)));
        return ExitCode.Done;
    }
}
