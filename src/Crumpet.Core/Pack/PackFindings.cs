using System.Globalization;
using Crumpet.Core.Bake;
using Crumpet.Core.Imaging;

namespace Crumpet.Core.Pack;

/// <summary>What is wrong with, or wasted by, a recipe's outputs on a sheet, and what mends it.</summary>
public static class PackFindings
{
    private const double LeastUsed = 0.1;
    // Glass and polish are as smooth; hardly a whole sheet is.
    private const double SmoothAsGlass = 0.3;
    private const string Missing = "map-missing", ColourAsData = "colour-as-data", DataAsColour = "data-as-colour";
    private const double Same = 1e-9;

    /// <summary>What is to say about one output that was packed.</summary>
    /// <param name="output">The output.</param>
    /// <param name="channels">What became of its channels.</param>
    /// <param name="context">What it is judged by beside that.</param>
    public static IEnumerable<Finding> Of(RecipeOutput output, IReadOnlyList<PackedChannel> channels, PackContext context) =>
        output.Channels.SelectMany((_, c) => new OfChannel(output, c, channels[c], context).All())
            .Concat(Constant(output, channels)).Concat(Twice(output)).Concat(Green(output, channels, context)).DistinctBy(f => f.Sentence);

    /// <summary>What of the maps a recipe asks for is not there, before anything is packed.</summary>
    /// <param name="recipe">The recipe.</param>
    /// <param name="maps">Names of the maps there are.</param>
    public static IEnumerable<Finding> Absent(Recipe recipe, IReadOnlyCollection<string> maps) => recipe.Made().SelectMany(output =>
        output.Channels.Where(f => f.From.Count > 0 && !f.From.Any(maps.Contains)).DistinctBy(f => f.From[0])
            .Select(feed => Absent(output, feed)));

    /// <summary>Whether an output holds what its recipe did not mean; a range that cuts is meant.</summary>
    public static bool IsSpoilt(Finding finding) => finding.Code is Missing or ColourAsData or DataAsColour;

    private static string Letter(RecipeOutput output, int channel) => output.Letters()[channel];

    private static bool IsAlpha(RecipeOutput output, int channel) => Letter(output, channel) == "A";

    private static Finding Absent(RecipeOutput output, Feed feed) => new(Severity.Warn, Missing, output.Name,
        $"{output.Name} asks for {Listed(feed.From)}, which is not there; {Number(feed.Else)} stands in. Bake {feed.From[0]} or change the recipe.");

    /// <summary>What is to say about one channel.</summary>
    private sealed class OfChannel(RecipeOutput output, int number, PackedChannel channel, PackContext context)
    {
        private readonly Feed feed = output.Channels[number];
        private readonly string letter = Letter(output, number);
        private readonly string name = output.Name;

        public IEnumerable<Finding> All() => channel.From is null ? feed.From.Count > 0 ? [MissingMap()] : []
            : [.. Clipped(), .. Resized(), .. Meaning(), .. Unused(), .. Inverted(), .. Tinted()];

        private Finding MissingMap() => Absent(output, feed) with
        {
            Mends =
            [
                .. feed.From.Select(BakeMaps.Find).OfType<BakeMap>().Take(context.CanBake ? 1 : 0).Select(map => Offer(new BakeAlso(map))),
                Offer(new FixChannel(name, number, feed.Else)),
            ],
        };

        private IEnumerable<Finding> Clipped()
        {
            if (channel.Clipped == 0)
                yield break;
            bool isNarrow = feed.Range[0] != 0 || feed.Range[1] != 1;
            yield return Found(Severity.Warn, "values-clipped",
                $"{letter} of {name} cuts {channel.Clipped} texels of {channel.From} at full or empty; widen its range.", channel.Clipped,
                isNarrow ? new SetRange(name, number, feed.Range[0] < feed.Range[1] ? 0 : 1, feed.Range[0] < feed.Range[1] ? 1 : 0) : null);
        }

        private IEnumerable<Finding> Resized()
        {
            if (channel.FromWidth > 0)
                yield return Found(Severity.Note, "map-resized",
                    $"{channel.From} is {channel.FromWidth} × {channel.FromHeight} px and was brought to the size of {name}.");
        }

        private IEnumerable<Finding> Meaning()
        {
            var meaning = context.Feeds.GetValueOrDefault(channel.From!)?.Map?.Meaning ?? OutputJob.MeaningOf(channel.From!);
            // The alpha of a colour picture is data.
            if (output.Meaning == ColourMeaning.Linear && meaning == ColourMeaning.Srgb && feed.Channel != FeedChannel.A)
                yield return Found(Severity.Warn, ColourAsData,
                    $"{name} is plain numbers and {letter} takes {channel.From}, which is colour; a shader reads it too bright. "
                        + $"Call {name} colour or feed it data.", mend: new CallOutput(name, ColourMeaning.Srgb));
            if (output.Meaning == ColourMeaning.Srgb && meaning == ColourMeaning.Normal)
                yield return Found(Severity.Warn, DataAsColour,
                    $"{name} is colour and {letter} takes {channel.From}, which is normals; a shader reads other directions. "
                        + $"Call {name} normals or feed it colour.", mend: new CallOutput(name, ColourMeaning.Normal));
        }

        private IEnumerable<Finding> Unused()
        {
            double used = channel.Most - channel.Least;
            if (used <= Same && IsAlpha(output, number) && channel.Most >= 1 - Same)
                yield return Found(Severity.Note, "alpha-white", $"Alpha of {name} is full everywhere; drop it and its memory, or put a mask into it.",
                    mend: new LeaveAlphaOut(name));
            else if (used > Same && used < LeastUsed && output.Meaning == ColourMeaning.Linear)
            {
                // What was written, in values of the map; an exponent or a mix is not undone.
                double At(double written) => feed.Range[0] + (feed.Invert ? 1 - written : written) * (feed.Range[1] - feed.Range[0]);
                yield return Found(Severity.Note, "range-unused",
                    $"{letter} of {name} goes from {Number(channel.Least)} to {Number(channel.Most)}, {Number(100 * used)} % of its steps; "
                        + "narrow its range to these.",
                    mend: feed.Exponent != 1 || feed.Mix is not null ? null
                        : new SetRange(name, number, At(feed.Invert ? channel.Most : channel.Least), At(feed.Invert ? channel.Least : channel.Most)));
            }
        }

        private IEnumerable<Finding> Inverted()
        {
            bool isRoughness = channel.From == BakeMap.Roughness.Name && context.Feeds.GetValueOrDefault(channel.From)?.Origin == FeedOrigin.Brought;
            if (isRoughness && feed.Mix is null && feed.Exponent == 1 && feed.Range[0] == 0 && feed.Range[1] == 1 && !feed.Invert
                && channel.Mean < SmoothAsGlass)
                yield return Found(Severity.Note, "roughness-inverted",
                    $"{letter} of {name} holds a roughness of {Number(channel.Mean!.Value)} on average, as smooth as glass, from "
                    + $"{context.Feeds[channel.From!].From}; if that tells gloss, invert it.", mend: new InvertChannel(name, number));
        }

        private IEnumerable<Finding> Tinted()
        {
            if (feed.Mix is null && context.Feeds.GetValueOrDefault(channel.From!) is { Factor: { } factor } texture && output.Meaning != ColourMeaning.Normal)
                yield return Found(Severity.Note, "material-factor",
                    $"{name} takes {texture.From} as it came, and its material says to multiply it by {string.Join(", ", factor.Select(f => Number(f)))}; "
                        + "multiply that in if it is meant.", mend: new MultiplyMaterial(name, texture.Name));
        }

        private Finding Found(Severity severity, string code, string sentence, long count = 0, Mend? mend = null) =>
            new(severity, code, name, sentence, (int)Math.Min(count, int.MaxValue)) { Mends = mend is null ? [] : [Offer(mend)] };
    }

    private static MendOffer Offer(Mend mend) => new(mend.Words(), false, mend);

    private static IEnumerable<Finding> Constant(RecipeOutput output, IReadOnlyList<PackedChannel> channels)
    {
        // Alpha that is full is told by itself.
        var flat = channels.Index().Where(c => c.Item.From is not null && c.Item.Most - c.Item.Least <= Same
            && !(IsAlpha(output, c.Index) && c.Item.Most >= 1 - Same)).ToArray();
        if (flat.Length == 0)
            yield break;
        string letters = string.Join(", ", flat.Select(c => Letter(output, c.Index))), values = string.Join(", ", flat.Select(c => Number(c.Item.Least)));
        string from = string.Join(" and ", flat.Select(c => c.Item.From).Distinct());
        yield return new Finding(Severity.Note, "channel-constant", output.Name,
            $"{letters} of {output.Name} {(flat.Length == 1 ? "is" : "are")} {values} everywhere; drop {from}, or put in what differs.")
        {
            Mends = flat.Length == channels.Count ? [Offer(new SwitchOff(output.Name))]
                : [.. flat.Take(1).Select(c => Offer(IsAlpha(output, c.Index) ? new LeaveAlphaOut(output.Name)
                    : new FixChannel(output.Name, c.Index, Math.Clamp(c.Item.Least, 0, 1))))],
        };
    }

    private static IEnumerable<Finding> Twice(RecipeOutput output)
    {
        for (int c = 1; c < output.Channels.Count; c++)
        {
            int first = output.Channels.ToList().FindIndex(f => f == output.Channels[c]);
            if (first == c || output.Channels[c].From.Count == 0)
                continue;
            bool areAll = output.Channels.Count == 3 && output.Channels.All(f => f == output.Channels[0]);
            yield return new Finding(Severity.Note, "channel-twice", output.Name,
                $"{Letter(output, first)} and {Letter(output, c)} of {output.Name} hold the same; "
                + (areAll ? "make it grey with one channel." : "put another mask into one."))
            {
                Mends = [Offer(areAll ? new MakeGrey(output.Name) : IsAlpha(output, c) ? new LeaveAlphaOut(output.Name)
                    : new FixChannel(output.Name, c, output.Channels[c].Else))],
            };
        }
    }

    private static IEnumerable<Finding> Green(RecipeOutput output, IReadOnlyList<PackedChannel> channels, PackContext context)
    {
        if (output.Meaning != ColourMeaning.Normal || channels.Count < 2 || channels[1].From is not { } from || context.Green is not { } wanted
            || context.Feeds.GetValueOrDefault(from) is not { } feed || (feed.Green is null && feed.Origin != FeedOrigin.Brought))
            yield break;
        var came = feed.Green ?? GreenDirection.Up;
        bool isTurned = NormalWorking.Turns(output, feed, wanted);
        var got = isTurned == (came == GreenDirection.Up) ? GreenDirection.Down : GreenDirection.Up;
        string source = feed.From is { Length: > 0 } file ? file : from;
        var turn = new TurnOutputGreen(output.Name) { To = !isTurned };
        if (got != wanted && feed.Green is not null)
            yield return new Finding(Severity.Warn, "green-turned", output.Name,
                $"Green of {output.Name}, from {source}, runs {Word(got)} and the target wants it {Word(wanted)}: hollows would look raised. Turn it.")
            { Mends = [new(turn.Words(), true, turn)] };
        // Once it was decided nothing is asked.
        else if (feed.Green is null && output.Normals?.TurnGreen is null)
            yield return new Finding(Severity.Note, "green-untold", output.Name,
                $"{source} does not tell which way its green runs, so it is taken as up{(isTurned ? " and turned" : "")}. "
                + "Where hollows look raised, turn it.")
            { Mends = [new(turn.Words(), false, turn)] };

        static string Word(GreenDirection way) => way == GreenDirection.Up ? "up" : "down";
    }

    private static string Number(double value) => value.ToString("0.###", CultureInfo.InvariantCulture);

    private static string Listed(IReadOnlyList<string> names) => names.Count == 1 ? names[0] : $"{string.Join(", ", names.SkipLast(1))} or {names[^1]}";
}
