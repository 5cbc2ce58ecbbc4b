using System.Text.Json;
using Crumpet.Core.Building;
using Crumpet.Core.Intake;

namespace Crumpet.Storage;

/// <summary>A source file in use: which version of it, and the side it was told to be.</summary>
public sealed record SourceState(string Name, int Version, Side? ForcedSide);

/// <summary>Everything an artist decides about an asset.</summary>
/// <param name="Name">Name of the asset.</param>
/// <param name="PlanJson">Its plan.</param>
/// <param name="Sources">Files in use, by name.</param>
public sealed record AssetState(string Name, string PlanJson, IReadOnlyList<SourceState> Sources)
{
    /// <summary>How an asset stands now; its sources must be loaded.</summary>
    public static AssetState Of(Asset asset) => new(
        asset.Name, asset.PlanJson,
        [.. asset.Sources.Where(s => s.IsCurrent).OrderBy(s => s.Name, StringComparer.Ordinal).Select(s => new SourceState(s.Name, s.Version, s.ForcedSide))]);

    /// <summary>Makes an asset stand this way again. Source versions are never deleted, so they are all still there.</summary>
    public void ApplyTo(Asset asset)
    {
        asset.Name = Name;
        asset.PlanJson = PlanJson;
        foreach (var source in asset.Sources)
        {
            var wanted = Sources.FirstOrDefault(s => s.Name == source.Name && s.Version == source.Version);
            source.IsCurrent = wanted is not null;
            source.ForcedSide = wanted is not null ? wanted.ForcedSide : source.ForcedSide;
        }
    }

    /// <summary>Whether both states are the same.</summary>
    public bool Same(AssetState other) => Name == other.Name && PlanJson == other.PlanJson && Sources.SequenceEqual(other.Sources);

    internal string ToJson() => JsonSerializer.Serialize(this, BuildJson.Options);

    internal static AssetState FromJson(string json) => JsonSerializer.Deserialize<AssetState>(json, BuildJson.Options)!;
}

/// <summary>
/// Takes decisions of an asset back and repeats them. Results are kept by content, so what was worked before is fresh again at once.
/// The asset's sources and decisions must be loaded.
/// </summary>
public static class History
{
    /// <summary>Records what changed since <paramref name="before"/>; decisions that were taken back can no longer be repeated then.</summary>
    /// <param name="asset">The asset as it now stands.</param>
    /// <param name="before">How it stood.</param>
    /// <param name="sentence">What was decided, without a full stop.</param>
    /// <param name="now">Time, UTC.</param>
    /// <returns>Whether anything had changed.</returns>
    public static bool Record(this Asset asset, AssetState before, string sentence, DateTime now)
    {
        var after = AssetState.Of(asset);
        if (before.Same(after))
            return false;
        asset.Decisions.RemoveAll(d => d.IsUndone);
        int number = asset.Decisions.Select(d => d.Number).DefaultIfEmpty(0).Max() + 1;
        asset.Decisions.Add(new Decision { Number = number, At = now, Sentence = sentence, BeforeJson = before.ToJson(), AfterJson = after.ToJson() });
        return true;
    }

    /// <summary>The decision that would be taken back next, or null.</summary>
    public static Decision? NextToUndo(this Asset asset) => asset.Decisions.Where(d => !d.IsUndone).MaxBy(d => d.Number);

    /// <summary>The decision that would be repeated next, or null.</summary>
    public static Decision? NextToRedo(this Asset asset) => asset.Decisions.Where(d => d.IsUndone).MinBy(d => d.Number);

    /// <summary>Takes back or repeats decisions until those up to a number hold and later ones do not.</summary>
    /// <param name="asset">The asset.</param>
    /// <param name="number">Number of the last decision that shall hold; 0 for none.</param>
    /// <returns>Whether anything changed.</returns>
    public static bool GoTo(this Asset asset, int number)
    {
        bool changed = false;
        while (asset.NextToUndo() is { } last && last.Number > number)
        {
            AssetState.FromJson(last.BeforeJson).ApplyTo(asset);
            last.IsUndone = changed = true;
        }
        while (asset.NextToRedo() is { } next && next.Number <= number)
        {
            AssetState.FromJson(next.AfterJson).ApplyTo(asset);
            next.IsUndone = false;
            changed = true;
        }
        return changed;
    }
}
