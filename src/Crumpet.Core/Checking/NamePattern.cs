using System.Text;

namespace Crumpet.Core.Checking;

/// <summary>How often a field of a pattern stands in a name.</summary>
internal enum FieldCount
{
    /// <summary>Once.</summary>
    One,

    /// <summary>Once or not at all.</summary>
    Optional,

    /// <summary>Any number of pieces.</summary>
    Any,

    /// <summary>At least one piece.</summary>
    Some,
}

/// <summary>Fixed text or a field of a pattern.</summary>
/// <param name="Before">Separator before the field; the text itself where there is no field.</param>
/// <param name="Field">Name of the field; empty for fixed text.</param>
/// <param name="After">Separator after the field.</param>
/// <param name="Count">How often it stands in a name.</param>
/// <param name="Words">The only words it takes, or null for any.</param>
internal sealed record NameToken(string Before, string Field, string After, FieldCount Count, IReadOnlyList<string>? Words)
{
    public bool MayMiss => Count is FieldCount.Optional or FieldCount.Any;
}

/// <summary>One pattern of a convention, cut into tokens.</summary>
internal sealed record NamePattern(IReadOnlyList<NameToken> Tokens)
{
    public IReadOnlyList<string> Fields { get; } = [.. Tokens.Where(t => t.Field.Length > 0).Select(t => t.Field)];

    public string Write(IReadOnlyDictionary<string, string> values)
    {
        var name = new StringBuilder();
        foreach (var token in Tokens)
        {
            string value = token.Field.Length == 0 ? "" : token.MayMiss ? values.GetValueOrDefault(token.Field, "") : values[token.Field];
            if (token.Field.Length == 0 || value.Length > 0)
                name.Append(token.Before).Append(value).Append(token.After);
        }
        return name.ToString();
    }
}

/// <summary>Fits one name to one pattern by trying, and remembers what did not fit.</summary>
internal sealed class NameMatch(NamePattern pattern, string name, StringComparison comparison)
{
    private readonly bool[] failed = new bool[(pattern.Tokens.Count + 1) * (name.Length + 1)];
    private readonly List<NamePiece> pieces = [];
    private (bool Meant, int At) furthest = (false, -1);
    private string expected = "";

    public NameTrace Trace()
    {
        if (!Fits(0, 0))
            return new NameTrace([], furthest.At, expected);
        pieces.Reverse();
        return new NameTrace(pieces, -1, "");
    }

    private bool Fits(int token, int at)
    {
        if (token == pattern.Tokens.Count)
            return at == name.Length || Broken(at, "the end of the name", meant: true);
        int memory = token * (name.Length + 1) + at;
        if (failed[memory])
            return false;
        if (TakesPiece(pattern.Tokens[token], token, at) || (pattern.Tokens[token].MayMiss && Fits(token + 1, at)))
            return true;
        failed[memory] = true;
        return false;
    }

    private bool TakesPiece(NameToken token, int number, int at)
    {
        // What comes right after a word, or at the very beginning, can only be looked for there.
        bool isFixed = number == 0 || pattern.Tokens[number - 1].Words is not null;
        int start = at + Text(token.Before, at, token.Before, isFixed);
        if (start < at)
            return false;
        if (token.Field.Length == 0)
            return Fits(number + 1, start) && Add("", at, token.Before.Length);
        if (token.Words is { } words)
        {
            bool any = false;
            foreach (string word in words.OrderByDescending(w => w.Length))
            {
                if (string.Compare(name, start, word, 0, word.Length, comparison) != 0)
                    continue;
                any = true;
                if (Ends(token, number, at, start, start + word.Length))
                    return true;
            }
            return any ? false : Broken(start + words.Max(w => Same(w, start)), Named(words), meant: true);
        }
        if (start == name.Length)
            return Broken(start, $"{{{token.Field}}}", meant: true);
        // To an optional field right behind it a field leaves what that can take.
        bool leaves = number + 1 < pattern.Tokens.Count && pattern.Tokens[number + 1] is { MayMiss: true, Before.Length: > 0 };
        for (int k = 1; k <= name.Length - start; k++)
        {
            int end = leaves ? start + k : name.Length + 1 - k;
            if (token.Count == FieldCount.Optional && HoldsSeparator(token, start, end))
                continue;
            if (Ends(token, number, at, start, end))
                return true;
        }
        return false;
    }

    private bool HoldsSeparator(NameToken token, int start, int end)
    {
        string separator = token.Before.Length > 0 ? token.Before : token.After;
        return separator.Length > 0 && name.AsSpan(start, end - start).Contains(separator, comparison);
    }

    /// <summary>Whether a field's value may end here: what follows fits too.</summary>
    private bool Ends(NameToken token, int number, int at, int start, int end)
    {
        if (Text(token.After, end, token.After, token.Words is not null) < 0 || !Fits(number + 1, end + token.After.Length))
            return false;
        Add("", end, token.After.Length);
        Add(token.Field, start, end - start);
        return Add("", at, token.Before.Length);
    }

    /// <summary>Length of a text that stands here; -1 where it does not, having noted how far it did.</summary>
    private int Text(string text, int at, string what, bool isFixed)
    {
        int same = Same(text, at);
        if (same == text.Length)
            return same;
        Broken(at + same, what, isFixed || same > 0);
        return -1;
    }

    /// <summary>How many characters of a text stand here.</summary>
    private int Same(string text, int at)
    {
        int same = 0;
        while (same < text.Length && at + same < name.Length && string.Compare(name, at + same, text, same, 1, comparison) == 0)
            same++;
        return same;
    }

    /// <summary>Notes where the pattern broke. A separator can be looked for anywhere; what came after one was found says more.</summary>
    private bool Broken(int at, string what, bool meant)
    {
        if ((meant, at).CompareTo(furthest) > 0)
            (furthest, expected) = ((meant, at), what);
        return false;
    }

    private bool Add(string field, int start, int length)
    {
        if (length > 0)
            pieces.Add(new NamePiece(field, start, length));
        return true;
    }

    private static string Named(IReadOnlyList<string> words) =>
        words.Count <= 3 ? string.Join(" or ", words) : $"{string.Join(", ", words.Take(3))} or another side's word";
}
