using System.Text.Json;
using System.Text.Json.Nodes;
using Crumpet.Core.Building;
using Crumpet.Core.Intake;
using Crumpet.Core.Jobs;
using Microsoft.EntityFrameworkCore;

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

    /// <summary>The build of the asset as it stands; its sources, its kit and the assets whose textures it takes must be loaded.</summary>
    public static AssetBuild Build(this Asset asset, IResultStore store) => new(
        AssetBuild.FileNameOf(asset.Name), asset.Plan(), SourcesOf(asset), store, RulesOf(asset),
        [.. asset.Shared.Select(s => new SharedAsset(s.Name, AssetBuild.InputOf(AssetBuild.FileNameOf(s.Name), s.Plan(), SourcesOf(s), RulesOf(asset))))])
    {
        Identity = $"asset {asset.Id}",
    };

    /// <summary>Loads the assets of the kit whose textures an asset's materials take.</summary>
    /// <param name="db">The database.</param>
    /// <param name="asset">The asset; its kit must be loaded.</param>
    /// <param name="cancel">Ends the work early.</param>
    public static async Task<Asset> LoadSharedAsync(this CrumpetDb db, Asset asset, CancellationToken cancel = default)
    {
        string[] names = [.. asset.Plan().SharedBy(asset.Name)];
        if (names.Length == 0)
            return asset;
        var shared = await db.Assets.Include(a => a.Sources.Where(s => s.IsCurrent))
            .Where(a => a.KitId == asset.KitId && a.ArchivedAt == null && names.Contains(a.Name)).OrderBy(a => a.Id).AsNoTracking().ToListAsync(cancel);
        return asset.Taking(shared);
    }

    /// <summary>The asset with those of its kit's whose textures it takes.</summary>
    /// <param name="asset">The asset; its kit must be loaded.</param>
    /// <param name="others">Assets of the kit, with their sources.</param>
    public static Asset Taking(this Asset asset, IReadOnlyList<Asset> others)
    {
        var names = asset.Plan().SharedBy(asset.Name);
        asset.Shared = [.. others.Where(o => o.Id != asset.Id && o.ArchivedAt is null && names.Contains(o.Name))];
        foreach (var shared in asset.Shared)
            shared.Kit = asset.Kit;
        return asset;
    }

    private static SourceFile[] SourcesOf(Asset asset) =>
        [.. asset.Sources.Where(s => s.IsCurrent).Select(s => new SourceFile(s.Name, s.Sha256, s.Bytes, s.ForcedSide))];

    private static IntakeRules RulesOf(Asset asset) => (asset.Kit ?? throw new InvalidOperationException("The asset's kit was not loaded.")).Rules();

    /// <summary>Adds a file, or a new version of the file of that name. The same bytes again change nothing.</summary>
    /// <returns>Whether anything changed.</returns>
    public static bool AddSource(this Asset asset, string name, string sha256, long bytes, DateTime now) =>
        new SourceIndex(asset).Add(name, sha256, bytes, now);
}
