using System.CommandLine;
using System.Diagnostics;
using System.Numerics;
using Crumpet.Core.Bake;
using Crumpet.Core.Building;
using Crumpet.Core.Geometry;
using Crumpet.Core.Imaging;
using Crumpet.Core.Intake;
using Crumpet.Demo;

namespace Crumpet.Bench;

/// <summary><c>bake</c>: what a large bake takes, its draft, and baking one part of thirty again.</summary>
internal static class BakeBench
{
    private const int Parts = 30;
    private static readonly BakeMap[] Maps = [BakeMap.Normal, BakeMap.Occlusion, BakeMap.Curvature, BakeMap.Id];

    public static Command Make()
    {
        var triangles = new Option<int>("--triangles") { DefaultValueFactory = _ => 2_000_000, Description = "Triangles of the high side." };
        var size = new Option<int>("--size") { DefaultValueFactory = _ => 4096, Description = "Side of the sheet, pixels." };
        var threads = new Option<int>("--threads") { DefaultValueFactory = _ => Environment.ProcessorCount, Description = "Threads to use." };
        var command = new Command("bake",
            "Measure a bake of normal, occlusion at 64 rays, curvature and ID: time, memory, its draft, and one part of thirty baked again.") { triangles, size,
            threads };
        command.SetAction((parsed, cancel) => Task.FromResult(Run(parsed.GetValue(triangles), parsed.GetValue(size), parsed.GetValue(threads), cancel)));
        return command;
    }

    private static int Run(int triangles, int size, int threads, CancellationToken cancel)
    {
        Bench.Within("--triangles", triangles, 1000, Bench.MostTriangles);
        Bench.Within("--size", size, 64, SheetSize.Largest);
        Bench.Within("--threads", threads, 1, Bench.MostThreads);
        var settings = new BakeSettings { Size = size, Maps = Maps, IdBy = IdSource.Part, OutwardReachMetres = 0.01f, InwardReachMetres = 0.01f };
        var one = new BakeInput("pebble", [new BakePart("pebble", [Pebble.Low("pebble_low")], [Pebble.High("pebble_high", triangles)])], [new BakeTray([0])]);
        double draft = Seconds(() => Write(Baker.Bake(one, settings.Drafted(BakeSettings.CoarsestDraft), threads, null, cancel), settings));
        long rays = 0;
        double rest = Seconds(() =>
        {
            var result = Baker.Bake(one, settings, threads, null, cancel);
            rays = result.Rays;
            Write(result, settings);
        });
        using var self = Process.GetCurrentProcess();
        double peak = self.PeakWorkingSet64 / (double)(1 << 30);
        var (whole, again, nothing) = OneOfThirty(triangles, settings, threads, cancel);
        var report = new
        {
            triangles,
            size,
            threads,
            draftSeconds = Math.Round(draft, 2),
            bakeSeconds = Math.Round(rest, 2),
            millionRaysPerSecond = Math.Round(rays / rest / 1e6, 2),
            peakGibibytes = Math.Round(peak, 2),
            thirtyPartsSeconds = Math.Round(whole, 2),
            onePartAgainSeconds = Math.Round(again, 2),
            onePartAgainShare = Math.Round(again / whole, 4),
            nothingChangedShare = Math.Round(nothing / whole, 4),
        };
        return Bench.Print(report);
    }

    /// <summary>Seconds of thirty parts from nothing, of one that was replaced, and of none, from files to maps.</summary>
    private static (double Whole, double Again, double Nothing) OneOfThirty(int triangles, BakeSettings settings, int threads, CancellationToken cancel)
    {
        var store = new MemoryResultStore();
        // Light of a part that is replaced reaches as far as this.
        var plan = new AssetPlan { Bake = settings with { OcclusionRangeMetres = 0.05f } };
        SourceFile[] files = [.. Enumerable.Range(0, Parts).SelectMany(i => Files(store, PartOf(i, triangles / Parts, 0.004f)))];
        SourceFile[] replaced = [.. files.Take(Parts), .. Files(store, PartOf(Parts / 2, triangles / Parts, 0.003f)), .. files.Skip(Parts + 2)];
        double whole = Bake(files), nothing = Bake(files);
        return (whole, Bake(replaced), nothing);

        double Bake(SourceFile[] from)
        {
            // What comes before the bake is not what is measured.
            new AssetBuild("pebbles", plan, from, store).Run(Station.Layout, throughStops: true, threads, null, cancel);
            return Seconds(() => new AssetBuild("pebbles", plan, from, store).Run(Station.Bake, throughStops: true, threads, null, cancel));
        }
    }

    private static IEnumerable<SourceFile> Files(MemoryResultStore store, BakePart part) => part.Low.Concat(part.High).Select(mesh =>
    {
        using var stream = new MemoryStream();
        GltfWriter.WriteBinary(new SceneDocument([new SceneObject(mesh)], [], []), stream);
        return new SourceFile(mesh.Name + ".glb", store.Put(stream.ToArray()), stream.Length);
    });

    private static BakePart PartOf(int i, int triangles, float roughness)
    {
        const int Across = 6;
        var centre = new Vector3(0.5f * (i % Across), 0, 0.5f * (i / Across));
        var corner = new Vector2(i % Across, i / Across) / Across;
        return new BakePart($"pebble_{i + 1:00}", [Pebble.Low($"pebble_{i + 1:00}_low", centre, corner, 1f / Across)],
            [Pebble.High($"pebble_{i + 1:00}_high", triangles, centre, roughness)]);
    }

    /// <summary>Writes the maps, as a bake in earnest does.</summary>
    private static void Write(BakeResult result, BakeSettings settings)
    {
        foreach (var (map, bitmap) in result.Maps)
            MapFiles.Write(bitmap, settings.FileOf(map), 1);
    }

    private static double Seconds(Action work)
    {
        var watch = Stopwatch.StartNew();
        work();
        return watch.Elapsed.TotalSeconds;
    }
}
