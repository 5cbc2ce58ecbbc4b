using System.Globalization;

namespace Crumpet.Core.Checking;

/// <summary>
/// What a field of a decision may hold. Said once, at the field: pages take their limits and names from it, and everything that
/// arrives, by page, command or file, is checked by it.
/// </summary>
/// <param name="what">The field as a sentence begins with it, such as "The padding".</param>
[AttributeUsage(AttributeTargets.Property)]
public abstract class FieldRuleAttribute(string what) : Attribute
{
    /// <summary>The field as a sentence begins with it.</summary>
    public string What { get; } = what;

    /// <summary>What is wrong with a value, one sentence, or null.</summary>
    /// <param name="value">A number or a text; for lists and dictionaries each of what they hold.</param>
    /// <param name="whose">Whose field it is, such as " of cup"; often empty.</param>
    public abstract string? Problem(object value, string whose = "");
}

/// <summary>What a field is called in lists of settings, where no rule says it.</summary>
/// <param name="label">The name, as a label begins with it.</param>
[AttributeUsage(AttributeTargets.Property)]
public sealed class CalledAttribute(string label) : Attribute
{
    /// <summary>The name.</summary>
    public string Label { get; } = label;
}

/// <summary>What it means where a field that may be left empty is.</summary>
/// <param name="word">The word that is shown and typed for it.</param>
[AttributeUsage(AttributeTargets.Property)]
public sealed class NoneIsAttribute(string word) : Attribute
{
    /// <summary>The word.</summary>
    public string Word { get; } = word;
}

/// <summary>A number between two others.</summary>
/// <param name="what">The field as a sentence begins with it.</param>
/// <param name="least">Least value.</param>
/// <param name="most">Greatest value.</param>
public sealed class WithinAttribute(string what, double least, double most) : FieldRuleAttribute(what)
{
    /// <summary>Least value.</summary>
    public double Least { get; } = least;

    /// <summary>Greatest value.</summary>
    public double Most { get; } = most;

    /// <summary>Unit it is shown and typed in; may be empty.</summary>
    public string Unit { get; init; } = "";

    /// <summary>How many of that unit one is, such as 1000 for metres shown in millimetres.</summary>
    public double Times { get; init; } = 1;

    /// <summary>Value that is shown as 0.</summary>
    public double Offset { get; init; }

    /// <summary>The limits in words, such as "0 to 256 px".</summary>
    public string Limits => $"{Number(Shown(Least))} to {Number(Shown(Most))}{(Unit.Length > 0 ? " " + Unit : "")}";

    /// <summary>A value in the unit it is shown in.</summary>
    public double Shown(double value) => (value - Offset) * Times;

    /// <summary>The value of a number that was typed.</summary>
    /// <param name="text">A number with a point before its decimals, in the unit shown.</param>
    /// <exception cref="FormatException">One sentence: it is no number, or out of range.</exception>
    public double Read(string? text)
    {
        if (!double.TryParse(text, NumberStyles.Float, CultureInfo.InvariantCulture, out double shown) || !double.IsFinite(shown))
            throw new FormatException($"{What} is '{FieldRules.Quoted(text ?? "")}'; it must be a number from {Limits}.");
        double value = shown / Times + Offset;
        return Problem(value) is { } problem ? throw new FormatException(problem) : value;
    }

    /// <inheritdoc/>
    public override string? Problem(object value, string whose = "")
    {
        double number = System.Convert.ToDouble(value, CultureInfo.InvariantCulture);
        // A limit of single precision is what rounding makes of it.
        bool isIn = value is float single ? single >= (float)Least && single <= (float)Most : number >= Least && number <= Most;
        return isIn ? null : $"{What}{whose} is {Number(Shown(number))}{(Unit.Length > 0 ? " " + Unit : "")}; it must be {Limits}.";
    }

    private static string Number(double value) =>
        value.ToString(Math.Abs(value) is 0 or (>= 1e-4 and < 1e16) ? "0.######" : "0.###e0", CultureInfo.InvariantCulture);
}

/// <summary>One of a few whole numbers.</summary>
/// <param name="what">The field as a sentence begins with it.</param>
/// <param name="values">The numbers, ascending.</param>
public sealed class OneOfAttribute(string what, params int[] values) : FieldRuleAttribute(what)
{
    /// <summary>The numbers, ascending.</summary>
    public IReadOnlyList<int> Values { get; } = values;

    /// <inheritdoc/>
    public override string? Problem(object value, string whose = "") =>
        value is int number && Values.Contains(number) ? null
            : $"{What}{whose} is {value}; it must be {string.Join(", ", Values.SkipLast(1))} or {Values[^1]}.";
}

/// <summary>A text of some length, without characters that do not show or turn the reading direction.</summary>
/// <param name="what">The field as a sentence begins with it.</param>
/// <param name="longest">Most characters.</param>
public sealed class WordsAttribute(string what, int longest) : FieldRuleAttribute(what)
{
    /// <summary>Most characters.</summary>
    public int Longest { get; } = longest;

    /// <summary>Whether it may be empty.</summary>
    public bool MayBeEmpty { get; init; }

    /// <inheritdoc/>
    public override string? Problem(object value, string whose = "") => value switch
    {
        not string => $"{What}{whose} is no text.",
        string text when !MayBeEmpty && string.IsNullOrWhiteSpace(text) => $"{What}{whose} is empty; type it.",
        string { Length: var length } when length > Longest => $"{What}{whose} has {length} characters; it may have at most {Longest}.",
        string text when SafeName.Of(text, int.MaxValue) != text =>
            $"{What}{whose} is '{FieldRules.Quoted(text)}'; it may hold no characters that do not show or that turn the reading direction.",
        _ => null,
    };
}

/// <summary>Most items of a list or dictionary.</summary>
/// <param name="count">How many.</param>
[AttributeUsage(AttributeTargets.Property)]
public sealed class AtMostAttribute(int count) : Attribute
{
    /// <summary>How many.</summary>
    public int Count { get; } = count;
}

/// <summary>A decision whose fields, each good by itself, may not go together.</summary>
public interface IChecked
{
    /// <summary>What is wrong, one sentence, or null. Asked only when every field is good.</summary>
    string? ProblemTogether();
}
