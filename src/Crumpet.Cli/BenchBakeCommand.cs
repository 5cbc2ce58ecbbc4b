using System.CommandLine;
using System.Diagnostics;
using System.Numerics;
using Crumpet.Core.Baking;
using Crumpet.Core.Geometry;
using Crumpet.Demo;

namespace Crumpet.Cli;

/// <summary><c>crumpet bench bake</c>: what a large bake takes, its draft, and baking one part of thirty again.</summary>
internal static class BenchBakeCommand
{
    private const int Parts = 30;
    private static readonly BakeMap[] Maps = [BakeMap.Normal, BakeMap.Occlusion, BakeMap.Curvature, BakeMap.Id];

    public static Command Make()
    {
        var triangles = new Option<int>("--triangles") { DefaultValueFactory = _ => 2_000_000, Description = "Triangles of the high side." };
        var size = new Option<int>("--size") { DefaultValueFactory = _ => 4096, Description = "Side of the sheet, pixels." };
        var threads = new Option<int>("--threads") { DefaultValueFactory = _ => Environment.ProcessorCount, Description = "Threads to use." };
        var command = new Command("bake", "Measure a bake of normal, occlusion at 64 rays, curvature and ID: time, memory, its draft, and one part of thirty baked again.") { triangles, size, threads };
        command.SetAction((parsed, cancel) => Task.FromResult(Run(parsed, parsed.GetValue(triangles), parsed.GetValue(size), parsed.GetValue(threads), cancel)));
        return command;
    }

    private static int Run(ParseResult parsed, int triangles, int size, int threads, CancellationToken cancel)
    {
        Output.Within("--triangles", triangles, 1000, Output.MostTriangles);
        Output.Within("--size", size, 64, BakeSettings.LargestSheet);
        Output.Within("--threads", threads, 1, Output.MostThreads);
        var settings = new BakeSettings { Size = size, Maps = Maps, IdBy = IdSource.Part, OutwardReachMetres = 0.01f, InwardReachMetres = 0.01f };
        var one = new BakeInput("pebble", [new BakePart("pebble", [Pebble.Low("pebble_low")], [Pebble.High("pebble_high", triangles)])], [new BakeTray([0])]);
        double draft = 0, rest = 0;
        long rays = 0;
        using (var baker = new Baker())
        {
            draft = Seconds(() => Write(baker.BakeSheet(one, settings.Drafted(BakeSettings.CoarsestDraft), threads, null, cancel), settings));
            rest = Seconds(() =>
            {
                var result = baker.BakeSheet(one, settings, threads, null, cancel);
                rays = result.Rays;
                Write(result, settings);
            });
        }
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
        return Output.Print(parsed, report,
        [
            FormattableString.Invariant($"{triangles} triangles onto {size} x {size}, {Maps.Length} maps, {threads} threads: draft {report.draftSeconds} s, bake {report.bakeSeconds} s, {report.millionRaysPerSecond} Mrays/s, peak memory {report.peakGibibytes} GiB"),
            FormattableString.Invariant($"{Parts} parts: {report.thirtyPartsSeconds} s; one of them again: {report.onePartAgainSeconds} s, {report.onePartAgainShare} of it (1/{Parts} is {1.0 / Parts:0.0000}); nothing changed: {report.nothingChangedShare} of it"),
        ], []);
    }

    /// <summary>Seconds of thirty parts from nothing, of one that was replaced, and of none.</summary>
    private static (double Whole, double Again, double Nothing) OneOfThirty(int triangles, BakeSettings settings, int threads, CancellationToken cancel)
    {
        var kept = new Dictionary<string, byte[]>(StringComparer.Ordinal);
        BakePart[] parts = [.. Enumerable.Range(0, Parts).Select(i => PartOf(i, triangles / Parts, 0.004f))];
        var input = new BakeInput("pebbles", parts, [new BakeTray([.. Enumerable.Range(0, Parts)])]) { Memory = new PieceMemory(kept.GetValueOrDefault, (key, piece) => kept[key] = piece) };
        // Light of a part that is replaced reaches as far as this.
        var near = settings with { OcclusionRangeMetres = 0.05f };
        double whole = Seconds(() => Write(Baker.Bake(input, near, threads, null, cancel), settings));
        double nothing = Seconds(() => Write(Baker.Bake(input, near, threads, null, cancel), settings));
        parts = [.. parts.Select((p, i) => i == Parts / 2 ? PartOf(i, triangles / Parts, 0.003f) : p)];
        double again = Seconds(() => Write(Baker.Bake(input with { Parts = parts }, near, threads, null, cancel), settings));
        return (whole, again, nothing);
    }

    private static BakePart PartOf(int i, int triangles, float roughness)
    {
        const int Across = 6;
        var centre = new Vector3(0.5f * (i % Across), 0, 0.5f * (i / Across));
        var corner = new Vector2(i % Across, i / Across) / Across;
        return new BakePart($"pebble_{i + 1:00}", [Pebble.Low($"pebble_{i + 1:00}_low", centre, corner, 1f / Across)], [Pebble.High($"pebble_{i + 1:00}_high", triangles, centre, roughness)]);
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
