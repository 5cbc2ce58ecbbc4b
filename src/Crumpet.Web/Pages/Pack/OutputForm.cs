using Crumpet.Core.Imaging;
using Crumpet.Core.Pack;

namespace Crumpet.Web.Pages.Pack;

/// <summary>An output as it is typed into its form.</summary>
public sealed class OutputForm
{
    public string? Name { get; set; }

    public bool On { get; set; }

    public string? File { get; set; }

    public ColourMeaning Meaning { get; set; }

    public int Bits { get; set; }

    public PictureFormat? Picture { get; set; }

    public string? Size { get; set; }

    public bool IsOpacity { get; set; }

    public bool Dither { get; set; }

    public string? NormalStrength { get; set; }

    public bool? TurnGreen { get; set; }

    public string? Detail { get; set; }

    public List<FeedForm?> Channels { get; set; } = [];

    /// <summary>The output it says, with what the form does not show as it was.</summary>
    /// <exception cref="FormatException">One sentence: a number is none, or out of range.</exception>
    public RecipeOutput Read(RecipeOutput was)
    {
        double strength = FormNumber.ReadIfAny<NormalWork>(nameof(NormalWork.Strength), NormalStrength) ?? 1;
        var detail = FeedForm.Names(Detail);
        return was with
        {
            Name = (Name ?? "").Trim(),
            On = On,
            File = string.IsNullOrWhiteSpace(File) ? null : File.Trim(),
            Meaning = Meaning,
            Bits = Bits,
            Picture = Picture ?? was.Picture,
            Size = (Size ?? "").Trim(),
            Alpha = IsOpacity && Channels.Count is 2 or 4 ? AlphaUse.Opacity : AlphaUse.Data,
            Dither = Dither,
            Normals = strength == 1 && TurnGreen is null && detail.Count == 0 ? null
                : (was.Normals ?? new NormalWork()) with { Strength = strength, TurnGreen = TurnGreen, Detail = detail.Count > 0 ? detail : null },
            Channels = [.. Channels.OfType<FeedForm>().Select(c => c.Read())],
        };
    }
}

/// <summary>What feeds a channel, as it is typed.</summary>
public sealed class FeedForm
{
    public string? From { get; set; }

    public FeedChannel Channel { get; set; }

    public bool Invert { get; set; }

    public string? Least { get; set; }

    public string? Most { get; set; }

    public string? Exponent { get; set; }

    public string? Else { get; set; }

    public MixHow How { get; set; }

    public string? MixFrom { get; set; }

    public FeedChannel MixChannel { get; set; }

    public bool MixInvert { get; set; }

    public string? Amount { get; set; }

    public string? By { get; set; }

    public FeedChannel ByChannel { get; set; }

    /// <summary>Names with commas between.</summary>
    public static IReadOnlyList<string> Names(string? typed) =>
        (typed ?? "").Split(',', StringSplitOptions.TrimEntries | StringSplitOptions.RemoveEmptyEntries);

    /// <summary>The feed it says.</summary>
    /// <exception cref="FormatException">One sentence: a number is none, or out of range.</exception>
    public Feed Read()
    {
        var (from, second, by) = (Names(From), Names(MixFrom), Names(By));
        double Number(string field, string? typed, double otherwise) => FormNumber.ReadIfAny<Feed>(field, typed) ?? otherwise;
        return new Feed(from, Channel, Invert, Number(nameof(Feed.Else), Else, 0))
        {
            Range = [Number(nameof(Feed.Range), Least, 0), Number(nameof(Feed.Range), Most, 1)],
            Exponent = Number(nameof(Feed.Exponent), Exponent, 1),
            Mix = second.Count == 0 ? null : new Mix(How, second, MixChannel, MixInvert,
                FormNumber.ReadIfAny<Mix>(nameof(Mix.Amount), Amount) ?? 1, by.Count > 0 ? by : null, ByChannel),
        };
    }
}
