using System.Globalization;
using System.Text.RegularExpressions;
using Crumpet.Core.Intake;

namespace Crumpet.Core.Pairs;

/// <summary>Says how alike two names are that ought to be one.</summary>
public static partial class NameLikeness
{
    // Words that artists put into names to say the side.
    private static readonly HashSet<string> SideWords = new(StringComparer.Ordinal)
    {
        "low", "high", "lo", "hi", "lp", "hp", "lowpoly", "highpoly", "poly", "game", "sculpt", "mesh", "geo", "final", "copy",
    };

    /// <summary>How alike two names are when case, separators, words for sides and look-alike letters do not count, 0 to 1.</summary>
    /// <remarks>Edit distance after V. Levenshtein, 1966, over the words; different numbers halve the score, as slat 1 is no slat 2.</remarks>
    public static double Score(string one, string two)
    {
        var (words, numbers) = Read(one);
        var (otherWords, otherNumbers) = Read(two);
        int longest = Math.Max(words.Length, otherWords.Length);
        double alike = longest == 0 ? 1 : 1 - (double)Distance(words, otherWords) / longest;
        if (numbers.SequenceEqual(otherNumbers))
            return alike;
        return alike * (numbers.Count == 0 || otherNumbers.Count == 0 ? 0.8 : 0.5);
    }

    private static (string Words, IReadOnlyList<long> Numbers) Read(string name)
    {
        string clean = NameRepair.Clean(name);
        clean = clean[(clean.LastIndexOfAny([':', '|', '/', '~']) + 1)..];
        var words = new List<string>();
        var numbers = new List<long>();
        foreach (Match piece in Pieces().Matches(clean))
        {
            if (char.IsAsciiDigit(piece.Value[0]))
                numbers.Add(long.Parse(piece.Value, CultureInfo.InvariantCulture));
            else if (piece.Value.ToLowerInvariant() is var word && !SideWords.Contains(word))
                words.Add(word);
        }
        return (string.Join(' ', words), numbers);
    }

    private static int Distance(string a, string b)
    {
        int[] row = [.. Enumerable.Range(0, b.Length + 1)];
        for (int i = 1; i <= a.Length; i++)
        {
            int corner = row[0];
            row[0] = i;
            for (int j = 1; j <= b.Length; j++)
            {
                int changed = corner + (a[i - 1] == b[j - 1] ? 0 : 1);
                corner = row[j];
                row[j] = Math.Min(changed, Math.Min(row[j], row[j - 1]) + 1);
            }
        }
        return row[b.Length];
    }

    // Runs of digits, and words that end where a capital begins the next.
    [GeneratedRegex(@"[0-9]{1,18}|\p{Lu}?\p{Ll}+|\p{Lu}+(?!\p{Ll})|[^\W_0-9]", RegexOptions.CultureInvariant)]
    private static partial Regex Pieces();
}
