using System.Runtime.CompilerServices;
using System.Text.Json;

namespace Crumpet.Core.Building;

/// <summary>A file a step made.</summary>
/// <param name="Name">Its name within the step's result.</param>
/// <param name="Sha256">Of its bytes, lower-case hexadecimal; its name in the store.</param>
/// <param name="Bytes">Its size.</param>
public sealed record StoredFile(string Name, string Sha256, long Bytes);

/// <summary>What a step gave: small facts here, big data in the store.</summary>
/// <param name="Key">Hash of step, version, settings and the keys of its inputs.</param>
/// <param name="Step">Name of the step.</param>
/// <param name="Summary">The step's report.</param>
/// <param name="Files">Files it made.</param>
/// <param name="Findings">What it noticed, worst first.</param>
public sealed record StepResult(string Key, string Step, JsonElement Summary, IReadOnlyList<StoredFile> Files, IReadOnlyList<Finding> Findings)
{
    /// <summary>Whether a finding blocks the station.</summary>
    public bool IsBlocked => Findings.Any(f => f.Severity == Severity.Stop);

    /// <summary>The file of this name.</summary>
    /// <exception cref="KeyNotFoundException">The step made no such file.</exception>
    public StoredFile File(string name) => Files.FirstOrDefault(f => f.Name == name) ?? throw new KeyNotFoundException($"The result of {Step} has no file {name}.");

    // Beside the results, whose equality is that of what they hold.
    private static readonly ConditionalWeakTable<StepResult, object> Reports = [];

    /// <summary>The report as its record; read from its text once.</summary>
    public T Report<T>()
        where T : class => (T)Reports.GetValue(this, static result => result.Summary.Deserialize<T>(BuildJson.Options)!);
}

/// <summary>Where results and big data are kept, by content.</summary>
public interface IResultStore
{
    /// <summary>Whether it outlives this build, so that pieces of bakes are worth keeping for the next one.</summary>
    bool KeepsPieces { get; }

    /// <summary>The result with this key, or null.</summary>
    StepResult? Find(string key);

    /// <summary>Keeps a result whose files are already here.</summary>
    void Save(StepResult result);

    /// <summary>Keeps bytes and gives their SHA-256, lower-case hexadecimal.</summary>
    string Put(byte[] bytes);

    /// <summary>The bytes with this hash.</summary>
    /// <exception cref="FileNotFoundException">They are not here.</exception>
    byte[] Load(string sha256);

    /// <summary>Opens the bytes with this hash for reading; the stream can seek.</summary>
    /// <exception cref="FileNotFoundException">They are not here.</exception>
    Stream Open(string sha256);
}
