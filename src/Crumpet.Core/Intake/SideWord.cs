using Crumpet.Core.Checking;

namespace Crumpet.Core.Intake;

/// <summary>A word for a side, found in a name by itself.</summary>
/// <param name="Start">Where it begins.</param>
/// <param name="Length">How long it is.</param>
internal readonly record struct SideWord(int Start, int Length)
{
    // What names longer than this say nobody reads.
    private const int LongestName = 500;

    /// <summary>
    /// Finds the word that says the side: the last of those between separators, what begins with the last capital, the first, or the last of
    /// those between.
    /// </summary>
    /// <param name="name">The name.</param>
    /// <param name="sideOf">The side a word stands for.</param>
    /// <returns>Null where there is none, or where nothing else is left of the name.</returns>
    public static SideWord? Find(string name, Func<string, Side> sideOf)
    {
        if (name.Length > LongestName)
            return null;
        var words = Words(name);
        var backwards = words.AsEnumerable().Reverse();
        foreach (var word in backwards.Take(1).Append(LastHump(name)).Append(words.FirstOrDefault()).Concat(backwards))
        {
            if (word.Length > 0 && word.Length < name.Length && sideOf(word.Of(name)) != Side.Unknown && word.Rest(name).Length > 0)
                return word;
        }
        return null;
    }

    /// <summary>The word.</summary>
    public string Of(string name) => name.Substring(Start, Length);

    /// <summary>The name without it and the separators around it; between two words one stays.</summary>
    public string Rest(string name)
    {
        string before = name[..Start].TrimEnd(Separators), after = name[(Start + Length)..].TrimStart(Separators);
        return before.Length == 0 ? after : after.Length == 0 ? before : $"{before}_{after}";
    }

    /// <summary>The pieces of the name around it.</summary>
    public IEnumerable<NamePiece> Pieces(string name)
    {
        int before = name[..Start].TrimEnd(Separators).Length, end = Start + Length, after = name.Length - name[end..].TrimStart(Separators).Length;
        NamePiece[] pieces = [new("part", 0, before), new("", before, Start - before), new("side", Start, Length), new("", end, after - end),
            new("part", after, name.Length - after)];
        return pieces.Where(p => p.Length > 0);
    }

    private static readonly char[] Separators = ['_', '-', '.', ' '];

    /// <summary>Stretches of a name between separators.</summary>
    private static List<SideWord> Words(string name)
    {
        var words = new List<SideWord>();
        for (int from = 0, to; from < name.Length; from = to + 1)
        {
            to = name.IndexOfAny(Separators, from);
            to = to < 0 ? name.Length : to;
            if (to > from)
                words.Add(new SideWord(from, to - from));
        }
        return words;
    }

    /// <summary>What follows the last small letter or digit that a capital comes after.</summary>
    private static SideWord LastHump(string name)
    {
        for (int i = name.Length - 1; i > 0; i--)
        {
            if (char.IsUpper(name[i]) && (char.IsLower(name[i - 1]) || char.IsDigit(name[i - 1])))
                return new SideWord(i, name.Length - i);
        }
        return default;
    }
}
