using System.Text;
using System.Text.RegularExpressions;

namespace Crumpet.Core.Intake;

/// <summary>A pattern with names in braces, such as <c>{part}_{side}</c>, by which names are read and written.</summary>
public sealed partial class Convention
{
    private readonly Regex exact;
    private readonly Regex anyCase;
    private readonly IReadOnlyList<string> fields;

    private Convention(string pattern, IReadOnlyList<string> fields, Regex exact, Regex anyCase)
    {
        Pattern = pattern;
        this.fields = fields;
        this.exact = exact;
        this.anyCase = anyCase;
    }

    /// <summary>The pattern as written.</summary>
    public string Pattern { get; }

    /// <summary>Reads a pattern.</summary>
    /// <param name="pattern">Text with fields in braces; every field once.</param>
    /// <param name="required">Fields it must have.</param>
    /// <param name="words">For a field that takes only certain words: those words.</param>
    /// <exception cref="FormatException">One sentence: what is wrong with the pattern.</exception>
    public static Convention Parse(string pattern, IReadOnlyList<string> required, IReadOnlyDictionary<string, IReadOnlyList<string>>? words = null)
    {
        var fields = new List<string>();
        var expression = new StringBuilder("^");
        int at = 0;
        foreach (Match field in Field().Matches(pattern))
        {
            expression.Append(Regex.Escape(pattern[at..field.Index]));
            string name = field.Groups[1].Value;
            if (fields.Contains(name))
                throw new FormatException($"The pattern {pattern} has {{{name}}} twice; use each field once.");
            fields.Add(name);
            string allowed = words is not null && words.TryGetValue(name, out var list) ? string.Join('|', list.Select(Regex.Escape)) : ".+";
            expression.Append($"(?<{name}>{allowed})");
            at = field.Index + field.Length;
        }
        expression.Append(Regex.Escape(pattern[at..])).Append('$');
        if (Field().Replace(pattern, "").AsSpan().IndexOfAny('{', '}') >= 0)
            throw new FormatException($"The pattern {pattern} has a brace that does not hold a field; write fields as {{name}}.");
        foreach (string name in required)
            if (!fields.Contains(name))
                throw new FormatException($"The pattern {pattern} lacks {{{name}}}; add it.");
        const RegexOptions Options = RegexOptions.CultureInvariant | RegexOptions.Singleline;
        var limit = TimeSpan.FromSeconds(1);
        return new Convention(pattern, fields, new Regex(expression.ToString(), Options, limit), new Regex(expression.ToString(), Options | RegexOptions.IgnoreCase, limit));
    }

    /// <summary>The fields of a name, or null where it does not fit. Upper and lower case are told apart.</summary>
    public IReadOnlyDictionary<string, string>? Read(string name) => Fields(exact.Match(name));

    /// <summary>The fields of a name when case is ignored, or null where it does not fit even then.</summary>
    public IReadOnlyDictionary<string, string>? ReadAnyCase(string name) => Fields(anyCase.Match(name));

    /// <summary>The name that has these fields.</summary>
    public string Write(IReadOnlyDictionary<string, string> values) => Field().Replace(Pattern, m => values[m.Groups[1].Value]);

    private Dictionary<string, string>? Fields(Match match) => match.Success ? fields.ToDictionary(f => f, f => match.Groups[f].Value) : null;

    [GeneratedRegex(@"\{([a-z]+)\}", RegexOptions.CultureInvariant)]
    private static partial Regex Field();
}
