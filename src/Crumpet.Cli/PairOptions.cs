using System.CommandLine;
using System.Globalization;
using Crumpet.Core.Building;
using Crumpet.Core.Checking;
using Crumpet.Core.Intake;
using Crumpet.Core.Jobs;
using Crumpet.Core.Pairs;

namespace Crumpet.Cli;

/// <summary>What says which meshes belong together and where their rays start: the same for every command that pairs.</summary>
internal static class PairOptions
{
    private static readonly Option<string[]> Low = new("--low")
    { Required = true, AllowMultipleArgumentsPerToken = true, Description = "Meshes of the low side: files, folders, or patterns with * and ?." };
    private static readonly Option<string[]> High = new("--high")
    { Required = true, AllowMultipleArgumentsPerToken = true, Description = "Meshes of the high side: files, folders, or patterns with * and ?." };
    private static readonly Option<string> Pattern = new("--pattern")
    { DefaultValueFactory = _ => Sides.DefaultPattern, Description = "How names are read, with {part}, {side} and, where wanted, {detail}." };
    private static readonly Option<FileInfo?> RulesOf = new("--rules") { Description = "JSON file with mends to apply first and words for sides." };
    private static readonly Option<float?> Outward = new("--outward") { Description = "Outward reach, metres; else fitted to each part." };
    private static readonly Option<float?> Inward = new("--inward") { Description = "Inward reach, metres; else fitted to each part." };
    private static readonly Option<string[]> PartReach = new("--part-reach")
    { AllowMultipleArgumentsPerToken = true, Description = "Reach of single parts, metres: PART=OUTWARD or PART=OUTWARD,INWARD." };
    private static readonly Option<string?> Cage = new("--cage")
    {
        Description = "fit: rays start on the least shell that holds the high side; or a mesh file with the low side's faces. Default: at the outward reach.",
    };
    private static readonly Option<float> Margin = new("--cage-margin")
    { DefaultValueFactory = _ => new PairSettings().CageMarginMetres, Description = "How much farther than needed a fitted cage goes, metres." };

    /// <summary>All of them.</summary>
    public static IReadOnlyList<Option> All { get; } = [Low, High, Pattern, RulesOf, Outward, Inward, PartReach, Cage, Margin];

    /// <summary>A plan with what they say.</summary>
    /// <exception cref="UsageException">One of them cannot be used.</exception>
    public static AssetPlan Into(AssetPlan plan, ParseResult parsed)
    {
        var said = plan with
        {
            NamePattern = parsed.GetValue(Pattern)!,
            Pairs = plan.Pairs with
            {
                Cage = parsed.GetValue(Cage) switch { null => CageKind.Reach, "fit" => CageKind.Fitted, _ => CageKind.File },
                CageMarginMetres = parsed.GetValue(Margin),
                Parts = (parsed.GetValue(PartReach) ?? []).Select(ReachOf).ToDictionary(p => p.Part, p => p.Own, StringComparer.Ordinal),
            },
            Bake = plan.Bake with { OutwardReachMetres = parsed.GetValue(Outward), InwardReachMetres = parsed.GetValue(Inward) },
        };
        return said.Problem() is { } problem ? throw new UsageException(problem) : said;
    }

    /// <summary>Rules that are named, or the defaults.</summary>
    public static IntakeRules Rules(ParseResult parsed) =>
        parsed.GetValue(RulesOf) is { } file ? RulesFile.Read(Output.ReadFile(file), file.Name) : new IntakeRules();

    /// <summary>The files that are named, with their sides.</summary>
    public static IReadOnlyList<SourceFile> Files(ParseResult parsed, IResultStore store)
    {
        var folder = new SourceFolder(store);
        foreach (var low in Meshes(parsed.GetRequiredValue(Low)))
            folder.Add(low, Side.Low);
        foreach (var high in Meshes(parsed.GetRequiredValue(High)))
            folder.Add(high, Side.High);
        if (parsed.GetValue(Cage) is { } cage and not "fit")
            folder.Add(new FileInfo(cage), Side.Cage);
        return folder.Files;
    }

    /// <summary>Name of what is baked: of its one low file, or what its low files' names share.</summary>
    public static string AssetName(ParseResult parsed)
    {
        string[] names = [.. Meshes(parsed.GetRequiredValue(Low)).Select(f => f.Name)];
        return AssetBuild.FileNameOf(names.Length == 1 ? Path.GetFileNameWithoutExtension(names[0]) : SharedName.Of(names));
    }

    /// <summary>Says of parts that were named and are not there which there are.</summary>
    /// <exception cref="UsageException">There is such a part.</exception>
    public static void Check(ParseResult parsed, IEnumerable<string> parts)
    {
        string[] known = [.. parts];
        foreach (string part in (parsed.GetValue(PartReach) ?? []).Select(w => ReachOf(w).Part).Where(p => !known.Contains(p, StringComparer.Ordinal)))
            throw new UsageException($"--part-reach names {part}, which is no part. {NearestWord.Hint(part, known)}.");
    }

    private static IReadOnlyList<FileInfo> Meshes(IEnumerable<string> words) => Wildcards.Files(words, MeshFiles.IsMesh, "mesh");

    private static (string Part, PartSettings Own) ReachOf(string word)
    {
        int at = word.LastIndexOf('=');
        string[] numbers = at > 0 ? word[(at + 1)..].Split(',') : [];
        float?[] metres = [.. numbers.Select(n => float.TryParse(n, NumberStyles.Float, CultureInfo.InvariantCulture, out float m) ? m : (float?)null)];
        if (metres.Length is not (1 or 2) || metres.Any(m => m is null))
            throw new UsageException($"--part-reach has '{word}'; write it as PART=OUTWARD or PART=OUTWARD,INWARD, in metres.");
        return (word[..at], new PartSettings { OutwardReachMetres = metres[0], InwardReachMetres = metres.Length > 1 ? metres[1] : null });
    }
}
