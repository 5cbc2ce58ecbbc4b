using System.CommandLine;
using System.Text;
using Crumpet.Core.Building;

namespace Crumpet.Cli;

/// <summary><c>crumpet schema</c>: the JSON Schema of a file that is written by hand.</summary>
internal static class SchemaCommand
{
    public static Command Make()
    {
        var of = new Argument<string>("file") { Description = $"Which: {string.Join(", ", KitSchema.Files.Keys)}." };
        var command = new Command("schema", "Print the JSON Schema of a file that is written by hand.") { of };
        command.SetAction(parsed =>
        {
            string word = parsed.GetRequiredValue(of);
            if (!KitSchema.Files.ContainsKey(word))
                throw new UsageException($"There is no schema of '{word}'; there are {string.Join(", ", KitSchema.Files.Keys)}.");
            Console.Out.Write(Encoding.UTF8.GetString(KitSchema.Write(word)));
            return ExitCode.Done;
        });
        return command;
    }
}
