using System.Text.RegularExpressions;
using System.Xml.Linq;
using Xunit;

namespace Crumpet.Core.Tests;

/// <summary>Holds the dependency rules: projects point one way, and a station knows only the stations before it.</summary>
public sealed partial class ArchitectureTests
{
    private const string Folders = "(Geometry|Tracing|Imaging|Targets|Intake|Pairs|Layout|Bake|Pack|Convert|Bind|Deliver|Building|Dock)";

    private static readonly string[] Base = ["Jobs", "Geometry", "Tracing", "Imaging", "Targets"];
    private static readonly string[] Stations = ["Intake", "Pairs", "Layout", "Bake", "Pack", "Convert", "Bind", "Deliver"];

    public static string Root { get; } = FindRoot();

    [Fact]
    public void Projects_point_one_way()
    {
        Assert.Empty(References("Crumpet.Core"));
        Assert.Equal(["Crumpet.Core"], References("Crumpet.Demo"));
        Assert.Equal(["Crumpet.Core"], References("Crumpet.Storage"));
        Assert.Equal(["Crumpet.Demo", "Crumpet.Storage"], References("Crumpet.Cli"));
        Assert.Equal(["Crumpet.Demo", "Crumpet.Storage"], References("Crumpet.Web"));
    }

    [Fact]
    public void The_core_knows_neither_database_nor_web()
    {
        var packages = XDocument.Load(Path.Combine(Root, "src/Crumpet.Core/Crumpet.Core.csproj")).Descendants("PackageReference")
            .Select(p => (string)p.Attribute("Include")!);
        Assert.All(packages, p => Assert.DoesNotMatch("EntityFramework|AspNetCore|Sqlite", p));
    }

    [Fact]
    public void A_station_uses_only_the_foundation_and_stations_before_it()
    {
        foreach (var (folder, file, uses) in CoreUses())
        {
            var allowed = Base.Contains(folder) ? Base
                // The engine's side reads files, and knows nothing of how they were made.
                : folder == "Dock" ? [.. Base, "Intake", "Convert"]
                : folder == "Building" ? [.. Base, .. Stations]
                : Stations.Contains(folder) ? [.. Base, .. Stations.TakeWhile(s => s != folder)]
                : Array.Empty<string>();
            Assert.True(uses == folder || allowed.Contains(uses), $"{file} in {folder} uses {uses}, which it must not know.");
        }
    }

    [Fact]
    public void Results_depend_on_neither_clock_nor_chance_nor_files()
    {
        // The runner alone measures time, which is part of no key and no file; and a program of others takes files alone.
        foreach (string file in Directory.EnumerateFiles(Path.Combine(Root, "src/Crumpet.Core"), "*.cs", SearchOption.AllDirectories)
            .Where(f => !f.Contains("/obj/", StringComparison.Ordinal) && !f.EndsWith("Building/JobRunner.cs", StringComparison.Ordinal)
                && !f.EndsWith("Intake/ExchangeProcess.cs", StringComparison.Ordinal)))
            Assert.DoesNotMatch(@"DateTime\.|Stopwatch|new Random|Random\.Shared|Guid\.NewGuid|(?<![A-Za-z])File\.(Read|Write|Open|Create)",
                File.ReadAllText(file));
    }

    private static IEnumerable<(string Folder, string File, string Uses)> CoreUses()
    {
        string core = Path.Combine(Root, "src/Crumpet.Core");
        foreach (string path in Directory.EnumerateFiles(core, "*.cs", SearchOption.AllDirectories))
        {
            string[] pieces = Path.GetRelativePath(core, path).Split('/');
            if (pieces.Length != 2 || pieces[0] is "obj" or "bin")
                continue;
            foreach (Match use in Use().Matches(File.ReadAllText(path)))
                yield return (pieces[0], pieces[1], use.Groups["folder"].Value);
        }
    }

    private static string[] References(string project) =>
        [.. XDocument.Load(Path.Combine(Root, $"src/{project}/{project}.csproj")).Descendants("ProjectReference")
            .Select(r => Path.GetFileNameWithoutExtension((string)r.Attribute("Include")!)).Order()];

    private static string FindRoot()
    {
        var folder = new DirectoryInfo(AppContext.BaseDirectory);
        while (!File.Exists(Path.Combine(folder!.FullName, "Crumpet.slnx")))
            folder = folder.Parent;
        return folder.FullName;
    }

    [GeneratedRegex(@"(?:using Crumpet\.Core\.|(?<![\w.])(?=" + Folders + @"\.[A-Z]))(?<folder>" + Folders + @")\b")]
    private static partial Regex Use();
}
