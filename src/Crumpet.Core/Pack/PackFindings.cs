using System.Globalization;
using Crumpet.Core.Imaging;

namespace Crumpet.Core.Pack;

/// <summary>What is wrong with, or wasted by, a recipe's outputs on a sheet.</summary>
public static class PackFindings
{
    private const double LeastUsed = 0.1;
    private const string Missing = "map-missing", ColourAsData = "colour-as-data", DataAsColour = "data-as-colour";
    private const double Same = 1e-9;

    /// <summary>What is to say about one output that was packed.</summary>
    /// <param name="output">The output.</param>
    /// <param name="channels">What became of its channels.</param>
    public static IEnumerable<Finding> Of(RecipeOutput output, IReadOnlyList<PackedChannel> channels) =>
        output.Channels.SelectMany((feed, c) => OfChannel(output, feed, "RGBA"[PlaceOf(output, c)], c == output.Channels.Count - 1, channels[c]))
            .Concat(Constant(output, channels)).Concat(Twice(output)).DistinctBy(f => f.Sentence);

    /// <summary>Whether an output holds what its recipe did not mean; a range that cuts is meant.</summary>
    public static bool IsSpoilt(Finding finding) => finding.Code is Missing or ColourAsData or DataAsColour;

    // The second of two channels is alpha.
    private static int PlaceOf(RecipeOutput output, int channel) => output.Channels.Count == 2 && channel == 1 ? 3 : channel;

    private static IEnumerable<Finding> OfChannel(RecipeOutput output, Feed feed, char letter, bool isLast, PackedChannel channel)
    {
        string name = output.Name;
        if (channel.From is null)
        {
            if (feed.From.Count > 0)
                yield return Found(Severity.Warn, Missing,
                    $"{name} asks for {Listed(feed.From)}, which is not there; {Number(feed.Else)} stands in. Bake {feed.From[0]} or change the recipe.");
            yield break;
        }
        if (channel.Clipped > 0)
            yield return Found(Severity.Warn, "values-clipped",
                $"{letter} of {name} cuts {channel.Clipped} texels of {channel.From} at full or empty; widen its range.", channel.Clipped);
        if (channel.FromWidth > 0)
            yield return Found(Severity.Note, "map-resized",
                $"{channel.From} is {channel.FromWidth} × {channel.FromHeight} px and was brought to the size of {name}.");
        var meaning = OutputJob.MeaningOf(channel.From);
        if (output.Meaning == ColourMeaning.Linear && meaning == ColourMeaning.Srgb)
            yield return Found(Severity.Warn, ColourAsData,
                $"{name} is plain numbers and {letter} takes {channel.From}, which is colour; a shader reads it too bright. "
                    + $"Call {name} colour or feed it data.");
        if (output.Meaning == ColourMeaning.Srgb && meaning == ColourMeaning.Normal)
            yield return Found(Severity.Warn, DataAsColour,
                $"{name} is colour and {letter} takes {channel.From}, which is normals; a shader reads other directions. "
                    + $"Call {name} normals or feed it colour.");
        double used = channel.Most - channel.Least;
        if (used <= Same && isLast && output.Channels.Count is 2 or 4 && channel.Most >= 1 - Same)
            yield return Found(Severity.Note, "alpha-white", $"Alpha of {name} is full everywhere; drop it and its memory, or put a mask into it.");
        else if (used > Same && used < LeastUsed && output.Meaning == ColourMeaning.Linear)
            yield return Found(Severity.Note, "range-unused",
                $"{letter} of {name} goes from {Number(channel.Least)} to {Number(channel.Most)}, {Number(100 * used)} % of its steps; "
                    + "narrow its range to these.");

        Finding Found(Severity severity, string code, string sentence, long count = 0) =>
            new(severity, code, name, sentence, (int)Math.Min(count, int.MaxValue));
    }

    private static IEnumerable<Finding> Constant(RecipeOutput output, IReadOnlyList<PackedChannel> channels)
    {
        var flat = channels.Select((c, i) => (Letter: "RGBA"[PlaceOf(output, i)], Channel: c))
            .Where(c => c.Channel.From is not null && c.Channel.Most - c.Channel.Least <= Same).ToArray();
        // Alpha that is full is told by itself.
        if (output.Channels.Count is 2 or 4 && flat.Length > 0 && flat[^1].Letter == 'A' && flat[^1].Channel.Most >= 1 - Same)
            flat = flat[..^1];
        if (flat.Length == 0)
            yield break;
        string letters = string.Join(", ", flat.Select(c => c.Letter)), values = string.Join(", ", flat.Select(c => Number(c.Channel.Least)));
        string from = string.Join(" and ", flat.Select(c => c.Channel.From).Distinct());
        yield return new Finding(Severity.Note, "channel-constant", output.Name,
            $"{letters} of {output.Name} {(flat.Length == 1 ? "is" : "are")} {values} everywhere; drop {from}, or put in what differs.");
    }

    private static IEnumerable<Finding> Twice(RecipeOutput output)
    {
        for (int c = 1; c < output.Channels.Count; c++)
        {
            int first = output.Channels.ToList().FindIndex(f => f == output.Channels[c]);
            if (first < c && output.Channels[c].From.Count > 0)
                yield return new Finding(Severity.Note, "channel-twice", output.Name,
                    $"{"RGBA"[PlaceOf(output, first)]} and {"RGBA"[PlaceOf(output, c)]} of {output.Name} hold the same; "
                    + (output.Channels.Count == 3 && output.Channels.All(f => f == output.Channels[0]) ? "make it grey with one channel."
                        : "put another mask into one."));
        }
    }

    private static string Number(double value) => value.ToString("0.###", CultureInfo.InvariantCulture);

    private static string Listed(IReadOnlyList<string> names) => names.Count == 1 ? names[0] : $"{string.Join(", ", names.SkipLast(1))} or {names[^1]}";
}
