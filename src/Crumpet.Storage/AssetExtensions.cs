using System.Text.Json;
using Crumpet.Core.Building;
using Crumpet.Core.Intake;
using Crumpet.Core.Jobs;

namespace Crumpet.Storage;

/// <summary>From rows to what the core works on.</summary>
public static class AssetExtensions
{
    /// <summary>The artist's decisions.</summary>
    public static AssetPlan Plan(this Asset asset) => JsonSerializer.Deserialize<AssetPlan>(asset.PlanJson, BuildJson.Kept)!;

    /// <summary>Puts other decisions in place of the present ones.</summary>
    public static void SetPlan(this Asset asset, AssetPlan plan) => asset.PlanJson = JsonSerializer.Serialize(plan, BuildJson.Options);

    /// <summary>What the kit's assets share.</summary>
    public static IntakeRules Rules(this Kit kit) => kit.RulesJson is { } json ? JsonSerializer.Deserialize<IntakeRules>(json, BuildJson.Kept)! : new IntakeRules();

    /// <summary>Puts other rules in place of the present ones.</summary>
    public static void SetRules(this Kit kit, IntakeRules rules) => (kit.RulesJson, kit.Version) = (JsonSerializer.Serialize(rules, BuildJson.Options), kit.Version + 1);

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
    public static bool AddSource(this Asset asset, string name, string sha256, long bytes, DateTime now) => new SourceIndex(asset).Add(name, sha256, bytes, now);
}
