using System.Text.Json;
using Crumpet.Core.Building;
using Crumpet.Core.Checking;
using Crumpet.Core.Intake;
using Crumpet.Core.Targets;
using Crumpet.Storage;
using Microsoft.EntityFrameworkCore;

namespace Crumpet.Web;

/// <content>What is decided for all assets of a kit.</content>
public sealed partial class Workbench
{
    /// <summary>Changes what a kit's assets share, and takes all of them in again.</summary>
    /// <param name="kitId">The kit.</param>
    /// <param name="change">The change.</param>
    /// <param name="asOf">Version it was made on; null for how the kit stands.</param>
    /// <returns>What is wrong with the change, one sentence, or null when it was made.</returns>
    public async Task<string?> ChangeRulesAsync(int kitId, Func<IntakeRules, IntakeRules> change, int? asOf = null)
    {
        using (await order.EnterAsync(kitId))
        {
            db.ChangeTracker.Clear();
            var kit = await db.Kits.FirstAsync(k => k.Id == kitId);
            var now = kit.Rules();
            order.Remember("kit", kitId, kit.Version, JsonSerializer.Serialize(now, BuildJson.Options));
            var rules = change(now);
            if (asOf is { } version && version != kit.Version)
            {
                if (order.Find("kit", kitId, version) is not { } json)
                    return ChangeMerge.TooOld;
                // Of one field the last word counts: the kit's page shows both as soon as it is loaded.
                var (merged, forced) = ChangeMerge.Merge(JsonSerializer.Deserialize<IntakeRules>(json, BuildJson.Kept)!, now, change);
                rules = merged;
                if (forced is not null)
                    Problem("the kit's rules");
            }
            if (FieldRules.Problem(rules) is { } problem)
                return problem;
            kit.SetRules(rules);
            await db.SaveChangesAsync();
        }
        await TakeInKitAsync(kitId);
        return conflict;
    }

    /// <summary>Changes what a kit's assets are decided by where they say nothing else, and takes all of them in again.</summary>
    /// <param name="kitId">The kit.</param>
    /// <param name="change">The change.</param>
    /// <param name="asOf">Version it was made on; null for how the kit stands.</param>
    /// <returns>What is wrong with the change, one sentence, or null when it was made.</returns>
    public async Task<string?> DecideForKitAsync(int kitId, Func<AssetPlan, AssetPlan> change, int? asOf = null)
    {
        using (await order.EnterAsync(kitId))
        {
            db.ChangeTracker.Clear();
            var kit = await db.Kits.Include(k => k.Assets).ThenInclude(a => a.Decisions).Include(k => k.Assets).ThenInclude(a => a.Sources).AsSplitQuery()
                .FirstAsync(k => k.Id == kitId);
            var now = kit.Plan();
            order.Remember("kit plan", kitId, kit.Version, JsonSerializer.Serialize(now, BuildJson.Options));
            foreach (var asset in kit.Assets)
                order.Remember("asset", asset.Id, VersionOf(asset), JsonSerializer.Serialize(asset.Plan(), BuildJson.Options));
            var plan = change(now);
            if (asOf is { } version && version != kit.Version && order.Find("kit plan", kitId, version) is { } json)
            {
                var (merged, forced) = ChangeMerge.Merge(JsonSerializer.Deserialize<AssetPlan>(json, BuildJson.Kept)!, now, change);
                plan = merged;
                if (forced is not null)
                    Problem("the kit's settings");
            }
            plan = plan.KeepingIslands(now);
            if (plan.Target != now.Target)
                plan = plan with { Target = plan.Target.Numbered(await DeliveredTargetsAsync(kitId)) };
            if (plan.Problem() is { } problem)
                return problem;
            kit.SetPlan(plan);
            // What an asset now says as the kit does is the kit's; its history says so, or it could not be gone back in.
            foreach (var asset in kit.Assets)
            {
                var before = AssetState.Of(asset);
                asset.PlanJson = PlanLayers.Own(kit.Plan(), PlanLayers.Merge(kit.Plan(), asset.Own())).ToJsonString(BuildJson.Options);
                asset.Record(before, "The kit says the same now", DateTime.UtcNow);
            }
            await db.SaveChangesAsync();
        }
        await TakeInKitAsync(kitId);
        return conflict;
    }

    /// <summary>Lets a setting of an asset be as the kit says.</summary>
    /// <returns>What is wrong with that, one sentence, or null.</returns>
    public async Task<string?> AsTheKitSaysAsync(int assetId, string? path)
    {
        if (PlanSettings.Find(path ?? "") is null)
            return "That setting is not there any more; reload the page.";
        return await DecideAsync(assetId, plan => PlanLayers.AsKit(plan, path!, kitOf!.Plan()));
    }

    /// <summary>Makes a setting of an asset the kit's, for all its assets that say nothing else.</summary>
    /// <returns>What is wrong with that, one sentence, or null.</returns>
    public async Task<string?> ForTheKitAsync(int assetId, string? path)
    {
        if (PlanSettings.Find(path ?? "") is null || !PlanLayers.CanBeKits(path!))
            return "That setting is this asset's alone and cannot be the kit's.";
        var own = (await TrackedAsync(assetId)).Plan();
        if (await DecideForKitAsync(await KitOfAsync(assetId), kit => PlanLayers.ForKit(kit, path!, own)) is { } problem)
            return problem;
        return await AsTheKitSaysAsync(assetId, path);
    }

    /// <summary>Lets an asset follow one of its kit's recipes, with nothing of its own in it.</summary>
    /// <returns>What is wrong with that, one sentence, or null.</returns>
    public Task<string?> UseRecipeAsync(int assetId, string? name, int? asOf) => DecideAsync(assetId, plan =>
    {
        var kit = kitOf!.Plan();
        if (name != kit.Recipe.Name && kit.Recipes.All(r => r.Name != name))
            throw new FormatException($"The kit has no recipe {FieldRules.Quoted(name ?? "")} any more; reload the page.");
        return plan with { Recipe = kit.Following(name!).Recipe };
    }, asOf);

    /// <summary>Makes an asset's recipe one of its kit's, under its name; of that name there is one, and those that follow it follow this.</summary>
    /// <returns>What is wrong with that, one sentence, or null.</returns>
    public async Task<string?> KeepRecipeAsync(int assetId)
    {
        var recipe = (await TrackedAsync(assetId)).Plan().Recipe;
        return await DecideForKitAsync(await KitOfAsync(assetId), kit => kit.Keeping(recipe));
    }

    /// <summary>Takes a recipe out of a kit.</summary>
    /// <returns>What is wrong with that, one sentence, or null.</returns>
    public async Task<string?> DropRecipeAsync(int assetId, string? name)
    {
        int kitId = await KitOfAsync(assetId);
        string[] users = [.. (await RecipeUsersAsync(kitId)).Where(u => u.Recipe == name).Select(u => u.Asset)];
        // Nobody's recipe is changed by taking it away.
        return users.Length > 0 ? $"{string.Join(", ", users.Take(3))} {(users.Length == 1 ? "uses" : "use")} the recipe {name}; let them use another first."
            : await DecideForKitAsync(kitId, kit => kit with { Recipes = [.. kit.Recipes.Where(r => r.Name != name)] });
    }

    /// <summary>Which recipe each asset of a kit follows; archived ones too.</summary>
    public async Task<IReadOnlyList<(string Asset, string Recipe)>> RecipeUsersAsync(int kitId)
    {
        var kit = (await db.Kits.AsNoTracking().FirstAsync(k => k.Id == kitId)).Plan();
        var assets = await db.Assets.Where(a => a.KitId == kitId).AsNoTracking().ToListAsync();
        return [.. assets.Select(a => (a.Name, PlanLayers.RecipeOf(kit, a.Own())))];
    }

    /// <summary>Targets that deliveries of a kit were made for, each once.</summary>
    public async Task<IReadOnlyList<Target>> DeliveredTargetsAsync(int kitId)
    {
        var texts = await db.Assets.Where(a => a.KitId == kitId).SelectMany(a => a.Deliveries).Select(d => d.TargetJson).Where(t => t != null).Distinct()
            .ToListAsync();
        return [.. texts.Select(t => JsonSerializer.Deserialize<Target>(t!, BuildJson.Kept)!).OrderBy(t => t.Name, StringComparer.Ordinal).ThenBy(t => t.Version)];
    }

    private void Problem(string what) =>
        conflict = $"Somebody else changed the same of {what} meanwhile; theirs was kept, and the rest of yours was added. Look at it, and change it again "
        + $"where it is not right.";

    private async Task TakeInKitAsync(int kitId)
    {
        foreach (var asset in await db.Assets.Include(a => a.Kit).Include(a => a.Sources).Where(a => a.KitId == kitId && a.ArchivedAt == null)
            .OrderBy(a => a.Id).ToListAsync())
            await TakeInAsync(asset);
    }
}
