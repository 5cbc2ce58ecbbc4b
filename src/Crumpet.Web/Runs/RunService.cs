using System.Collections.Concurrent;
using System.Threading.Channels;
using Crumpet.Core.Building;
using Crumpet.Storage;
using Microsoft.EntityFrameworkCore;

namespace Crumpet.Web.Runs;

/// <summary>Runs waiting for the worker. The rows in the database are what counts; here the worker is only woken.</summary>
public sealed class RunService : IDisposable
{
    // A run that was at work when the process ended may have ended it.
    private const int MostStarts = 2;

    private readonly Channel<bool> bell = Channel.CreateBounded<bool>(new BoundedChannelOptions(1) { FullMode = BoundedChannelFullMode.DropWrite });
    private readonly ConcurrentDictionary<int, RunAtWork> running = new();
    private readonly SemaphoreSlim adding = new(1);

    /// <summary>Queues a run; one for the same asset and station that still waits is enough.</summary>
    public async Task AddAsync(CrumpetDb db, int assetId, Station upTo)
    {
        await adding.WaitAsync();
        try
        {
            if (await db.Runs.AnyAsync(r => r.AssetId == assetId && r.UpTo == upTo && r.State == RunState.Queued))
                return;
            db.Runs.Add(new Run { AssetId = assetId, UpTo = upTo, State = RunState.Queued, QueuedAt = DateTime.UtcNow });
            await db.SaveChangesAsync();
        }
        finally
        {
            adding.Release();
        }
        bell.Writer.TryWrite(true);
    }

    /// <summary>Sees to runs that waited or were at work when an earlier process ended; before any new one is queued.</summary>
    /// <param name="db">The database.</param>
    /// <param name="resumes">Whether they are taken up again.</param>
    public static async Task TakeUpAsync(CrumpetDb db, bool resumes)
    {
        var left = await db.Runs.Where(r => r.State == RunState.Queued || r.State == RunState.Running).OrderBy(r => r.Id).ToListAsync();
        foreach (var run in left)
        {
            bool wasAtWork = run.State == RunState.Running;
            run.State = !resumes ? RunState.Cancelled : wasAtWork && run.Starts >= MostStarts ? RunState.Failed : RunState.Queued;
            string said = run.State switch
            {
                RunState.Cancelled => "Not taken up again, as Crumpet was started with --no-resume; repeat it to have it worked.",
                RunState.Failed => $"Crumpet ended {run.Starts} times while this was at work at {run.Station}, so it is not taken up again; change what it "
                    + $"works on, or repeat it.",
                _ => "Taken up again after a restart.",
            };
            if (run.State != RunState.Queued)
                (run.Message, run.EndedAt) = (said, DateTime.UtcNow);
            if (wasAtWork || run.State != RunState.Queued)
                db.RunLog.Add(new RunLogEntry { RunId = run.Id, At = DateTime.UtcNow, Text = said });
        }
        await db.SaveChangesAsync();
    }

    /// <summary>Waits until a run was queued.</summary>
    internal ValueTask<bool> WaitAsync(CancellationToken cancel) => bell.Reader.ReadAsync(cancel);

    /// <summary>Ends a run early, whether it waits or is at work.</summary>
    public async Task CancelAsync(CrumpetDb db, int runId)
    {
        if (running.TryGetValue(runId, out var atWork))
        {
            await atWork.CancelAsync();
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
    internal RunAtWork Begin(Run run, AssetBuild build, CancellationToken stopping) => running[run.Id] = new RunAtWork(run.AssetId, build, stopping);

    /// <summary>The run at work on an asset, or null.</summary>
    internal RunAtWork? AtWorkOn(int assetId) => running.Values.FirstOrDefault(r => r.AssetId == assetId);

    /// <inheritdoc/>
    public void Dispose() => adding.Dispose();

    /// <summary>Forgets a run that ended.</summary>
    internal void End(int runId) => running.TryRemove(runId, out _);
}

/// <summary>A run at work.</summary>
internal sealed class RunAtWork : IDisposable
{
    private readonly CancellationTokenSource source;

    /// <param name="assetId">Its asset.</param>
    /// <param name="build">What works.</param>
    /// <param name="stopping">Ends it with the application.</param>
    public RunAtWork(int assetId, AssetBuild build, CancellationToken stopping)
    {
        (AssetId, Build) = (assetId, build);
        source = CancellationTokenSource.CreateLinkedTokenSource(stopping);
        // Whoever looks at a run that ended meanwhile still gets an answer.
        Token = source.Token;
    }

    /// <summary>Its asset.</summary>
    public int AssetId { get; }

    /// <summary>What works.</summary>
    public AssetBuild Build { get; }

    /// <summary>Ends it early.</summary>
    public CancellationToken Token { get; }

    /// <summary>Number of the run that waits for it and makes it pointless; null where none does.</summary>
    public int? SupersededBy { get; private set; }

    /// <summary>Ends it early.</summary>
    /// <param name="supersededBy">Number of the run that makes it pointless, where one does.</param>
    public async Task CancelAsync(int? supersededBy = null)
    {
        SupersededBy = supersededBy;
        try
        {
            await source.CancelAsync();
        }
        catch (ObjectDisposedException)
        {
            // It ended meanwhile.
        }
    }

    /// <inheritdoc/>
    public void Dispose() => source.Dispose();
}
