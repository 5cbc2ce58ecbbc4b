using System.Text.Json;

namespace Crumpet.Core.Jobs;

/// <summary>A job to be worked.</summary>
/// <param name="Settings">What it is told, of the kind's own type.</param>
/// <param name="Inputs">What it takes.</param>
public sealed record JobRequest(object Settings, JobInputs Inputs);

/// <summary>What a kind has to work with.</summary>
/// <param name="Threads">Threads to use, at least 1; no result depends on it.</param>
/// <param name="Json">How facts that another job takes are written.</param>
/// <param name="Progress">Told often.</param>
/// <param name="Cancel">Ends the work early.</param>
public sealed record JobContext(int Threads, JsonSerializerOptions Json, IProgress<Progress>? Progress, CancellationToken Cancel)
{
    /// <summary>Facts as bytes.</summary>
    public byte[] Write<T>(T facts) => JsonSerializer.SerializeToUtf8Bytes(facts, Json);

    /// <summary>Facts from what <see cref="Write"/> gave.</summary>
    public T Read<T>(byte[] bytes) => JsonSerializer.Deserialize<T>(bytes, Json)!;
}

/// <summary>
/// A kind of job: a pure function from settings and the contents of inputs to files, facts and findings. No clock, no names of assets,
/// no store. Its version grows whenever the same input gives other files or facts.
/// </summary>
/// <param name="name">Name, part of every key.</param>
/// <param name="version">Version, part of every key.</param>
/// <param name="settings">Type of its settings: an immutable record that holds exactly what the kind reads.</param>
public abstract class JobKind(string name, int version, Type settings)
{
    /// <summary>Name, part of every key.</summary>
    public string Name { get; } = name;

    /// <summary>Version, part of every key.</summary>
    public int Version { get; } = version;

    /// <summary>Type of its settings.</summary>
    public Type Settings { get; } = settings;

    /// <summary>What working it is, in a few words that follow "3 of": a plural.</summary>
    public abstract string Words { get; }

    /// <summary>Whether a job is worth all threads; small ones are worked side by side.</summary>
    public virtual bool UsesThreads(IReadOnlyList<StoredFile> inputs) => false;

    /// <summary>What time grows with, in units of its own.</summary>
    /// <param name="settings">The job's settings.</param>
    /// <param name="inputs">The job's inputs.</param>
    public virtual double Cost(object settings, IReadOnlyList<StoredFile> inputs) => 1;

    /// <summary>Seconds a unit takes before any was worked here; only the length of a progress bar goes by it.</summary>
    public virtual double SecondsAUnit => 0.05;

    /// <summary>What jobs must have in common to be worked together; null where each is worked by itself.</summary>
    public virtual string? TogetherBy(object settings) => null;

    /// <summary>Works jobs that have <see cref="TogetherBy"/> in common, or one.</summary>
    /// <param name="jobs">The jobs.</param>
    /// <param name="context">What there is to work with.</param>
    /// <param name="done">Takes what a job gave, by its number, as soon as it is there.</param>
    public abstract void Work(IReadOnlyList<JobRequest> jobs, JobContext context, Action<int, JobOutput> done);
}

/// <summary>A kind whose jobs are worked one by one.</summary>
/// <typeparam name="TSettings">Type of its settings.</typeparam>
/// <param name="name">Name, part of every key.</param>
/// <param name="version">Version, part of every key.</param>
public abstract class JobKind<TSettings>(string name, int version) : JobKind(name, version, typeof(TSettings))
    where TSettings : class
{
    /// <inheritdoc/>
    public sealed override double Cost(object settings, IReadOnlyList<StoredFile> inputs) => Cost((TSettings)settings, inputs);

    /// <inheritdoc/>
    public sealed override void Work(IReadOnlyList<JobRequest> jobs, JobContext context, Action<int, JobOutput> done)
    {
        for (int i = 0; i < jobs.Count; i++)
            done(i, Work((TSettings)jobs[i].Settings, jobs[i].Inputs, context));
    }

    /// <summary>What time grows with, in units of its own.</summary>
    protected virtual double Cost(TSettings settings, IReadOnlyList<StoredFile> inputs) => 1;

    /// <summary>Works one job.</summary>
    protected abstract JobOutput Work(TSettings settings, JobInputs inputs, JobContext context);
}
