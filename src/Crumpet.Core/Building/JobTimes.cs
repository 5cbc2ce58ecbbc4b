using System.Text.Json;
using Crumpet.Core.Jobs;

namespace Crumpet.Core.Building;

/// <summary>How long jobs took on this machine and how much they gave, by kind: what later ones are estimated from.</summary>
/// <param name="store">Where that is kept.</param>
public sealed class JobTimes(IResultStore store)
{
    // What was long ago counts less and less: machines and programs change.
    private const double MostUnits = 500;
    private static readonly string Note = IResultStore.NoteName("job times");

    private readonly Lock gate = new();
    private SortedDictionary<string, KindTime>? times;

    private sealed record KindTime(double Units, double Seconds, double Bytes = 0);

    /// <summary>Seconds a unit of a kind took, or null where none was worked yet.</summary>
    public double? SecondsAUnit(JobKind kind)
    {
        lock (gate)
        {
            times ??= Read();
            return times.TryGetValue(kind.Name, out var time) && time.Units > 0 ? time.Seconds / time.Units : null;
        }
    }

    /// <summary>
    /// Seconds a job is expected to take, or null where none of its kind was worked yet. Of one that waits for others the inputs are not
    /// known, and taken to be small.
    /// </summary>
    public double? SecondsOf(JobNode node) => SecondsAUnit(node.Kind) * node.Kind.Cost(node.Settings, node.Job?.Inputs ?? []);

    /// <summary>Bytes a job is expected to give, or null where none of its kind was worked yet.</summary>
    public double? BytesOf(JobNode node)
    {
        lock (gate)
        {
            times ??= Read();
            return times.TryGetValue(node.Kind.Name, out var time) && time.Units > 0
                ? time.Bytes / time.Units * node.Kind.Cost(node.Settings, node.Job?.Inputs ?? []) : null;
        }
    }

    /// <summary>Learns from jobs that were worked.</summary>
    public void Learn(IEnumerable<(JobKind Kind, double Units, double Seconds, long Bytes)> worked)
    {
        lock (gate)
        {
            times = Read();
            foreach (var group in worked.GroupBy(w => w.Kind.Name))
            {
                var known = times.GetValueOrDefault(group.Key) ?? new KindTime(0, 0);
                double units = known.Units + group.Sum(w => w.Units), seconds = known.Seconds + group.Sum(w => w.Seconds),
                    bytes = known.Bytes + group.Sum(w => w.Bytes);
                double keep = Math.Min(1, MostUnits / Math.Max(units, 1e-9));
                times[group.Key] = new KindTime(units * keep, seconds * keep, bytes * keep);
            }
            store.KeepNote(Note, JsonSerializer.SerializeToUtf8Bytes(times, BuildJson.Options));
        }
    }

    private SortedDictionary<string, KindTime> Read()
    {
        try
        {
            var read = store.FindNote(Note) is { } bytes ? JsonSerializer.Deserialize<Dictionary<string, KindTime>>(bytes, BuildJson.Options) : null;
            return new SortedDictionary<string, KindTime>(read ?? [], StringComparer.Ordinal);
        }
        catch (JsonException)
        {
            // Damaged times are as good as none.
            return new SortedDictionary<string, KindTime>(StringComparer.Ordinal);
        }
    }
}
