namespace Crumpet.Core;

/// <summary>How much a finding matters: a stop blocks its station, a warning is likely to hurt later, a note is good to know.</summary>
public enum Severity
{
    /// <summary>Blocks the station.</summary>
    Stop,

    /// <summary>Likely to hurt later.</summary>
    Warn,

    /// <summary>Good to know.</summary>
    Note,
}

/// <summary>Something Crumpet noticed.</summary>
/// <param name="Severity">How much it matters.</param>
/// <param name="Code">Stable identifier of the kind of finding, such as <c>low-without-uvs</c>.</param>
/// <param name="Place">File, object, part, map or output it is about.</param>
/// <param name="Sentence">One sentence with its numbers and remedy.</param>
/// <param name="Count">How many (texels, triangles, objects) it is about; 0 where counting makes no sense.</param>
public sealed record Finding(Severity Severity, string Code, string Place, string Sentence, int Count = 0)
{
    /// <summary>Mends that would cure it, the best first.</summary>
    public IReadOnlyList<MendOffer> Mends { get; init; } = [];

    /// <summary>Where in space it is, or null where it is nowhere in particular.</summary>
    public Spot? Spot { get; init; }

    /// <summary>Whether maps hold what is not so: nobody stops at it, but no script should take the result for good.</summary>
    public bool SpoilsMaps { get; init; }

    /// <summary>Where on a sheet it is, or null where it is on none.</summary>
    public SheetPlace? OnSheet { get; init; }

    // More of a kind than anybody reads; pages and the database stay quick whatever arrives.
    private const int MostOfAKind = 200;

    /// <summary>
    /// Worst first, then by place, so that the order never depends on how the work was done; of very many of a kind the first, and how many
    /// more.
    /// </summary>
    public static IReadOnlyList<Finding> Sorted(IEnumerable<Finding> findings)
    {
        var kinds = findings.GroupBy(f => (f.Severity, f.Code)).SelectMany(kind =>
        {
            var sorted = InOrder(kind).ToArray();
            return sorted.Length <= MostOfAKind ? sorted
                : [.. sorted.Take(MostOfAKind), new Finding(kind.Key.Severity, kind.Key.Code, "",
                $"{sorted.Length - MostOfAKind} more are like these; mend these first, and the next are told.")];
        });
        return InOrder(kinds).ToArray();
    }

    private static IOrderedEnumerable<Finding> InOrder(IEnumerable<Finding> findings) =>
        findings.OrderBy(f => f.Severity).ThenByDescending(f => f.Count).ThenBy(f => f.Place, StringComparer.Ordinal)
            .ThenBy(f => f.Sentence, StringComparer.Ordinal);
}

/// <summary>A place in space for the stage to fly to.</summary>
/// <param name="X">Metres.</param>
/// <param name="Y">Metres.</param>
/// <param name="Z">Metres.</param>
/// <param name="Radius">How much around it is worth seeing, metres.</param>
public sealed record Spot(float X, float Y, float Z, float Radius)
{
    /// <summary>A ray to draw there: where it starts and where it ends, six numbers, metres; null for none.</summary>
    public IReadOnlyList<float>? Ray { get; init; }
}

/// <summary>A rectangle of a sheet for the map viewer to fly to.</summary>
/// <param name="Sheet">Name of the sheet.</param>
/// <param name="X">Pixels from the left.</param>
/// <param name="Y">Pixels from the top.</param>
/// <param name="Width">Pixels.</param>
/// <param name="Height">Pixels.</param>
public sealed record SheetPlace(string Sheet, int X, int Y, int Width, int Height);

/// <summary>A correction on top of untouched source files; replayed when a file is replaced. Stations derive their own.</summary>
public abstract record Mend
{
    /// <summary>Whether it is applied.</summary>
    public bool IsOn { get; init; } = true;

    /// <summary>What it does, a phrase without a full stop.</summary>
    public abstract string Words();
}

/// <summary>A kind of mend.</summary>
/// <param name="Word">The word that stands for it in files.</param>
/// <param name="Type">Its record.</param>
/// <param name="CanBeKitRule">Whether it makes sense for every file of a kit, those still to come included.</param>
public sealed record MendKind(string Word, Type Type, bool CanBeKitRule = false);

/// <summary>A mend that a finding proposes.</summary>
/// <param name="Label">What the button says.</param>
/// <param name="IsSafe">Whether it changes nothing that could have been meant.</param>
/// <param name="Mend">What would be recorded.</param>
public sealed record MendOffer(string Label, bool IsSafe, Mend Mend)
{
    /// <summary>What it does, as far as it was tried: "cures 582 of 582 texels, spoils none of 2310 around"; empty where it was not.</summary>
    public string Effect { get; init; } = "";
}
