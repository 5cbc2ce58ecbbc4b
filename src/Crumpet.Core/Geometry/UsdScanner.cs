using System.Buffers.Text;
using System.Text;

namespace Crumpet.Core.Geometry;

/// <summary>Goes through the words of a layer of Universal Scene Description in its text form.</summary>
/// <param name="text">UTF-8.</param>
/// <param name="start">Where its first word may stand.</param>
/// <param name="fileName">Name for messages.</param>
internal sealed class UsdScanner(byte[] text, int start, string fileName)
{
    private static readonly UTF8Encoding Utf8 = new(false, throwOnInvalidBytes: false);
    private int at = start;

    /// <summary>The next byte; -1 at the end.</summary>
    public int Peek() => at < text.Length ? text[at] : -1;

    /// <summary>Goes past the next byte.</summary>
    public void Pass() => at++;

    /// <summary>A number.</summary>
    public double ReadNumber()
    {
        Skip();
        var rest = text.AsSpan(at);
        if (rest.StartsWith("-inf"u8))
        {
            at += 4;
            return double.NegativeInfinity;
        }
        bool hasPlus = rest.Length > 0 && rest[0] == '+';
        if (!Utf8Parser.TryParse(hasPlus ? rest[1..] : rest, out double number, out int used))
            throw Wrong($"'{Shown()}' is no number");
        at += used + (hasPlus ? 1 : 0);
        return number;
    }

    /// <summary>A name or keyword.</summary>
    public string ReadWord()
    {
        Skip();
        int start = at;
        // Names of other scripts come as bytes above ASCII.
        while (at < text.Length && (char.IsAsciiLetterOrDigit((char)text[at]) || text[at] is (byte)'_' or (byte)':' or >= 0x80))
            at++;
        return at > start ? Utf8.GetString(text, start, at - start) : throw Wrong($"a name is expected where '{Shown()}' stands");
    }

    /// <summary>Words in quotes.</summary>
    public string ReadString()
    {
        Skip();
        int quote = Peek();
        if (quote is not ('"' or '\''))
            throw Wrong($"a name in quotes is expected where '{Shown()}' stands");
        bool isLong = at + 2 < text.Length && text[at + 1] == quote && text[at + 2] == quote;
        int begin = at, start = at + (isLong ? 3 : 1);
        for (at = start; at < text.Length; at++)
        {
            if (text[at] == '\\')
                at++;
            else if (text[at] == quote && (!isLong || (at + 2 < text.Length && text[at + 1] == quote && text[at + 2] == quote)))
                break;
            else if (text[at] == '\n' && !isLong)
                break;
        }
        if (at >= text.Length || text[at] != quote)
        {
            at = begin;
            throw Wrong("a string does not end");
        }
        string found = Unescaped(Utf8.GetString(text, start, at - start));
        at += isLong ? 3 : 1;
        return found;
    }

    private static string Unescaped(string found)
    {
        if (!found.Contains('\\', StringComparison.Ordinal))
            return found;
        var plain = new StringBuilder(found.Length);
        for (int i = 0; i < found.Length; i++)
        {
            if (found[i] == '\\' && i + 1 < found.Length)
                plain.Append(found[++i] switch { 'n' => '\n', 't' => '\t', 'r' => '\r', var other => other });
            else
                plain.Append(found[i]);
        }
        return plain.ToString();
    }

    /// <summary>A path between @.</summary>
    public string ReadAsset()
    {
        bool isLong = text.AsSpan(at).StartsWith("@@@"u8);
        int start = at + (isLong ? 3 : 1);
        int length = text.AsSpan(start).IndexOf(isLong ? "@@@"u8 : "@"u8);
        if (length < 0)
            throw Wrong("a path between @ does not end");
        at = start + length + (isLong ? 3 : 1);
        return Utf8.GetString(text, start, length);
    }

    /// <summary>A path between &lt; and &gt;.</summary>
    public string ReadPath()
    {
        int length = text.AsSpan(at).IndexOf((byte)'>');
        if (length < 0)
            throw Wrong("a path between < and > does not end");
        string path = Utf8.GetString(text, at + 1, length - 1);
        at += length + 1;
        return path;
    }

    /// <summary>Goes past a sign that has to stand next.</summary>
    public void Expect(char wanted)
    {
        Skip();
        if (Peek() != wanted)
            throw Wrong(at >= text.Length ? $"it ends where '{wanted}' is expected" : $"'{wanted}' is expected where '{Shown()}' stands");
        at++;
    }

    /// <summary>Goes past a comma, where one stands.</summary>
    public void Separator()
    {
        Skip();
        if (Peek() == ',')
            at++;
    }

    /// <summary>Goes past blanks, line ends, comments and semicolons.</summary>
    /// <returns>Whether anything is left.</returns>
    public bool Skip()
    {
        while (at < text.Length)
        {
            if (text[at] == '#')
            {
                int end = text.AsSpan(at).IndexOfAny((byte)'\n', (byte)'\r');
                at = end < 0 ? text.Length : at + end;
            }
            else if (text[at] is (byte)' ' or (byte)'\t' or (byte)'\r' or (byte)'\n' or (byte)';')
            {
                at++;
            }
            else
            {
                return true;
            }
        }
        return false;
    }

    private string Shown()
    {
        var rest = text.AsSpan(at, Math.Min(24, text.Length - at));
        int end = rest.IndexOfAny((byte)'\n', (byte)'\r');
        return Utf8.GetString(end < 0 ? rest : rest[..end]);
    }

    /// <summary>What breaks the grammar, at the line reached.</summary>
    public SourceFileException Wrong(string what) =>
        new(fileName, $"line {1 + text.AsSpan(0, Math.Min(at, text.Length)).Count((byte)'\n')}", what, "Export it again; it may have been cut in transfer");
}
