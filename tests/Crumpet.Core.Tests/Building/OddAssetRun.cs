using Crumpet.Core.Building;
using Crumpet.Core.Intake;

namespace Crumpet.Core.Tests.Building;

/// <summary>Takes odd assets down the whole line.</summary>
internal static class OddAssetRun
{
    /// <summary>Takes the asset of a number as far as it comes.</summary>
    /// <returns>The last station, and whether it was blocked.</returns>
    /// <exception cref="InvalidOperationException">Something was neither a result nor a finding.</exception>
    public static (Station Station, bool IsBlocked) Take(int seed, CancellationToken cancel, IProgress<BuildProgress>? progress = null)
    {
        var asset = OddAsset.Of(seed);
        var store = new MemoryResultStore();
        SourceFile[] sources = [.. asset.Files.Select(f => new SourceFile(f.Key, store.Put(f.Value), f.Value.Length))];
        try
        {
            if (asset.Plan.Problem() is { } problem)
                throw new InvalidOperationException(problem);
            // What stops is gone past as well: no station may trust the one before it.
            var (station, result) = new AssetBuild("odd", asset.Plan, sources, store).Run(Station.Deliver, throughStops: seed % 2 == 0, 2, progress, cancel);
            if (store.Results.SelectMany(r => r.Findings)
                .FirstOrDefault(f => f.Sentence.Length == 0 || f.Sentence.Contains("NaN", StringComparison.Ordinal)) is { } odd)
                throw new InvalidOperationException($"{odd.Code} says '{odd.Sentence}'.");
            return (station, result.IsBlocked);
        }
        catch (Exception e) when (e is not OperationCanceledException)
        {
            throw new InvalidOperationException($"Odd asset {seed}: {e.GetBaseException().Message}", e);
        }
    }
}
