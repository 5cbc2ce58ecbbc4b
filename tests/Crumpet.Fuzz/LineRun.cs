using System.Globalization;
using System.Text.Json;
using Crumpet.Core.Building;
using Crumpet.Core.Tests.Building;

namespace Crumpet.Fuzz;

/// <summary>Takes assets with odd coordinates down the whole line, one after another, and counts where they end.</summary>
internal static class LineRun
{
    // Packing goes on until its search is done, also for three triangles.
    private const double LongestSeconds = 30;

    public static int Go(string[] args)
    {
        double seconds = double.Parse(args[0], CultureInfo.InvariantCulture), start = Cpu(), slowest = 0;
        int seed = args.Length > 1 ? int.Parse(args[1], CultureInfo.InvariantCulture) : 0, first = seed, wrong = 0;
        var ends = new SortedDictionary<string, int>(StringComparer.Ordinal);
        for (; Cpu() - start < seconds; seed++)
        {
            double began = Cpu();
            int number = seed;
            using var patience = new CancellationTokenSource(TimeSpan.FromSeconds(LongestSeconds));
            string end;
            var last = new Last();
            using var told = patience.Token.Register(
                () => Console.WriteLine(
                $"Odd asset {number} is still at {last.Seen}: {JsonSerializer.Serialize(OddAsset.Of(number).Plan.Layout, BuildJson.Options)}"));
            try
            {
                var (station, isBlocked) = OddAssetRun.Take(seed, patience.Token, last);
                end = isBlocked ? $"blocked at {station}" : station == Station.Deliver ? "delivered" : $"nothing to go on with at {station}";
            }
            catch (InvalidOperationException e)
            {
                wrong++;
                end = "failed";
                Console.WriteLine($"{e.Message}\n{e.InnerException}");
            }
            catch (OperationCanceledException)
            {
                end = "not done in time";
            }
            double took = Cpu() - began;
            slowest = Math.Max(slowest, took);
            if (took > 2 * LongestSeconds || patience.IsCancellationRequested)
            {
                wrong++;
                Console.WriteLine(string.Create(CultureInfo.InvariantCulture, $"Odd asset {seed} took {took:0} s."));
            }
            ends[end] = ends.GetValueOrDefault(end) + 1;
        }
        Console.WriteLine(string.Create(CultureInfo.InvariantCulture,
            $"line: {seed - first} assets in {seconds:0} s, slowest {slowest:0.0} s; {string.Join(", ", ends.Select(e => $"{e.Value} {e.Key}"))}"));
        return wrong == 0 ? 0 : 1;
    }

    /// <summary>What was told last.</summary>
    private sealed class Last : IProgress<BuildProgress>
    {
        public BuildProgress Seen { get; private set; }

        public void Report(BuildProgress value) => Seen = value;
    }

    private static double Cpu() => Environment.CpuUsage.TotalTime.TotalSeconds;
}
