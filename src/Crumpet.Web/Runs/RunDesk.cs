using System.Collections.Concurrent;
using System.Threading.Channels;
using Crumpet.Core.Building;
using Crumpet.Storage;
using Microsoft.EntityFrameworkCore;

namespace Crumpet.Web.Runs;

/// <summary>Runs waiting for the worker. The rows in the database are what counts; the channel only wakes the worker.</summary>
public sealed class RunDesk
{
    private readonly Channel<int> waiting = Channel.CreateBounded<int>(new BoundedChannelOptions(1024) { FullMode = BoundedChannelFullMode.Wait });
    private readonly ConcurrentDictionary<int, CancellationTokenSource> running = new();

    /// <summary>Numbers of runs to work, in order.</summary>
    public ChannelReader<int> Waiting => waiting.Reader;

    /// <summary>Queues a run; one for the same asset and station that still waits is enough.</summary>
    public async Task AddAsync(CrumpetDb db, int assetId, Station upTo)
    {
        if (await db.Runs.AnyAsync(r => r.AssetId == assetId && r.UpTo == upTo && r.State == RunState.Queued))
            return;
        var run = new Run { AssetId = assetId, UpTo = upTo, State = RunState.Queued, QueuedAt = DateTime.UtcNow };
        db.Runs.Add(run);
        await db.SaveChangesAsync();
        await waiting.Writer.WriteAsync(run.Id);
    }

    /// <summary>Queues a run again that was waiting or at work when Crumpet was ended.</summary>
    public ValueTask ResumeAsync(int runId) => waiting.Writer.WriteAsync(runId);

    /// <summary>Ends a run early, whether it waits or is at work.</summary>
    public async Task CancelAsync(CrumpetDb db, int runId)
    {
        if (running.TryGetValue(runId, out var source))
        {
            await source.CancelAsync();
            return;
        }
        var run = await db.Runs.FirstOrDefaultAsync(r => r.Id == runId && r.State == RunState.Queued);
        if (run is null)
            return;
        run.State = RunState.Cancelled;
        run.Message = "Cancelled before it began.";
        run.EndedAt = DateTime.UtcNow;
        await db.SaveChangesAsync();
    }

    /// <summary>Registers a run at work so that it can be cancelled; dispose when it ended.</summary>
    internal CancellationTokenSource Begin(int runId, CancellationToken stopping)
    {
        var source = CancellationTokenSource.CreateLinkedTokenSource(stopping);
        running[runId] = source;
        return source;
    }

    /// <summary>Forgets a run that ended.</summary>
    internal void End(int runId) => running.TryRemove(runId, out _);
}
