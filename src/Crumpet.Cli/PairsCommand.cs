using System.CommandLine;
using System.Globalization;
using Crumpet.Core;
using Crumpet.Core.Building;
using Crumpet.Core.Intake;
using Crumpet.Core.Pairs;
using Crumpet.Storage;

namespace Crumpet.Cli;

/// <summary><c>crumpet pair</c>: says which low bakes with which high, how they fit, what comes near what, and on which trays they go.</summary>
internal static class PairsCommand
{
    private static readonly Option<FileInfo?> CageOut = new(
        "--cage-out")
    { Description = "Write the cages as an OBJ or GLB file with the low side's vertices and faces." };
    private static readonly Option<int> Threads = new("--threads") { DefaultValueFactory = _ => Environment.ProcessorCount, Description = "Threads to use." };

    public static Command Make()
    {
        var command = new Command("pairs", "Match low with high, measure fits and contacts, and plan the fewest trays.");
        foreach (var option in (Option[])[.. PairOptions.All, CageOut, Threads])
            command.Options.Add(option);
        command.SetAction((parsed, cancel) => Task.FromResult(Run(parsed, cancel)));
        return command;
    }

    private static int Run(ParseResult parsed, CancellationToken cancel)
    {
        var plan = PairOptions.Into(new AssetPlan(), parsed);
        int threads = Output.Within("--threads", parsed.GetValue(Threads), 1, Output.MostThreads);
        var target = parsed.GetValue(CageOut);
        if (target is not null && target.Extension.ToLowerInvariant() is not (".obj" or ".glb"))
            throw new UsageException($"--cage-out is '{target.Name}'; its name must end in .obj or .glb.");
        var store = new MemoryResultStore();
        var build = new AssetBuild("asset", plan, PairOptions.Files(parsed, store), store, PairOptions.Rules(parsed));
        var (_, result) = build.Run(Station.Pairs, throughStops: true, threads, new ConsoleProgress(), cancel);
        var intake = build.ResultOf(Station.Intake)!;
        if (intake.Findings.FirstOrDefault(f => f.Code == "unreadable-file") is { } unreadable)
            return Output.Fail(unreadable.Sentence, ExitCode.Unreadable);
        if (target is not null && new AssetFiles(build, plan, store).Cages(target.Extension.Equals(".obj", StringComparison.OrdinalIgnoreCase)) is { } cages)
            AtomicFile.Write(target.FullName, cages);
        var objects = intake.As<IntakeReport>().Objects;
        var report = result.As<PairReport>();
        PairOptions.Check(parsed, report.Parts.Select(p => p.Name));
        var parts = report.Parts.Select(p => new
        {
            p.Name,
            Low = Names(p.Low),
            High = Names(p.High),
            LowTriangles = p.Low.Sum(i => objects[i].Triangles),
            HighTriangles = p.High.Sum(i => objects[i].Triangles),
            Tray = p.IsPaired ? p.Tray + 1 : (int?)null,
            p.Fit,
            p.Cage,
            p.OutwardReachMetres,
            p.InwardReachMetres,
        }).ToArray();
        var contacts = report.Contacts.Select(
            c => new { One = report.Parts[c.One].Name, Two = report.Parts[c.Two].Name, c.Touches, c.RayDistanceMetres, c.GapMetres, c.From, c.To }).ToArray();
        var trays = report.Paired.GroupBy(p => p.Tray).OrderBy(g => g.Key)
            .Select(g => new { Tray = g.Key + 1, Parts = g.Select(p => p.Name).ToArray(), Triangles = g.Sum(p => p.High.Sum(i => objects[i].Triangles)) })
            .ToArray();
        var proof = report.Proof is { } p ? new { p.AtLeast, Because = p.Because.Select(i => report.Parts[i].Name).ToArray(), p.Said } : null;
        var suggestions = report.Suggestions.Select(
            s => new
            {
                Low = objects[s.Low].Name,
                High = objects[s.High].Name,
                s.NameScore,
                s.ShapeScore,
                s.Score,
                s.IsClear,
                Rename = objects[s.Rename].Name,
                s.NewName
            }).ToArray();
        Finding[] findings = [.. intake.Findings.Where(f => f.Code.StartsWith("name-", StringComparison.Ordinal)), .. result.Findings];
        var lines = parts.Select(p => $"{p.Name}  {Joined(p.Low)}  {Joined(p.High)}  "
                + (p.Fit is null ? "" : string.Create(CultureInfo.InvariantCulture, $"{p.Fit.Share * 100:0.0} % within reach, "
                    + $"{p.Fit.MeanMetres * 1000:0.00} mm mean, {p.Fit.GreatestMetres * 1000:0.00} mm greatest  tray {p.Tray}")))
            .Concat(contacts.Where(c => c.Touches)
                .Select(c => string.Create(CultureInfo.InvariantCulture, $"contact  {c.One}  {c.Two}  {c.GapMetres * 1000:0.0} mm")))
            .Concat(trays.Select(t => $"tray {t.Tray}  {t.Parts.Length} parts  {t.Triangles} tris"))
            .Concat(proof is null ? [] : [proof.Said])
            .Concat(suggestions.Select(s => string.Create(CultureInfo.InvariantCulture,
                $"perhaps  {s.Low}  {s.High}  {s.NameScore * 100:0} % by name  {s.ShapeScore * 100:0} % by shape  rename {s.Rename} to {s.NewName}")));
        return Output.Print(parsed, new { parts, contacts, trays, proof, suggestions, findings }, lines, findings);

        string[] Names(IReadOnlyList<int> numbers) => [.. numbers.Select(i => objects[i].Name)];
    }

    private static string Joined(string[] names) => names.Length > 0 ? string.Join('+', names) : "-";
}
