using System.CommandLine;
using Crumpet.Core;
using Crumpet.Core.Building;
using Crumpet.Core.Compression;
using Crumpet.Core.Imaging;
using Crumpet.Core.Intake;

namespace Crumpet.Cli;

/// <summary><c>crumpet inspect</c>: says what files hold.</summary>
internal static class InspectCommand
{
    private sealed record PictureReport(string File, int Width, int Height, int Channels, int Bits, string Format, int Mips);

    public static Command Make()
    {
        var files = new Argument<FileInfo[]>("files") { Arity = ArgumentArity.OneOrMore, Description = "Meshes, pictures or DDS files." };
        var command = new Command("inspect", "Say what meshes and pictures hold.") { files };
        command.SetAction(parsed => Run(parsed, parsed.GetRequiredValue(files)));
        return command;
    }

    private static int Run(ParseResult parsed, FileInfo[] files)
    {
        var store = new MemoryResultStore();
        var folder = new SourceFolder(store);
        var pictures = new List<PictureReport>();
        foreach (var file in files)
        {
            if (file.Extension.Equals(".dds", StringComparison.OrdinalIgnoreCase))
            {
                var texture = DdsFile.Read(Output.ReadFile(file), file.Name);
                pictures.Add(new PictureReport(file.Name, texture.Width, texture.Height, texture.Format.Channels(), 8, texture.Format.Label() + (texture.Srgb ? " sRGB" : ""), texture.Levels.Count));
            }
            else if (MeshFiles.IsPicture(file.Name))
            {
                var bitmap = ImageFile.Read(Output.ReadFile(file), file.Name);
                pictures.Add(new PictureReport(file.Name, bitmap.Width, bitmap.Height, bitmap.Channels, bitmap.Bits, "picture", 1));
            }
            else
            {
                folder.Add(file, null);
            }
        }
        var report = new IntakeReport([], [], []);
        IReadOnlyList<Finding> findings = [];
        if (folder.Files.Count > 0)
        {
            var result = IntakeStation.Run(folder.Files, f => store.Load(f.Sha256), Sides.DefaultPattern);
            report = result.Report;
            // A file alone need not be a whole asset.
            findings = [.. result.Findings.Where(f => f.Code is not ("no-low" or "no-high" or "no-mesh" or "side-unknown"))];
            if (findings.FirstOrDefault(f => f.Code == "unreadable-file") is { } unreadable)
                return Output.Fail(unreadable.Sentence, ExitCode.Unreadable);
        }
        var lines = report.Objects.Select(o => FormattableString.Invariant(
                $"{o.Name}  {o.Side.ToString().ToLowerInvariant()}  {o.Triangles} tris  {o.UvSets} UV sets  {string.Join('+', o.Materials)}  {o.SizeMetres[0]:0.###} × {o.SizeMetres[1]:0.###} × {o.SizeMetres[2]:0.###} m"))
            .Concat(pictures.Select(p => $"{p.File}  {p.Width} × {p.Height} px  {p.Channels} channels  {p.Bits} bit  {p.Format}  {p.Mips} mips"));
        return Output.Print(parsed, new { report.Files, report.Objects, pictures, findings }, lines, findings);
    }
}
