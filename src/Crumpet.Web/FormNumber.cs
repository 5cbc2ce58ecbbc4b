using System.Globalization;

namespace Crumpet.Web;

/// <summary>Numbers as they are typed into forms.</summary>
public static class FormNumber
{
    /// <summary>A typed number, with a point before its decimals.</summary>
    /// <param name="text">What was typed.</param>
    /// <param name="what">What it is for, as a sentence begins with it.</param>
    /// <param name="least">Least value.</param>
    /// <param name="most">Greatest value.</param>
    /// <exception cref="FormatException">One sentence: it is no number, or out of range.</exception>
    public static double Read(string? text, string what, double least, double most) =>
        double.TryParse(text, NumberStyles.Float, CultureInfo.InvariantCulture, out double value) && value >= least && value <= most
            ? value
            : throw new FormatException(string.Create(CultureInfo.InvariantCulture, $"{what} is '{text}'; it must be a number from {least} to {most}."));
}
