using Crumpet.Core.Geometry;
using Crumpet.Core.Targets;

namespace Crumpet.Core.Intake;

/// <summary>What is decided that findings of Intake are judged by; none of it changes what is taken in.</summary>
/// <param name="Pattern">Pattern by which object names are read.</param>
/// <param name="Mends">The asset's mends.</param>
/// <param name="Rules">What the kit's assets share.</param>
/// <param name="Limits">What the target holds textures to.</param>
/// <param name="NeedsNoHigh">Whether no high side is missed.</param>
/// <param name="Files">Names of all files.</param>
internal sealed record IntakeMeasures(string Pattern, IReadOnlyList<Mend> Mends, IntakeRules Rules, TextureLimits Limits, bool NeedsNoHigh,
    IReadOnlyList<string> Files);

/// <summary>Everything that findings are drawn from: what was measured, and what was decided.</summary>
/// <param name="report">What the station reports.</param>
/// <param name="facts">What was measured beside it.</param>
/// <param name="settings">What was decided.</param>
internal sealed class IntakeLook(IntakeReport report, IntakeFacts facts, IntakeMeasures settings)
{
    // So many objects need no list where they are all there are.
    private const int MostListed = 500;

    public IntakeReport Report { get; } = report;
    public IntakeFacts Facts { get; } = facts;
    public IntakeMeasures Settings { get; } = settings;

    /// <summary>How names are read.</summary>
    public NameReader Names { get; } = NameReader.Create(settings.Pattern, settings.Rules.Names);

    /// <summary>One an object.</summary>
    public IReadOnlyList<ObjectReport> Rows => Report.Objects;

    /// <summary>Box of all objects that are not aside.</summary>
    public Bounds Whole { get; } = report.Objects.Where(r => r.Side != Side.Aside).Aggregate(Bounds.Empty, (b, r) => b.Including(r.Bounds()));

    /// <summary>Mends of the kit, then of the asset.</summary>
    public IEnumerable<Mend> Mends => Settings.Rules.Mends.Concat(Settings.Mends);

    /// <summary>Numbers of the objects of a side.</summary>
    public IEnumerable<int> Of(Side side) => Enumerable.Range(0, Rows.Count).Where(i => Rows[i].Side == side);

    /// <summary>Numbers of all objects that are used.</summary>
    public IEnumerable<int> Used => Enumerable.Range(0, Rows.Count).Where(i => Rows[i].Side != Side.Aside);

    /// <summary>How many of a flaw an object has.</summary>
    public int Count(int number, FlawKind flaw) => Facts.Objects[number].Flaws.FirstOrDefault(f => f.Kind == flaw)?.Count ?? 0;

    /// <summary>One finding for all objects with a flaw, placed at the worst.</summary>
    /// <param name="severity">How much it matters.</param>
    /// <param name="code">Kind of finding.</param>
    /// <param name="among">Objects looked at.</param>
    /// <param name="flaw">The flaw.</param>
    /// <param name="sentence">From how many and where to one sentence.</param>
    /// <param name="offers">Mends from the objects' source names.</param>
    public IEnumerable<Finding> Flawed(Severity severity, string code, IEnumerable<int> among, FlawKind flaw, Func<int, string, string> sentence,
        Func<IReadOnlyList<string>, IReadOnlyList<MendOffer>>? offers = null)
    {
        int[] hit = [.. among.Where(i => Count(i, flaw) > 0).OrderByDescending(i => Count(i, flaw))];
        if (hit.Length == 0)
            yield break;
        int total = hit.Sum(i => Count(i, flaw));
        yield return new Finding(severity, code, Rows[hit[0]].Name, sentence(total, NamesOf(hit)), total)
        {
            Spot = Facts.Objects[hit[0]].Flaws.First(f => f.Kind == flaw).Spot,
            Mends = offers?.Invoke(Sources(hit)) ?? [],
        };
    }

    /// <summary>One finding for all objects of which something holds.</summary>
    public IEnumerable<Finding> Such(Severity severity, string code, IEnumerable<int> which, Func<int, string, string> sentence,
        Func<IReadOnlyList<string>, IReadOnlyList<MendOffer>>? offers = null)
    {
        int[] hit = [.. which];
        if (hit.Length > 0)
            yield return new Finding(severity, code, Rows[hit[0]].Name, sentence(hit.Length, NamesOf(hit)),
                hit.Length)
            { Spot = SpotOf(hit[0]), Mends = offers?.Invoke(Sources(hit)) ?? [] };
    }

    /// <summary>Names of objects, of many the first three.</summary>
    public string NamesOf(IReadOnlyList<int> objects) => objects.Count <= 3
        ? string.Join(objects.Count == 2 ? " and " : ", ", objects.Select(i => Rows[i].Name))
        : $"{string.Join(", ", objects.Take(3).Select(i => Rows[i].Name))} and {objects.Count - 3} more";

    /// <summary>Source names, by which mends know objects; all of a file's objects need no list.</summary>
    public IReadOnlyList<string> Sources(IReadOnlyList<int> objects) =>
        objects.Count > MostListed && objects.Count == Rows.Count ? [] : [.. objects.Select(i => Rows[i].SourceName).Distinct(StringComparer.Ordinal)];

    /// <summary>The place of an object.</summary>
    public Spot SpotOf(int number) => IntakeMeasure.Around(Rows[number].Bounds());
}
