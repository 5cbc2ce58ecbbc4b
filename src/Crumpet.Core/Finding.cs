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
    /// <summary>Worst first, then by place, so that the order never depends on how the work was done.</summary>
    public static IReadOnlyList<Finding> Sorted(IEnumerable<Finding> findings) =>
        findings.OrderBy(f => f.Severity).ThenByDescending(f => f.Count).ThenBy(f => f.Place, StringComparer.Ordinal)
            .ThenBy(f => f.Sentence, StringComparer.Ordinal).ToArray();
}
