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

/// <summary>The jobs of Pack, Convert, Bind and Deliver. Names are given by the last two.</summary>
internal static class OutputExpansion
{
    /// <summary>Name of the file of an output, without ending.</summary>
    public static string NameOf(AssetGraph graph, SheetNodes sheet, RecipeOutput output) =>
        SheetNames.Texture(graph.Input.Plan, AssetField(graph, sheet), sheet.Sheet.Name, output);

    private static string AssetField(AssetGraph graph, SheetNodes sheet) =>
        graph.SheetNodes.Count == 1 ? graph.Input.Asset : SheetNames.AssetField(graph.Input.Asset, sheet.Sheet.Name);

    /// <summary>What a sheet's materials say without textures, the main one's first.</summary>
    public static IReadOnlyList<MaterialValues> ValuesOf(AssetGraph graph, LaidSheet sheet) =>
    [
        .. sheet.Materials.DefaultIfEmpty(-1).OrderByDescending(m => m == sheet.MainMaterial).Select(m =>
            new MaterialValues(m, ChannelPacker.MaterialMaps(m < 0 ? Material.Plain : graph.Intake!.Materials[m].ToMaterial()))),
    ];

    /// <summary>Lists the jobs of Pack.</summary>
    public static bool AddPack(AssetGraph graph)
    {
        var plan = graph.Input.Plan;
        foreach (var sheet in graph.SheetNodes)
        {
            var values = ValuesOf(graph, sheet.Sheet);
            var baked = BakedOf(graph, sheet);
            RecipeOutput[] made = [.. plan.Recipe.Made()];
            if (values.Count > 1 && made.SelectMany(o => o.Maps()).Any(m => !baked.ContainsKey(m) && values[0].Maps.ContainsKey(m)))
                sheet.Materials = AddMaterials(graph, sheet, values);
            foreach (var output in made)
            {
                var inputs = new List<(string, JobFile)>();
                var maps = new SortedDictionary<string, OutputMap>(StringComparer.Ordinal);
                var fixedValues = new SortedDictionary<string, int[]>(StringComparer.Ordinal);
                foreach (string map in output.Maps().Order(StringComparer.Ordinal))
                {
                    var meaning = OutputJob.MeaningOf(map);
                    if (baked.TryGetValue(map, out var file))
                    {
                        maps[map] = new OutputMap(file.Ending, meaning, file.Scale is null ? null : BakeMaps.Find(map));
                        inputs.Add((OutputJob.Map(map), file.File));
                        if (file.Scale is not null)
                            inputs.Add((OutputJob.Scale(map), file.Scale.Value));
                    }
                    else if (values[0].Maps.TryGetValue(map, out int[]? codes) && sheet.Materials is null)
                        fixedValues[map] = codes;
                    else if (values[0].Maps.ContainsKey(map))
                    {
                        maps[map] = new OutputMap(".png", meaning);
                        inputs.Add((OutputJob.Map(map), sheet.Materials![OutputJob.Map(map)]));
                    }
                }
                sheet.Outputs.Add((output, graph.Add(Station.Pack, JobKinds.Output, $"{output.Name} of {sheet.Sheet.Name}",
                    new OutputSettings(sheet.Size, OutputSettings.Plain(output), maps, fixedValues), inputs)));
            }
        }
        return true;
    }

    /// <summary>Maps of a sheet by their names in recipes; floating-point ones with their scale.</summary>
    public static Dictionary<string, (JobFile File, string Ending, JobFile? Scale)> BakedOf(AssetGraph graph, SheetNodes sheet)
    {
        var bake = graph.Input.Plan.Bake;
        var maps = new Dictionary<string, (JobFile, string, JobFile?)>(StringComparer.Ordinal);
        // Without parts nothing was baked.
        if (graph.Pairs!.Paired.Any())
        {
            foreach (var (map, node) in sheet.Maps)
                maps[map.Name] = (node["map"], MapFiles.EndingOf(bake.FileOf(map)), bake.FileOf(map) == MapFile.Exr ? (JobFile?)node["scale"] : null);
        }
        foreach (var (map, node) in sheet.Made)
            maps[map.Name] = (node["map"], ".png", null);
        return maps;
    }

    private static JobNode AddMaterials(AssetGraph graph, SheetNodes sheet, IReadOnlyList<MaterialValues> values)
    {
        int[] low = LayoutExpansion.LowNumbers(graph);
        return graph.Add(
            Station.Pack, JobKinds.MaterialMaps, sheet.Sheet.Name,
                new MaterialMapsSettings(sheet.Sheet.Number, sheet.Size, graph.Input.Plan.Bake.PaddingPixels, values),
            low.SelectMany((o, k) => new[] { ($"spread/{k}", graph.TakenIn![$"spread/{o}"]), ($"laid/{k}", graph.Layout![$"laid/{k}"]) }));
    }

    /// <summary>Lists the jobs of Convert.</summary>
    public static bool AddConvert(AssetGraph graph)
    {
        foreach (var sheet in graph.SheetNodes)
        {
            foreach (var (output, picture) in sheet.Outputs)
            {
                sheet.Textures.Add(graph.Add(
                    Station.Convert, JobKinds.Texture, $"{output.Name} of {sheet.Sheet.Name}", new ConvertSettings(output.StoredAs(), output.Meaning),
                        ("picture", picture["plain"])));
            }
        }
        return true;
    }

    /// <summary>Lists the jobs of Bind.</summary>
    public static bool AddBind(AssetGraph graph)
    {
        var sheets = graph.SheetNodes.Select(sheet => new BindSheet(
            sheet.Sheet.Name, AssetField(graph, sheet),
                [.. sheet.Outputs.Select(o => new BindTexture(NameOf(graph, sheet, o.Output) + ".dds", o.Output.Meaning, o.Output.StoredAs()))]));
        graph.Bound = graph.Add(Station.Bind, JobKinds.Bind, "", new BindSettings(graph.Input.Plan.BindPattern, graph.Input.Plan.Target.Inputs, [.. sheets]));
        return graph.Bound.Result is not null;
    }

    /// <summary>Lists the jobs of Deliver.</summary>
    public static bool AddDeliver(AssetGraph graph)
    {
        var bindings = graph.Bound!.Report<BindReport>()!.Sheets;
        var outputs = graph.SheetNodes.SelectMany(
            s => s.Outputs.Select((o, i) => (Name: NameOf(graph, s, o.Output), o.Output, o.Picture, Texture: s.Textures[i]))).ToArray();
        var more = MoreMeshes(graph);
        var settings = new PackageSettings(
            graph.Input.Asset, graph.Input.Plan.Target,
            [.. graph.SheetNodes.Select((s, i) => new PackageMaterial(s.Sheet.Name, s.Sheet.MainMaterial, BoundOf(bindings[i])))],
            [.. outputs.Select(o => new PackageTexture(o.Name + ".dds", o.Output.Meaning, o.Name + o.Output.Picture.Ending))],
            [.. graph.Input.Sources.Select(s => s.Name)],
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
            .. outputs.SelectMany((o, t) => new[] { ($"texture/{t}", o.Texture["texture"]), ($"picture/{t}", o.Picture["picture"]) }),
            .. more.SelectMany((m, number) => m.Objects.SelectMany((o, k) => new[]
            {
                ($"more/{number}/shape/{k}", scene[$"shape/{o}"]), ($"more/{number}/spread/{k}", scene[$"spread/{o}"]),
                    ($"more/{number}/rest/{k}", scene[$"rest/{o}"]),
            })),
            .. graph.Input.Sources.Select((s, i) => ($"source/{i}", (JobFile)new StoredFile(s.Name, s.Sha256, s.Bytes))),
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
        var sheetOf = graph.SheetNodes.SelectMany((s, i) => s.Sheet.Materials.Select(m => (m, i))).DistinctBy(p => p.m).ToDictionary(p => p.m, p => p.i);
        var files = Of(Side.Lod).GroupBy(i => names.LevelOf(rows[i].Name, rows[i].File)).OrderBy(g => g.Key)
            .Select(g => (new PackageMesh($"{asset}_lod{g.Key}", sheetOf), g.ToArray())).ToList();
        foreach (var (side, what) in new[] { (Side.Hull, "hulls"), (Side.Cage, "cages") })
        {
            if (Of(side).ToArray() is { Length: > 0 } objects)
                files.Add((new PackageMesh($"{asset}_{what}", null), objects));
        }
        return files;

        IEnumerable<int> Of(Side side) => Enumerable.Range(0, rows.Count).Where(i => rows[i].Side == side);
    }

    private static SortedDictionary<MeshInput, string> BoundOf(SheetBinding sheet) =>
        new(sheet.Slots.Where(s => s.File is not null && s.Slot.Mesh != MeshInput.None).ToDictionary(s => s.Slot.Mesh, s => s.File!));
}
