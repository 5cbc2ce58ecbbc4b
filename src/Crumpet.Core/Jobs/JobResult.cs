using System.Runtime.CompilerServices;
using System.Text.Json;

namespace Crumpet.Core.Jobs;

/// <summary>What a job gave: small facts here, big data in the store.</summary>
/// <param name="Key">Key of the job.</param>
/// <param name="Kind">Its kind.</param>
/// <param name="Summary">Facts for whoever looks; what another job takes is a file.</param>
/// <param name="Files">What it made, by role.</param>
/// <param name="Findings">What it noticed.</param>
public sealed record JobResult(string Key, string Kind, JsonElement Summary, IReadOnlyList<StoredFile> Files, IReadOnlyList<Finding> Findings)
{
    /// <summary>The job, so that a later one can be told from it; null where it was kept by itself.</summary>
    public Job? Job { get; init; }

    /// <summary>How long it took, seconds; part of no key.</summary>
    public double Seconds { get; init; }

    private const int FewFiles = 16;
    private static readonly ConditionalWeakTable<JobResult, Dictionary<string, StoredFile>> Indices = [];

    // Beside the results, whose equality is that of what they hold.
    private static readonly ConditionalWeakTable<JobResult, object> Reports = [];

    /// <summary>The file of this role, or null.</summary>
    public StoredFile? Find(string name)
    {
        // A scene has a file for each piece of each of thousands of objects.
        if (Files.Count > FewFiles)
            return Indices.GetValue(this, static r => r.Files.ToDictionary(f => f.Name, StringComparer.Ordinal)).GetValueOrDefault(name);
        foreach (var file in Files)
        {
            if (file.Name == name)
                return file;
        }
        return null;
    }

    /// <summary>The file of this role.</summary>
    /// <exception cref="KeyNotFoundException">The job made no such file.</exception>
    public StoredFile File(string name) => Find(name) ?? throw new KeyNotFoundException($"The result of {Kind} has no file {name}.");

    /// <summary>The facts as their record; read from their text once.</summary>
    /// <param name="json">How they were written.</param>
    public T Report<T>(JsonSerializerOptions json)
        where T : class => (T)Reports.GetValue(this, result => result.Summary.Deserialize<T>(json)!);
}
