using Crumpet.Core.Checking;

namespace Crumpet.Web;

/// <summary>Numbers as they are typed into forms: in the unit of the field's rule, and within its limits.</summary>
public static class FormNumber
{
    /// <summary>The rule of a field.</summary>
    /// <param name="field">Name of a property of the decision.</param>
    public static WithinAttribute Rule<TDecision>(string field) => FieldRules.Of<TDecision, WithinAttribute>(field);

    /// <summary>A typed number, with a point before its decimals.</summary>
    /// <param name="field">Name of a property of the decision.</param>
    /// <param name="text">What was typed, in the unit shown.</param>
    /// <exception cref="FormatException">One sentence: it is no number, or out of range.</exception>
    public static double Read<TDecision>(string field, string? text) => Rule<TDecision>(field).Read(text);

    /// <summary>A typed number, or null where nothing was typed.</summary>
    /// <inheritdoc cref="Read{TDecision}(string, string?)"/>
    public static double? ReadIfAny<TDecision>(string field, string? text) => string.IsNullOrWhiteSpace(text) ? null : Read<TDecision>(field, text);
}
