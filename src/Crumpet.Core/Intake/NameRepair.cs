using System.Globalization;
using System.Text;
using System.Text.RegularExpressions;

namespace Crumpet.Core.Intake;

/// <summary>What is odd about the spelling of a name.</summary>
[Flags]
public enum NameOddity
{
    /// <summary>Nothing.</summary>
    None = 0,

    /// <summary>Spaces before or after it, or characters that do not show.</summary>
    Space = 1,

    /// <summary>Characters of another script that look like plain letters, digits or dashes.</summary>
    LookAlike = 2,

    /// <summary>The ending a program gives to copies: a point and three digits.</summary>
    CopyEnding = 4,
}

/// <summary>Finds spellings that nobody can see, and gives the name that was meant.</summary>
public static partial class NameRepair
{
    // Letters of other scripts that are drawn like Latin ones. Source: Unicode Technical Standard 39, confusables, its single letters.
    private const string Alike = "АВЕЅІЈКМНОРСТХУаеѕіјорсхуԁһԛԝΑΒΕΖΗΙΚΜΝΟΡΤΥΧονϲıⅼ";
    private const string Plain = "ABESIJKMHOPCTXYaesijopcxydhqwABEZHIKMNOPTYXovcil";

    /// <summary>What is odd about a name.</summary>
    public static NameOddity Look(string name)
    {
        var oddity = NameOddity.None;
        string shown = Shown(name);
        if (shown != name)
            oddity |= NameOddity.Space;
        if (Latin(shown) != shown)
            oddity |= NameOddity.LookAlike;
        if (CopyEnding().IsMatch(shown))
            oddity |= NameOddity.CopyEnding;
        return oddity;
    }

    /// <summary>The name without spaces around it, in plain letters, without a copy's ending. A name of nothing else stays as it is.</summary>
    public static string Clean(string name)
    {
        string clean = CopyEnding().Replace(Latin(Shown(name)), "").TrimEnd();
        return clean.Length > 0 ? clean : name;
    }

    /// <summary>The number a copy's ending holds, such as 001; empty where there is none.</summary>
    public static string CopyNumber(string name) => CopyEnding().Match(Shown(name)) is { Success: true } match ? match.Value[1..] : "";

    private static string Shown(string name)
    {
        var text = new StringBuilder(name.Length);
        foreach (char c in name)
        {
            if (char.IsWhiteSpace(c))
                text.Append(' ');
            else if (CharUnicodeInfo.GetUnicodeCategory(c) is not (UnicodeCategory.Control or UnicodeCategory.Format))
                text.Append(c);
        }
        return text.ToString().Trim();
    }

    /// <summary>The name in plain letters; one that is really written in another script stays.</summary>
    private static string Latin(string name)
    {
        var text = new StringBuilder(name.Length);
        foreach (char c in name)
        {
            int alike = Alike.IndexOf(c, StringComparison.Ordinal);
            text.Append(alike >= 0 ? Plain[alike] : c switch
            {
                >= '\uff01' and <= '\uff5e' => (char)(c - 0xfee0),
                (>= '\u2010' and <= '\u2015') or '\u2212' => '-',
                '\u02cd' or '\uff3f' => '_',
                _ => c,
            });
        }
        string plain = text.ToString();
        return plain.All(char.IsAscii) ? plain : name;
    }

    [GeneratedRegex(@"\.\d{3}$", RegexOptions.CultureInvariant)]
    private static partial Regex CopyEnding();
}
