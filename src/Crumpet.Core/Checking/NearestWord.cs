namespace Crumpet.Core.Checking;

/// <summary>Guesses what a word that is not known was meant to be.</summary>
public static class NearestWord
{
    /// <summary>The nearest of the known words, or all of them where none is near: part of a sentence, without a full stop.</summary>
    /// <param name="word">What was written.</param>
    /// <param name="known">What could have been.</param>
    public static string Hint(string word, IReadOnlyList<string> known)
    {
        string nearest = known.MinBy(k => Distance(k, word)) ?? "";
        return Distance(nearest, word) <= 1 + word.Length / 2 ? $"Perhaps '{nearest}' is meant" : $"Known are {string.Join(", ", known)}";
    }

    /// <summary>How many letters have to be put in, taken out or changed; capitals are taken for small letters.</summary>
    /// <remarks>Source: V. I. Levenshtein, "Binary codes capable of correcting deletions, insertions and reversals", 1966.</remarks>
    public static int Distance(string one, string two)
    {
        var row = Enumerable.Range(0, two.Length + 1).ToArray();
        for (int i = 1; i <= one.Length; i++)
        {
            (int diagonal, row[0]) = (row[0], i);
            for (int j = 1; j <= two.Length; j++)
                (diagonal, row[j]) = (row[j], Math.Min(Math.Min(row[j], row[j - 1]) + 1,
                    diagonal + (char.ToLowerInvariant(one[i - 1]) == char.ToLowerInvariant(two[j - 1]) ? 0 : 1)));
        }
        return row[two.Length];
    }
}
