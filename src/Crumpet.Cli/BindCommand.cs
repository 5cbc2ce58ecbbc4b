using System.CommandLine;
using Crumpet.Core;
using Crumpet.Core.Bind;
using Crumpet.Core.Building;
using Crumpet.Core.Geometry;
using Crumpet.Core.Imaging;
using Crumpet.Core.Intake;

namespace Crumpet.Cli;

/// <summary><c>crumpet bind</c>: says which texture of a folder fills which input of a mesh's materials, and why an input stays empty.</summary>
internal static class BindCommand
{
    private static readonly Option<FileInfo> Mesh = new("--mesh") { Required = true, Description = "The mesh file, whose materials are filled." };
    private static readonly Option<DirectoryInfo> Textures = new("--textures")
    { Required = true, Description = "Folder of textures; folders in it are read too." };
    private static readonly Option<string?> Target = TargetCommand.Option("What the engine takes");
    private static readonly Option<string> Pattern = new("--pattern")
    {
        DefaultValueFactory = _ => Binder.DefaultPattern,
        Description = "Pattern by which names are read, with {map} and {asset} or {material}; several side by side with bars between.",
    };
    private static readonly Option<string?> Model = new("--model")
    { Description = "Model of all materials; without it, for each the one that its textures fill best." };

    public static Command Make()
    {
        var command = new Command("bind", "Say which textures fill which inputs of a mesh's materials, and why an input stays empty.")
        { Mesh, Textures, Target, Pattern, Model };
        command.SetAction((parsed, cancel) => Task.FromResult(Run(parsed, cancel)));
        return command;
    }

    private static int Run(ParseResult parsed, CancellationToken cancel)
    {
        var target = TargetCommand.Read(parsed.GetValue(Target) ?? new Core.Targets.Target().Name);
        if (parsed.GetValue(Model) is { } model && target.Models.All(m => m.Name != model))
            throw new UsageException($"--model is '{model}', and {target.Name} has {string.Join(", ", target.Models.Select(m => m.Name))}.");
        var file = parsed.GetRequiredValue(Mesh);
        var folder = parsed.GetRequiredValue(Textures);
        if (!folder.Exists)
            throw new UsageException($"--textures is {folder.FullName}, and there is no such folder.");
        FileInfo[] files = [.. folder.EnumerateFiles("*", SearchOption.AllDirectories).OrderBy(f => f.FullName, StringComparer.Ordinal)];
        var containers = files.Where(f => TextureContainer.Table.All.Any(c => f.Extension.Equals(c.Ending, StringComparison.OrdinalIgnoreCase))).ToArray();
        if (!file.Exists)
            Output.ReadFile(file);
        var taken = InspectCommand.TakeIn([file, .. files.Except(containers).Where(f => MeshFiles.IsPicture(f.Name))], new IntakeRules(), cancel);
        if (taken.Findings.FirstOrDefault(f => f.Code == "unreadable-file") is { } unreadable)
            return Output.Fail(unreadable.Sentence, ExitCode.Unreadable);
        BindTexture[] textures =
        [
            .. taken.Report.Textures.Select(t => new BindTexture(t.File, t.Meaning, t.Channels) { Width = t.Width, Height = t.Height }),
            .. containers.Select(Looked),
        ];
        var report = Bound(parsed, target, file, taken.Scene, textures);
        var findings = Finding.Sorted(BindFindings.Of(report, target));
        var lines = report.Materials
            .SelectMany(m => m.Inputs.Select(i => $"{m.Material}  {i.Input.Name}  {i.File ?? "empty"}  {BindFindings.Reason(m, i, target)}"))
            .Concat(report.Unread.Select(f => $"nothing reads {f}"));
        var rows = report.Materials.Select(m => new
        {
            m.Material,
            m.Model,
            m.LeftOut,
            Inputs = m.Inputs.Select(i => new
            {
                i.Input.Name,
                i.Input.Needed,
                i.File,
                i.Reason,
                Because = BindFindings.Reason(m, i, target),
                i.Wanted,
                Meant = i.Meant.Select(t => t.File),
                i.Distance,
            }),
        });
        int code = Output.Print(parsed, new { target = target.Name, materials = rows, report.Unread, findings }, lines, []);
        bool lacks = report.Materials.Any(m => m.Inputs.Any(i => i.Input.Needed && i.File is null && i.Reason != BindReason.OtherModel));
        return lacks ? ExitCode.StopFindings : code;
    }

    private static BindReport Bound(ParseResult parsed, Core.Targets.Target target, FileInfo file, Scene scene, IReadOnlyList<BindTexture> textures)
    {
        var used = scene.Meshes.SelectMany(m => m.TriangleMaterials).Where(m => m >= 0).Distinct().Order().Select(m => scene.Materials[m]).ToArray();
        string asset = NameReader.Create(Sides.DefaultPattern, new NameRules()).PartOfFile(file.Name);
        // A mesh without materials has one; a mesh with one is called as its file is, too.
        BindMaterial[] materials = used.Length == 0 ? [new BindMaterial(asset, [asset])]
            : [.. used.Select(m => new BindMaterial(m.Name, used.Length == 1 ? [.. new[] { asset, m.Name }.Distinct()] : [m.Name, $"{asset}_{m.Name}"])
            {
                Traits = m.Traits,
                Model = parsed.GetValue(Model),
            })];
        try
        {
            return Binder.Bind(BindRules.Of(parsed.GetRequiredValue(Pattern), target) with { Limits = target.Limits }, materials, textures);
        }
        catch (FormatException e)
        {
            throw new UsageException(e.Message);
        }
    }

    private static BindTexture Looked(FileInfo file)
    {
        var texture = TextureContainer.Read(Output.ReadFile(file), file.Name);
        // What carries the transfer is colour; what is named so, normals.
        var meaning = texture.Srgb ? ColourMeaning.Srgb : TextureKinds.ByName(file.Name) == TextureKind.Normal ? ColourMeaning.Normal : ColourMeaning.Linear;
        return new BindTexture(file.Name, meaning, texture.Format.Channels) { Width = texture.Width, Height = texture.Height };
    }
}
