namespace Crumpet.Web;

/// <summary>Says in an empty field what is taken where nothing is typed: what was measured.</summary>
public static class Fitted
{
    /// <summary>Words for some lengths, such as "fitted 3.2" or "fitted 0.4 – 3.2", millimetres; "fitted" before anything was measured.</summary>
    /// <param name="metres">The lengths, metres.</param>
    public static string Of(IEnumerable<float> metres) => $"fitted {Narrow(metres)}".Trim();

    /// <summary>The lengths alone, for fields that are narrow; empty before anything was measured.</summary>
    /// <inheritdoc cref="Of"/>
    public static string Narrow(IEnumerable<float> metres)
    {
        float[] known = [.. metres.Where(m => m > 0 && float.IsFinite(m))];
        if (known.Length == 0)
            return "";
        string least = Show.Field(known.Min() * 1000), most = Show.Field(known.Max() * 1000);
        return least == most ? least : $"{least} – {most}";
    }
}
