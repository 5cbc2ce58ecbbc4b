using System.ComponentModel;
using System.Text.Json.Serialization;
using Crumpet.Core.Checking;
using Crumpet.Core.Jobs;

namespace Crumpet.Core.Building;

/// <summary>What a station shows: its report, its files by name, and what was noticed.</summary>
internal sealed record StationContent(object Report, IReadOnlyList<StoredFile> Files, IEnumerable<Finding> Findings);

/// <summary>Drafts of a station's result.</summary>
/// <param name="Steps">How coarse each is, the coarsest first; 0 would be the full result.</param>
/// <param name="Share">About what each takes of all the work.</param>
/// <param name="Of">How coarse a draft a plan asks for; 0 for the full result.</param>
/// <param name="At">The same plan for a draft.</param>
internal sealed record StationDrafts(IReadOnlyList<int> Steps, double Share, Func<AssetPlan, int> Of, Func<AssetPlan, int, AssetPlan> At)
{
    /// <summary>Whether there is so much to work that drafts are worth their time.</summary>
    public required Func<AssetBuild, bool> AreWorthIt { get; init; }

    /// <summary>Whether after a draft with this result finer ones would be no better.</summary>
    public Func<StationResult, bool> IsEnough { get; init; } = static _ => false;
}

/// <summary>Report of a station that has nothing to do.</summary>
/// <param name="Because">Why, one sentence.</param>
public sealed record PassedReport(string Because);

/// <summary>A stop of the line: all that is known of it. The stations there are stand in Stations.cs.</summary>
[JsonConverter(typeof(EntryJson<Station>)), TypeConverter(typeof(EntryText<Station>))]
public sealed partial class Station : IEntry<Station>
{
    /// <inheritdoc/>
    public required string Word { get; init; }

    /// <summary>Name in the interface.</summary>
    public required string Label { get; init; }

    /// <summary>What is done there, one sentence.</summary>
    public required string Does { get; init; }

    /// <summary>What is said where it has nothing to do, one sentence.</summary>
    public string NothingToDo { get; init; } = "There is nothing to do here.";

    /// <summary>Kinds of its jobs, in the order they are listed; a station without any is passed by every asset.</summary>
    public IReadOnlyList<JobKind> Kinds { get; init; } = [];

    /// <summary>Stations whose results tell its jobs.</summary>
    internal IReadOnlyList<Station> After { get; init; } = [];

    /// <summary>Lists its jobs; says whether all could be listed.</summary>
    internal Func<AssetGraph, bool> Expand { get; init; } = static _ => true;

    /// <summary>Puts the results of its jobs together.</summary>
    internal Func<StationResults, StationContent> Assemble { get; init; } = static _ => new StationContent(new object(), [], []);

    /// <summary>Type of its report.</summary>
    public Type Report { get; init; } = typeof(PassedReport);

    /// <summary>Settings of a plan that are its own: paths, or what paths begin with.</summary>
    public IReadOnlyList<string> Settings { get; init; } = [];

    /// <summary>Settings of other stations that its ticket shows too.</summary>
    public IReadOnlyList<string> AlsoShows { get; init; } = [];

    /// <summary>Drafts of its result that are there before it; null where there are none.</summary>
    internal StationDrafts? Drafts { get; init; }

    /// <summary>Place on the line, from 1.</summary>
    public int Number => Table.IndexOf(this) + 1;

    /// <summary>Whether the ticket shows a setting.</summary>
    /// <param name="path">Names of the fields that lead to it, with points between.</param>
    public bool Shows(string path) => OfSetting(path) == this || AlsoShows.Contains(path);

    /// <summary>The station a setting belongs to; null where it is none's.</summary>
    /// <param name="path">Names of the fields that lead to it, with points between.</param>
    public static Station? OfSetting(string path) =>
        Table.All.FirstOrDefault(s => s.Settings.Any(own => path == own || path.StartsWith(own + ".", StringComparison.Ordinal)));

    /// <summary>All stations up to one, in the order of the line.</summary>
    public static IEnumerable<Station> UpTo(Station last) => Table.All.Where(s => s.Number <= last.Number);

    /// <inheritdoc/>
    public override string ToString() => Label;
}
