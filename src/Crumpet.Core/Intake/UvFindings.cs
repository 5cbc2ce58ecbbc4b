using System.Globalization;

namespace Crumpet.Core.Intake;

/// <summary>What is wrong with the UVs of the low side.</summary>
internal static class UvFindings
{
    private const int LeastTexels = 24;
    private const double Sheet = 1024 * 1024;

    public static IEnumerable<Finding> Of(IntakeLook look)
    {
        int[] low = [.. look.Of(Side.Low)];
        int[] without = [.. low.Where(i => look.Rows[i].UvSets == 0)];
        if (without.Length > 0)
        {
            string them = without.Length == 1 ? "it" : "them";
            yield return new Finding(Severity.Warn, "low-without-uvs", look.Rows[without[0]].Name,
                $"{look.NamesOf(without)} {(without.Length == 1 ? "has" : "have")} no UVs; Layout unwraps {them} and packs all islands anew, so unwrap {them} "
                + $"before you drop {them} if the others are to stay where they are.", without.Length)
            { Spot = look.SpotOf(without[0]) };
        }
        int[] laid = [.. low.Where(i => look.Rows[i].UvSets > 0)];
        foreach (var f in look.Flawed(Severity.Warn, "uv-outside", laid, FlawKind.UvOutside,
            (n, names) => $"{SurfaceFindings.Many(n, "triangle")} of {names} {(n == 1 ? "leaves" : "leave")} the tile; what lies outside is not baked, so "
            + $"move {(n == 1 ? "it" : "them")} in."))
            yield return f;
        foreach (var f in look.Flawed(Severity.Note, "uv-flipped", laid, FlawKind.UvMirrored,
            (n, names) => $"{SurfaceFindings.Many(n, "triangle")} of {names} {(n == 1 ? "is" : "are")} mirrored on the sheet; {(n == 1 ? "its" : "their")} "
            + $"bake is right, text on {(n == 1 ? "it" : "them")} would read backwards."))
            yield return f;
        foreach (var f in look.Flawed(Severity.Warn, "uv-without-area", laid, FlawKind.UvEmpty,
            (n, names) => $"{SurfaceFindings.Many(n, "triangle")} of {names} {(n == 1 ? "has" : "have")} no area on the sheet and "
            + $"{(n == 1 ? "gets" : "get")} no texels; unwrap {(n == 1 ? "it" : "them")} again."))
            yield return f;
        // A few texels along shared edges are rounding.
        foreach (var overlap in look.Facts.Overlaps.Where(o => o.Texels >= LeastTexels))
        {
            double share = Math.Min(100, 100.0 * overlap.Texels / Sheet);
            yield return new Finding(
                Severity.Warn, "uv-overlap", look.Rows[overlap.Object].Name,
                string.Create(CultureInfo.InvariantCulture,
                    $"UVs overlap on {(overlap.IsCut ? "at least " : "")}{share:0.##} % of the sheet, first at {look.Rows[overlap.Object].Name}; surfaces "
                    + $"that share texels overwrite each other's bake, so lay them apart or stack them exactly."), overlap.Texels)
            {
                Spot = overlap.Spot,
            };
        }
    }
}
