using System.Text.Json;
using Crumpet.Core.Bake;
using Crumpet.Core.Bind;
using Crumpet.Core.Convert;
using Crumpet.Core.Deliver;
using Crumpet.Core.Geometry;
using Crumpet.Core.Intake;
using Crumpet.Core.Jobs;
using Crumpet.Core.Layout;
using Crumpet.Core.Pack;
using Crumpet.Core.Pairs;
using Crumpet.Core.Targets;

namespace Crumpet.Core.Building;

/// <summary>Puts what jobs gave together to what a station shows. Sentences are made here, so that a better one works nothing again.</summary>
/// <param name="graph">A graph whose jobs of the station have results.</param>
/// <param name="store">Where these are.</param>
internal sealed class StationResults(AssetGraph graph, IResultStore store)
{
    internal const string ThumbnailName = "thumbnail.png";
    internal const string LowStageName = "low.preview";
    internal const string IslandsName = "islands.view";

    /// <summary>The graph.</summary>
    public AssetGraph Graph => graph;

    /// <summary>The result of a station; all its jobs have results.</summary>
    public StationResult Of(Station station)
    {
        var (report, files, findings) = station.Assemble(this);
        var keys = graph.Nodes.Where(n => n.Station == station).Select(n => n.Job!.Key);
        var sorted = Finding.Sorted(findings);
        // What is said may change while no job does: what it is judged by is no setting of theirs.
        string key = BuildJson.Key("station", 2, new { station, files = files.Select(f => f.Name), findings = sorted }, keys);
        return new StationResult(station, key, report, files, sorted);
    }

    public StationContent Intake()
    {
        var taken = graph.TakenIn!.Result!;
        var files = new List<StoredFile>();
        if (graph.Thumbnail is { } thumbnail)
            files.Add(Named(thumbnail, "picture", ThumbnailName));
        files.AddRange(graph.Stages.Select(s => Named(s.Value, "preview", $"{Sides.Word(s.Key)}.preview")));
        files.AddRange(graph.Intake!.Textures.Where(t => t.MendedFile is not null)
            .Select(t => taken.File(TakeInJob.Mended(t.MendedFile!)) with { Name = t.MendedFile! }));
        files.AddRange(graph.InnerPictures.Select(p => new StoredFile(p.Name, p.Sha256, p.Bytes)));
        var facts = JsonSerializer.Deserialize<IntakeFacts>(store.Load(taken.File("facts")), BuildJson.Options)!;
        return new StationContent(graph.Intake!, files,
            IntakeFindings.Of(graph.Intake!, facts, IntakeExpansion.MeasuresOf(graph)).Concat(graph.Reads.SelectMany(r => r.Result!.Findings)));
    }

    public StationContent Pairs()
    {
        var files = graph.PartThumbnails.Select(s => Named(s.Node, "picture", s.Name)).ToList();
        if (graph.CageStage is { } cages)
            files.Add(Named(cages, "preview", "rays.preview"));
        return new StationContent(graph.Pairs!, files, PairFindings.Of(PairExpansion.RulesOf(graph), graph.Pairs!));
    }

    public StationContent Layout()
    {
        var report = graph.Laid!.Layout;
        int[] low = LayoutExpansion.LowNumbers(graph);
        var files = graph.LowStage is { } stage ? new[] { Named(stage, "preview", LowStageName), Named(graph.Layout!, "islands", IslandsName) } : [];
        return new StationContent(report, files, LayoutFindings.Of(report, LayoutExpansion.SettingsOf(graph.Input), graph.Input.Plan.Bake.Size,
            i => graph.Intake!.Objects[low[i]].Name));
    }

    public StationContent Bake()
    {
        var files = new List<StoredFile>();
        var findings = new List<Finding>();
        var sheets = graph.SheetNodes.Select(sheet => Bake(sheet, files, findings)).ToArray();
        var bake = graph.Input.Plan.Bake;
        // Maps of one scale tell the same of it; the first does.
        findings.AddRange(bake.Maps.Where(MapScales.Asks).OrderBy(BakeMap.Table.IndexOf).DistinctBy(m => m.Values).Select(map =>
            MapScales.Metres(map, bake) is { } metres && PieceExpansion.Spread(graph, map) is { } spread ? MapScales.Judge(map, metres, spread) : null)
                .OfType<Finding>());
        return new StationContent(new BakeReport(sheets), files, findings);
    }

    private SheetReport Bake(SheetNodes nodes, List<StoredFile> files, List<Finding> findings)
    {
        string sheet = nodes.Sheet.Name;
        var pairs = graph.Pairs!;
        var faults = nodes.Faults!.Report<FaultMapReport>()!;
        Dictionary<string, string> maps = [], shown = [];
        var scales = new List<MapScale>();
        IReadOnlyList<LegendRow> legend = [];
        foreach (var (map, node) in nodes.Maps)
        {
            var report = node.Report<SheetMapReport>()!;
            maps.Add(map.Name, SheetNames.File(sheet, map.Name) + report.Ending);
            files.Add(Named(node, "map", maps[map.Name]));
            if (node.Has("shown"))
            {
                shown.Add(map.Name, SheetNames.File(sheet, map.Name + SheetNames.Shown) + ".png");
                files.Add(Named(node, "shown", shown[map.Name]));
            }
            if (report.Scale is { } scale)
                scales.Add(scale);
            legend = report.Legend.Count > 0 ? report.Legend : legend;
        }
        foreach (var (map, node) in nodes.Made)
        {
            maps[map.Name] = SheetNames.File(sheet, map.Name) + ".png";
            files.Add(Named(node, "map", maps[map.Name]));
        }
        string faultFile = SheetNames.File(sheet, SheetNames.Faults) + ".png";
        files.Add(Named(nodes.Faults, "faults", faultFile));
        if (legend.Count > 0)
            files.Add(Written(SheetNames.File(sheet, SheetNames.Legend) + ".json", legend));
        if (scales.Count > 0)
            files.Add(Written(MapFiles.ScalesOf(sheet), scales));
        var regions = JsonSerializer.Deserialize<FaultRegion[]>(store.Load(nodes.Faults["regions"].File!), BuildJson.Options)!;
        findings.AddRange(FaultFindings.Explain(regions,
            new FaultContext(sheet, faults.CoveredTexels, [.. pairs.Paired], graph.Input.Plan.Trays, graph.Intake!.Objects, nodes.Size)
            {
                Gaps = pairs.Contacts.ToDictionary(c => (pairs.Parts[c.One].Name, pairs.Parts[c.Two].Name), c => c.GapMetres),
            }));
        return new SheetReport(sheet, nodes.Sheet.ShownMaterial, maps, faults.CoveredTexels, RaysOf(nodes), faults.Texels, faults.Largest, faults.Regions)
        {
            Size = nodes.Size,
            Shown = shown,
            FaultFile = faultFile,
            Scales = scales,
            Legend = legend,
        };
    }

    /// <summary>Rays a sheet's maps are made of; maps of one kind of rays share them.</summary>
    private static long RaysOf(SheetNodes nodes)
    {
        long rays = nodes.Covers.Sum(c => c.Report<PieceReport>()!.Rays);
        for (int p = 0; p < nodes.Covers.Count; p++)
        {
            int part = p;
            rays += nodes.Pieces.GroupBy(m => m.Key.RayKind).Sum(g => g.Max(m => m.Value[part].Report<PieceReport>()!.Rays));
        }
        return rays;
    }

    public StationContent Pack()
    {
        var files = new List<StoredFile>();
        var pictures = new List<PackedPicture>();
        var findings = new List<Finding>();
        foreach (var sheet in graph.SheetNodes)
        {
            var channels = sheet.Feeds.ToDictionary(f => f.Key, f => f.Value.Channels, StringComparer.Ordinal);
            var context = new PackContext(sheet.Feeds.ToDictionary(f => f.Key, f => (PackFeed)f.Value, StringComparer.Ordinal), graph.Input.Plan.Target.Green,
                graph.Pairs!.Paired.Any());
            if (!SharedTextures.IsTaken(graph, sheet.Sheet.Name))
                findings.AddRange(SheetFindings(sheet));
            foreach (var (output, node) in sheet.Outputs)
            {
                string file = OutputExpansion.NameOf(graph, sheet, output) + output.Picture.Ending;
                var report = node.Report<OutputReport>()!;
                files.Add(Named(node, "picture", file));
                pictures.Add(new PackedPicture(sheet.Sheet.Name, output.Name, file, report.Width, report.Height,
                    [.. output.Channels.Select(c => c.InWords(channels))]));
                findings.AddRange(PackFindings.Of(output, report.Channels, context));
            }
        }
        return new StationContent(new PackReport(pictures), files, findings);
    }

    /// <summary>What comes of a recipe as a whole on a sheet: inputs nothing feeds, outputs nothing reads, textures that are not used.</summary>
    private IEnumerable<Finding> SheetFindings(SheetNodes sheet)
    {
        var plan = graph.Input.Plan;
        var names = sheet.Outputs.ToDictionary(o => OutputExpansion.NameOf(graph, sheet, o.Output), o => o.Output, StringComparer.Ordinal);
        var decided = plan.Materials.GetValueOrDefault(sheet.Sheet.Name) ?? new MaterialPlan();
        var inputs = Binder.Bind(BindRules.Of(plan.BindPattern, plan.Target),
            [
                new BindMaterial(sheet.Sheet.Name, [OutputExpansion.AssetField(graph, sheet)])
                {
                    Model = decided.Model,
                    ByHand = decided.ByHand,
                    Traits = decided.Over(MaterialTraits.Plain),
                },
            ],
            [.. names.Select(n => new BindTexture(n.Key + plan.Target.Made.Ending, n.Value.Meaning, n.Value.Channels.Count) { Known = n.Value.Name })])
            .Materials[0].Inputs;
        foreach (var input in inputs.Where(i => i is { Reason: BindReason.NoFile, Input.Needed: true }))
        {
            var mend = new AddOutputFor(input.Input.Map, input.Input.Meaning);
            yield return new Finding(Severity.Warn, "input-unfed", input.Input.Name,
                $"The target's input {input.Input.Name} is fed by no output; add one named {input.Input.Map}.")
            {
                Mends = mend.Made() is null ? [] : [new(mend.Words(), true, mend)],
            };
        }
        var read = inputs.SelectMany(i => i.Meant.Select(m => m.Stem).Append(Path.GetFileNameWithoutExtension(i.File))).ToHashSet();
        foreach (var (name, output) in names.Where(n => !read.Contains(n.Key)))
            yield return new Finding(Severity.Note, "output-unread", output.Name,
                $"No input of the target reads {output.Name}; {name} is delivered beside the material. Do without it if nothing else needs it.")
            {
                Mends = [new(new SwitchOff(output.Name).Words(), false, new SwitchOff(output.Name))],
            };
        if (IsLaidAnew && sheet.Outputs.SelectMany(o => o.Output.Maps()).Select(sheet.Feeds.GetValueOrDefault)
            .FirstOrDefault(f => f?.Origin == FeedOrigin.Brought) is { } moved)
            yield return new Finding(Severity.Warn, "textures-moved", moved.From,
                $"{moved.From} lies by the UVs that came, and the UVs of {sheet.Sheet.Name} were laid anew, so it does not fit. Keep the UVs as they came.")
            {
                Mends = [new(new KeepUvs().Words(), true, new KeepUvs())],
            };
        var asked = sheet.Outputs.SelectMany(o => o.Output.Maps()).Select(sheet.Feeds.GetValueOrDefault).OfType<SheetFeed>().Select(f => f.From).ToHashSet();
        foreach (var unused in sheet.Feeds.Values.Where(f => f.Origin == FeedOrigin.Brought && !asked.Contains(f.From)).DistinctBy(f => f.From))
            yield return new Finding(Severity.Note, "texture-unused", unused.From,
                $"{unused.From} feeds no channel of {sheet.Sheet.Name}; recipes know it as {unused.Name}.");
        if (sheet.Feeds.GetValueOrDefault(BakeMap.Normal.Name) is { Origin: FeedOrigin.Made, From.Length: > 0 } made)
            yield return new Finding(Severity.Note, "normals-made", made.From,
                $"No normal map came, so the normals of {sheet.Sheet.Name} were made of {made.From}.");
    }

    public StationContent Convert()
    {
        var files = new List<StoredFile>();
        var textures = new List<ConvertedTexture>();
        foreach (var sheet in graph.SheetNodes)
        {
            for (int i = 0; i < sheet.Textures.Count; i++)
            {
                var output = sheet.Outputs[i].Output;
                string name = OutputExpansion.NameOf(graph, sheet, output);
                var report = sheet.Textures[i].Report<CompressedReport>()!;
                string file = OutputExpansion.FileOf(graph, sheet, output);
                files.Add(Named(sheet.Textures[i], "texture", file));
                textures.Add(new ConvertedTexture(sheet.Sheet.Name, file, name + output.Picture.Ending, output.StoredAs(graph.Input.Plan.Target),
                    output.Meaning, report.Size, report.Mips, files[^1].Bytes, report.Quality)
                {
                    Output = output.Name,
                    Height = report.Height,
                    Memory = report.Memory,
                    Filter = output.Mips,
                    Choices = sheet.Choices[i].Report<ChoicesReport>(),
                });
            }
        }
        var limits = graph.Input.Plan.Target.Limits;
        var outputs = graph.SheetNodes.SelectMany(s => s.Outputs.Select(o => o.Output));
        return new StationContent(new ConvertReport(textures), files, [.. ConvertFindings.Of(textures.Select(t => (t.File, t.Quality))),
            .. textures.Zip(outputs).SelectMany(t => ConvertFindings.Sides(t.First.File, t.Second, t.First.Size, t.First.Height, limits))]);
    }

    public StationContent Bind()
    {
        var files = new List<StoredFile>();
        var textures = new List<SharedTexture>();
        foreach (var (name, asset) in graph.Shared)
        {
            foreach (var (_, sheet) in SharedTextures.All(graph).Where(s => s.Graph == asset))
            {
                for (int i = 0; i < sheet.Outputs.Count; i++)
                {
                    var (output, picture) = sheet.Outputs[i];
                    string file = OutputExpansion.FileOf(asset, sheet, output), from = OutputExpansion.NameOf(asset, sheet, output) + output.Picture.Ending;
                    files.Add(Named(sheet.Textures[i], "texture", file));
                    files.Add(Named(picture, "picture", from));
                    textures.Add(new SharedTexture(name, file, from, output.StoredAs(graph.Input.Plan.Target).Channels));
                }
            }
        }
        var report = graph.Bound!.Report<BindReport>()!;
        report = report with
        {
            Shared = textures,
            Materials = [.. report.Materials.Select((m, i) => m with { TexturesOf = SharedTextures.NameFor(graph, graph.SheetNodes[i].Sheet.Name) })],
        };
        return new StationContent(report, files, BindFindings.Of(report, graph.Input.Plan.Target));
    }

    public StationContent Deliver()
    {
        string zip = $"{graph.Input.Asset}.zip";
        return new StationContent(new DeliverReport(zip, graph.Package!.Report<PackageReport>()!.Files), [Named(graph.Package, "package", zip)],
            [.. MovedLevels(), .. Lacking()]);
    }

    /// <summary>What the target wants in a package, and is not in it.</summary>
    private IEnumerable<Finding> Lacking()
    {
        var target = graph.Input.Plan.Target;
        var sides = graph.Intake!.Objects.Select(o => o.Side).ToHashSet();
        foreach (var part in target.Holds)
        {
            var (isThere, what, remedy) = part switch
            {
                PackagePart.Mesh => (sides.Contains(Side.Low), "a mesh", "drop a mesh whose name ends in _low"),
                PackagePart.Levels => (sides.Contains(Side.Lod), "levels for the distance", "drop meshes whose names end in _lod1 and so on"),
                PackagePart.Hulls => (sides.Contains(Side.Hull), "hulls", "drop a mesh whose name ends in _hull"),
                _ => (SharedTextures.All(graph).Any(s => s.Sheet.Outputs.Count > 0), "textures", "switch an output of the recipe on"),
            };
            if (!isThere)
                yield return new Finding(Severity.Warn, "package-lacks", what,
                    $"{target.Name} wants {what} in a package, and there {(part == PackagePart.Mesh ? "is" : "are")} none; {remedy}.");
        }
    }

    /// <summary>Whether the low side's UVs are others than those that came.</summary>
    private bool IsLaidAnew => graph.Input.Plan.Layout.Pack || graph.Input.Plan.Layout.Uvs == UvSource.Unwrap
        || graph.Intake!.Objects.Any(o => o is { Side: Side.Low, UvSets: 0 });

    /// <summary>Stages that came keep their own UVs; where the low side's were laid anew, the two no longer agree.</summary>
    private IEnumerable<Finding> MovedLevels()
    {
        var levels = OutputExpansion.MoreMeshes(graph).Where(m => m.File.SheetOf is not null).ToArray();
        if (levels.Length == 0 || !IsLaidAnew)
            yield break;
        yield return new Finding(Severity.Warn, "level-uvs-differ", levels[0].File.Name,
            $"The low side's UVs were laid anew, and {string.Join(", ", levels.Select(l => l.File.Name))} "
            + $"{(levels.Length == 1 ? "keeps its" : "keep their")} own, so the textures do not fit there. Keep the UVs as they came, or make "
            + "the stages from the low side that is delivered.", levels.Length);
    }

    /// <summary>Facts of a sheet as a file to take along.</summary>
    private StoredFile Written<T>(string name, T facts)
    {
        byte[] bytes = JsonSerializer.SerializeToUtf8Bytes(facts, BuildJson.Indented);
        return new StoredFile(name, store.Put(bytes), bytes.Length);
    }

    internal static StoredFile Named(JobNode node, string role, string name) => node[role].File! with { Name = name };
}
