using System.Text.RegularExpressions;

namespace Crumpet.Core.Intake;

/// <summary>What is wrong with names and sides, and what stands about that is no mesh.</summary>
internal static partial class NameFindings
{
    private const string NoMesh = "no-mesh";
    private const string NoLow = "no-low";
    private const string NoHigh = "no-high";

    /// <summary>Whether a finding says that other files are missing.</summary>
    public static bool IsOfMissingSide(Finding finding) => finding.Code is NoMesh or NoLow or NoHigh;

    // What files are mostly called, whatever words the kit has.
    private static readonly NameRules Common = new();

    public static IEnumerable<Finding> Of(IntakeLook look) =>
        [.. Prefixes(look), .. Odd(look), .. Case(look), .. Twice(look), .. Generated(look), .. Unsided(look), .. Missing(look), .. Strays(look)];

    /// <summary>A common beginning before a separator that is no part of names.</summary>
    private static IEnumerable<Finding> Prefixes(IntakeLook look)
    {
        foreach (var group in look.Used.Select(i => (Index: i, Prefix: PrefixOf(look.Rows[i].Name))).Where(p => p.Prefix.Length > 0).GroupBy(p => p.Prefix))
        {
            int[] hit = [.. group.Select(p => p.Index)];
            string[] files = [.. hit.Select(i => look.Rows[i].File).Distinct()];
            bool whole = hit.Length == look.Used.Count(i => files.Contains(look.Rows[i].File));
            string which = whole && hit.Length > 1 ? "Every name" : hit.Length == 1 ? "One name" : $"{hit.Length} names";
            yield return new Finding(
                Severity.Warn, "name-prefix", look.Rows[hit[0]].Name,
                $"{which} in {string.Join(" and ", files)} {(whole || hit.Length == 1 ? "begins" : "begin")} with {group.Key}, which another scene left "
                    + $"there; strip it, so that names say parts and nothing else.", hit.Length)
            {
                Spot = look.SpotOf(hit[0]),
                Mends = [new($"Strip {group.Key} from {(hit.Length == 1 ? "1 name" : $"{hit.Length} names")}", true,
                    new StripPrefix(group.Key) { File = files.Length == 1 ? files[0] : "*" })],
            };
        }
    }

    private static string PrefixOf(string name)
    {
        int cut = name.LastIndexOfAny([':', '|', '/', '~']);
        return cut >= 0 && cut + 1 < name.Length ? name[..(cut + 1)] : "";
    }

    /// <summary>Spellings nobody can see, and the endings of copies.</summary>
    private static IEnumerable<Finding> Odd(IntakeLook look)
    {
        foreach (var (oddity, code, one, many) in OddWords)
        {
            int[] hit = [.. look.Used.Where(i => NameRepair.Look(look.Rows[i].Name).HasFlag(oddity))];
            if (hit.Length == 0)
                continue;
            string names = string.Join(", ", hit.Take(3).Select(i => $"'{look.Rows[i].Name}'")) + (hit.Length > 3 ? $" and {hit.Length - 3} more" : "");
            yield return new Finding(
                Severity.Warn, code, look.Rows[hit[0]].Name,
                $"{names} {(hit.Length == 1 ? one : many)}, so {(hit.Length == 1 ? "it pairs" : "they pair")} with nothing that is spelt as it looks; "
                    + $"{(hit.Length == 1 ? $"it is meant as '{NameRepair.Clean(look.Rows[hit[0]].Name)}'" : "clean them")}.", hit.Length)
            {
                Spot = look.SpotOf(hit[0]),
                Mends = [new($"Clean {(hit.Length == 1 ? "the name" : $"{hit.Length} names")}", true, new CleanNames { Objects = look.Sources(hit) })],
            };
        }
    }

    private static readonly (NameOddity Oddity, string Code, string One, string Many)[] OddWords =
    [
        (NameOddity.Space, "name-space", "has spaces around it or characters that do not show", "have spaces around them or characters that do not show"),
        (NameOddity.LookAlike, "name-look-alike", "holds letters of another script that look like plain ones",
            "hold letters of another script that look like plain ones"),
        (NameOddity.CopyEnding, "name-copy", "ends as a program names copies", "end as a program names copies"),
    ];

    /// <summary>Names that would pair if it were not for capitals.</summary>
    private static IEnumerable<Finding> Case(IntakeLook look)
    {
        var lows = look.Of(Side.Low).ToArray();
        var highParts = look.Of(Side.High).Select(i => look.Rows[i].Part[PrefixOf(look.Rows[i].Part).Length..]).ToHashSet(StringComparer.Ordinal);
        var lowParts = lows.Select(i => look.Rows[i].Part[PrefixOf(look.Rows[i].Part).Length..]).ToHashSet(StringComparer.Ordinal);
        // High parts without a low side, by their names in any case; the first of several.
        var lonely = new Dictionary<string, string>(StringComparer.OrdinalIgnoreCase);
        foreach (string high in highParts.Where(h => !lowParts.Contains(h)))
            lonely.TryAdd(high, high);
        foreach (int i in lows)
        {
            string name = look.Rows[i].Name, prefix = PrefixOf(name), part = look.Rows[i].Part[PrefixOf(look.Rows[i].Part).Length..];
            if (highParts.Contains(part) || !lonely.TryGetValue(part, out string? twin))
                continue;
            // Whichever is not all in lower case gives way.
            bool highGivesWay = !part.Any(char.IsUpper);
            int odd = highGivesWay ? look.Of(Side.High).First(h => look.Rows[h].Part.EndsWith(twin, StringComparison.Ordinal)) : i;
            string from = look.Rows[odd].Name, oddPart = highGivesWay ? twin : part, right = highGivesWay ? part : twin;
            int at = from.LastIndexOf(oddPart, StringComparison.Ordinal);
            if (at >= 0)
                yield return Misspelt(look, odd, from[..at] + right + from[(at + oddPart.Length)..],
                    $"{from} and its other side differ in capitals alone, so they are not paired");
        }
    }

    private static Finding Misspelt(IntakeLook look, int i, string to, string what) =>
        new(Severity.Stop, "name-case", look.Rows[i].Name, $"{what}; rename it to {to}.", 1)
        {
            Spot = look.SpotOf(i),
            Mends = [new($"Rename to {to[PrefixOf(to).Length..]}", true, look.Rows[i].RenamedTo(to[PrefixOf(to).Length..]))],
        };

    private static IEnumerable<Finding> Twice(IntakeLook look)
    {
        foreach (var equal in look.Used.GroupBy(i => (look.Rows[i].Name, look.Rows[i].Side)).Where(g => g.Count() > 1))
        {
            int[] hit = [.. equal];
            yield return new Finding(
                Severity.Warn, "name-twice", equal.Key.Name,
                    $"{hit.Length} objects are named {equal.Key.Name}, so findings and mends cannot tell them apart and all bake as one part; number them.",
                    hit.Length)
            {
                Spot = look.SpotOf(hit[0]),
                Mends = [new($"Number the {hit.Length} names", false, new NumberNames { Objects = look.Sources(hit) })],
            };
        }
    }

    private static IEnumerable<Finding> Generated(IntakeLook look) => look.Such(
        Severity.Note, "name-generated", look.Used.Where(i => GeneratedName().IsMatch(Bare(look, i))),
        (n, names) => n == 1 ? $"{names} looks like a name a program made up; give it one that says which part it is."
            : $"{names} look like names a program made up; give them ones that say which parts they are.",
        objects => [new($"Name {(objects.Count == 1 ? "it" : "them")} by {(objects.Count == 1 ? "its file" : "their files")} and a number", false,
            new RenameByPattern("{name}", "{file}_{number}") { Objects = objects })]);

    private static string Bare(IntakeLook look, int i) => look.Rows[i].Part[PrefixOf(look.Rows[i].Part).Length..];

    private static IEnumerable<Finding> Unsided(IntakeLook look)
    {
        foreach (var file in look.Of(Side.Unknown)
            .GroupBy(i => (look.Rows[i].File, Guess: Guess(look, look.Rows[i]))))
        {
            int[] hit = [.. file];
            var (name, guess) = (file.Key.File, file.Key.Guess);
            string tells = hit.Length == 1 ? "tells its side neither by its own name nor by its file's"
                : "tell their side neither by their own names nor by their file's";
            yield return new Finding(Severity.Warn, "side-unknown", look.Rows[hit[0]].Name,
                $"{look.NamesOf(hit)} in {name} {tells}; say what {(hit.Length == 1 ? "it is" : "they are")} for.", hit.Length)
            {
                Spot = look.SpotOf(hit[0]),
                Mends = [.. new[] { Side.Low, Side.High, Side.Aside }.OrderBy(s => s == guess ? 0 : 1)
                    .Select(s => new MendOffer(s == Side.Aside ? "Put aside" : hit.Length == 1 ? $"It is {Sides.Word(s)}" : $"They are {Sides.Word(s)}",
                        s == guess, new SetSide(s) { File = name, Objects = look.Sources(hit) }))],
            };
        }
    }

    private static Side Guess(IntakeLook look, ObjectReport row)
    {
        var words = $"{row.Name} {Path.GetFileNameWithoutExtension(row.File)}".ToLowerInvariant()
            .Split(['_', '-', '.', ' ', ':'], StringSplitOptions.RemoveEmptyEntries);
        // What has UVs, and came with textures and without a high side, is what they are for.
        bool isTextured = row.UvSets > 0 && look.Report.Textures.Count > 0 && !look.Of(Side.High).Any() && !look.Of(Side.Low).Any();
        return words.Any(Common.Low.Contains) ? Side.Low : words.Any(Common.High.Contains) ? Side.High : isTextured ? Side.Low : Side.Unknown;
    }

    private static IEnumerable<Finding> Missing(IntakeLook look)
    {
        if (look.Rows.Count == 0)
        {
            // Why those that arrived are not here is said already.
            if (look.Facts.Far.Count > 0)
                yield break;
            if (look.Report.Textures.Count > 0)
            {
                yield return new Finding(Severity.Note, "textures-alone", "",
                    "There is no mesh: nothing is baked, and the textures go on to Pack as they came. Drop a mesh if they are for one.");
                yield break;
            }
            yield return new Finding(Severity.Stop, NoMesh, "", "There is no mesh that can be read; drop OBJ, glTF, GLB, PLY or STL files.");
            yield break;
        }
        string orSay = look.Of(Side.Unknown).Any() ? "say which of them is, or " : "";
        if (!look.Of(Side.Low).Any())
            yield return new Finding(Severity.Stop, NoLow, "", $"No object is a low side; {orSay}drop a mesh whose name ends in _low.");
        if (look.Of(Side.High).Any() || look.Settings.NeedsNoHigh)
            yield break;
        if (look.Report.Textures.Count > 0 && look.Of(Side.Low).Any())
            yield return new Finding(Severity.Note, "no-high-textures", "",
                "No object is a high side: nothing is baked, and the textures go on to Pack as they came. Drop a mesh whose name ends in _high to bake, "
                    + "or make maps from textures at Bake.");
        else
            yield return new Finding(Severity.Stop, NoHigh, "",
                $"No object is a high side; {orSay}drop a mesh whose name ends in _high, or make maps from textures at Bake, or let it take "
                    + "another asset's textures at Bind.");
    }

    private static IEnumerable<Finding> Strays(IntakeLook look)
    {
        foreach (var file in look.Facts.Strays.GroupBy(s => s.File))
        {
            string kinds = string.Join(" and ", file.GroupBy(s => s.Stray.Kind).OrderBy(g => g.Key, StringComparer.Ordinal).Select(g => g.Count() == 1
                ? $"1 {g.Key}" : $"{g.Count()} {Plural(g.Key)}"));
            yield return new Finding(Severity.Note, "strays", file.Key,
                $"{file.Key} also holds {kinds} ({string.Join(", ", file.Take(4).Select(s => s.Stray.Name))}), which nothing here uses.", file.Count())
            {
                Mends = [new("Put aside", true, new SetSide(
                    Side.Aside) { File = file.Key, Objects = [.. file.Select(s => s.Stray.Name).Distinct(StringComparer.Ordinal)] })],
            };
        }
        var hidden = look.Used.Where(i => look.Rows[i].IsHidden);
        foreach (var f in look.Such(
            Severity.Warn, "hidden", hidden, (n, names) =>
                $"{names} {(n == 1 ? "is" : "are")} hidden in the source and would be baked all the same; put {(n == 1 ? "it" : "them")} aside if that was "
                + $"not meant.",
            objects => [new("Put aside", true, new SetSide(Side.Aside) { Objects = objects })]))
            yield return f;
    }

    private static string Plural(string kind) => kind == "empty" ? "empties" : kind + "s";

    [GeneratedRegex(@"^(unnamed|object|mesh|node|group|shape|box|cube|sphere|cylinder|plane|cone|torus|default|untitled|root|scene|geometry|model|part|solid)?"
        + @"[ _.\-]?\d*(\.\d{3})?$", RegexOptions.IgnoreCase | RegexOptions.CultureInvariant)]
    private static partial Regex GeneratedName();
}
