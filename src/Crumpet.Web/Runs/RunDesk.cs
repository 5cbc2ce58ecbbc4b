using System.Collections.Concurrent;
using System.Threading.Channels;
using Crumpet.Core.Building;
using Crumpet.Storage;
using Microsoft.EntityFrameworkCore;

namespace Crumpet.Web.Runs;

/// <summary>Runs waiting for the worker. The rows in the database are what counts; here the worker is only woken.</summary>
public sealed class RunDesk
{
    private readonly Channel<bool> bell = Channel.CreateBounded<bool>(new BoundedChannelOptions(1) { FullMode = BoundedChannelFullMode.DropWrite });
    private readonly ConcurrentDictionary<int, CancellationTokenSource> running = new();

    /// <summary>Queues a run; one for the same asset and station that still waits is enough.</summary>
    public async Task AddAsync(CrumpetDb db, int assetId, Station upTo)
    {
        if (await db.Runs.AnyAsync(r => r.AssetId == assetId && r.UpTo == upTo && r.State == RunState.Queued))
            return;
        db.Runs.Add(new Run { AssetId = assetId, UpTo = upTo, State = RunState.Queued, QueuedAt = DateTime.UtcNow });
        await db.SaveChangesAsync();
        bell.Writer.TryWrite(true);
    }

    /// <summary>Waits until a run was queued.</summary>
    internal ValueTask<bool> WaitAsync(CancellationToken cancel) => bell.Reader.ReadAsync(cancel);

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
