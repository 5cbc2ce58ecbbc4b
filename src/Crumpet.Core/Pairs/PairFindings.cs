using System.Globalization;
using Crumpet.Core.Intake;

namespace Crumpet.Core.Pairs;

/// <summary>What is wrong with pairs and trays, and what helps.</summary>
internal static class PairFindings
{
    private const double PoorFit = 0.9;

    public static IEnumerable<Finding> Of(PairRules rules, PairReport report)
    {
        if (rules.NeedsNoHigh && report.Parts.All(r => r.High.Count == 0))
        {
            yield return new Finding(Severity.Note, "no-high", "",
                $"There is no {(report.Parts.Count == 0 ? "mesh" : "high side")}: nothing is baked, and textures go on to Pack as they came.");
            yield break;
        }
        if (report.Parts.Count == 0)
            yield return new Finding(Severity.Stop, "nothing-to-pair", "", "There is no low and no high object; drop meshes at Intake.");
        else if (!report.Paired.Any())
            yield return new Finding(Severity.Stop, "no-pair", "",
                $"No low object has a high one of the same part; name them by {rules.Match.Names.Convention.Pattern}.");
        foreach (var f in Unpaired(rules, report).Concat(Fits(rules, report)).Concat(Cages(report)).Concat(Together(rules, report))
            .Concat(Forgotten(rules, report)))
            yield return f;
    }

    private static IEnumerable<Finding> Unpaired(PairRules rules, PairReport report)
    {
        var objects = rules.Match.Objects;
        foreach (var row in report.Parts.Where(r => !r.IsPaired))
        {
            bool isLow = row.Low.Count > 0;
            var numbers = isLow ? row.Low : row.High;
            string name = objects[numbers[0]].Name, lacks = isLow ? "high" : "low";
            var best = report.Suggestions.FirstOrDefault(s => numbers.Contains(isLow ? s.Low : s.High));
            // Of two that suggest each other it is told once.
            if (!isLow && best is not null && report.Parts.Any(r => !r.IsPaired && r.Low.Contains(best.Low))
                && report.Suggestions.First(s => s.Low == best.Low) == best)
                continue;
            string otherName = best is null ? "" : objects[isLow ? best.High : best.Low].Name;
            string sentence = best is null
                ? $"{name} has no {lacks} side; add an object {rules.Match.Names.Write(row.Name, isLow ? Side.High : Side.Low)} or put {name} aside."
                : string.Create(CultureInfo.InvariantCulture, $"{name} has no {lacks} side; {otherName} {Why(best)}.");
            yield return new Finding(Severity.Stop, best is not null && DiffersInCase(objects[best.Low], objects[best.High]) ? "case-only" : isLow
                ? "low-without-high" : "high-without-low", name, sentence, 1)
            {
                Spot = SpotOf(objects[numbers[0]]),
                Mends =
                [
                    .. report.Suggestions.Where(s => numbers.Contains(isLow ? s.Low : s.High)).Take(2)
                        .Select(s => new MendOffer($"Rename {objects[s.Rename].Name} to {s.NewName}", s.IsClear && s.Score >= Suggester.Bar,
                        report.MendOf(s, objects))),
                    new MendOffer("Put aside", false, new SetSide(
                        Side.Aside) { File = objects[numbers[0]].File,
                        Objects = [.. numbers.Select(i => objects[i].SourceName).Distinct(StringComparer.Ordinal)] }),
                ],
            };
        }
    }

    private static string Why(Suggestion s) =>
        string.Create(CultureInfo.InvariantCulture, $"fits it {s.ShapeScore:0 %} by shape and {s.NameScore:0 %} by name")
        .Replace(" %", "\u00a0%", StringComparison.Ordinal);

    private static bool DiffersInCase(ObjectReport one, ObjectReport two) =>
        one.Part != two.Part && string.Equals(one.Part, two.Part, StringComparison.OrdinalIgnoreCase);

    private static IEnumerable<Finding> Fits(PairRules rules, PairReport report)
    {
        foreach (var row in report.Paired.Where(r => r.Fit is { Share: < PoorFit }))
        {
            yield return new Finding(Severity.Warn, "poor-fit", row.Name, string.Create(
                CultureInfo.InvariantCulture,
                $"Only {100 * row.Fit!.Share:0.0} % of the low surface of {row.Name} has high surface within "
                    + $"{Lengths.Millimetres(row.Fit.Within.OutwardReachMetres)} outward and {Lengths.Millimetres(row.Fit.Within.InwardReachMetres)} inward; "
                    + $"{(row.OutwardIsFitted ? "" : "widen its reach, or ")}look whether the two belong together."),
                    (int)(100 * (1 - row.Fit.Share)))
            {
                Spot = SpotOf(rules.Match.Objects[row.Low[0]]),
            };
        }
    }

    private static IEnumerable<Finding> Cages(PairReport report)
    {
        foreach (var row in report.Paired.Where(r => r.Cage is not null))
        {
            var cage = row.Cage!;
            if (cage.Problem.Length > 0)
                yield return new Finding(Severity.Warn, "cage-mismatch", row.Name,
                    $"{row.Name} {cage.Problem}, so its rays start at the outward reach; export the cage with the low object's faces in their order.", 1);
            if (cage.Outside > 0)
            {
                yield return new Finding(Severity.Warn, "outside-cage", row.Name, string.Create(
                    CultureInfo.InvariantCulture,
                    $"{cage.Outside} high vertices of {row.Name} stand up to {Lengths.Millimetres(cage.OutsideMetres)} outside its cage, so rays start below "
                        + $"them; {(cage.Kind == CageKind.Reach ? "fit the cage or widen the outward reach" : "raise the cage there")}."), cage.Outside)
                {
                    Spot = SpotAt(cage.OutsideAt!),
                };
            }
            if (cage.Kind != CageKind.Reach && cage.Crossings > 0)
            {
                yield return new Finding(Severity.Note, "cage-crosses", row.Name,
                    $"{cage.Crossings} triangles of the cage of {row.Name} cross each other or turn inside out; rays there can see what belongs to a "
                    + $"neighbouring face.", cage.Crossings)
                {
                    Spot = SpotAt(cage.CrossingAt!),
                };
            }
        }
    }

    private static Spot SpotAt(float[] at) => new(at[0], at[1], at[2], 0.03f);

    /// <summary>Parts in contact on one tray.</summary>
    private static IEnumerable<Finding> Together(PairRules rules, PairReport report)
    {
        var bad = report.Contacts.Where(c => c.Touches && report.Parts[c.One].Tray == report.Parts[c.Two].Tray).ToArray();
        if (bad.Length == 0)
            yield break;
        if (rules.Mode == TrayMode.One)
        {
            yield return new Finding(Severity.Warn, "contact-on-tray", report.Parts[bad[0].One].Name,
                $"All parts are on one tray, and {Many(bad.Length, "pair")} of them {(bad.Length == 1 ? "is" : "are")} in contact, "
                + $"{report.Parts[bad[0].One].Name} with {report.Parts[bad[0].Two].Name} first; their surfaces can burn into each other. Plan the trays.",
                bad.Length)
            { Spot = SpotOf(bad[0]) };
            yield break;
        }
        foreach (var c in bad)
        {
            yield return new Finding(Severity.Warn, "contact-on-tray", report.Parts[c.One].Name, string.Create(
                CultureInfo.InvariantCulture,
                $"{report.Parts[c.One].Name} and {report.Parts[c.Two].Name} are kept together on tray {report.Parts[c.One].Tray + 1}, "
                    + $"{Lengths.Millimetres(c.GapMetres)} apart, so one can burn into the other; let one of them go to another tray."), 1)
            {
                Spot = SpotOf(c),
            };
        }
    }

    /// <summary>Decisions about parts that are no longer there.</summary>
    private static IEnumerable<Finding> Forgotten(PairRules rules, PairReport report)
    {
        var names = report.Parts.Select(p => p.Name).ToHashSet(StringComparer.Ordinal);
        string[] gone = [.. rules.Settings.TrayByHand.Keys.Concat(rules.Settings.Parts.Keys)
            .Concat(rules.Settings.Ties.SelectMany(t => (string[])[t.One, t.Two])).Concat(rules.Settings.Strokes.Select(s => s.Part))
            .Where(n => !names.Contains(n)).Distinct(StringComparer.Ordinal).Order(StringComparer.Ordinal)];
        if (gone.Length > 0 && report.Parts.Count > 0)
            yield return new Finding(Severity.Note, "decision-without-part", gone[0],
                $"What was decided for {string.Join(", ", gone.Take(3))}{(gone.Length > 3 ? $" and {gone.Length - 3} more" : "")} finds no such part in the "
                + $"present files; it is kept.", gone.Length);
    }

    private static Spot SpotOf(ObjectReport item)
    {
        var bounds = item.Bounds();
        return new Spot(bounds.Centre.X, bounds.Centre.Y, bounds.Centre.Z, bounds.Size.Length() / 2);
    }

    private static Spot SpotOf(Contact c) =>
        new((c.From[0] + c.To[0]) / 2, (c.From[1] + c.To[1]) / 2, (c.From[2] + c.To[2]) / 2, MathF.Max(0.02f, 4 * c.GapMetres));

    private static string Many(int count, string thing) => count == 1 ? $"1 {thing}" : $"{count} {thing}s";
}
