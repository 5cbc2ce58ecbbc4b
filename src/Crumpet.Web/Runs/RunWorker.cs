using System.Diagnostics;
using Crumpet.Core.Building;
using Crumpet.Storage;
using Microsoft.EntityFrameworkCore;

namespace Crumpet.Web.Runs;

/// <summary>Works off runs one after another, each with all processors. Interrupted runs are taken up again at the next start.</summary>
public sealed class RunWorker(RunDesk desk, RunFeed feed, FileStore store, IServiceScopeFactory scopes, ILogger<RunWorker> log) : BackgroundService
{
    /// <inheritdoc/>
    protected override async Task ExecuteAsync(CancellationToken stoppingToken)
    {
        // Leave the start to the web pages.
        await Task.Yield();
        while (true)
        {
            while (await NextAsync(stoppingToken) is { } id)
            {
                try
                {
                    await WorkAsync(id, stoppingToken);
                }
                catch (Exception e) when (e is not OperationCanceledException || !stoppingToken.IsCancellationRequested)
                {
                    log.LogError(e, "Run {Run} could not be kept", id);
                    await GiveUpAsync(id, e, stoppingToken);
                }
            }
            await desk.WaitAsync(stoppingToken);
        }
    }

    /// <summary>The run that waits longest, or null.</summary>
    private async Task<int?> NextAsync(CancellationToken cancel)
    {
        using var scope = scopes.CreateScope();
        var db = scope.ServiceProvider.GetRequiredService<CrumpetDb>();
        return await db.Runs.Where(r => r.State == RunState.Queued).OrderBy(r => r.Id).Select(r => (int?)r.Id).FirstOrDefaultAsync(cancel);
    }

    /// <summary>Ends a run whose end could not be kept, so that it is not begun for ever.</summary>
    private async Task GiveUpAsync(int id, Exception e, CancellationToken cancel)
    {
        using var scope = scopes.CreateScope();
        var db = scope.ServiceProvider.GetRequiredService<CrumpetDb>();
        await db.Runs.Where(r => r.Id == id).ExecuteUpdateAsync(
            set => set.SetProperty(r => r.State, RunState.Failed).SetProperty(r => r.EndedAt, DateTime.UtcNow).SetProperty(r => r.Message, $"Its end could not be kept: {e.GetBaseException().Message}"), cancel);
    }

    private async Task WorkAsync(int id, CancellationToken stopping)
    {
        using var scope = scopes.CreateScope();
        var db = scope.ServiceProvider.GetRequiredService<CrumpetDb>();
        var run = await db.Runs.FirstOrDefaultAsync(r => r.Id == id && r.State == RunState.Queued, stopping);
        if (run is null)
            return;
        var asset = await db.Assets.Include(a => a.Kit).Include(a => a.Sources).Include(a => a.Marks).Include(a => a.Findings).Include(a => a.Deliveries)
            .AsSplitQuery().FirstAsync(a => a.Id == run.AssetId, stopping);
        run.State = RunState.Running;
        run.StartedAt = DateTime.UtcNow;
        run.EndedAt = null;
        run.Starts++;
        await db.SaveChangesAsync(stopping);
        var source = desk.Begin(id, stopping);
        try
        {
            await WorkStationsAsync(db, run, asset, source.Token);
        }
        catch (OperationCanceledException) when (source.IsCancellationRequested)
        {
            if (stopping.IsCancellationRequested)
            {
                // Ended in good order: that is no sign against it.
                run.Starts--;
                await db.SaveChangesAsync(CancellationToken.None);
                return;
            }
            run.State = RunState.Cancelled;
            run.Message = $"Cancelled at {run.Station}; nothing half done was kept.";
        }
        catch (Exception e)
        {
            log.LogError(e, "Run {Run} failed", id);
            run.State = RunState.Failed;
            run.Message = $"{run.Station} failed: {e.GetBaseException().Message}";
        }
        finally
        {
            desk.End(id);
            source.Dispose();
        }
        run.EndedAt = DateTime.UtcNow;
        db.RunLog.Add(new RunLogEntry { RunId = id, At = DateTime.UtcNow, Text = run.Message });
        await db.SaveChangesAsync(CancellationToken.None);
        feed.Tell(new RunEvent(id, asset.Id, asset.Name, run.State, run.Station, 1, "", null, run.Message));
    }

    /// <summary>Station after station, so that each is kept and shown as soon as it is done.</summary>
    private async Task WorkStationsAsync(CrumpetDb db, Run run, Asset asset, CancellationToken cancel)
    {
        var whole = Stopwatch.StartNew();
        foreach (var station in AssetBuild.Line.TakeWhile(s => s <= run.UpTo))
        {
            run.Station = station;
            await db.SaveChangesAsync(cancel);
            var build = asset.Build(store);
            bool wasThere = build.ResultOf(station) is not null;
            var watch = Stopwatch.StartNew();
            var progress = new StationProgress(feed, run, asset, watch);
            build.Drafted = draft => feed.Tell(new RunEvent(run.Id, asset.Id, asset.Name, RunState.Running, station, 0, "a draft is there", null, "", draft));
            var (reached, result) = await Task.Run(() => build.Run(station, throughStops: false, Environment.ProcessorCount, progress, cancel), cancel);
            Keep(db, asset, reached, result, wasThere ? null : watch.Elapsed.TotalSeconds);
            int findings = result.Findings.Count;
            string found = findings == 0 ? "nothing to say" : findings == 1 ? "1 finding" : $"{findings} findings";
            string took = wasThere ? "nothing had changed" : FormattableString.Invariant($"{watch.Elapsed.TotalSeconds:0.0} s");
            db.RunLog.Add(new RunLogEntry { RunId = run.Id, At = DateTime.UtcNow, Text = $"{station}: {took}, {found}." });
            await db.SaveChangesAsync(cancel);
            feed.Tell(new RunEvent(run.Id, asset.Id, asset.Name, RunState.Running, station, 1, "done", null, ""));
            if (result.IsBlocked || reached != station)
            {
                run.State = RunState.Blocked;
                run.Message = $"Stopped at {reached}: {result.Findings.First(f => f.Severity == Core.Severity.Stop).Sentence}";
                return;
            }
        }
        run.State = RunState.Done;
        run.Message = FormattableString.Invariant($"{run.UpTo} is done, {whole.Elapsed.TotalSeconds:0.0} s in all.");
    }

    private static void Keep(CrumpetDb db, Asset asset, Station station, StationResult result, double? seconds)
    {
        var mark = asset.Marks.Find(m => m.Station == station);
        if (mark is null)
            asset.Marks.Add(mark = new StationMark { Station = station, Key = "" });
        if (mark.Key != result.Key)
        {
            db.Findings.RemoveRange(asset.Findings.Where(f => f.Station == station));
            asset.Findings.RemoveAll(f => f.Station == station);
            for (int i = 0; i < result.Findings.Count; i++)
            {
                var f = result.Findings[i];
                asset.Findings.Add(new FindingRow { Station = station, Order = i, Severity = f.Severity, Code = f.Code, Place = f.Place, Sentence = f.Sentence, Count = f.Count });
            }
            mark.Key = result.Key;
            mark.FinishedAt = DateTime.UtcNow;
        }
        if (seconds is { } s)
            (mark.Seconds, mark.FinishedAt) = (s, DateTime.UtcNow);
        // The same content again is the same delivery.
        if (station == Station.Deliver && asset.Deliveries.TrueForAll(d => d.Sha256 != result.Files[0].Sha256))
        {
            int number = asset.Deliveries.Select(d => d.Number).DefaultIfEmpty(0).Max() + 1;
            asset.Deliveries.Add(new Delivery { Number = number, Key = result.Key, FileName = result.Files[0].Name, Sha256 = result.Files[0].Sha256, Bytes = result.Files[0].Bytes, CreatedAt = DateTime.UtcNow });
        }
    }

    /// <summary>Passes progress on at most ten times a second, with the time left where it can be told.</summary>
    private sealed class StationProgress(RunFeed feed, Run run, Asset asset, Stopwatch watch) : IProgress<BuildProgress>
    {
        private readonly int runId = run.Id;
        private readonly Station upTo = run.Station;
        private long last;

        public void Report(BuildProgress value)
        {
            long now = watch.ElapsedMilliseconds, before = Interlocked.Read(ref last);
            if (value.Station != upTo || (now - before < 100 && now > 100) || Interlocked.CompareExchange(ref last, now, before) != before)
                return;
            double? left = value.Fraction > 0.05 && now > 1000 ? now / 1000.0 * (1 - value.Fraction) / value.Fraction : null;
            feed.Tell(new RunEvent(runId, asset.Id, asset.Name, RunState.Running, value.Station, value.Fraction, value.Doing, left, ""));
        }
    }
}
