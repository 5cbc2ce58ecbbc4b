using System.Globalization;

namespace Crumpet.Core;

/// <summary>Lengths in words. As many decimals as the length is worth, the same wherever it is said.</summary>
public static class Lengths
{
    // Beyond these, digits say nothing: a thousand kilometres to the millimetre.
    private const double Long = 1e9;
    private const double Short = 0.1;

    /// <summary>A length of a detail, such as a gap or a reach: always millimetres.</summary>
    public static string Millimetres(double metres) =>
        (metres * 1000).ToString(Math.Abs(metres) < 0.001 ? "0.###" : Math.Abs(metres) < 0.1 ? "0.##" : "0.#", CultureInfo.InvariantCulture) + " mm";

    /// <summary>A length of anything: millimetres where it is short, metres otherwise.</summary>
    public static string Of(double metres) => Math.Abs(metres) switch
    {
        < Short => (metres * 1000).ToString("0.##", CultureInfo.InvariantCulture) + " mm",
        < 10 => metres.ToString("0.##", CultureInfo.InvariantCulture) + " m",
        < 1000 => metres.ToString("0.#", CultureInfo.InvariantCulture) + " m",
        < Long => metres.ToString("#,0", CultureInfo.InvariantCulture).Replace(',', '\u2009') + " m",
        < float.MaxValue => metres.ToString("0.#e0", CultureInfo.InvariantCulture) + " m",
        // What has no end is written to files as the greatest number there is.
        _ => "endlessly far",
    };

    /// <summary>A length rounded up to two digits, so that the number can be read and small changes leave it.</summary>
    public static float RoundedUp(float metres)
    {
        if (metres <= 0 || !float.IsFinite(metres))
            return metres;
        double step = Math.Pow(10, Math.Floor(Math.Log10(metres)) - 1);
        // What was rounded before stays as it is.
        return (float)(Math.Ceiling((double)metres / step - 1e-5) * step);
    }

    /// <summary>A length rounded down to two digits.</summary>
    public static float RoundedDown(float metres)
    {
        if (metres <= 0 || !float.IsFinite(metres))
            return metres;
        double step = Math.Pow(10, Math.Floor(Math.Log10(metres)) - 1);
        return (float)(Math.Floor((double)metres / step + 1e-5) * step);
    }
}
