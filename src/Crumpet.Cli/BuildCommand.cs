using System.CommandLine;
using Crumpet.Core;
using Crumpet.Core.Building;
using Crumpet.Core.Checking;
using Crumpet.Core.Intake;
using Crumpet.Core.Jobs;
using Crumpet.Storage;

namespace Crumpet.Cli;

/// <summary><c>crumpet build</c>: takes assets of kit folders to their packages, or says what that would work.</summary>
internal static class BuildCommand
{
    private static readonly Option<DirectoryInfo?> Out = new("--out") { Description = "Folder for the packages." };
    private static readonly Option<bool> Explain = new(
        "--explain")
    { Description = "Say what would be worked, why, and about how long it takes; nothing is worked." };
    private static readonly Option<double?> Budget = new("--budget")
    {
        Description = FormattableString.Invariant(
            $"Memory that all textures may take together, {TextureBudget.LeastMebibytes} to {TextureBudget.MostMebibytes:0} MiB: formats ")
            + "and sizes are chosen that fit with the least error. The kit folder stays as it is.",
    };
    public static Command Make()
    {
        var command = new Command("build", "Build the assets of kit folders.")
        { KitBuilds.Folder, KitBuilds.Only, Out, KitBuilds.Kept, Explain, Budget, KitBuilds.Target, KitBuilds.Threads };
        command.SetAction((parsed, cancel) => Task.FromResult(Run(parsed, cancel)));
        return command;
    }

    private static int Run(ParseResult parsed, CancellationToken cancel)
    {
        if (parsed.GetValue(Out) is null && !parsed.GetValue(Explain))
            throw new UsageException("build needs --out, a folder for the packages, or --explain.");
        if (parsed.GetValue(Budget) is not (null or (>= TextureBudget.LeastMebibytes and <= TextureBudget.MostMebibytes)))
            throw new UsageException(FormattableString.Invariant($"--budget is {parsed.GetValue(Budget)}. {TextureBudget.Bounds}"));
        if (parsed.GetValue(Budget) is not null && parsed.GetValue(Explain))
            throw new UsageException("--budget and --explain were both given; what textures could be is only known once they are worked.");
        int threads = KitBuilds.ThreadsOf(parsed);
        using var temporary = KitBuilds.StoreOf(parsed, out var store);
        var (kit, builds) = KitBuilds.Read(parsed, store);
        return parsed.GetValue(Explain) ? Tell(parsed, kit, builds) : Build(parsed, kit, builds, store, threads, cancel);
    }

    /// <summary>Takes all assets to Convert and decides how their textures are stored so that they fit.</summary>
    private static BudgetAnswer Fitted(WantedAsset[] builds, double mebibytes, int threads, CancellationToken cancel)
    {
        var converted = new List<(WantedAsset Wanted, ConvertReport Report)>();
        foreach (var wanted in builds)
        {
            var (station, result) = wanted.Build.Run(Station.Convert, throughStops: false, threads, new ConsoleProgress(), cancel);
            // What is stopped is told when it is built.
            if (station == Station.Convert)
                converted.Add((wanted, result.As<ConvertReport>()));
        }
        var answer = TextureBudget.Meet(converted.Select(c => (c.Wanted.Name, c.Report)), mebibytes);
        if (answer.Plan is null)
            throw new UsageException(answer.Refusal(mebibytes));
        foreach (var (wanted, report) in converted)
            wanted.Decide(plan => plan with { Recipe = TextureBudget.Stored(plan.Recipe, report, answer, wanted.Name) });
        return answer;
    }

    private static object? Told(BudgetAnswer? answer) => answer is null ? null : new
    {
        answer.Plan!.Bytes,
        Outputs = answer.Chosen.Select(c => new
        {
            c.Output.Asset,
            c.Output.Output,
            c.Choice.Format,
            c.Choice.Divisor,
            c.Choice.Bytes,
            c.Choice.Psnr,
            c.Choice.MeanAngleDegrees,
            Before = new { c.Output.Now.Format, c.Output.Now.Divisor, c.Output.Now.Bytes },
        }),
    };

    private static int Build(ParseResult parsed, string kit, WantedAsset[] builds, FileStore store, int threads, CancellationToken cancel)
    {
        var answer = parsed.GetValue(Budget) is { } mebibytes ? Fitted(builds, mebibytes, threads, cancel) : null;
        var assets = new List<object>();
        var lines = new List<string>();
        var findings = new List<Finding>();
        var ended = new List<(AssetBuild, Station)>();
        foreach (var wanted in builds)
        {
            var (name, build) = (wanted.Name, wanted.Build);
            var (station, result, own) = wanted.ToDelivery(threads, cancel);
            ended.Add((build, station));
            if (own.FirstOrDefault(f => f.Code == "unreadable-file") is { } unreadable)
                return Output.Fail(unreadable.Sentence, ExitCode.Unreadable);
            findings.AddRange(own.Select(f => f with { Sentence = $"{name}: {f.Sentence}" }));
            var files = station != Station.Deliver ? []
                : result.Files.Select(f => new { path = Output.Write(parsed.GetValue(Out)!, f.Name, store.Load(f)), f.Sha256, f.Bytes }).ToArray();
            assets.Add(new { name, reached = station, files, findings = own });
            lines.AddRange(files.Select(f => $"{f.path}  {f.Bytes} bytes  {f.Sha256}"));
            if (station != Station.Deliver)
                lines.Add($"{name} stopped at {station}.");
        }
        if (answer is not null)
        {
            lines.Add(FormattableString.Invariant($"textures take {answer.Plan!.Bytes / TextureBudget.Mebibyte:0.##} of {parsed.GetValue(Budget):0.##} MiB"));
            lines.AddRange(answer.Chosen.Select(c => $"  {c.Output.Asset} {c.Output.Output}  {c.Choice.Format.Label}"
                + $"{(c.Choice.Divisor > 1 ? $" at 1/{c.Choice.Divisor}" : "")}  {c.Choice.Bytes} bytes"));
        }
        var jobs = JobTally.Of(ended);
        lines.Add($"{jobs.Worked} of {jobs.All} jobs worked, {jobs.Kept} kept");
        lines.AddRange(jobs.Kinds.Where(k => k.Worked > 0)
            .Select(k => FormattableString.Invariant($"  {k.Kind}  {k.Worked} worked  {k.Kept} kept  {k.Seconds:0.00} s")));
        if (builds.Length == 0)
            lines.Add($"{kit} has no assets; nothing was built.");
        return Output.Print(parsed, new { kit, assets, jobs, budget = Told(answer), findings }, lines, findings);
    }

    private static int Tell(ParseResult parsed, string kit, WantedAsset[] builds)
    {
        var told = builds.Select(b => (b.Name, Forecast: b.Build.Forecast(Station.Deliver))).ToArray();
        var lines = new List<string>();
        foreach (var (name, forecast) in told)
        {
            lines.Add($"{name}  {forecast.InWords()}");
            lines.AddRange(forecast.Jobs.Select(j =>
                $"  {(j.IsSure ? "will" : "may")}  {j.Kind} {j.Label}  {j.Why}{(j.Seconds is { } s ? FormattableString.Invariant($"  {s:0.0} s") : "")}"));
        }
        var assets = told.Select(t =>
            new { t.Name, t.Forecast.All, t.Forecast.Sure, t.Forecast.AtMost, t.Forecast.IsWhole, t.Forecast.Seconds, t.Forecast.Jobs });
        return Output.Print(parsed, new { kit, assets }, lines, []);
    }
}
