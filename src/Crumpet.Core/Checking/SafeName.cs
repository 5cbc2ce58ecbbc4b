using System.Globalization;
using System.Text;

namespace Crumpet.Core.Checking;

/// <summary>
/// Names as they are taken in from files. Characters that do not show as what they are (controls, and those that turn the reading
/// direction, by which a name can pretend to be another) are spelt out, so that every page, command and file shows them.
/// </summary>
public static class SafeName
{
    /// <summary>Most characters a name from a file keeps.</summary>
    public const int Longest = 240;

    /// <summary>The name with what does not show spelt out as <c>[U+202E]</c>, cut to a length.</summary>
    /// <param name="name">The name.</param>
    /// <param name="longest">Most characters.</param>
    public static string Of(string name, int longest = Longest)
    {
        bool isSafe = name.Length <= longest;
        for (int i = 0; i < name.Length && isSafe; i++)
            isSafe = !IsUnsafe(name[i]);
        if (isSafe)
            return name;
        var text = new StringBuilder(name.Length);
        foreach (char c in name.Length > longest ? name.AsSpan(0, longest) : name)
        {
            if (IsUnsafe(c))
                text.Append(CultureInfo.InvariantCulture, $"[U+{(int)c:X4}]");
            else
                text.Append(c);
        }
        return text.Length <= longest ? text.ToString() : text.ToString(0, longest - 1) + "…";
    }

    // Controls; marks, embeddings, overrides and isolates of direction; parts of a line's end; halves of characters.
    private static bool IsUnsafe(char c) =>
        char.IsControl(c) || c is '\u061c' or '\u200e' or '\u200f' or (>= '\u202a' and <= '\u202e') or (
        >= '\u2066' and <= '\u2069') or '\u2028' or '\u2029' or '\ufffe' or '\uffff';
}
