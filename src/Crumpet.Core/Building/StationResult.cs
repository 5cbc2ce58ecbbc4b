using Crumpet.Core.Binding;
using Crumpet.Core.Intake;
using Crumpet.Core.Jobs;
using Crumpet.Core.Layout;
using Crumpet.Core.Pairing;

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

    /// <summary>Type of a station's report.</summary>
    public static Type ReportOf(Station station) => station switch
    {
        Station.Intake => typeof(IntakeReport),
        Station.Pairs => typeof(PairReport),
        Station.Layout => typeof(LayoutReport),
        Station.Bake => typeof(BakeReport),
        Station.Pack => typeof(PackReport),
        Station.Convert => typeof(ConvertReport),
        Station.Bind => typeof(BindReport),
        Station.Deliver => typeof(DeliverReport),
        _ => throw new ArgumentOutOfRangeException(nameof(station)),
    };
}
