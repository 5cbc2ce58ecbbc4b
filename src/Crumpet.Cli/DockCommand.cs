using System.CommandLine;
using System.IO.Compression;
using Crumpet.Core;
using Crumpet.Core.Dock;
using Crumpet.Storage;

namespace Crumpet.Cli;

/// <summary><c>crumpet dock</c>: what the engine's side says of deliveries, without a browser.</summary>
internal static class DockCommand
{
    private const string ManifestName = "manifest.json";
    private const long MostBytes = 4L << 30;

    private static readonly Argument<string> Delivery = new("folder")
    { Description = "A delivery as a folder or a zip, or a folder of such folders." };
    private static readonly Option<bool> Check = new("--check") { Description = "Judge what is there by the dock's own convention." };

    public static Command Make()
    {
        var command = new Command("dock", "Judge deliveries as an engine does, by a strict convention of its own.") { Delivery, Check };
        command.SetAction((parsed, cancel) => Task.FromResult(Run(parsed, cancel)));
        return command;
    }

    private static int Run(ParseResult parsed, CancellationToken cancel)
    {
        string at = parsed.GetRequiredValue(Delivery);
        if (!parsed.GetValue(Check))
            throw new UsageException("dock needs --check: it judges what is there and ends.");
        var verdicts = Deliveries(at).Select(d => (d.Path, Verdict: new DockCheck(d.Files(), cancel).Judge())).ToArray();
        var lines = verdicts.SelectMany(v => Told(v.Path, v.Verdict));
        Output.Print(parsed, new
        {
            deliveries = verdicts.Select(v =>
                new { v.Path, v.Verdict.Asset, taken = v.Verdict.IsTaken, v.Verdict.Meshes, v.Verdict.Textures, v.Verdict.Messages }),
        }, lines, []);
        return verdicts.All(v => v.Verdict.IsTaken) ? ExitCode.Done : ExitCode.StopFindings;
    }

    private static IEnumerable<string> Told(string path, DockVerdict verdict)
    {
        yield return $"{path}  {(verdict.IsTaken ? "taken" : "not taken")}: "
            + FormattableString.Invariant($"{verdict.Meshes.Count} meshes with {verdict.Meshes.Sum(m => m.Triangles)} triangles, ")
            + FormattableString.Invariant($"{verdict.Textures.Count} textures of {verdict.Textures.Sum(t => t.Memory) / 1048576.0:0.0} MiB");
        foreach (var message in verdict.Messages)
            yield return $"  {message.Level.ToString().ToLowerInvariant(),-7}  {message.Says} {message.Change}";
    }

    /// <summary>Every delivery at a place, with what reads its files.</summary>
    private static IEnumerable<(string Path, Func<IReadOnlyDictionary<string, byte[]>> Files)> Deliveries(string at)
    {
        if (File.Exists(at))
            return [(at, () => Unzipped(at))];
        if (!Directory.Exists(at))
            throw new UsageException($"There is no folder and no zip {at}.");
        string[] folders = [.. Folders(at)];
        return folders.Length == 0 ? throw new UsageException($"{at} holds no delivery: there is no {ManifestName} in it or below it.")
            : folders.Select(f => (f, (Func<IReadOnlyDictionary<string, byte[]>>)(() => Below(f))));
    }

    private static IEnumerable<string> Folders(string at) => File.Exists(Path.Combine(at, ManifestName)) ? [at]
        : Directory.EnumerateDirectories(at).Where(d => Path.GetFileName(d) != DeliveryFolder.Aside && new DirectoryInfo(d).LinkTarget is null)
            .Order(StringComparer.Ordinal).SelectMany(Folders);

    private static Dictionary<string, byte[]> Below(string folder) => Directory.EnumerateFiles(folder, "*", SearchOption.AllDirectories)
        .ToDictionary(f => Path.GetRelativePath(folder, f).Replace(Path.DirectorySeparatorChar, '/'), File.ReadAllBytes, StringComparer.Ordinal);

    private static Dictionary<string, byte[]> Unzipped(string path)
    {
        try
        {
            using var zip = ZipFile.OpenRead(path);
            if (zip.Entries.Sum(e => e.Length) > MostBytes)
                throw new SourceFileException(Path.GetFileName(path), "", "it holds more than 4 GiB", "Unpack it and give the folder");
            var files = new Dictionary<string, byte[]>(StringComparer.Ordinal);
            foreach (var entry in zip.Entries.Where(e => e.Name.Length > 0))
            {
                using var from = entry.Open();
                using var to = new MemoryStream();
                from.CopyTo(to);
                files[entry.FullName] = to.ToArray();
            }
            return files;
        }
        catch (InvalidDataException)
        {
            throw new SourceFileException(Path.GetFileName(path), "", "it is no zip", "Give the folder of a delivery, or its zip");
        }
    }
}
