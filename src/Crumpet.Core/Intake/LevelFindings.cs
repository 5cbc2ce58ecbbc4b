namespace Crumpet.Core.Intake;

/// <summary>What is wrong with stages for the distance, hulls and cages that arrived.</summary>
internal static class LevelFindings
{
    private const int MostHullTriangles = 255;

    public static IEnumerable<Finding> Of(IntakeLook look) => [.. Orphans(look), .. Levels(look), .. Hulls(look)];

    /// <summary>What belongs to a part that has no low side.</summary>
    private static IEnumerable<Finding> Orphans(IntakeLook look)
    {
        int[] low = [.. look.Of(Side.Low)];
        // One low object is what all the rest belongs to.
        if (low.Length == 1)
            yield break;
        var parts = low.Select(i => look.Rows[i].Part).ToHashSet(look.Names.PartComparer);
        foreach (var side in (Side[])[Side.Lod, Side.Hull, Side.Cage])
        {
            int[] alone = [.. look.Of(side).Where(i => !parts.Contains(look.Rows[i].Part))];
            if (alone.Length > 0)
                yield return new Finding(Severity.Warn, "level-without-low", look.Rows[alone[0]].Name,
                    $"{look.NamesOf(alone)} {(alone.Length == 1 ? "is" : "are")} named as {Word(side)}, and there is no low object of the part; rename "
                    + $"{(alone.Length == 1 ? "it" : "them")}, or add the low side.", alone.Length)
                { Spot = look.SpotOf(alone[0]) };
        }
    }

    /// <summary>Stages that are no coarser than the one before.</summary>
    private static IEnumerable<Finding> Levels(IntakeLook look)
    {
        var triangles = new SortedDictionary<int, int>();
        foreach (int i in look.Of(Side.Lod))
        {
            int level = look.Names.LevelOf(look.Rows[i].Name, look.Rows[i].File);
            triangles[level] = triangles.GetValueOrDefault(level) + look.Rows[i].Triangles;
        }
        int before = look.Of(Side.Low).Sum(i => look.Rows[i].Triangles);
        string name = "the low side";
        foreach (var (level, count) in triangles)
        {
            if (before > 0 && count >= before)
            {
                int first = look.Of(Side.Lod).First(i => look.Names.LevelOf(look.Rows[i].Name, look.Rows[i].File) == level);
                yield return new Finding(Severity.Warn, "level-not-coarser", look.Rows[first].Name,
                    $"Stage {level} has {SurfaceFindings.Many(count, "triangle")} and {name} {SurfaceFindings.Many(before, "triangle")}; a stage for "
                    + "the distance should have fewer. Swap them, or reduce it.", count)
                { Spot = look.SpotOf(first) };
            }
            (before, name) = (count, $"stage {level}");
        }
    }

    private static IEnumerable<Finding> Hulls(IntakeLook look)
    {
        int[] open = [.. look.Of(Side.Hull).Where(i => look.Rows[i].BorderEdges > 0)], large = [.. look.Of(Side.Hull).Where(i =>
            look.Rows[i].Triangles > MostHullTriangles)];
        if (open.Length > 0)
            yield return new Finding(Severity.Note, "hull-open", look.Rows[open[0]].Name,
                $"{look.NamesOf(open)} {(open.Length == 1 ? "is a hull with" : "are hulls with")} open edges; what is inside and outside cannot be told there. "
                + "Close it.", open.Length)
            { Spot = look.SpotOf(open[0]) };
        if (large.Length > 0)
            yield return new Finding(Severity.Note, "hull-large", look.Rows[large[0]].Name,
                $"{look.NamesOf(large)} {(large.Length == 1 ? "is a hull" : "are hulls")} of more than {MostHullTriangles} triangles, up to "
                + $"{large.Max(i => look.Rows[i].Triangles)}; engines take coarser ones.", large.Length)
            { Spot = look.SpotOf(large[0]) };
    }

    private static string Word(Side side) => side switch { Side.Lod => "a stage for the distance", Side.Hull => "a hull", _ => "a cage" };
}
