using System.Diagnostics;
using System.Text.Json;
using Crumpet.Core;
using Crumpet.Core.Building;
using Crumpet.Storage;
using Microsoft.EntityFrameworkCore;

namespace Crumpet.Web.Runs;

/// <summary>
/// Works off runs, those of different assets side by side, all together with as many threads as there are processors. What waits is in
/// the database; interrupted runs are taken up again at the next start.
/// </summary>
public sealed class RunWorker(RunService runs, RunFeed feed, FileStore store, IServiceScopeFactory scopes, ILogger<RunWorker> log) : BackgroundService
{
    private const int MostAtOnce = 4;

    // The database and its log need some too.
    private const long LeastFree = 64L << 20;

    private static readonly TimeSpan LookEvery = TimeSpan.FromSeconds(0.5);

    private const int MostAbsent = 6;

    private readonly Dictionary<int, Task> working = [];
    private readonly Dictionary<int, Task> watching = [];

    private int Threads => Math.Max(1, Environment.ProcessorCount / Math.Max(1, working.Count));

    /// <inheritdoc/>
    protected override async Task ExecuteAsync(CancellationToken stoppingToken)
    {
        // Leave the start to the web pages.
        await Task.Yield();
        int most = Math.Clamp(Environment.ProcessorCount, 1, MostAtOnce);
        var bell = runs.WaitAsync(stoppingToken).AsTask();
        while (!stoppingToken.IsCancellationRequested)
        {
            while (working.Count < most && await NextAsync(stoppingToken) is { } next)
                working[next.AssetId] = Task.Run(() => TakeAsync(next.Id, stoppingToken), stoppingToken);
            await Task.WhenAny([bell, .. working.Values]);
            if (bell.IsCompleted)
            {
                bell = runs.WaitAsync(stoppingToken).AsTask();
                foreach (int busy in working.Keys.Where(a => !watching.TryGetValue(a, out var watch) || watch.IsCompleted))
                    watching[busy] = Task.Run(() => WatchAsync(busy, stoppingToken), stoppingToken);
            }
            foreach (int ended in working.Where(w => w.Value.IsCompleted).Select(w => w.Key).ToArray())
                working.Remove(ended);
        }
        await Task.WhenAll([.. working.Values, .. watching.Values]);
    }

    /// <summary>While a run waits for another of its asset, looks whether the other is at work on anything that it will need, and ends it if not.</summary>
    private async Task WatchAsync(int assetId, CancellationToken stopping)
    {
        try
        {
            string looked = "";
            for (int absent = 0; absent < MostAbsent;)
            {
                if (runs.AtWorkOn(assetId) is not { Token.IsCancellationRequested: false } earlier)
                {
                    // It may not have begun yet.
                    absent++;
                    await Task.Delay(LookEvery, stopping);
                    continue;
                }
                using var scope = scopes.CreateScope();
                var db = scope.ServiceProvider.GetRequiredService<CrumpetDb>();
                if (await db.Runs.Where(r => r.AssetId == assetId && r.State == RunState.Queued).OrderByDescending(r => r.Id).FirstOrDefaultAsync(stopping)
                    is not { } later)
                    return;
                var asset = await db.Assets.Include(a => a.Kit).Include(a => a.Sources).AsNoTracking().FirstAsync(a => a.Id == assetId, stopping);
                await db.LoadSharedAsync(asset, stopping);
                string keys = string.Join(' ', earlier.Build.AtWork.Select(j => j.Key).Order(StringComparer.Ordinal));
                string atWork = $"{asset.Version} {asset.Kit!.Version} {keys}";
                if (atWork != looked && Superseding.IsPointless(earlier.Build, asset.Build(store), earlier.Token))
                {
                    // Whoever asked for more gets it all the same.
                    var goal = await db.Runs.Where(r => r.AssetId == assetId && r.State == RunState.Running).Select(r => r.UpTo).FirstOrDefaultAsync(stopping);
                    if (goal is not null && goal.Number > later.UpTo.Number)
                    {
                        later.UpTo = goal;
                        await db.SaveChangesAsync(stopping);
                    }
                    await earlier.CancelAsync(later.Id);
                    return;
                }
                looked = atWork;
                await Task.Delay(LookEvery, stopping);
            }
        }
        catch (OperationCanceledException)
        {
            // The one that is looked at ended.
        }
        catch (Exception e)
        {
            // Then the later one waits.
            log.LogWarning(e, "What waits for asset {Asset} could not be looked at", assetId);
        }
    }

    private async Task TakeAsync(int id, CancellationToken stopping)
    {
        try
        {
            await WorkAsync(id, stopping);
        }
        catch (Exception e) when (e is not OperationCanceledException || !stopping.IsCancellationRequested)
        {
            log.LogError(e, "Run {Run} could not be kept", id);
            await GiveUpAsync(id, e);
        }
    }

    /// <summary>The run that waits longest of an asset that none is at work on, or null.</summary>
    private async Task<(int Id, int AssetId)?> NextAsync(CancellationToken cancel)
    {
        using var scope = scopes.CreateScope();
        var db = scope.ServiceProvider.GetRequiredService<CrumpetDb>();
        int[] busy = [.. working.Keys];
        var next = await db.Runs.Where(r => r.State == RunState.Queued && !busy.Contains(r.AssetId)).OrderBy(r => r.Id).Select(r => new { r.Id, r.AssetId })
            .FirstOrDefaultAsync(cancel);
        return next is null ? null : (next.Id, next.AssetId);
    }

    /// <summary>
    /// Ends a run whose end could not be kept, so that it is not begun for ever; where that cannot be kept either, as on a full disk, it is
    /// tried until it can.
    /// </summary>
    private async Task GiveUpAsync(int id, Exception e)
    {
        string said = $"Its end could not be kept: {e.GetBaseException().Message}";
        for (int wait = 1; ; wait = Math.Min(60, 2 * wait))
        {
            try
            {
                using var scope = scopes.CreateScope();
                var db = scope.ServiceProvider.GetRequiredService<CrumpetDb>();
                await db.Runs.Where(r => r.Id == id).ExecuteUpdateAsync(
                    set => set.SetProperty(r => r.State, RunState.Failed).SetProperty(r => r.EndedAt, DateTime.UtcNow).SetProperty(r => r.Message, said),
                        CancellationToken.None);
                return;
            }
            catch (Exception again) when (again is DbUpdateException or Microsoft.Data.Sqlite.SqliteException or IOException)
            {
                log.LogError(again, "That run {Run} ended could not be kept; trying again in {Seconds} s", id, wait);
                await Task.Delay(TimeSpan.FromSeconds(wait), CancellationToken.None);
            }
        }
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
        var build = (await db.LoadSharedAsync(asset, stopping)).Build(store);
        // From here on it can be ended; one that is running and cannot would lose whoever presses.
        using var atWork = runs.Begin(run, build, stopping);
        try
        {
            run.State = RunState.Running;
            run.StartedAt = DateTime.UtcNow;
            run.EndedAt = null;
            run.Starts++;
            await db.SaveChangesAsync(stopping);
            RoomFor(build, run.UpTo);
            await WorkStationsAsync(db, run, asset, build, atWork.Token);
        }
        catch (OperationCanceledException) when (atWork.Token.IsCancellationRequested)
        {
            if (stopping.IsCancellationRequested)
            {
                // Ended in good order: that is no sign against it.
                run.Starts--;
                run.State = RunState.Queued;
                await db.SaveChangesAsync(CancellationToken.None);
                return;
            }
            run.State = RunState.Cancelled;
            run.Message = atWork.SupersededBy is { } later
                ? $"Ended at {run.Station}, as what was decided since makes the rest of it pointless; run {later} goes on with what was worked."
                : $"Cancelled at {run.Station}; what was worked until then is kept, nothing half done is.";
        }
        catch (Exception e)
        {
            log.LogError(e, "Run {Run} failed", id);
            run.State = RunState.Failed;
            run.Message = $"{run.Station} failed: {WhyFailed(e)}";
        }
        finally
        {
            runs.End(id);
        }
        run.EndedAt = DateTime.UtcNow;
        run.JobsJson = JsonSerializer.Serialize(JobTally.Of([(build, run.Station)]), BuildJson.Options);
        db.RunLog.Add(new RunLogEntry { RunId = id, At = DateTime.UtcNow, Text = run.Message });
        await db.SaveChangesAsync(CancellationToken.None);
        feed.Tell(EventOf(run, asset, run.State, 1, "", run.Message));
    }

    /// <summary>Refuses what will not fit on the disk before anything of it is worked.</summary>
    private void RoomFor(AssetBuild build, Station upTo)
    {
        long needed = LeastFree + (build.Forecast(upTo).Bytes ?? 0), free = new DriveInfo(store.Root).AvailableFreeSpace;
        if (free < needed)
            throw new IOException(
                $"It needs about {Show.Bytes(needed)} on the disk that holds the data folder, and {Show.Bytes(free)} are free; make room on it, or clear "
                + $"results nobody needs under Room, and press again.");
    }

    // What a full disk says of itself tells nobody what to do.
    private static string WhyFailed(Exception e) => FullDisk.Is(e) ? FullDisk.Sentence : (e as JobFailedException)?.Message ?? e.GetBaseException().Message;

    private static RunEvent EventOf(Run run, Asset asset, RunState state, double fraction, string doing, string message = "") =>
        new(run.Id, asset.Id, asset.Name, state, run.Station, fraction, doing, null, message) { KitId = asset.KitId };

    /// <summary>Station after station, so that each is kept and shown as soon as it is done.</summary>
    private async Task WorkStationsAsync(CrumpetDb db, Run run, Asset asset, AssetBuild build, CancellationToken cancel)
    {
        var whole = Stopwatch.StartNew();
        build.Drafted = draft => feed.Tell(EventOf(run, asset, RunState.Running, 0, "a draft is there") with { Draft = draft });
        foreach (var station in Station.UpTo(run.UpTo).Where(s => s.Kinds.Count > 0))
        {
            run.Station = station;
            await db.SaveChangesAsync(cancel);
            int before = build.Worked.Count;
            bool wasThere = build.ResultOf(station) is not null;
            var watch = Stopwatch.StartNew();
            var progress = new StationProgress(feed, EventOf(run, asset, RunState.Running, 0, ""), watch);
            var (reached, result) = await Task.Run(() => build.Run(station, throughStops: false, Threads, progress, cancel), cancel);
            Keep(db, asset, reached, result, wasThere ? null : watch.Elapsed.TotalSeconds);
            int findings = result.Findings.Count, jobs = build.Worked.Count - before;
            string found = findings == 0 ? "nothing to say" : findings == 1 ? "1 finding" : $"{findings} findings";
            string took = wasThere ? "nothing had changed"
                : FormattableString.Invariant($"{jobs} job{(jobs == 1 ? "" : "s")}, {watch.Elapsed.TotalSeconds:0.0} s");
            db.RunLog.Add(new RunLogEntry { RunId = run.Id, At = DateTime.UtcNow, Text = $"{station}: {took}, {found}." });
            await db.SaveChangesAsync(cancel);
            feed.Tell(EventOf(run, asset, RunState.Running, 1, "done"));
            if (result.IsBlocked || reached != station)
            {
                run.State = RunState.Blocked;
                run.Message = $"Stopped at {reached}: {result.Findings.First(f => f.Severity == Severity.Stop).Sentence}";
                return;
            }
        }
        run.State = RunState.Done;
        run.Message = FormattableString.Invariant(
            $"{run.UpTo} is done, {build.Worked.Count} job{(build.Worked.Count == 1 ? "" : "s")} worked, {whole.Elapsed.TotalSeconds:0.0} s in all.");
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
                asset.Findings.Add(new FindingRow
                {
                    Station = station,
                    Order = i,
                    Severity = f.Severity,
                    Code = f.Code,
                    Place = f.Place,
                    Sentence = f.Sentence,
                    Count = f.Count
                });
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
            asset.Deliveries.Add(
                new Delivery
                {
                    Number = number,
                    Key = result.Key,
                    FileName = result.Files[0].Name,
                    Sha256 = result.Files[0].Sha256,
                    Bytes = result.Files[0].Bytes,
                    CreatedAt = DateTime.UtcNow,
                    TargetJson = JsonSerializer.Serialize(asset.Plan().Target, BuildJson.Options),
                });
        }
    }

    /// <summary>Passes progress on at most ten times a second, with the time left where it can be told.</summary>
    private sealed class StationProgress(RunFeed feed, RunEvent pattern, Stopwatch watch) : IProgress<BuildProgress>
    {
        private long last;

        public void Report(BuildProgress value)
        {
            long now = watch.ElapsedMilliseconds, before = Interlocked.Read(ref last);
            if (value.Station != pattern.Station || (now - before < 100 && now > 100) || Interlocked.CompareExchange(ref last, now, before) != before)
                return;
            double? left = value.Fraction > 0.05 && now > 1000 ? now / 1000.0 * (1 - value.Fraction) / value.Fraction : null;
            feed.Tell(pattern with { Fraction = value.Fraction, Doing = value.Doing, SecondsLeft = left });
        }
    }
}
