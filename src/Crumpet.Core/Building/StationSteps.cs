using System.Numerics;
using System.Runtime.InteropServices;
using System.Security.Cryptography;
using System.Text.Json;
using Crumpet.Core.Baking;
using Crumpet.Core.Binding;
using Crumpet.Core.Channels;
using Crumpet.Core.Compression;
using Crumpet.Core.Delivery;
using Crumpet.Core.Geometry;
using Crumpet.Core.Imaging;
using Crumpet.Core.Intake;
using Crumpet.Core.Layout;
using Crumpet.Core.Pairing;
using Crumpet.Core.Tracing;

namespace Crumpet.Core.Building;

/// <summary>The work of each station on stored inputs.</summary>
internal sealed class StationSteps(string asset, AssetPlan plan, IReadOnlyList<SourceFile> sources, IResultStore store, IntakeRules rules, int threads, CancellationToken cancel)
{
    internal const string SceneName = "scene.bin";
    private const string LaidName = "laid.bin";
    internal const string ShownName = "low.bin";
    private const string StillName = "still.png";
    internal const string RaysName = "rays.bin";
    private const string OutsideName = "outside.bin";
    private const int StillSide = 256;
    private const int PartStillSide = 96;

    private Scene? scene;
    private LaidLow? laidLow;

    /// <summary>Works one station.</summary>
    /// <param name="station">Which.</param>
    /// <param name="resultOf">Results of the stations before it.</param>
    /// <param name="progress">Told often.</param>
    /// <param name="drafted">Takes drafts of a bake; null where nobody looks at them.</param>
    public (object Report, IReadOnlyList<StoredFile> Files, IReadOnlyList<Finding> Findings) Work(
        Station station, Func<Station, StepResult> resultOf, IProgress<Progress>? progress, BakeStep.DraftMade? drafted) => station switch
        {
            Station.Intake => TakeIn(progress),
            Station.Pairs => Pair(resultOf(Station.Intake), progress),
            Station.Layout => LayOut(resultOf(Station.Intake), progress),
            Station.Bake => new BakeStep(asset, plan, sources, store, threads, cancel).Work(
                SceneOf(resultOf(Station.Intake)), resultOf(Station.Intake), resultOf(Station.Pairs), LaidOf(resultOf(Station.Intake), resultOf(Station.Layout)), progress, drafted),
            Station.Pack => Pack(resultOf(Station.Intake), resultOf(Station.Layout), resultOf(Station.Bake), progress),
            Station.Convert => Compress(resultOf(Station.Pack), progress),
            Station.Bind => Bind(resultOf(Station.Convert)),
            Station.Deliver => Deliver(resultOf),
            _ => throw new ArgumentOutOfRangeException(nameof(station)),
        };

    private (object, IReadOnlyList<StoredFile>, IReadOnlyList<Finding>) TakeIn(IProgress<Progress>? progress)
    {
        var pictures = new List<StoredFile>();
        var input = new IntakeInput(sources, s => store.Open(s.Sha256), plan.NamePattern)
        {
            PictureMade = (name, picture) => pictures.Add(Store(name, picture is Bitmap32 real ? ImageFile.WriteTiff(real) : ImageFile.WritePng(picture, cancel: cancel))),
            Mends = plan.Mends,
            Rules = rules,
            GreenUp = plan.Bake.Green == GreenDirection.Up,
            NeedsNoHigh = plan.Bake.Made.Count > 0,
            Threads = threads,
            RememberScene = RememberScene,
            RememberPicture = RememberPicture,
        };
        var result = IntakeStation.Run(input, progress, cancel);
        scene = result.Scene;
        progress?.Report(new Progress(0.85, "preparing the stage"));
        var files = new List<StoredFile> { Store(SceneName, SceneFile.Write(result.Scene)) };
        files.AddRange(pictures.OrderBy(p => p.Name, StringComparer.Ordinal));
        if (result.Scene.Meshes.Count > 0)
        {
            // The high side says best what the asset is.
            bool anyHigh = result.Report.Objects.Any(o => o.Side == Side.High);
            var shown = result.Scene.Meshes.Where((_, i) => !anyHigh || result.Report.Objects[i].Side == Side.High).ToArray();
            files.Add(Store(StillName, ImageFile.WritePng(Still.Draw(shown, StillSide, threads, cancel))));
        }
        var rows = result.Report.Objects;
        var centres = Enumerable.Range(0, rows.Count).GroupBy(i => rows[i].Part, StringComparer.Ordinal)
            .ToDictionary(g => g.Key, g => g.Aggregate(Bounds.Empty, (b, i) => b.Including(result.Scene.Meshes[i].Bounds())).Centre, StringComparer.Ordinal);
        var whole = result.Scene.Meshes.Aggregate(Bounds.Empty, (b, m) => b.Including(m.Bounds()));
        foreach (var side in Enumerable.Range(0, rows.Count).GroupBy(i => rows[i].Side).OrderBy(g => g.Key))
        {
            var objects = side.Select(i => new PreviewObject(result.Scene.Meshes[i], rows[i].Part, centres[rows[i].Part])).ToArray();
            files.Add(Store($"{side.Key.ToString().ToLowerInvariant()}.preview", StagePreview.Write(objects, result.Scene.Materials, whole, side.Key == Side.Low, threads, cancel)));
        }
        return (result.Report, files, result.Findings);
    }

    /// <summary>What a mesh file was read as, kept by its content and by what may lie beside it, so that a mend need not read it again.</summary>
    private Scene RememberScene(SourceFile file, Func<Scene> read)
    {
        string key = BuildJson.Key("read", AssetBuild.StepVersion, new { file.Name }, sources.Where(s => s.Name == file.Name || (MeshFiles.IsCompanion(s.Name) && !MeshFiles.IsPicture(s.Name))).Select(s => $"{s.Name} {s.Sha256}"));
        if (store.Find(key) is { } known)
            return SceneFile.Read(store.Load(known.File(SceneName).Sha256)) with { Notes = known.Findings };
        var fresh = read();
        store.Save(new StepResult(key, "read", JsonSerializer.SerializeToElement(new { file.Name }), [Store(SceneName, SceneFile.Write(fresh))], fresh.Notes));
        return fresh;
    }

    private PictureLook RememberPicture(SourceFile file, Func<PictureLook> look)
    {
        string key = BuildJson.Key("look", AssetBuild.StepVersion, new { ending = Path.GetExtension(file.Name) }, file.Sha256);
        if (store.Find(key) is { } known)
            return known.Report<PictureLook>();
        var fresh = look();
        store.Save(new StepResult(key, "look", JsonSerializer.SerializeToElement(fresh, BuildJson.Options), [], []));
        return fresh;
    }

    private (object, IReadOnlyList<StoredFile>, IReadOnlyList<Finding>) Pair(StepResult intake, IProgress<Progress>? progress)
    {
        var meshes = SceneOf(intake).Meshes;
        var match = new MatchInput(intake.Report<IntakeReport>().Objects, NameReader.Create(plan.NamePattern, rules.Names));
        var input = new PairInput(match, meshes, plan.Trays, plan.Pairs, plan.Bake.OutwardReachMetres, plan.Bake.InwardReachMetres)
        {
            Threads = threads,
            NeedsNoHigh = plan.Bake.Made.Count > 0,
            RememberMeasures = (question, measure) => RememberMeasures(intake.Key, question, measure),
            RememberRays = (question, build) => RememberRays(question, build, meshes),
        };
        var (report, rays, outside, findings) = PairingStation.Run(input, progress, cancel);
        progress?.Report(new Progress(0.96, "drawing parts"));
        var files = DrawParts(report, meshes).ToList();
        if (rays.Count > 0)
        {
            files.Add(Store(RaysName, RaysFile.Write(rays)));
            files.Add(Store("rays.preview", RaysPreview.Write(report, meshes, rays, outside)));
        }
        return (report, files, findings);
    }

    /// <summary>What was measured on the meshes: trays can be planned again without it.</summary>
    private PairMeasures RememberMeasures(string intakeKey, PairQuestion question, Func<PairMeasures> measure)
    {
        string key = BuildJson.Key("measures", AssetBuild.StepVersion, new { question.Rows, plan.NamePattern }, intakeKey);
        if (store.Find(key) is { } known)
            return known.Report<PairMeasures>();
        var fresh = measure();
        store.Save(new StepResult(key, "measures", JsonSerializer.SerializeToElement(fresh, BuildJson.Options), [], []));
        return fresh;
    }

    /// <summary>Where a part's rays come from, kept by the content of its meshes.</summary>
    private RaysAnswer RememberRays(RaysQuestion question, Func<RaysAnswer> build, IReadOnlyList<Mesh> meshes)
    {
        var unnamed = new { question.Kind, question.Direction, question.Blend, question.OutwardReachMetres, question.InwardReachMetres, question.MarginMetres, strokes = question.Strokes.Select(s => s with { Part = "" }), counts = new[] { question.Low.Count, question.High.Count, question.CageObjects.Count } };
        string key = BuildJson.Key("rays", AssetBuild.StepVersion, unnamed, question.Low.Concat(question.High).Concat(question.CageObjects).Select(i => ContentOf(meshes[i])));
        if (store.Find(key) is { } known)
            return new RaysAnswer([.. RaysFile.Read(store.Load(known.File(RaysName).Sha256)).OrderBy(p => p.Key).Select(p => p.Value)], known.Report<CageReport>(), MemoryMarshal.Cast<byte, Vector3>(store.Load(known.File(OutsideName).Sha256)).ToArray());
        var fresh = build();
        var file = Store(RaysName, RaysFile.Write(fresh.Rays.Select((r, i) => (r, i)).ToDictionary(p => p.i, p => p.r)));
        var outside = Store(OutsideName, MemoryMarshal.AsBytes(fresh.Outside.AsSpan()).ToArray());
        store.Save(new StepResult(key, "rays", JsonSerializer.SerializeToElement(fresh.Report, BuildJson.Options), [file, outside], []));
        return fresh;
    }

    /// <summary>A small still of each side of each row.</summary>
    private StoredFile[] DrawParts(PairReport report, IReadOnlyList<Mesh> meshes)
    {
        var sides = report.Parts.SelectMany((row, i) => new[] { (Name: $"low_{i}.png", Numbers: row.Low), (Name: $"high_{i}.png", Numbers: row.High) }).Where(s => s.Numbers.Count > 0).ToArray();
        var files = new StoredFile[sides.Length];
        Parallel.For(0, sides.Length, new ParallelOptions { MaxDegreeOfParallelism = threads, CancellationToken = cancel }, i =>
        {
            string key = BuildJson.Key("part still", AssetBuild.StepVersion, new { PartStillSide }, sides[i].Numbers.Select(n => ContentOf(meshes[n])));
            if (store.Find(key) is { } known)
            {
                files[i] = known.Files[0] with { Name = sides[i].Name };
                return;
            }
            files[i] = Store(sides[i].Name, ImageFile.WritePng(Still.Draw([.. sides[i].Numbers.Select(n => meshes[n])], PartStillSide, 1, cancel)));
            store.Save(new StepResult(key, "part still", JsonSerializer.SerializeToElement(new { }), [files[i]], []));
        });
        return files;
    }

    /// <summary>Hash of a mesh's triangles: a new name makes no new picture.</summary>
    private static string ContentOf(Mesh mesh)
    {
        using var hash = IncrementalHash.CreateHash(HashAlgorithmName.SHA256);
        hash.AppendData(MemoryMarshal.AsBytes(mesh.Positions.AsSpan()));
        hash.AppendData(MemoryMarshal.AsBytes(mesh.Corners.AsSpan()));
        hash.AppendData(MemoryMarshal.AsBytes(mesh.Normals.AsSpan()));
        return Convert.ToHexStringLower(hash.GetHashAndReset());
    }

    private (object, IReadOnlyList<StoredFile>, IReadOnlyList<Finding>) LayOut(StepResult intake, IProgress<Progress>? progress)
    {
        var rows = intake.Report<IntakeReport>().Objects;
        var whole = SceneOf(intake);
        int[] numbers = [.. LowNumbers(intake)];
        var input = new LayoutInput([.. numbers.Select(i => new LayoutObject(whole.Meshes[i], rows[i].Part))], AssetBuild.LayoutOf(plan, rules), plan.Bake.Size) { Threads = threads };
        var result = LayoutStation.Run(input, progress, cancel);
        if (numbers.Length == 0)
            return (result.Report, [], result.Findings);
        progress?.Report(new Progress(0.97, "preparing the stage"));
        var laid = LaidLow.Of(asset, whole, numbers, result, plan.Layout.Sheets);
        var centres = numbers.GroupBy(i => rows[i].Part, StringComparer.Ordinal)
            .ToDictionary(g => g.Key, g => Enumerable.Range(0, rows.Count).Where(i => rows[i].Part == g.Key).Aggregate(Bounds.Empty, (b, i) => b.Including(whole.Meshes[i].Bounds())).Centre, StringComparer.Ordinal);
        var shown = laid.Shown(whole).Select((mesh, k) => new PreviewObject(mesh, rows[numbers[k]].Part, centres[rows[numbers[k]].Part])).ToArray();
        var box = whole.Meshes.Aggregate(Bounds.Empty, (b, m) => b.Including(m.Bounds()));
        return (result.Report,
        [
            Store(LaidName, SceneFile.Write(new Scene("", laid.Meshes, [], []))),
            Store(ShownName, SceneFile.Write(new Scene("", [.. laid.Shown(whole)], laid.ShownMaterials(whole), []))),
            Store("low.preview", StagePreview.Write(shown, laid.ShownMaterials(whole), box, true, threads, cancel)),
            Store("islands.view", LayoutView.Write(input, result)),
        ], result.Findings);
    }

    private (object, IReadOnlyList<StoredFile>, IReadOnlyList<Finding>) Pack(StepResult intake, StepResult layout, StepResult bake, IProgress<Progress>? progress)
    {
        var files = new List<StoredFile>();
        var pictures = new List<PackedPicture>();
        var findings = new List<Finding>();
        var laid = LaidOf(intake, layout);
        var sheets = laid.Sheets;
        foreach (var sheet in bake.Report<BakeReport>().Sheets)
        {
            int size = plan.Bake.SizeOf(sheet.Sheet);
            var maps = laid.MaterialMaps(SceneOf(intake), sheet.Sheet, size, plan.Bake.PaddingPixels, threads, cancel);
            foreach (var (name, file) in sheet.Maps)
                maps[name] = ImageFile.Read(store.Load(bake.File(file).Sha256), file);
            foreach (var output in plan.Recipe.Outputs)
            {
                cancel.ThrowIfCancellationRequested();
                progress?.Report(new Progress((double)pictures.Count / (plan.Recipe.Outputs.Count * sheets.Count), $"packing {output.Name}"));
                string file = OutputName(sheet.Sheet, sheets.Count, output.Name) + ".png";
                files.Add(Store(file, ImageFile.WritePng(ChannelPacker.Pack(output, maps, size))));
                pictures.Add(new PackedPicture(sheet.Sheet, output.Name, file, size, [.. output.Channels.Select(c => InWords(c, maps))]));
                foreach (var feed in output.Channels.Where(c => c.Map is not null && !maps.ContainsKey(c.Map)))
                    findings.Add(new Finding(Severity.Warn, "map-missing", output.Name, $"{output.Name} asks for {feed.Map}, which was not baked; {feed.Fallback:0.##} stands in. Bake {feed.Map} or change the recipe."));
            }
        }
        return (new PackReport(pictures), files, Finding.Sorted(findings));
    }

    private (object, IReadOnlyList<StoredFile>, IReadOnlyList<Finding>) Compress(StepResult pack, IProgress<Progress>? progress)
    {
        var pictures = pack.Report<PackReport>().Pictures;
        var files = new List<StoredFile>();
        var textures = new List<ConvertedTexture>();
        for (int i = 0; i < pictures.Count; i++)
        {
            var output = plan.Recipe.Outputs.First(o => o.Name == pictures[i].Output);
            var bitmap = ImageFile.Read(store.Load(pack.File(pictures[i].File).Sha256), pictures[i].File);
            var inner = progress is null ? null : new ScaledProgress(progress, (double)i / pictures.Count, 1.0 / pictures.Count, $"{pictures[i].File}: ");
            var texture = TextureConverter.Convert(bitmap, new ConvertSettings(output.Format, output.Meaning), threads, inner, cancel);
            string name = Path.ChangeExtension(pictures[i].File, ".dds");
            var file = Store(name, DdsFile.Write(texture));
            files.Add(file);
            var quality = TextureConverter.Measure(bitmap, texture, output.Meaning);
            textures.Add(new ConvertedTexture(pictures[i].Sheet, name, pictures[i].File, output.Format, output.Meaning, texture.Width, texture.Levels.Count, file.Bytes, quality));
        }
        var findings = textures.Where(t => t.Quality.Psnr < 35)
            .Select(t => new Finding(Severity.Warn, "compression-loss", t.File, $"{t.File} is {t.Quality.Psnr:0.0} dB from its picture, which shows; choose BC7 or uncompressed for it."));
        return (new ConvertReport(textures), files, Finding.Sorted(findings));
    }

    private (object, IReadOnlyList<StoredFile>, IReadOnlyList<Finding>) Bind(StepResult convert)
    {
        var sheets = new List<SheetBinding>();
        var findings = new List<Finding>();
        var groups = convert.Report<ConvertReport>().Textures.GroupBy(t => t.Sheet).ToArray();
        foreach (var group in groups)
        {
            var (slots, found) = Binder.Bind(AssetField(group.Key, groups.Length), plan.BindPattern, [.. group.Select(t => new BindTexture(t.File, t.Meaning, t.Format))]);
            sheets.Add(new SheetBinding(group.Key, slots));
            findings.AddRange(found);
        }
        return (new BindReport(sheets), [], Finding.Sorted(findings));
    }

    private (object, IReadOnlyList<StoredFile>, IReadOnlyList<Finding>) Deliver(Func<Station, StepResult> resultOf)
    {
        StepResult intake = resultOf(Station.Intake), pack = resultOf(Station.Pack), convert = resultOf(Station.Convert);
        var bindings = resultOf(Station.Bind).Report<BindReport>().Sheets;
        var converted = convert.Report<ConvertReport>().Textures;
        var laid = LaidOf(intake, resultOf(Station.Layout));
        var textures = converted.Select(t => new DeliveryTexture(t.File, store.Load(convert.File(t.File).Sha256), t.Meaning, new MadeFrom(t.Picture, pack.File(t.Picture).Sha256))).ToArray();
        var bound = bindings.SelectMany(b => b.Slots).Select(s => s.File).OfType<string>().ToHashSet(StringComparer.Ordinal);
        var pictures = converted.Where(t => bound.Contains(t.File))
            .ToDictionary(t => t.File, t => (Bitmap8)ImageFile.Read(store.Load(pack.File(t.Picture).Sha256), t.Picture), StringComparer.Ordinal);
        var materials = laid.Sheets.Select(sheet =>
        {
            var slots = bindings.First(b => b.Sheet == sheet.Name).Slots;
            return new DeliveryMaterial(sheet.Source with { Name = sheet.Name }, FileOf(slots, "colour"), FileOf(slots, "normal"), FileOf(slots, "masks"));
        }).ToArray();
        var input = new DeliveryInput(asset, laid.Meshes, materials, textures, pictures, plan.Bake.Green == GreenDirection.Up, [.. sources.Select(s => new MadeFrom(s.Name, s.Sha256))]);
        var (zip, manifest) = DeliveryPackage.Make(input);
        string name = $"{asset}.zip";
        return (new DeliverReport(name, [.. manifest.Files.Select(f => new DeliveredFile(f.Path, f.Bytes, f.Format))]), [Store(name, zip)], []);
    }

    private static string? FileOf(IReadOnlyList<SlotBinding> slots, string map) => slots.FirstOrDefault(s => s.Slot.Map == map)?.File;

    private static IEnumerable<int> LowNumbers(StepResult intake)
    {
        var objects = intake.Report<IntakeReport>().Objects;
        return Enumerable.Range(0, objects.Count).Where(i => objects[i].Side == Side.Low);
    }

    private LaidLow LaidOf(StepResult intake, StepResult layout) =>
        laidLow ??= LaidLow.From(asset, SceneOf(intake), [.. LowNumbers(intake)], SceneFile.Read(store.Load(layout.File(LaidName).Sha256)).Meshes, layout.Report<LayoutReport>(), plan.Layout.Sheets);

    private Scene SceneOf(StepResult intake) => scene ??= SceneFile.Read(store.Load(intake.File(SceneName).Sha256));

    private string AssetField(string sheet, int sheetCount) => sheetCount == 1 ? asset : $"{asset}_{sheet}";

    private string OutputName(string sheet, int sheetCount, string output) =>
        Convention.Parse(plan.BindPattern, ["asset", "map"]).Write(new Dictionary<string, string> { ["asset"] = AssetField(sheet, sheetCount), ["map"] = output });

    private static string InWords(Feed feed, Dictionary<string, Bitmap> maps)
    {
        if (feed.Map is null || !maps.TryGetValue(feed.Map, out var map))
            return FormattableString.Invariant($"{feed.Fallback:0.##}");
        string from = map.Channels == 1 ? feed.Map : $"{feed.Map} {"RGBA"[feed.Channel]}";
        return feed.Invert ? $"{from}, inverted" : from;
    }

    private StoredFile Store(string name, byte[] bytes) => new(name, store.Put(bytes), bytes.Length);
}
