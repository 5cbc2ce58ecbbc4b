using System.CommandLine;
using Crumpet.Core;
using Crumpet.Storage;

namespace Crumpet.Cli;

/// <summary><c>crumpet check</c> and <c>crumpet room</c>: proves what a data folder keeps, and says and clears the room it takes.</summary>
internal static class StoreCommands
{
    private const double MostGibibytes = 1e6;

    private static readonly Option<DirectoryInfo> Data = new("--data") { Required = true, Description = "Data folder of the web application." };
    private static readonly Option<double> Limit = new(
        "--limit")
    {
        DefaultValueFactory = _ =>
        0,
        Description = "With --clear: results above so many GiB go, those longest unused first; 0 for all that nothing needs."
    };
    private static readonly Option<bool> Clear = new(
        "--clear")
    { Description = "Clear results that neither what is decided now, nor undo of the last 30 days, nor a delivery needs." };

    public static IEnumerable<Command> Make()
    {
        var check = new Command("check", "Look whether all that is kept is as it was put, and make again what is not.") { Data };
        check.SetAction((parsed, cancel) => Task.FromResult(Check(parsed, cancel)));
        var room = new Command("room", "Say what is kept and for which kit, and clear what nobody needs.") { Data, Clear, Limit };
        room.SetAction((parsed, cancel) => Task.FromResult(Room(parsed, cancel)));
        return [check, room];
    }

    private static int Check(ParseResult parsed, CancellationToken cancel)
    {
        string folder = FolderOf(parsed);
        using var hold = Take(folder, "crumpet check");
        var progress = new ConsoleProgress();
        var report = StoreCheck.Run(folder, share => ((IProgress<Progress>)progress).Report(new Progress(share, "looking through what is kept")), cancel);
        string[] lines =
        [
            $"{report.Blobs} pieces of data and {report.Results} results looked at: {report.Damaged} damaged, {report.Missing} missing or damaged that "
                + $"something needs, {report.Mended} made again",
            .. report.Lost,
        ];
        int code = Output.Print(parsed, report, lines, []);
        return report.Lost.Count > 0 ? ExitCode.StopFindings : code;
    }

    private static int Room(ParseResult parsed, CancellationToken cancel)
    {
        string folder = FolderOf(parsed);
        double limit = parsed.GetValue(Limit);
        if (limit is not (>= 0 and <= MostGibibytes))
            throw new UsageException(FormattableString.Invariant($"--limit is {limit}; it must be 0 to {MostGibibytes:0} GiB."));
        using var hold = parsed.GetValue(Clear) ? Take(folder, "crumpet room") : null;
        var room = new StoreRoom(folder, new FileStore(Path.Combine(folder, "store")));
        var cleared = parsed.GetValue(Clear) ? room.Clear((long)(limit * (1L << 30)), cancel) : null;
        var report = room.Report();
        var lines = report.Kits.Select(k =>
            $"{k.Kit}{(k.IsArchived ? " (archived)" : "")}  sources {Megabytes(k.SourceBytes)}  results {Megabytes(k.ResultBytes)}  deliveries "
            + $"{Megabytes(k.DeliveryBytes)}")
            .Append($"in all {Megabytes(report.TotalBytes)}, of which {Megabytes(report.NeededBytes)} are needed");
        return Output.Print(parsed, new { cleared, report }, cleared is null ? lines
            : lines.Prepend($"{cleared.Results} results cleared, {Megabytes(cleared.Bytes)}"), []);
    }

    private static string FolderOf(ParseResult parsed)
    {
        var folder = parsed.GetRequiredValue(Data);
        return File.Exists(Path.Combine(folder.FullName, Database.FileName)) ? folder.FullName
            : throw new SourceFileException(folder.Name, "", $"there is no {Database.FileName} in {folder.FullName}",
                "Give the folder the web application was started with as --data");
    }

    private static FolderLock Take(string folder, string what) => FolderLock.Take(folder, what, out string owner)
        ?? throw new UsageException($"The data in {folder} is in use by {owner}; close that first.");

    private static string Megabytes(long bytes) => FormattableString.Invariant($"{bytes / 1048576.0:0.0} MiB");
}
