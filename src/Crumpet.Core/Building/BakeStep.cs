using System.Text.Json;
using Crumpet.Core.Baking;
using Crumpet.Core.Geometry;
using Crumpet.Core.Imaging;
using Crumpet.Core.Intake;
using Crumpet.Core.Pairing;

namespace Crumpet.Core.Building;

/// <summary>The work of the bake station on stored inputs: every sheet, drafts first where somebody looks at them, and maps made from textures.</summary>
internal sealed class BakeStep(string asset, AssetPlan plan, IReadOnlyList<SourceFile> sources, IResultStore store, int threads, CancellationToken cancel)
{
    private const int RegionsKept = 400;

    // Below this size the whole is there as soon as a draft would be.
    private const int LeastDrafted = 1024;
    private static readonly int[] Drafts = [BakeSettings.CoarsestDraft, 1];

    /// <summary>Takes what a draft of a bake gave.</summary>
    /// <param name="draft">How coarse it is.</param>
    /// <param name="work">Its report, files and findings.</param>
    public delegate void DraftMade(int draft, (object Report, IReadOnlyList<StoredFile> Files, IReadOnlyList<Finding> Findings) work);

    /// <summary>Bakes all sheets.</summary>
    /// <param name="scene">What arrived.</param>
    /// <param name="intake">Result of Intake.</param>
    /// <param name="pairs">Result of Pairs.</param>
    /// <param name="laid">The low side as Layout left it.</param>
    /// <param name="progress">Told often.</param>
    /// <param name="drafted">Takes drafts; null where nobody looks at them.</param>
    public (object Report, IReadOnlyList<StoredFile> Files, IReadOnlyList<Finding> Findings) Work(
        Scene scene, StepResult intake, StepResult pairs, LaidLow laid, IProgress<Progress>? progress, DraftMade? drafted)
    {
        Mesh[] meshes = [.. scene.Meshes];
        for (int k = 0; k < laid.Numbers.Count; k++)
            meshes[laid.Numbers[k]] = laid.Meshes[k];
        var pairReport = pairs.Report<PairReport>();
        var rows = pairReport.Paired.ToArray();
        var rays = rows.Length == 0 ? new Dictionary<int, LowRays>() : RaysFile.Read(store.Load(pairs.File(StationSteps.RaysName).Sha256));
        var parts = rows.Select(r => new BakePart(r.Name, [.. r.Low.Select(i => meshes[i])], [.. r.High.Select(i => meshes[i])])
        {
            OutwardReachMetres = r.OutwardReachMetres,
            InwardReachMetres = r.InwardReachMetres,
            Rays = [.. r.Low.Select(i => rays[i])],
            EndsAreFitted = r.Cage?.Kind == CageKind.Fitted,
            Sees = r.Sees,
        }).ToArray();
        var trays = rows.Select((row, i) => (row.Tray, Part: i)).GroupBy(r => r.Tray).OrderBy(g => g.Key).Select(g => new BakeTray([.. g.Select(r => r.Part)])).ToArray();
        var input = new BakeInput(asset, parts, trays)
        {
            Materials = BakeMaterials.Of(scene, intake.Report<IntakeReport>(), plan.Bake, file => ContentOf(intake, file), (file, sha) => ImageFile.Read(store.Load(sha), file)),
            AssetBounds = scene.Meshes.Aggregate(Bounds.Empty, (b, m) => b.Including(m.Bounds())),
            Memory = store.KeepsPieces ? new PieceMemory(FindPiece, SavePiece) : null,
        };
        var objects = intake.Report<IntakeReport>().Objects;
        var made = MakeMaps(intake);
        using var baker = new Baker();
        if (drafted is not null && plan.Bake.Draft == 0 && plan.Bake.Size >= LeastDrafted && laid.Sheets.Any(s => baker.ShareToBake(OnSheet(input, laid.Sheets, s), plan.Bake) > 0.5))
        {
            // What is seen first is coarse, and gives way to finer ones.
            foreach (int draft in Drafts)
            {
                // A share of the whole that is near enough to what drafts cost.
                var inner = progress is null ? null : new ScaledProgress(progress, draft == BakeSettings.CoarsestDraft ? 0 : 0.02, draft == BakeSettings.CoarsestDraft ? 0.02 : 0.06, "draft: ");
                drafted(draft, BakeSheets(baker, input with { Memory = null }, laid.Sheets, pairReport, objects, made, plan.Bake.Drafted(draft), inner));
            }
            progress = progress is null ? null : new ScaledProgress(progress, 0.08, 0.92);
        }
        return BakeSheets(baker, input, laid.Sheets, pairReport, objects, made, plan.Bake, progress);
    }

    private static BakeInput OnSheet(BakeInput whole, IReadOnlyList<LaidSheet> sheets, LaidSheet sheet) =>
        whole with { Sheet = sheet.Name, Material = sheets.Count > 1 ? sheets.ToList().IndexOf(sheet) : null };

    private (object, IReadOnlyList<StoredFile>, IReadOnlyList<Finding>) BakeSheets(
        Baker baker, BakeInput whole, IReadOnlyList<LaidSheet> sheets, PairReport pairs, IReadOnlyList<ObjectReport> objects, IReadOnlyDictionary<BakeMap, Bitmap> made, BakeSettings settings, IProgress<Progress>? progress)
    {
        var files = new List<StoredFile>();
        var findings = new List<Finding>();
        var reports = new List<SheetReport>();
        PartRow[] rows = [.. pairs.Paired];
        int parts = whole.Parts.Count;
        var gaps = pairs.Contacts.ToDictionary(c => (pairs.Parts[c.One].Name, pairs.Parts[c.Two].Name), c => c.GapMetres);
        for (int i = 0; i < sheets.Count; i++)
        {
            string sheet = sheets[i].Name;
            int number = i;
            var inner = progress is null ? null : new ScaledProgress(progress, (double)number / sheets.Count, 0.9 / sheets.Count);
            var result = baker.BakeSheet(OnSheet(whole, sheets, sheets[i]), settings, threads, inner, cancel);
            Dictionary<string, string> maps = [], shown = [];
            foreach (var (map, bitmap) in result.Maps.Where(_ => parts > 0).OrderBy(m => m.Key))
            {
                cancel.ThrowIfCancellationRequested();
                int written = maps.Count;
                string doing = $"writing {map.Words()}";
                void Done(double share) => progress?.Report(new Progress((number + 0.9 + 0.1 * (written + share) / result.Maps.Count) / sheets.Count, doing));
                Done(0);
                var (ending, bytes) = MapFiles.Write(bitmap, settings.FileOf(map), threads, Done, cancel);
                string file = $"{sheet}_{map.Name()}{ending}";
                files.Add(Store(file, bytes));
                maps.Add(map.Name(), file);
                if (ending == ".png")
                    continue;
                shown.Add(map.Name(), $"{sheet}_{map.Name()}_shown.png");
                files.Add(Store(shown[map.Name()], ImageFile.WritePng(MapFiles.Shown(map, bitmap, result.Scales.FirstOrDefault(s => s.Map == map)), 1, cancel: cancel)));
            }
            foreach (var (map, picture) in made.Where(m => parts == 0 || !result.Maps.ContainsKey(m.Key)).OrderBy(m => m.Key))
            {
                string file = $"{sheet}_{map.Name()}.png";
                int size = settings.SizeOf(sheet);
                files.RemoveAll(f => f.Name == file);
                files.Add(Store(file, ImageFile.WritePng(picture.Width == size && picture.Height == size ? picture : PictureOps.Resize(picture, size, size, map.Meaning(), cancel), cancel: cancel)));
                maps[map.Name()] = file;
            }
            string faults = $"{sheet}_faults.png";
            files.Add(Store(faults, ImageFile.WritePng(result.Faulty, 1, cancel: cancel)));
            if (result.Legend.Count > 0)
                files.Add(Store($"{sheet}_id_legend.json", JsonSerializer.SerializeToUtf8Bytes(result.Legend, BuildJson.Indented)));
            if (result.Scales.Count > 0)
                files.Add(Store($"{sheet}_scales.json", JsonSerializer.SerializeToUtf8Bytes(result.Scales, BuildJson.Indented)));
            var texels = result.Faults.GroupBy(f => f.Kind).OrderByDescending(g => g.Key).ToDictionary(g => g.Key, g => g.Sum(f => f.Texels));
            reports.Add(new SheetReport(sheet, sheets[i].ShownMaterial, maps, result.CoveredTexels, result.Rays, texels, [.. result.Faults.Take(RegionsKept)], result.Faults.Count)
            {
                Size = settings.SizeOf(sheet),
                Shown = shown,
                FaultFile = faults,
                Scales = result.Scales,
                Legend = result.Legend,
            });
            findings.AddRange(FaultFindings.Explain(result.Faults, new FaultContext(sheet, result.CoveredTexels, rows, plan.Trays, objects, settings.SizeOf(sheet)) { Gaps = gaps }));
        }
        return (new BakeReport(reports), files, Finding.Sorted(findings));
    }

    /// <summary>Maps made from textures that arrived; those whose texture is gone are left out.</summary>
    private Dictionary<BakeMap, Bitmap> MakeMaps(StepResult intake)
    {
        var maps = new Dictionary<BakeMap, Bitmap>();
        foreach (var made in plan.Bake.Made)
        {
            cancel.ThrowIfCancellationRequested();
            if (ContentOf(intake, made.File) is { } content)
                maps[made.To] = MapMaker.Make(made, ImageFile.Read(store.Load(content), made.File), plan.Bake.Green == GreenDirection.Up, threads, cancel);
        }
        return maps;
    }

    /// <summary>Hash of a picture as mends left it, or null.</summary>
    private string? ContentOf(StepResult intake, string file) => intake.Report<IntakeReport>().Textures.FirstOrDefault(t => t.File == file)?.MendedFile is { } mended
        ? intake.File(mended).Sha256
        : sources.FirstOrDefault(s => s.Name == file)?.Sha256;

    private byte[]? FindPiece(string key) => store.Find(BuildJson.Key("piece", 1, key)) is { } known ? store.Load(known.Files[0].Sha256) : null;

    private void SavePiece(string key, byte[] piece) => store.Save(new StepResult(BuildJson.Key("piece", 1, key), "piece", JsonSerializer.SerializeToElement(new { }), [Store("piece", piece)], []));

    private StoredFile Store(string name, byte[] bytes) => new(name, store.Put(bytes), bytes.Length);
}
