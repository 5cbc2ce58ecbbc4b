using System.CommandLine;
using Crumpet.Core;
using Crumpet.Core.Building;
using Crumpet.Core.Checking;
using Crumpet.Core.Intake;
using Crumpet.Storage;

namespace Crumpet.Cli;

/// <summary>An asset to build.</summary>
/// <param name="name">Its name.</param>
/// <param name="plan">What is decided for it.</param>
/// <param name="make">Makes its build.</param>
internal sealed class WantedAsset(string name, AssetPlan plan, Func<AssetPlan, AssetBuild> make)
{
    public string Name => name;

    public AssetBuild Build { get; private set; } = make(plan);

    /// <summary>Takes it to its package, or as far as a stop finding lets it.</summary>
    public (Station Reached, StationResult Result, Finding[] Own) ToDelivery(int threads, CancellationToken cancel)
    {
        var (station, result) = Build.Run(Station.Deliver, throughStops: false, threads, new ConsoleProgress(), cancel);
        return (station, result, [.. Station.UpTo(station).SelectMany(s => Build.ResultOf(s)!.Findings)]);
    }

    public void Decide(Func<AssetPlan, AssetPlan> change) => Build = make(plan = change(plan));
}

/// <summary>Builds of the assets of kit folders.</summary>
internal static class KitBuilds
{
    public static Argument<string[]> Folder { get; } = new("kitfolder")
    { Arity = ArgumentArity.OneOrMore, Description = "Folders with kit.json, or patterns with * and ?." };

    public static Option<string[]> Only { get; } = new("--asset")
    { AllowMultipleArgumentsPerToken = true, Description = "These assets alone: names, or patterns with * and ?." };

    public static Option<DirectoryInfo?> Kept { get; } = new("--store")
    { Description = "Folder that keeps results, so that the next time only what changed is worked." };

    public static Option<string?> Target { get; } = TargetCommand.Option("What the engine takes, in place of the kit's target");

    public static Option<int> Threads { get; } = new("--threads")
    { DefaultValueFactory = _ => Environment.ProcessorCount, Description = "Threads to use; no byte depends on them." };

    public static int ThreadsOf(ParseResult parsed) => Output.Within("--threads", parsed.GetValue(Threads), 1, Output.MostThreads);

    /// <summary>Opens where results are kept.</summary>
    /// <returns>What ends a store that is not to last; null for one that is.</returns>
    public static TemporaryStore? StoreOf(ParseResult parsed, out FileStore store)
    {
        var temporary = parsed.GetValue(Kept) is null ? new TemporaryStore() : null;
        store = parsed.GetValue(Kept) is { } lasting ? new FileStore(lasting.FullName) : temporary!.Store;
        return temporary;
    }

    /// <summary>Reads the kit folders that a command names.</summary>
    /// <param name="parsed">The command.</param>
    /// <param name="store">Where results and sources are kept.</param>
    /// <returns>The kits' names, and the assets.</returns>
    public static (string Kit, WantedAsset[] Assets) Read(ParseResult parsed, FileStore store)
    {
        string[] folders = parsed.GetRequiredValue(Folder), only = parsed.GetValue(Only) ?? [];
        string? target = parsed.GetValue(Target);
        var kits = Wildcards.Folders(folders).Select(folder => (Folder: folder, Kit: KitFolder.Read(
            path => new FileInfo(Path.Combine(folder.FullName, path)) is { Exists: true } file ? Output.ReadFile(file) : null))).ToArray();
        var aim = target is null ? null : TargetCommand.Read(target);
        string[] names = [.. kits.SelectMany(k => k.Kit.Assets).Select(a => a.Name)];
        foreach (string word in only.Where(w => !names.Any(n => Wildcards.Fits(w, n))))
            throw new UsageException($"--asset names {word}, and no asset is called that. {NearestWord.Hint(word, names)}.");
        var builds = kits.SelectMany(k => k.Kit.Assets.Where(a => only.Length == 0 || only.Any(w => Wildcards.Fits(w, a.Name)))
            .Select(a => new WantedAsset(a.Name, Aimed(k.Kit.PlanOf(a), aim), Making(k.Folder, k.Kit, a, store, aim)))).ToArray();
        foreach (var same in builds.GroupBy(b => AssetBuild.FileNameOf(b.Name), StringComparer.OrdinalIgnoreCase).Where(g => g.Count() > 1))
        {
            throw new UsageException($"{string.Join(" and ", same.Select(b => b.Name))} would both be written as {same.Key}.zip; "
                + "give the assets names of their own in their asset.json.");
        }
        return (string.Join(", ", kits.Select(k => k.Kit.Name)), builds);
    }

    private static AssetPlan Aimed(AssetPlan plan, Core.Targets.Target? target) => target is null ? plan : plan with { Target = target };

    private static Func<AssetPlan, AssetBuild> Making(
        DirectoryInfo folder, KitFolder kit, KitFolderAsset asset, FileStore store, Core.Targets.Target? target)
    {
        var sources = Sources(asset);
        var names = kit.PlanOf(asset).SharedBy(asset.Name);
        SharedAsset[] shared = [.. kit.Assets.Where(a => names.Contains(a.Name)).Select(a =>
            new SharedAsset(a.Name, AssetBuild.InputOf(AssetBuild.FileNameOf(a.Name), Aimed(kit.PlanOf(a), target), Sources(a), kit.Rules)))];
        return plan => new AssetBuild(AssetBuild.FileNameOf(asset.Name), plan, sources, store, kit.Rules, shared) { Identity = $"{kit.Name}/{asset.Folder}" };

        SourceFile[] Sources(KitFolderAsset of) => [.. of.Sources.Select(source =>
        {
            byte[] bytes = Output.ReadFile(new FileInfo(Path.Combine(folder.FullName, of.Folder, source.Path)));
            return new SourceFile(source.Path, store.Put(bytes), bytes.Length, source.Side);
        })];
    }
}
