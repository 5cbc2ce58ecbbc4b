using System.CommandLine;
using System.Globalization;
using Crumpet.Core;
using Crumpet.Core.Building;
using Crumpet.Core.Convert;
using Crumpet.Core.Imaging;
using Crumpet.Core.Intake;

namespace Crumpet.Cli;

/// <summary><c>crumpet inspect</c>: says what files hold and what would hurt later.</summary>
internal static class InspectCommand
{
    // A file alone need not be a whole asset.
    private static readonly string[] WholeAssetCodes = ["no-low", "no-high", "no-mesh", "side-unknown"];

    private sealed record PictureReport(string File, int Width, int Height, int Channels, int Bits, string Format, int Mips);

    public static Command Make()
    {
        var files = new Argument<FileInfo[]>("files") { Arity = ArgumentArity.OneOrMore, Description = "Meshes, pictures or DDS files." };
        var rules = new Option<FileInfo?>("--rules") { Description = "JSON file with mends to apply first and what the kit expects." };
        var command = new Command("inspect", "Say what meshes and pictures hold, and what would hurt later.") { files, rules };
        command.SetAction((parsed, cancel) => Task.FromResult(Run(parsed, parsed.GetRequiredValue(files), parsed.GetValue(rules), cancel)));
        return command;
    }

    /// <summary>Takes files in as the application does.</summary>
    public static IntakeResult TakeIn(IReadOnlyList<FileInfo> files, IntakeRules rules, CancellationToken cancel)
    {
        var folder = new DiskSources();
        foreach (var file in files)
            folder.Add(file);
        return IntakeStation.Run(new IntakeInput(folder.Files, folder.Open, Sides.DefaultPattern) { Rules = rules, Threads = Environment.ProcessorCount }, null,
            cancel);
    }

    private static int Run(ParseResult parsed, FileInfo[] files, FileInfo? rulesFile, CancellationToken cancel)
    {
        var rules = rulesFile is null ? new IntakeRules() : RulesFile.Read(Output.ReadFile(rulesFile), rulesFile.Name);
        var pictures = new List<PictureReport>();
        var sources = new List<FileInfo>();
        foreach (var file in files)
        {
            if (!file.Exists || file.Length == 0)
                Output.ReadFile(file);
            if (!TextureContainer.Table.All.Any(c => file.Extension.Equals(c.Ending, StringComparison.OrdinalIgnoreCase)))
            {
                sources.Add(file);
                continue;
            }
            var texture = TextureContainer.Read(Output.ReadFile(file), file.Name);
            pictures.Add(new PictureReport(file.Name, texture.Width, texture.Height, texture.Format.Channels, 8,
                texture.Format.Label + (texture.Srgb ? " sRGB" : ""), texture.Levels.Count));
        }
        var result = TakeIn(sources, rules, cancel);
        IReadOnlyList<Finding> findings = [.. result.Findings.Where(f => !WholeAssetCodes.Contains(f.Code))];
        if (findings.FirstOrDefault(f => f.Code == "unreadable-file") is { } unreadable)
            return Output.Fail(unreadable.Sentence, ExitCode.Unreadable);
        if (findings.FirstOrDefault(f => f.Code == "file-not-read") is { } notRead && result.Report.Objects.Count == 0 && result.Report.Textures.Count == 0
            && pictures.Count == 0)
            return Output.Fail(notRead.Sentence, ExitCode.Unreadable);
        var report = result.Report;
        pictures.InsertRange(0, report.Textures.Select(t => new PictureReport(t.File, t.Width, t.Height, t.Channels, t.Bits, t.Format, 1)));
        var lines = report.Objects.Select(o => string.Create(CultureInfo.InvariantCulture,
            $"{o.Name}  {Sides.Word(o.Side)}  {o.Triangles} tris  {o.Polygons} polygons  {o.Shells} shells  {o.BorderEdges} open edges  {o.UvSets} UV "
                    + $"sets  {string.Join('+', o.Materials)}  {o.SizeMetres[0]:0.###} × {o.SizeMetres[1]:0.###} × {o.SizeMetres[2]:0.###} "
                    + $"m{(o.Transform.Length > 0 ? $"  {o.Transform}" : "")}"))
            .Concat(report.Textures.Select(t => $"{t.File}  {t.Width} × {t.Height} px  {t.Bits} bit  {t.ChannelsUsed}  {TextureWords.Of(t.Kind)}"
                + (t.KindBy.Length > 0 ? $" by {t.KindBy}" : "") + (t.Green is { } green ? $", green {green.ToString().ToLowerInvariant()}" : "")))
            .Concat(pictures.Skip(report.Textures.Count)
                .Select(p => $"{p.File}  {p.Width} × {p.Height} px  {p.Channels} channels  {p.Bits} bit  {p.Format}  {p.Mips} mips"));
        return Output.Print(parsed, new { report.Files, report.Objects, report.Textures, report.Links, report.Strays, report.Mends, pictures, findings }, lines,
            findings);
    }
}
