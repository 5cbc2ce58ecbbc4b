using System.Text.Json;
using Crumpet.Core.Building;
using Crumpet.Core.Intake;

namespace Crumpet.Storage;

/// <summary>From rows to what the core works on.</summary>
public static class AssetExtensions
{
    /// <summary>The artist's decisions.</summary>
    public static AssetPlan Plan(this Asset asset) => JsonSerializer.Deserialize<AssetPlan>(asset.PlanJson, BuildJson.Options)!;

    /// <summary>Puts other decisions in place of the present ones.</summary>
    public static void SetPlan(this Asset asset, AssetPlan plan) => asset.PlanJson = JsonSerializer.Serialize(plan, BuildJson.Options);

    /// <summary>The build of the asset as it stands; its sources must be loaded.</summary>
    public static AssetBuild Build(this Asset asset, IResultStore store) => new(
        AssetBuild.FileNameOf(asset.Name), asset.Plan(),
        [.. asset.Sources.Where(s => s.IsCurrent).Select(s => new SourceFile(s.Name, s.Sha256, s.Bytes, s.ForcedSide))], store);

    /// <summary>Adds a file, or a new version of the file of that name. The same bytes again change nothing.</summary>
    /// <returns>Whether anything changed.</returns>
    public static bool AddSource(this Asset asset, string name, string sha256, long bytes, DateTime now)
    {
        var current = asset.Sources.Find(s => s.Name == name && s.IsCurrent);
        if (current?.Sha256 == sha256)
            return false;
        int version = asset.Sources.Where(s => s.Name == name).Select(s => s.Version).DefaultIfEmpty(0).Max() + 1;
        if (current is not null)
            current.IsCurrent = false;
        asset.Sources.Add(new AssetSource { Name = name, Sha256 = sha256, Bytes = bytes, ForcedSide = current?.ForcedSide, Version = version, IsCurrent = true, AddedAt = now });
        return true;
    }
}
