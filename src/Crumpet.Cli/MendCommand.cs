using System.CommandLine;
using System.Numerics;
using Crumpet.Core;
using Crumpet.Core.Building;
using Crumpet.Core.Geometry;
using Crumpet.Core.Imaging;
using Crumpet.Core.Intake;

namespace Crumpet.Cli;

/// <summary><c>crumpet mend</c>: applies rules to a mesh or a texture and writes the result; the source stays as it is.</summary>
internal static class MendCommand
{
    public static Command Make()
    {
        var source = new Argument<FileInfo>("file") { Description = "Mesh or texture." };
        var rules = new Option<FileInfo>("--rules") { Required = true, Description = "JSON file with the mends." };
        var target = new Option<FileInfo>(
            "--out")
        {
            Required = true,
            Description = "File to write; its ending tells the format: .glb, .obj, .ply, .stl for meshes, .png, .tif for textures."
        };
        var command = new Command("mend", "Apply mends to a mesh or a texture.") { source, rules, target };
        command.SetAction((parsed, cancel) => Task.FromResult(
            Run(parsed, parsed.GetRequiredValue(source), parsed.GetRequiredValue(rules), parsed.GetRequiredValue(target), cancel)));
        return command;
    }

    private static int Run(ParseResult parsed, FileInfo source, FileInfo rulesFile, FileInfo target, CancellationToken cancel)
    {
        if (string.Equals(source.FullName, target.FullName, StringComparison.Ordinal))
            throw new UsageException("--out is the source itself; sources are never changed, so name another file.");
        var rules = RulesFile.Read(Output.ReadFile(rulesFile), rulesFile.Name);
        var result = InspectCommand.TakeIn([source], rules, cancel);
        if (result.Findings.FirstOrDefault(f => f.Code == "unreadable-file") is { } unreadable)
            return Output.Fail(unreadable.Sentence, ExitCode.Unreadable);
        if (MeshFiles.IsPicture(source.Name))
            WritePicture(source, target, result);
        else
            WriteMesh(target, result.Scene);
        var lines = result.Report.Mends.Select(m => $"{m.Words}: {(m.IsOn ? m.Changed == 0 ? "nothing to change" : $"{m.Changed} changed" : "off")}")
            .Append(target.FullName);
        return Output.Print(parsed, new { file = target.FullName, result.Report.Mends, result.Report.Objects, result.Report.Textures, result.Findings }, lines,
            [.. result.OwnStops]);
    }

    private static void WritePicture(FileInfo source, FileInfo target, IntakeResult result)
    {
        var picture = result.Pictures.Count > 0 ? result.Pictures.Values.First() : ImageFile.Read(Output.ReadFile(source), source.Name);
        bool tiff = target.Extension.ToLowerInvariant() is ".tif" or ".tiff";
        if (!tiff && !target.Extension.Equals(".png", StringComparison.OrdinalIgnoreCase))
            throw new UsageException($"--out ends in '{target.Extension}'; textures are written as .png or .tif.");
        if (!tiff && picture is Bitmap32)
            throw new UsageException("The texture is floating point, which PNG cannot hold; let --out end in .tif.");
        var bytes = tiff ? ImageFile.WriteTiff(picture as Bitmap32 ?? new Bitmap32(picture.Width, picture.Height, picture.Channels, PictureOps.Units(picture)))
            : ImageFile.WritePng(picture);
        Output.Write(target.Directory!, target.Name, bytes);
    }

    private static void WriteMesh(FileInfo target, Scene scene)
    {
        string stem = Path.GetFileNameWithoutExtension(target.Name);
        if (target.Extension.Equals(".stl", StringComparison.OrdinalIgnoreCase))
        {
            using var stream = new MemoryStream();
            StlWriter.Write(scene, stream);
            Output.Write(target.Directory!, target.Name, stream.ToArray());
            return;
        }
        var format = MeshFormat.Table.All.FirstOrDefault(f => target.Extension.Equals("." + f.Word, StringComparison.OrdinalIgnoreCase))
            ?? throw new UsageException($"--out ends in '{target.Extension}'; meshes are written as "
                + $"{string.Join(", ", MeshFormat.Table.All.Select(f => "." + f.Word))} or .stl.");
        foreach (var file in format.Write(SceneDocument.Of(scene), stem))
            Output.Write(target.Directory!, file.Name, file.Bytes);
    }
}
