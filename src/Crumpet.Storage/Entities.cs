using System.ComponentModel.DataAnnotations.Schema;
using Crumpet.Core;
using Crumpet.Core.Building;
using Crumpet.Core.Intake;

namespace Crumpet.Storage;

/// <summary>A set of assets that share rules, <see cref="IntakeRules"/> as JSON.</summary>
public sealed class Kit
{
    public int Id { get; set; }
    public required string Name { get; set; }
    public DateTime? ArchivedAt { get; set; }
    public string? RulesJson { get; set; }

    /// <summary>What all its assets are decided by where they say nothing else, an <see cref="AssetPlan"/> as JSON; null for the defaults.</summary>
    public string? PlanJson { get; set; }

    /// <summary>Grows with every change.</summary>
    public int Version { get; set; }
    public List<Asset> Assets { get; set; } = [];
}

/// <summary>One thing to deliver. What the artist decided otherwise than the kit is in the plan, as <see cref="PlanLayers"/> writes it.</summary>
public sealed class Asset
{
    public int Id { get; set; }
    public int KitId { get; set; }
    public Kit? Kit { get; set; }
    public required string Name { get; set; }
    public required string PlanJson { get; set; }

    /// <summary>Grows with every change of what was decided; a change says which it was made on.</summary>
    public int Version { get; set; }
    public DateTime? ArchivedAt { get; set; }
    public List<Decision> Decisions { get; set; } = [];
    public List<AssetSource> Sources { get; set; } = [];
    public List<StationMark> Marks { get; set; } = [];
    public List<FindingRow> Findings { get; set; } = [];
    public List<Delivery> Deliveries { get; set; } = [];

    /// <summary>The assets whose textures its materials take, as <see cref="AssetExtensions.LoadSharedAsync"/> loads them.</summary>
    [NotMapped]
    public IReadOnlyList<Asset> Shared { get; set; } = [];
}

/// <summary>A version of a source file; the bytes are in the file store. Older versions are kept.</summary>
public sealed class AssetSource
{
    public int Id { get; set; }
    public int AssetId { get; set; }
    public required string Name { get; set; }
    public required string Sha256 { get; set; }
    public long Bytes { get; set; }
    public Side? ForcedSide { get; set; }
    public int Version { get; set; }
    public bool IsCurrent { get; set; }
    public DateTime AddedAt { get; set; }
}

/// <summary>
/// Something the artist decided for an asset; taken back and repeated by <see cref="History"/>. The change is a <see cref="JsonDelta"/>
/// between two <see cref="AssetState"/>s.
/// </summary>
public sealed class Decision
{
    public int Id { get; set; }
    public int AssetId { get; set; }
    public int Number { get; set; }
    public DateTime At { get; set; }
    public required string Sentence { get; set; }
    public required string ChangeJson { get; set; }
    public bool IsUndone { get; set; }
}

/// <summary>The key of the last result a station gave: what tells stale from never done.</summary>
public sealed class StationMark
{
    public int AssetId { get; set; }
    public required Station Station { get; set; }
    public required string Key { get; set; }
    public DateTime FinishedAt { get; set; }
    public double Seconds { get; set; }
}

/// <summary>A finding of a station's last result.</summary>
public sealed class FindingRow
{
    public int Id { get; set; }
    public int AssetId { get; set; }
    public required Station Station { get; set; }
    public int Order { get; set; }
    public Severity Severity { get; set; }
    public required string Code { get; set; }
    public required string Place { get; set; }
    public required string Sentence { get; set; }
    public int Count { get; set; }
}

/// <summary>How a run stands.</summary>
public enum RunState
{
    Queued,
    Running,
    Done,
    Blocked,
    Failed,
    Cancelled,
}

/// <summary>One piece of background work: an asset is taken up to a station.</summary>
public sealed class Run
{
    public int Id { get; set; }
    public int AssetId { get; set; }
    public Asset? Asset { get; set; }
    public Station UpTo { get; set; } = Station.Deliver;
    public RunState State { get; set; }
    public Station Station { get; set; } = Station.Intake;
    public string Message { get; set; } = "";

    /// <summary>Jobs it worked and kept, a <see cref="JobTally"/> as JSON; null while that is not known.</summary>
    public string? JobsJson { get; set; }
    public DateTime QueuedAt { get; set; }

    /// <summary>How often it was begun without coming to an end; a process that dies takes its run with it.</summary>
    public int Starts { get; set; }
    public DateTime? StartedAt { get; set; }
    public DateTime? EndedAt { get; set; }
    public List<RunLogEntry> Log { get; set; } = [];
}

/// <summary>A line of a run's log.</summary>
public sealed class RunLogEntry
{
    public int Id { get; set; }
    public int RunId { get; set; }
    public DateTime At { get; set; }
    public required string Text { get; set; }
}

/// <summary>One numbered, unchangeable export; the zip is in the file store.</summary>
public sealed class Delivery
{
    public int Id { get; set; }
    public int AssetId { get; set; }
    public int Number { get; set; }
    public required string Key { get; set; }
    public required string FileName { get; set; }
    public required string Sha256 { get; set; }
    public long Bytes { get; set; }
    public DateTime CreatedAt { get; set; }

    /// <summary>The target it was made for, whole; null for deliveries of earlier versions.</summary>
    public string? TargetJson { get; set; }
}
