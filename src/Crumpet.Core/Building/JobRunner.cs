using System.Collections.Concurrent;
using System.Diagnostics;
using System.Runtime.ExceptionServices;
using System.Text.Json;
using Crumpet.Core.Jobs;

namespace Crumpet.Core.Building;

/// <summary>A job that failed.</summary>
/// <param name="node">Which.</param>
/// <param name="cause">Why.</param>
public sealed class JobFailedException(JobNode node, Exception cause) : Exception($"{node.Name}: {cause.GetBaseException().Message}", cause)
{
    /// <summary>The job.</summary>
    public JobNode Node { get; } = node;
}

/// <summary>Works jobs whose inputs are there: large ones one after another with all threads, small ones side by side.</summary>
/// <param name="store">Where inputs are and results go.</param>
/// <param name="times">Learns how long jobs take; null where nobody wants to know.</param>
/// <param name="cache">Keeps what is decoded.</param>
public sealed class JobRunner(IResultStore store, JobTimes? times, ValueCache cache)
{
    private readonly ConcurrentQueue<(JobKind, double, double, long)> worked = new();

    /// <summary>Takes the keys of jobs while they are worked.</summary>
    internal ConcurrentDictionary<string, Station> AtWork { get; init; } = new(StringComparer.Ordinal);

    /// <summary>Works jobs. Those that fail are told; the others are worked all the same.</summary>
    /// <param name="nodes">Jobs that are known and have no result.</param>
    /// <param name="threads">Threads to use, at least 1; no result depends on it.</param>
    /// <param name="progress">Told the job that is at work and how much of it is done, 0 to 1.</param>
    /// <param name="done">Told of each job that is done, with its result.</param>
    /// <param name="cancel">Ends the work early; what is done is kept, nothing half done is.</param>
    /// <returns>Jobs that failed.</returns>
    public IReadOnlyList<JobFailedException> Work(
        IReadOnlyList<JobNode> nodes, int threads, Action<JobNode, Progress>? progress, Action<JobNode, JobResult> done, CancellationToken cancel)
    {
        var failed = new ConcurrentQueue<JobFailedException>();
        // Two places of the graph may ask for the same work.
        var distinct = nodes.DistinctBy(n => n.Job!.Key).ToArray();
        var together = distinct.GroupBy(n => n.Kind.TogetherBy(n.Settings) is { } by ? $"{n.Kind.Name} {by}" : n.Job!.Key).Select(g => g.ToArray()).ToArray();
        var large = together.Where(g => g.Any(n => n.Kind.UsesThreads(n.Job!.Inputs))).ToArray();
        try
        {
            var small = together.Except(large).OrderByDescending(g => g.Sum(Expected)).ToArray();
            Parallel.ForEach(
                Partitioner.Create(small, EnumerablePartitionerOptions.NoBuffering),
                    new ParallelOptions { MaxDegreeOfParallelism = threads, CancellationToken = cancel },
                group => Try(group, 1, progress, done, failed, cancel));
            foreach (var group in large.OrderByDescending(g => g.Sum(Expected)))
                Try(group, threads, progress, done, failed, cancel);
        }
        catch (AggregateException e) when (e.InnerExceptions.OfType<OperationCanceledException>().FirstOrDefault() is { } ended)
        {
            ExceptionDispatchInfo.Throw(ended);
        }
        finally
        {
            if (!worked.IsEmpty)
                times?.Learn(worked);
            worked.Clear();
        }
        return [.. failed.OrderBy(f => f.Node.Name, StringComparer.Ordinal)];
    }

    /// <summary>Seconds a job may take; where nothing is known yet, what its kind guesses.</summary>
    public double Expected(JobNode node) => times?.SecondsOf(node) ?? node.Kind.Cost(node.Settings, node.Job?.Inputs ?? []) * node.Kind.SecondsAUnit;

    private void Try(
        JobNode[] group, int threads, Action<JobNode, Progress>? progress, Action<JobNode, JobResult> done, ConcurrentQueue<JobFailedException> failed,
            CancellationToken cancel)
    {
        cancel.ThrowIfCancellationRequested();
        var kind = group[0].Kind;
        var ended = new bool[group.Length];
        var given = new long[group.Length];
        var watch = Stopwatch.StartNew();
        double all = group.Sum(n => kind.Cost(n.Settings, n.Job!.Inputs));
        foreach (var node in group)
            AtWork[node.Job!.Key] = node.Station;
        try
        {
            progress?.Invoke(group[0], new Progress(0, "starting"));
            var context = new JobContext(threads, BuildJson.Options, progress is null ? null : new Told(group[0], progress), cancel);
            kind.Work([.. group.Select(n => new JobRequest(n.Settings, new JobInputs(n.Job!.Inputs, store, cache)))], context, (i, output) =>
            {
                double share = kind.Cost(group[i].Settings, group[i].Job!.Inputs) / all;
                ended[i] = true;
                AtWork.TryRemove(group[i].Job!.Key, out _);
                given[i] = output.Files.Sum(f => (long)f.Bytes.Length);
                done(group[i], Keep(group[i].Job!, output, watch.Elapsed.TotalSeconds * share));
            });
            for (int i = 0; i < group.Length; i++)
            {
                double units = kind.Cost(group[i].Settings, group[i].Job!.Inputs);
                worked.Enqueue((kind, units, watch.Elapsed.TotalSeconds * units / all, given[i]));
            }
        }
        catch (Exception e) when (cancel.IsCancellationRequested && IsEnding(e))
        {
            // Loops side by side wrap what ended them; that is no failure.
            throw new OperationCanceledException(e.Message, e, cancel);
        }
        catch (Exception e)
        {
            foreach (int i in Enumerable.Range(0, group.Length).Where(i => !ended[i]))
                failed.Enqueue(new JobFailedException(group[i], e));
        }
        finally
        {
            foreach (var node in group)
                AtWork.TryRemove(node.Job!.Key, out _);
        }
    }

    private static bool IsEnding(Exception e) => e is OperationCanceledException
        || (e is AggregateException all && all.Flatten().InnerExceptions.All(IsEnding));

    /// <summary>Works a job once more, as its data is gone.</summary>
    internal void Again(Job job, JobKind kind, CancellationToken cancel)
    {
        object settings = JsonSerializer.Deserialize(job.Settings, kind.Settings, BuildJson.Options)!;
        var context = new JobContext(Environment.ProcessorCount, BuildJson.Options, null, cancel);
        var watch = Stopwatch.StartNew();
        kind.Work([new JobRequest(settings, new JobInputs(job.Inputs, store, cache))], context, (_, output) => Keep(job, output, watch.Elapsed.TotalSeconds));
    }

    private JobResult Keep(Job job, JobOutput output, double seconds)
    {
        var files = new List<StoredFile>();
        foreach (var (name, bytes, pieces) in output.Files)
        {
            string hash = store.Put(bytes);
            files.Add(new StoredFile(name, hash, bytes.Length));
            if (pieces is not null)
                files.AddRange(pieces.Select(p => p with { Within = hash }));
        }
        var result = new JobResult(job.Key, job.Kind, JsonSerializer.SerializeToElement(output.Report, output.Report.GetType(), BuildJson.Options), files,
            output.Findings)
        {
            Job = job,
            Seconds = seconds,
        };
        store.Save(result);
        return result;
    }

    private sealed class Told(JobNode node, Action<JobNode, Progress> to) : IProgress<Progress>
    {
        public void Report(Progress value) => to(node, value);
    }
}
