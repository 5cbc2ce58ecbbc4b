using Crumpet.Core.Bake;
using Crumpet.Core.Bind;
using Crumpet.Core.Convert;
using Crumpet.Core.Deliver;
using Crumpet.Core.Geometry;
using Crumpet.Core.Intake;
using Crumpet.Core.Jobs;
using Crumpet.Core.Pack;
using Crumpet.Core.Targets;

namespace Crumpet.Core.Building;

/// <summary>The jobs of Convert, Bind and Deliver. Names are given by the last two.</summary>
internal static class OutputExpansion
{
    /// <summary>Name of the file of an output, without ending.</summary>
    public static string NameOf(AssetGraph graph, SheetNodes sheet, RecipeOutput output) =>
        SheetNames.Texture(graph.Input.Plan, AssetField(graph, sheet), sheet.Sheet.Name, output);

    public static string AssetField(AssetGraph graph, SheetNodes sheet) =>
        graph.SheetNodes.Count == 1 ? graph.Input.Asset : SheetNames.AssetField(graph.Input.Asset, sheet.Sheet.Name);

    /// <summary>Lists the jobs of Convert.</summary>
    public static bool AddConvert(AssetGraph graph)
    {
        foreach (var sheet in graph.SheetNodes)
        {
            foreach (var (output, picture) in sheet.Outputs)
            {
                sheet.Textures.Add(graph.Add(
                    Station.Convert, JobKinds.Texture, $"{output.Name} of {sheet.Sheet.Name}",
                    ConvertSettings.For(output, graph.Input.Plan.Target, SideOf(sheet, output)), ("picture", picture["plain"])));
                sheet.Choices.Add(graph.Add(
                    Station.Convert, JobKinds.Choices, $"{output.Name} of {sheet.Sheet.Name}",
                        new ChoicesSettings(output.Meaning, output.Channels.Count, output.Sides),
                        ("picture", picture["plain"])));
            }
        }
        return true;
    }

    /// <summary>Longest side of an output's picture, pixels.</summary>
    private static int SideOf(SheetNodes sheet, RecipeOutput output)
    {
        var (width, height) = OutputSize.Of(output.Size)!.Value.For(sheet.PackedWidth, sheet.PackedHeight);
        return Math.Max(width, height);
    }

    /// <summary>Name of the file of an output's texture.</summary>
    public static string FileOf(AssetGraph graph, SheetNodes sheet, RecipeOutput output) => NameOf(graph, sheet, output) + graph.Input.Plan.Target.Made.Ending;

    /// <summary>Lists the jobs of Bind.</summary>
    public static bool AddBind(AssetGraph graph)
    {
        var plan = graph.Input.Plan;
        if (!SharedTextures.Extend(graph))
            return false;
        var sheets = graph.SheetNodes.Select(sheet =>
        {
            // Where another asset has no textures, there are none.
            var (there, from) = SharedTextures.Of(graph, sheet) ?? (graph, sheet);
            return new BindSheet(sheet.Sheet.Name, AssetField(there, from), sheet.Sheet.MainMaterial,
                [.. from.Outputs.Select(o => o.Output)
                    .Select(o => new BindTexture(FileOf(there, from, o), o.Meaning, o.Channels.Count) { Known = o.Name })])
            {
                Plan = SharedTextures.PlanOf(graph, sheet),
            };
        });
        graph.Bound = graph.Add(Station.Bind, JobKinds.Bind, "", new BindSettings(BindRules.Of(plan.BindPattern, plan.Target), [.. sheets]),
            ("materials", graph.TakenIn!["materials"]));
        return graph.Bound.Result is not null;
    }

    /// <summary>Lists the jobs of Deliver.</summary>
    public static bool AddDeliver(AssetGraph graph)
    {
        var bindings = graph.Bound!.Report<BindReport>()!.Materials;
        var target = graph.Input.Plan.Target;
        var outputs = SharedTextures.All(graph).SelectMany(
            s => s.Sheet.Outputs.Select((o, i) => (Name: NameOf(s.Graph, s.Sheet, o.Output), o.Output, o.Picture, Texture: s.Sheet.Textures[i]))).ToArray();
        SourceFile[] sources = [.. graph.Input.Sources, .. graph.Shared.Values.SelectMany(s => s.Input.Sources)];
        var more = MoreMeshes(graph);
        var settings = new PackageSettings(
            graph.Input.Asset, target,
            [.. graph.SheetNodes.Select((s, i) => new PackageMaterial(s.Sheet.Name, s.Sheet.MainMaterial, bindings[i].Traits, FillsOf(bindings[i])))],
            [.. outputs.Select(o => new PackageTexture(o.Name + target.Made.Ending, o.Output.Meaning, o.Name + o.Output.Picture.Ending))],
            [.. sources.Select(s => s.Name)],
            [.. more.Select(m => m.File)]);
        var scene = graph.TakenIn!;
        IEnumerable<(string, JobFile)> inputs =
        [
            .. LayoutExpansion.LowNumbers(graph).SelectMany((o, k) => new[]
            {
                ($"shape/{k}", scene[$"shape/{o}"]), ($"spread/{k}", scene[$"spread/{o}"]), ($"rest/{k}", scene[$"rest/{o}"]),
                    ($"laid/{k}", graph.Layout![$"laid/{k}"]),
            }),
            ("materials", scene["materials"]),
            .. outputs.SelectMany((o, t) => new[] { ($"texture/{t}", o.Texture["texture"]), ($"picture/{t}", o.Picture["plain"]) }),
            .. more.SelectMany((m, number) => m.Objects.SelectMany((o, k) => new[]
            {
                ($"more/{number}/shape/{k}", scene[$"shape/{o}"]), ($"more/{number}/spread/{k}", scene[$"spread/{o}"]),
                    ($"more/{number}/rest/{k}", scene[$"rest/{o}"]),
            })),
            .. sources.Select((s, i) => ($"source/{i}", (JobFile)new StoredFile(s.Name, s.Sha256, s.Bytes))),
        ];
        graph.Package = graph.Add(Station.Deliver, JobKinds.Package, "", settings, inputs);
        return true;
    }

    /// <summary>Mesh files beside the low side's, with numbers of their objects: a stage each, hulls, and cages.</summary>
    public static IReadOnlyList<(PackageMesh File, int[] Objects)> MoreMeshes(AssetGraph graph)
    {
        var names = NameReader.Create(graph.Input.Plan.NamePattern, graph.Input.Rules.Names);
        var rows = graph.Intake!.Objects;
        string asset = graph.Input.Asset;
        var target = graph.Input.Plan.Target;
        var sheetOf = graph.SheetNodes.SelectMany((s, i) => s.Sheet.Materials.Select(m => (m, i))).DistinctBy(p => p.m).ToDictionary(p => p.m, p => p.i);
        var files = Of(Side.Lod).GroupBy(i => names.LevelOf(rows[i].Name, rows[i].File)).OrderBy(g => g.Key)
            .Select(g => (new PackageMesh(Target.NameBy(target.LevelName, asset, g.Key), sheetOf), g.ToArray())).ToList();
        foreach (var (side, pattern) in new[] { (Side.Hull, target.HullName), (Side.Cage, target.CageName) })
        {
            if (Of(side).ToArray() is { Length: > 0 } objects)
                files.Add((new PackageMesh(Target.NameBy(pattern, asset), null), objects));
        }
        return files;

        IEnumerable<int> Of(Side side) => Enumerable.Range(0, rows.Count).Where(i => rows[i].Side == side);
    }

    /// <summary>What the textures of a material do for it in the mesh file.</summary>
    private static PackageFill[] FillsOf(MaterialBinding material) =>
        [.. material.Inputs.Where(i => i.File is not null).SelectMany(i => i.Input.Fills.Select(f => new PackageFill(f.Slot, i.File!, f.Channel)))];
}
