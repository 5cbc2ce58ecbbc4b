using System.CommandLine;
using Crumpet.Cli;
using Crumpet.Core;
using Crumpet.Core.Checking;

var root = new RootCommand("Takes meshes to engine-ready textures and packages, without a browser.");
root.Options.Add(Output.Json);
Command[] commands =
[
    DemoCommand.Make(), InspectCommand.Make(), MendCommand.Make(), PairsCommand.Make(), LayoutCommand.Make(), BakeCommand.Make(), MakeCommand.Make(),
        PackCommand.Make(), PackCommand.MakeRecipe(), ConvertCommand.Make(),
    DecodeCommand.Make(), BindCommand.Make(), TargetCommand.Make(), BuildCommand.Make(), DeliverCommand.Make(), DockCommand.Make(),
    SchemaCommand.Make(), .. StoreCommands.Make(),
];
foreach (var command in commands)
    root.Subcommands.Add(command);

var parsed = root.Parse(args);
Output.FailsAsJson = parsed.GetValue(Output.Json);
if (parsed.UnmatchedTokens is [{ } odd, ..] && parsed.CommandResult.Command == root && !odd.StartsWith('-'))
    return Output.Fail($"There is no command '{odd}'. {NearestWord.Hint(odd, [.. commands.Select(c => c.Name)])}.", ExitCode.WrongUsage);
if (parsed.Errors.Count > 0)
    return Output.Fail(parsed.Errors[0].Message, ExitCode.WrongUsage);
try
{
    return await parsed.InvokeAsync(new InvocationConfiguration { EnableDefaultExceptionHandler = false });
}
catch (SourceFileException e)
{
    return Output.Fail(e.Message, ExitCode.Unreadable);
}
catch (UsageException e)
{
    return Output.Fail(e.Message, ExitCode.WrongUsage);
}
catch (Exception e) when (e is UnauthorizedAccessException or IOException)
{
    return Output.Fail(e.Message, ExitCode.Unreadable);
}
catch (OperationCanceledException)
{
    return Output.Fail("Cancelled; nothing was written.", ExitCode.StopFindings);
}
