using System.Globalization;
using System.Text.RegularExpressions;

namespace Crumpet.Core.Pairs;

/// <summary>Says what a plan of trays did.</summary>
internal static partial class TrayWords
{
    private const int MostNamed = 4;

    public static string Say(IReadOnlyList<TrayPart> parts, int[] trays, int count, int atLeast, IReadOnlyList<int> because)
    {
        if (parts.Count == 0)
            return "There is no part to put on a tray.";
        if (parts.Count == 1)
            return "1 part on 1 tray.";
        string many = $"{parts.Count} parts", on = count == 1 ? "1 tray" : $"{count} trays";
        string how = count == 1 ? "no two of them are in contact"
            : because.Count == count && count == 2 ? $"{Names(parts, because)} touch each other"
            : because.Count == count && count <= MostNamed ? $"{Names(parts, because)} all touch each other"
            : count == atLeast ? "fewer are impossible"
            : $"at least {atLeast} are needed, and fewer than {count} were not found";
        string least = count > 1 && count == atLeast && because.Count == count && count <= MostNamed ? "no fewer are possible, as " : "";
        string split = Split(parts, trays);
        return $"{many} on {on}: {least}{how}{(split.Length > 0 ? $"; {split}" : "")}.";
    }

    /// <summary>Rows of numbered parts that were parted into odd and even.</summary>
    private static string Split(IReadOnlyList<TrayPart> parts, int[] trays)
    {
        var rows = parts.Select((p, i) => (Match: NumberedName().Match(p.Name), Tray: trays[i])).Where(p => p.Match.Success)
            .Select(p => (Stem: p.Match.Groups[1].Value.TrimEnd('_', '-', '.', ' '),
                IsOdd: long.Parse(p.Match.Groups[2].Value, CultureInfo.InvariantCulture) % 2 == 1, p.Tray))
            .GroupBy(p => p.Stem).Where(g => g.Count() >= 4 && g.Select(p => p.Tray).Distinct().Count() == 2 && g.GroupBy(p => p.IsOdd).Count() == 2
                && g.GroupBy(p => p.IsOdd).All(h => h.Select(p => p.Tray).Distinct().Count() == 1))
            .Select(g => g.Key).Order(StringComparer.Ordinal).ToArray();
        if (rows.Length == 0)
            return "";
        // slat_east, slat_north and slat_west are slats; what all parts begin with tells none apart.
        string[][] words = [.. parts.Select(p => WordsOf(p.Name))];
        int shared = 0;
        while (words.All(w => w.Length > shared + 1 && w[shared] == words[0][shared]))
            shared++;
        string[] common = [.. rows.Select(WordsOf).Select(w => w[Math.Min(shared, w.Length - 1)]).Distinct()];
        return $"odd and even {string.Join(", ", common.Select(c => char.IsLetter(c[^1]) && c[^1] != 's' ? c + "s" : c))} apart";
    }

    private static string[] WordsOf(string name) => name.Split('_', '-', '.', ' ');

    private static string Names(IReadOnlyList<TrayPart> parts, IReadOnlyList<int> which) =>
        string.Join(", ", which.SkipLast(1).Select(i => parts[i].Name)) + " and " + parts[which[^1]].Name;

    [GeneratedRegex(@"^(.*?)(\d{1,9})$", RegexOptions.CultureInvariant)]
    private static partial Regex NumberedName();
}
