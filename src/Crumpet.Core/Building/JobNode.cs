using System.Text.Json;
using Crumpet.Core.Jobs;

namespace Crumpet.Core.Building;

/// <summary>A file a job takes: known, or still to be made by another job.</summary>
/// <param name="File">The file, where it is known.</param>
/// <param name="From">The job that makes it, where it is not.</param>
public readonly record struct JobFile(StoredFile? File, JobNode? From)
{
    /// <summary>A file that was there from the start.</summary>
    public static implicit operator JobFile(StoredFile file) => new(file, null);
}

/// <summary>A job in the graph of an asset, as far as it is known.</summary>
public sealed class JobNode
{
    internal JobNode(Station station, JobKind kind, string label, object settings, IReadOnlyList<(string Role, JobFile File)> inputs,
        Func<string, JobResult?> find)
    {
        (Station, Kind, Label, Settings) = (station, kind, label, settings);
        WaitsFor = [.. inputs.Select(i => i.File.From).OfType<JobNode>().Distinct()];
        if (WaitsFor.Count > 0)
            return;
        Job = new Job(kind.Name, kind.Version, JsonSerializer.Serialize(settings, kind.Settings, BuildJson.Options),
            [.. inputs.Select(i => i.File.File! with { Name = i.Role })]);
        Result = find(Job.Key);
    }

    /// <summary>Station it belongs to.</summary>
    public Station Station { get; }

    /// <summary>Its kind.</summary>
    public JobKind Kind { get; }

    /// <summary>What it is about, the same from graph to graph of an asset: with its kind it names the job.</summary>
    public string Label { get; }

    /// <summary>What it is told.</summary>
    public object Settings { get; }

    /// <summary>Jobs whose results it takes and that are not there yet.</summary>
    public IReadOnlyList<JobNode> WaitsFor { get; }

    /// <summary>The job; null while an input is not known.</summary>
    public Job? Job { get; }

    /// <summary>Its result; null where it was not worked.</summary>
    public JobResult? Result { get; }

    /// <summary>Name of the job within the asset.</summary>
    public string Name => Label.Length > 0 ? $"{Kind.Name} {Label}" : Kind.Name;

    /// <summary>The facts of its result; null where it was not worked.</summary>
    public T? Report<T>()
        where T : class => Result?.Report<T>(BuildJson.Options);

    /// <summary>A file of its result.</summary>
    public JobFile this[string role] => Result is null ? new JobFile(null, this) : new JobFile(Result.File(role), null);

    /// <summary>Whether its result is there and has a file.</summary>
    public bool Has(string role) => Result?.Find(role) is not null;
}
