using Crumpet.Core.Intake;

namespace Crumpet.Core.Pairs;

/// <summary>Everything that decides which low and which high objects make a part.</summary>
/// <param name="Objects">Objects as intake describes them.</param>
/// <param name="Names">How names are read and written.</param>
public sealed record MatchInput(IReadOnlyList<ObjectReport> Objects, NameReader Names)
{
    /// <summary>A name of a part's side that no object has; null where the pattern has no detail to number by.</summary>
    public string? FreeName(string part, Side side, string detail) => Names.WriteFree(part, side, detail, n => Objects.Any(o => o.Name == n));
}

/// <summary>Matches low with high objects by their names.</summary>
public static class Matching
{
    /// <summary>One row a part, unpaired rows first, then by name; trays are not told yet.</summary>
    public static IReadOnlyList<PartRow> Rows(MatchInput input)
    {
        List<int> low = Numbers(input.Objects, Side.Low), high = Numbers(input.Objects, Side.High);
        // A pair of one and one needs no names.
        if (low.Count == 1 && high.Count == 1)
            return [new PartRow(input.Objects[low[0]].Part, low, high, 0) { CageObjects = Numbers(input.Objects, Side.Cage) }];
        var lowOf = low.ToLookup(i => input.Objects[i].Part, input.Names.PartComparer);
        var highOf = high.ToLookup(i => input.Objects[i].Part, input.Names.PartComparer);
        var cageOf = Numbers(input.Objects, Side.Cage).ToLookup(i => input.Objects[i].Part, input.Names.PartComparer);
        return [.. low.Concat(high).Select(i => input.Objects[i].Part).Distinct(input.Names.PartComparer)
            .Select(part => new PartRow(part, [.. lowOf[part]], [.. highOf[part]], -1) { CageObjects = [.. cageOf[part]] }).OrderBy(r => r.IsPaired)
                .ThenBy(r => r.Name, StringComparer.Ordinal)];
    }

    /// <summary>New names for objects of paired rows that are not named as the pattern writes.</summary>
    public static IReadOnlyList<(int Object, string NewName)> ToConvention(MatchInput input, IReadOnlyList<PartRow> rows)
    {
        var changes = new List<(int, string)>();
        var taken = input.Objects.Select(o => o.Name).ToHashSet(StringComparer.Ordinal);
        foreach (var row in rows.Where(r => r.IsPaired))
        {
            foreach (int i in row.Low.Concat(row.High))
            {
                var o = input.Objects[i];
                // Objects that differed in what the pattern leaves out stay apart, and as they are where it cannot tell them apart.
                if (input.Names.Write(row.Name, o.Side, o.Detail) != o.Name
                    && input.Names.WriteFree(row.Name, o.Side, o.Detail, n => !taken.Add(n)) is { } wanted)
                    changes.Add((i, wanted));
            }
        }
        return changes;
    }

    private static List<int> Numbers(IReadOnlyList<ObjectReport> objects, Side side) =>
        [.. Enumerable.Range(0, objects.Count).Where(i => objects[i].Side == side)];
}
