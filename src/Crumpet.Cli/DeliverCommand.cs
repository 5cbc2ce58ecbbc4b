using System.CommandLine;
using Crumpet.Core;
using Crumpet.Core.Building;
using Crumpet.Storage;

namespace Crumpet.Cli;

/// <summary><c>crumpet deliver</c>: builds assets of kit folders and brings a folder that an engine reads up to them.</summary>
internal static class DeliverCommand
{
    private static readonly Option<DirectoryInfo> To = new("--to")
    { Required = true, Description = "Folder that the engine reads; each asset has a folder of its own in it." };
    private static readonly Option<string?> Group = new("--group") { Description = "Folder in that folder, such as props/marsh." };
    private static readonly Option<bool> Look = new("--look") { Description = "Say what would be written and removed; the folder stays as it is." };

    public static Command Make()
    {
        var command = new Command("deliver", "Build the assets of kit folders and bring a folder up to them; only what changed is written.")
        { KitBuilds.Folder, To, KitBuilds.Only, Group, KitBuilds.Kept, KitBuilds.Target, Look, KitBuilds.Threads };
        command.SetAction((parsed, cancel) => Task.FromResult(Run(parsed, cancel)));
        return command;
    }

    private static int Run(ParseResult parsed, CancellationToken cancel)
    {
        int threads = KitBuilds.ThreadsOf(parsed);
        string group = parsed.GetValue(Group) ?? "";
        if (group.Length > 0 && !DeliveryFolder.IsInside(group))
            throw new UsageException($"--group is '{group}', which is no folder below --to; use names with slashes between.");
        using var temporary = KitBuilds.StoreOf(parsed, out var store);
        var (kit, builds) = KitBuilds.Read(parsed, store);
        var to = new DeliveryFolder(parsed.GetRequiredValue(To).FullName);
        var assets = new List<object>();
        var lines = new List<string>();
        var findings = new List<Finding>();
        foreach (var wanted in builds)
        {
            var (station, result, own) = wanted.ToDelivery(threads, cancel);
            if (own.FirstOrDefault(f => f.Code == "unreadable-file") is { } unreadable)
                return Output.Fail(unreadable.Sentence, ExitCode.Unreadable);
            findings.AddRange(own.Select(f => f with { Sentence = $"{wanted.Name}: {f.Sentence}" }));
            string place = (group.Length > 0 ? group + "/" : "") + AssetBuild.FileNameOf(wanted.Name);
            // What stops an asset holds its delivery back.
            FolderChange? change = null;
            if (station == Station.Deliver)
            {
                byte[] package = store.Load(result.Files[0].Sha256);
                change = parsed.GetValue(Look) ? to.Look(place, package, cancel) : to.Write(place, package, cancel);
            }
            assets.Add(new { wanted.Name, reached = station, folder = place, change, findings = own });
            lines.AddRange(change is null ? [$"{wanted.Name} stopped at {station}; its folder stays as it is."] : Told(place, change, parsed.GetValue(Look)));
        }
        if (builds.Length == 0)
            lines.Add($"{kit} has no assets; nothing was delivered.");
        return Output.Print(parsed, new { kit, assets, findings }, lines, findings);
    }

    private static IEnumerable<string> Told(string place, FolderChange change, bool isLook)
    {
        string would = isLook ? "would be " : "";
        yield return $"{place}  {change.Written.Count} {would}written, {change.Same.Count} the same, {change.Removed.Count} {would}removed, "
            + $"{change.Kept.Count} not ours and left alone";
        foreach (string path in change.Written)
            yield return $"  written  {path}";
        foreach (string path in change.Removed)
            yield return $"  removed  {path}";
        foreach (string path in change.Kept)
            yield return $"  left     {path}";
    }
}
