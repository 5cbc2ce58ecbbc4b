using System.CommandLine;
using System.Text.Json;
using Crumpet.Core;
using Crumpet.Core.Building;
using Crumpet.Storage;

namespace Crumpet.Cli;

/// <summary>Results go to standard output, progress and errors to standard error.</summary>
internal static class Output
{
    public static Option<bool> Json { get; } = new("--json") { Description = "Print one JSON object on standard output.", Recursive = true };

    /// <summary>Whether failures are also told as one JSON object on standard output.</summary>
    public static bool FailsAsJson { get; set; }

    public static int Fail(string sentence, int code)
    {
        Console.Error.WriteLine(sentence);
        if (FailsAsJson)
            Console.Out.WriteLine(JsonSerializer.Serialize(new { error = sentence, code }, BuildJson.Indented));
        return code;
    }

    /// <summary>Prints the report, as JSON or as lines, and gives the exit code that its findings ask for.</summary>
    public static int Print(ParseResult parsed, object report, IEnumerable<string> lines, IReadOnlyList<Finding> findings)
    {
        if (parsed.GetValue(Json))
        {
            Console.Out.WriteLine(JsonSerializer.Serialize(report, BuildJson.Indented));
        }
        else
        {
            foreach (string line in lines)
                Console.Out.WriteLine(line);
            foreach (var finding in findings)
                Console.Out.WriteLine($"{finding.Severity.ToString().ToLowerInvariant(),-5} {finding.Sentence}");
        }
        return findings.Any(f => f.Severity == Severity.Stop || f.SpoilsMaps) ? ExitCode.StopFindings : ExitCode.Done;
    }

    /// <summary>Most threads that are used.</summary>
    public const int MostThreads = 1024;

    /// <summary>Most triangles a mesh is made of for a measurement.</summary>
    public const int MostTriangles = 50_000_000;

    /// <summary>The number of an option, within limits.</summary>
    public static int Within(string option, int value, int least, int most) =>
        value >= least && value <= most ? value : throw new UsageException($"{option} is {value}; it must be {least} to {most}.");

    public static byte[] ReadFile(FileInfo file)
    {
        if (!file.Exists)
            throw new SourceFileException(file.Name, "", $"there is no file {file.FullName}", "Check the path");
        byte[] bytes = File.ReadAllBytes(file.FullName);
        return bytes.Length > 0 ? bytes : throw new SourceFileException(file.Name, "", "the file is empty", "Export it again");
    }

    public static string Write(DirectoryInfo folder, string name, byte[] bytes)
    {
        string path = Path.Combine(folder.FullName, name);
        AtomicFile.Write(path, bytes);
        return path;
    }
}

/// <summary>Shows progress on standard error: in place on a terminal, every tenth otherwise.</summary>
internal sealed class ConsoleProgress : IProgress<BuildProgress>, IProgress<Progress>
{
    private readonly Lock gate = new();
    private string last = "";

    public void Report(BuildProgress value) => Show(value.Station.ToString(), value.Fraction, value.Doing);

    public void Report(Progress value) => Show("", value.Fraction, value.Doing);

    private void Show(string station, double fraction, string doing)
    {
        lock (gate)
        {
            int percent = (int)(fraction * 100);
            string line = $"{station} {(Console.IsErrorRedirected ? percent / 10 * 10 : percent)} %".TrimStart();
            if (line == last)
                return;
            last = line;
            if (Console.IsErrorRedirected)
                Console.Error.WriteLine($"{line} {doing}");
            else
                Console.Error.Write($"\r{line} {doing}".PadRight(70) + (percent >= 100 ? "\n" : ""));
        }
    }
}
