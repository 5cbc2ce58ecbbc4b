using System.Buffers;
using System.Text.Json;
using System.Text.Json.Serialization;
using Crumpet.Core.Bake;
using Crumpet.Core.Checking;
using Crumpet.Core.Imaging;
using Crumpet.Core.Targets;

namespace Crumpet.Core.Pack;

/// <summary>What the last of two or four channels is.</summary>
public enum AlphaUse
{
    /// <summary>A channel as any other.</summary>
    Data,

    /// <summary>Opacity: colour under transparent texels is bled outwards, so that filtering brings no fringe.</summary>
    Opacity,
}

/// <summary>What is done to the normals an output is fed by, before its channels are taken.</summary>
/// <param name="Strength">By how much slopes are multiplied.</param>
/// <param name="TurnGreen">Whether green is turned from up to down or back; null to turn it where it came otherwise than the target wants it.</param>
/// <param name="Detail">Normal maps of which the first that exists is laid onto the base; empty for none.</param>
/// <param name="DetailStrength">By how much the detail's slopes are multiplied.</param>
public sealed record NormalWork(
    [property: Within("The strength of normals", 0, 100)] double Strength = 1,
    bool? TurnGreen = null,
    [property: Words("The detail of normals", FieldRules.LongestName), AtMost(Feed.MostSources)] IReadOnlyList<string>? Detail = null,
    [property: Within("The strength of the detail", 0, 100)] double DetailStrength = 1)
{
    /// <inheritdoc/>
    public bool Equals(NormalWork? other) => other is not null && (Strength, TurnGreen, DetailStrength)
        == (other.Strength, other.TurnGreen, other.DetailStrength) && (Detail ?? []).SequenceEqual(other.Detail ?? []);

    /// <inheritdoc/>
    public override int GetHashCode() => HashCode.Combine(Strength, TurnGreen, DetailStrength);
}

/// <summary>One picture a recipe makes.</summary>
/// <param name="Name">What stands for <c>{map}</c> in file names.</param>
/// <param name="Meaning">What its numbers mean.</param>
/// <param name="Channels">One to four feeds: grey; grey and alpha; red, green and blue; and alpha.</param>
public sealed record RecipeOutput(
    [property: Words("The name of an output", RecipeOutput.LongestName)] string Name,
    ColourMeaning Meaning,
    [property: AtMost(4)] IReadOnlyList<Feed> Channels) : IChecked
{
    private const int LongestName = 60;
    private static readonly SearchValues<char> Forbidden = SearchValues.Create("/\\:*?\"<>|");

    /// <summary>Whether it is made.</summary>
    public bool On { get; init; } = true;

    /// <summary>Pattern of its file's name with <c>{asset}</c>, <c>{sheet}</c> and <c>{map}</c>; null for the kit's pattern of texture names.</summary>
    [Words("The file name of an output", Convention.LongestPattern)]
    public string? File { get; init; }

    /// <summary>Bits a channel: 8 or 16 whole, 16 or 32 floating point in pictures that hold that.</summary>
    [OneOf("The bits of an output", 8, 16, 32)]
    public int Bits { get; init; } = 8;

    /// <summary>The loose picture's file format.</summary>
    public PictureFormat Picture { get; init; } = PictureFormat.Png;

    /// <summary>How large it is: <see cref="OutputSize.Words"/>.</summary>
    [Words("The size of an output", 20), JsonConverter(typeof(TextOrNumber))]
    public string Size { get; init; } = "same";

    /// <summary>What the last of two or four channels is.</summary>
    public AlphaUse Alpha { get; init; }

    /// <summary>Whether rounding to 8 bits is spread as blue noise, the same each time.</summary>
    public bool Dither { get; init; }

    /// <summary>What is done to normals; null for nothing.</summary>
    public NormalWork? Normals { get; init; }

    /// <summary>How Convert stores it for the engine; null for what suits its meaning and channels.</summary>
    public TextureFormat? Format { get; init; }

    /// <summary>How long Convert's encoder searches.</summary>
    public Effort Level { get; init; } = Effort.Normal;

    /// <summary>How Convert filters smaller levels.</summary>
    public MipFilter Mips { get; init; } = MipFilter.Kaiser;

    /// <summary>Largest side of its texture, pixels; null for the picture's own. The picture stays as it is.</summary>
    [Within("The largest side of a texture", 4, ImageFile.LargestSide, Unit = "px")]
    public int? Largest { get; init; }

    /// <summary>Which sides its texture may have.</summary>
    public SideRule Sides { get; init; }

    /// <summary>How Convert stores it for a target: as it says itself, as the target wants it by its meaning, or as suits.</summary>
    public TextureFormat StoredAs(Target target)
    {
        if (target.Made.Container is not { } container)
            return Bits > 8 ? TextureFormat.Rgba16 : Channels.Count == 1 ? TextureFormat.R8 : TextureFormat.Rgba8;
        // What lies inside meshes alone is of one kind.
        if (target.Textures is null)
            return TextureFormat.Uastc;
        var wanted = Format ?? target.Formats.For(Meaning, Channels.Count);
        return wanted is not null && container.Holds(wanted) ? wanted : Meaning == ColourMeaning.Normal && Channels.Count < 4 ? TextureFormat.Bc5
            : Channels.Count == 1 ? TextureFormat.Bc4 : TextureFormat.Bc7;
    }

    /// <summary>A map as a picture of its own.</summary>
    /// <param name="map">The map.</param>
    public static RecipeOutput Of(PackFeed map)
    {
        var meaning = map.Map?.Meaning ?? OutputJob.MeaningOf(map.Name);
        return new RecipeOutput(NameFor(map.Name), meaning, [.. map.Letters().Select(c => Feed.Of(map.Name, c, Stands(map.Name, c)))]);
    }

    /// <summary>One channel of a map as a grey picture of its own.</summary>
    /// <param name="feed">What feeds it.</param>
    public static RecipeOutput Of(Feed feed) => new(feed.From.Count == 0 ? "grey" : NameFor(feed.From[0]), ColourMeaning.Linear, [feed]);

    private static string NameFor(string map) => new([.. map.Take(LongestName).Select(c => Forbidden.Contains(c) ? '_' : c)]);

    // What a map that is not there would be, flat.
    private static double Stands(string map, FeedChannel channel) => BakeMaps.Find(map)?.Meaning switch
    {
        ColourMeaning.Normal => channel == FeedChannel.B ? 1 : 0.5,
        ColourMeaning.Srgb => channel == FeedChannel.A ? 1 : 0.8,
        _ => 0,
    };

    /// <summary>The output with a channel joined with a map's; a channel more where it is the one after the last.</summary>
    /// <remarks>What is taken from elsewhere needs another range, inversion and mix: none of the channel's own stay. What stands in does.</remarks>
    /// <param name="channel">Number of the channel, from 0.</param>
    /// <param name="map">The map; null for the value that stands in alone.</param>
    /// <param name="of">Channel of the map.</param>
    /// <exception cref="FormatException">There is no such channel.</exception>
    public RecipeOutput Joined(int channel, string? map, FeedChannel of)
    {
        if (channel < 0 || channel > Channels.Count)
            throw new FormatException($"Output {Name} has {Channels.Count} channels; there is none of number {channel + 1}.");
        var feed = new Feed(map is null ? [] : [map], of, Else: channel < Channels.Count ? Channels[channel].Else : 1);
        return this with { Channels = [.. Channels.Take(channel), feed, .. Channels.Skip(channel + 1)] };
    }

    /// <summary>The output with a channel more, full at first.</summary>
    public RecipeOutput Widened() => Joined(Channels.Count, null, FeedChannel.R);

    /// <summary>The output without its last channel; what it was stored as held another number of them.</summary>
    public RecipeOutput Narrowed() => this with { Channels = [.. Channels.SkipLast(1)], Alpha = AlphaUse.Data, Format = null };

    /// <summary>What it holds, in a few words.</summary>
    public string InWords() => On ? string.Join(", ", Channels.Select(c => c.From.Count > 0 ? c.From[0] : "a fixed value").Distinct())
        + $"; {Picture.Label}, {Bits} bit, {(OutputSize.Of(Size) is { Divisor: 0 } ? $"{Size} px" : Size)}" : "off";

    /// <summary>Letters of its channels; the second of two is alpha.</summary>
    public string[] Letters() => Channels.Count == 2 ? ["R", "A"] : [.. "RGBA".Take(Channels.Count).Select(c => c.ToString())];

    /// <summary>All maps it may ask for, each once.</summary>
    public IEnumerable<string> Maps() => Channels.SelectMany(c => c.Maps()).Concat(Normals?.Detail ?? []).Distinct(StringComparer.Ordinal);

    /// <inheritdoc/>
    public string? ProblemTogether() => Name.AsSpan().ContainsAny(Forbidden) ? $"The recipe has an output named '{Name}', which cannot be part of a file name."
        : Channels.Count == 0 ? $"Output {Name} has no channels; give it one to four."
        : OutputSize.Of(Size) is null ? $"The size of output {Name} is '{FieldRules.Quoted(Size)}'; it must be {OutputSize.Words}."
        : Alpha == AlphaUse.Opacity && Channels.Count is not (2 or 4)
            ? $"Output {Name} has opacity in alpha and {Channels.Count} channels; give it two or four."
        : File is not null && FileProblem(File) is { } problem ? $"The file name of output {Name}: {problem}"
        : Picture.Problem(Bits, Channels.Count) is { } held ? $"Output {Name}: {held}"
        : null;

    /// <inheritdoc/>
    public bool Equals(RecipeOutput? other) => other is not null
        && (Name, Meaning, On, File, Bits, Picture, Size) == (other.Name, other.Meaning, other.On, other.File, other.Bits, other.Picture, other.Size)
        && (Alpha, Dither, Normals, Format) == (other.Alpha, other.Dither, other.Normals, other.Format)
        && (Level, Mips, Largest, Sides) == (other.Level, other.Mips, other.Largest, other.Sides) && Channels.SequenceEqual(other.Channels);

    /// <inheritdoc/>
    public override int GetHashCode() => HashCode.Combine(Name, Meaning, Bits, Channels.Count);

    private static string? FileProblem(string pattern)
    {
        if (pattern.AsSpan().ContainsAny(Forbidden))
            return $"'{FieldRules.Quoted(pattern)}' holds a character that no file name may; take it out.";
        try
        {
            Convention.Parse(pattern, []);
            return null;
        }
        catch (FormatException e)
        {
            return e.Message;
        }
    }
}

/// <summary>Reads a text, or a whole number as its text; writes numbers as numbers.</summary>
internal sealed class TextOrNumber : JsonConverter<string>
{
    /// <inheritdoc/>
    public override string Read(ref Utf8JsonReader reader, Type typeToConvert, JsonSerializerOptions options) => reader.TokenType switch
    {
        JsonTokenType.String => reader.GetString()!,
        JsonTokenType.Number when reader.TryGetInt32(out int number) => number.ToString(System.Globalization.CultureInfo.InvariantCulture),
        _ => throw new JsonException("A word or a whole number was expected."),
    };

    /// <inheritdoc/>
    public override void Write(Utf8JsonWriter writer, string value, JsonSerializerOptions options)
    {
        if (int.TryParse(value, System.Globalization.NumberStyles.None, System.Globalization.CultureInfo.InvariantCulture, out int number))
            writer.WriteNumberValue(number);
        else
            writer.WriteStringValue(value);
    }
}
