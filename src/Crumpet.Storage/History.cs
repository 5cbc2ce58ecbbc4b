using System.Text.Json;
using System.Text.Json.Nodes;
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
        var wantedByName = Sources.ToDictionary(s => (s.Name, s.Version));
        foreach (var source in asset.Sources)
        {
            var wanted = wantedByName.GetValueOrDefault((source.Name, source.Version));
            source.IsCurrent = wanted is not null;
            source.ForcedSide = wanted is not null ? wanted.ForcedSide : source.ForcedSide;
        }
    }

    /// <summary>The state as a document, in which a change of the plan is as small as it is.</summary>
    public JsonObject ToDocument() => new()
    {
        ["name"] = Name,
        ["plan"] = JsonNode.Parse(PlanJson),
        ["sources"] = JsonSerializer.SerializeToNode(Sources, BuildJson.Options),
    };

    /// <summary>What <see cref="ToDocument"/> gave.</summary>
    public static AssetState OfDocument(JsonNode document) => new(
        document["name"]!.GetValue<string>(), document["plan"]!.ToJsonString(BuildJson.Options), document["sources"]
            .Deserialize<SourceState[]>(BuildJson.Options)!);
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
        if (JsonDelta.Between(before.ToDocument(), AssetState.Of(asset).ToDocument()) is not { } change)
            return false;
        asset.Decisions.RemoveAll(d => d.IsUndone);
        int number = asset.Decisions.Select(d => d.Number).DefaultIfEmpty(0).Max() + 1;
        asset.Decisions.Add(new Decision { Number = number, At = now, Sentence = sentence, ChangeJson = change.ToJsonString(BuildJson.Options) });
        asset.Version++;
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
    /// <exception cref="InvalidOperationException">A decision does not lead to how the asset stands: its history was damaged.</exception>
    public static bool GoTo(this Asset asset, int number)
    {
        JsonNode document = AssetState.Of(asset).ToDocument();
        bool changed = false;
        while (asset.NextToUndo() is { } last && last.Number > number)
        {
            document = JsonDelta.Apply(document, ChangeOf(last), isBack: true)!;
            last.IsUndone = changed = true;
        }
        while (asset.NextToRedo() is { } next && next.Number <= number)
        {
            document = JsonDelta.Apply(document, ChangeOf(next), isBack: false)!;
            next.IsUndone = false;
            changed = true;
        }
        if (changed)
        {
            AssetState.OfDocument(document).ApplyTo(asset);
            asset.Version++;
        }
        return changed;
    }

    private static JsonObject ChangeOf(Decision decision) => JsonNode.Parse(decision.ChangeJson)!.AsObject();
}
