using Crumpet.Core.Jobs;

namespace Crumpet.Core.Building;

/// <summary>What a station's jobs gave together, with the names files go by: what pages and commands show.</summary>
/// <param name="Station">Which.</param>
/// <param name="Key">Made of the keys of its jobs and the names of its files: equal where both are.</param>
/// <param name="Report">Its report, of the station's own type.</param>
/// <param name="Files">Its files by name.</param>
/// <param name="Findings">What was noticed, worst first.</param>
public sealed record StationResult(Station Station, string Key, object Report, IReadOnlyList<StoredFile> Files, IReadOnlyList<Finding> Findings)
{
    /// <summary>Whether a finding blocks the station.</summary>
    public bool IsBlocked => Findings.Any(f => f.Severity == Severity.Stop);

    /// <summary>The file of this name.</summary>
    /// <exception cref="KeyNotFoundException">The station made no such file.</exception>
    public StoredFile File(string name) => Files.FirstOrDefault(f => f.Name == name) ?? throw new KeyNotFoundException($"{Station} made no file {name}.");

    /// <summary>Its report as its type.</summary>
    public T As<T>()
        where T : class => (T)Report;

    /// <summary>Whether the station has nothing to do.</summary>
    public bool IsPassed => Report is PassedReport;

    /// <summary>The result of a station without jobs of any kind.</summary>
    public static StationResult Passed(Station station) => new(station, "passed", new PassedReport(station.NothingToDo), [], []);
}
