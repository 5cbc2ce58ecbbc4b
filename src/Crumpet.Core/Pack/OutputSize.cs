using System.Globalization;
using Crumpet.Core.Imaging;

namespace Crumpet.Core.Pack;

/// <summary>How large an output is, against the sheet: as large, a half, a quarter, a fixed size, or not above one.</summary>
/// <param name="Divisor">What the sheet's sides are divided by; 0 for a fixed size.</param>
/// <param name="Most">The fixed side, or the greatest there may be, pixels; 0 for none.</param>
public readonly record struct OutputSize(int Divisor, int Most)
{
    private const string MostWord = "most ";

    /// <summary>What can be said, for messages.</summary>
    public const string Words = "same, half, quarter, a number of pixels, or 'most' and a number";

    /// <summary>Reads what a recipe says; null where it says no size.</summary>
    public static OutputSize? Of(string text) => text switch
    {
        "same" => new(1, 0),
        "half" => new(2, 0),
        "quarter" => new(4, 0),
        _ when text.StartsWith(MostWord, StringComparison.Ordinal) => Side(text[MostWord.Length..]) is { } most ? new(1, most) : null,
        _ => Side(text) is { } side ? new(0, side) : null,
    };

    /// <summary>Sides for a sheet, at least a pixel.</summary>
    /// <param name="width">Width of the sheet, pixels.</param>
    /// <param name="height">Height of the sheet, pixels.</param>
    public (int Width, int Height) For(int width, int height)
    {
        int longest = Math.Max(width, height);
        double scale = Divisor == 0 ? Most / (double)longest : Math.Min(1.0 / Divisor, Most > 0 ? Most / (double)longest : 1);
        return (Math.Max(1, (int)Math.Round(width * scale)), Math.Max(1, (int)Math.Round(height * scale)));
    }

    private static int? Side(string text) =>
        int.TryParse(text, NumberStyles.None, CultureInfo.InvariantCulture, out int side) && side is >= 1 and <= ImageFile.LargestSide ? side : null;
}
