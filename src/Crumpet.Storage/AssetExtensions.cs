using System.Text.Json;
using System.Text.Json.Nodes;
using Crumpet.Core.Building;
using Crumpet.Core.Intake;
using Crumpet.Core.Jobs;

namespace Crumpet.Storage;

/// <summary>From rows to what the core works on.</summary>
public static class AssetExtensions
{
    /// <summary>What holds for the asset: the kit's plan with what the asset says otherwise. Its kit must be loaded, or it has none yet.</summary>
    public static AssetPlan Plan(this Asset asset) => PlanLayers.Merge(KitPlan(asset), asset.Own());

    /// <summary>What the asset says otherwise than its kit.</summary>
    public static JsonObject Own(this Asset asset) => asset.PlanJson.Length == 0 ? [] : JsonNode.Parse(asset.PlanJson)!.AsObject();

    /// <summary>Puts other decisions in place of the present ones; only where they differ from the kit's is kept.</summary>
    public static void SetPlan(this Asset asset, AssetPlan plan) => asset.PlanJson = PlanLayers.Own(KitPlan(asset), plan).ToJsonString(BuildJson.Options);

    /// <summary>What a kit's assets are decided by where they say nothing else.</summary>
    public static AssetPlan Plan(this Kit kit) => kit.PlanJson is { } json ? JsonSerializer.Deserialize<AssetPlan>(json, BuildJson.Kept)! : new AssetPlan();

    /// <summary>Puts another plan in place of the kit's; what is about single assets is left out.</summary>
    public static void SetPlan(this Kit kit, AssetPlan plan) =>
        (kit.PlanJson, kit.Version) = (JsonSerializer.Serialize(PlanLayers.OfKit(plan), BuildJson.Options), kit.Version + 1);

    private static AssetPlan KitPlan(Asset asset) =>
        asset.Kit?.Plan() ?? (asset.KitId == 0 ? new AssetPlan() : throw new InvalidOperationException("The asset's kit was not loaded."));

    /// <summary>What the kit's assets share.</summary>
    public static IntakeRules Rules(this Kit kit) =>
        kit.RulesJson is { } json ? JsonSerializer.Deserialize<IntakeRules>(json, BuildJson.Kept)! : new IntakeRules();

    /// <summary>Puts other rules in place of the present ones.</summary>
    public static void SetRules(this Kit kit, IntakeRules rules) =>
        (kit.RulesJson, kit.Version) = (JsonSerializer.Serialize(rules, BuildJson.Options), kit.Version + 1);

    /// <summary>The build of the asset as it stands; its sources and its kit must be loaded.</summary>
    public static AssetBuild Build(this Asset asset, IResultStore store) => new(
        AssetBuild.FileNameOf(asset.Name), asset.Plan(),
        [.. asset.Sources.Where(s => s.IsCurrent).Select(s => new SourceFile(s.Name, s.Sha256, s.Bytes, s.ForcedSide))], store,
        (asset.Kit ?? throw new InvalidOperationException("The asset's kit was not loaded.")).Rules())
    {
        Identity = $"asset {asset.Id}",
    };

    /// <summary>Adds a file, or a new version of the file of that name. The same bytes again change nothing.</summary>
    /// <returns>Whether anything changed.</returns>
    public static bool AddSource(this Asset asset, string name, string sha256, long bytes, DateTime now) =>
        new SourceIndex(asset).Add(name, sha256, bytes, now);
}
