using System.Text;
using System.Text.RegularExpressions;
using Crumpet.Core.Building;
using Xunit;

namespace Crumpet.Cli.Tests;

/// <summary>README, documents and <c>--help</c> say the same. With CRUMPET_WRITE_DOCS set, what is generated is written instead of compared.</summary>
public sealed partial class DocumentTests : CommandTests
{
    private static readonly string Root = FindRoot();

    private static string FindRoot()
    {
        var folder = new DirectoryInfo(AppContext.BaseDirectory);
        while (!File.Exists(Path.Combine(folder.FullName, "Crumpet.slnx")))
            folder = folder.Parent!;
        return folder.FullName;
    }

    private static string[] CommandNames { get; } = NamesIn(Help());

    private static string Help(params string[] command) => Run([.. command, "--help"]).Out;

    private static string[] NamesIn(string help) => help.IndexOf("Commands:", StringComparison.Ordinal) is >= 0 and var at
        ? [.. CommandLine().Matches(help[at..]).Select(m => m.Groups[1].Value)] : [];

    /// <summary>What a command says of itself, and of its parts.</summary>
    private static string WholeHelp(string command) =>
        string.Join('\n', (string[])[Help(command), .. NamesIn(Help(command)).Select(part => Help(command, part))]);

    private static HashSet<string> OptionsOf(string command) => [.. OptionName().Matches(WholeHelp(command)).Select(m => m.Value)];

    [Fact]
    public void Every_command_and_option_is_listed_as_help_says_it()
    {
        var text = new StringBuilder("# Commands and options\n\nWritten from what `--help` says; a test compares them. What they are for says "
            + "[the command line](command-line.md).\n");
        foreach (string command in CommandNames)
        {
            string help = Machine().Replace(UsageLine().Replace(WholeHelp(command), "  crumpet $1"), "");
            text.Append($"\n## {command}\n\n```text\n{string.Join('\n', help.ReplaceLineEndings("\n").Trim().Split('\n').Select(l => l.TrimEnd()))}\n```\n");
        }
        Compare("docs/options.md", Encoding.UTF8.GetBytes(text.ToString()));
    }

    [Fact]
    public void Schemas_are_shipped_as_the_command_prints_them()
    {
        foreach (string word in KitSchema.Files.Keys)
        {
            Compare($"docs/schema/{word}.schema.json", KitSchema.Write(word));
            Assert.Equal(Encoding.UTF8.GetString(KitSchema.Write(word)), Run("schema", word).Out);
        }
        Assert.Equal(2, Run("schema", "kitt").Code);
    }

    [Fact]
    public void Documents_name_no_command_and_no_option_that_is_not_there_and_leave_no_command_out()
    {
        string[] files = [Path.Combine(Root, "README.md"), .. Directory.GetFiles(Path.Combine(Root, "docs"), "*.md")];
        var every = CommandNames.SelectMany(OptionsOf).ToHashSet(StringComparer.Ordinal);
        // The application's own, not the command's.
        every.UnionWith(["--help", "--json", "--data", "--demo", "--no-demo", "--urls", "--no-resume", "--allow-host", "--profile"]);
        foreach (string file in files)
        {
            foreach (Match use in CodeUse().Matches(File.ReadAllText(file)))
            {
                string command = use.Groups[1].Value;
                if (command == "COMMAND")
                    continue;
                Assert.True(CommandNames.Contains(command), $"{Path.GetFileName(file)} names {command}, which is no command.");
                var own = OptionsOf(command);
                Assert.All(OptionName().Matches(use.Groups[2].Value),
                    o => Assert.True(own.Contains(o.Value), $"{Path.GetFileName(file)} gives {command} the option {o.Value}, which it has not."));
            }
        }
        string line = File.ReadAllText(Path.Combine(Root, "docs/command-line.md")), readme = File.ReadAllText(files[0]);
        Assert.All(OptionName().Matches(line), o => Assert.True(every.Contains(o.Value), $"docs/command-line.md names {o.Value}, which no command has."));
        Assert.All(CommandNames, c => Assert.Contains($"- `{c}", line, StringComparison.Ordinal));
        Assert.All(CommandNames, c => Assert.Contains($"./crumpet {c} ", readme, StringComparison.Ordinal));
    }

    private static void Compare(string path, byte[] wanted)
    {
        string file = Path.Combine(Root, path);
        if (Environment.GetEnvironmentVariable("CRUMPET_WRITE_DOCS") is not null)
            File.WriteAllBytes(file, wanted);
        Assert.True(File.Exists(file) && File.ReadAllBytes(file).AsSpan().SequenceEqual(wanted),
            $"{path} is not what the program says; run this test with CRUMPET_WRITE_DOCS=1 to write it.");
    }

    [GeneratedRegex(@"^  ([a-z]+)[ <]", RegexOptions.Multiline)]
    private static partial Regex CommandLine();

    [GeneratedRegex(@"--[a-z][a-z-]*[a-z]")]
    private static partial Regex OptionName();

    // How many processors there are is the machine's affair.
    [GeneratedRegex(@"(?<=--threads [^\n]*) \[default: \d+\]")]
    private static partial Regex Machine();

    [GeneratedRegex(@"(?<=Usage:\r?\n)  \S+ (.*)")]
    private static partial Regex UsageLine();

    [GeneratedRegex(@"(?:\./|`)crumpet +([A-Za-z]+)([^\n`]*(?:\n {4,}[^\n`]*)*)")]
    private static partial Regex CodeUse();
}
