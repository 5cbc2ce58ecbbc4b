using Crumpet.Core.Bake;
using Crumpet.Core.Building;
using Crumpet.Core.Imaging;
using Crumpet.Core.Pack;

namespace Crumpet.Web.Pages.Pack;

/// <summary>A channel of what there is, as the board shows it.</summary>
/// <param name="Feed">What it is of.</param>
/// <param name="Channel">Which.</param>
/// <param name="Number">Its number in the file, from 0.</param>
public sealed record BoardStrip(SheetFeed Feed, FeedChannel Channel, int Number)
{
    /// <summary>What a join with it is sent as.</summary>
    public string Value => $"{Channel} {Feed.Name}";

    /// <summary>What it is called; the only channel of a map is the map.</summary>
    public string Label => Feed.Channels == 1 ? Feed.Name : $"{Feed.Name} {Channel}";
}

/// <summary>The board of Pack: what is there, what comes out, and what joins them.</summary>
/// <param name="View">The asset.</param>
/// <param name="Sheets">What can feed channels, a sheet each.</param>
/// <param name="Sheet">Name of the sheet that is looked at; null for the first.</param>
/// <param name="Show">What is shown beside the board, as the address says it.</param>
public sealed record Board(AssetView View, IReadOnlyList<SheetFeeds> Sheets, string? Sheet, string? Show)
{
    /// <summary>What a channel is joined with that takes a fixed value.</summary>
    public const string Fixed = "fixed";

    /// <summary>What the address says of what is looked at: where a change leads back to.</summary>
    public Dictionary<string, string> Here => new[] { (Name: "sheet", Value: Sheet), (Name: "show", Value: Show) }.Where(p => p.Value is not null)
        .ToDictionary(p => p.Name, p => p.Value!);

    private PackReport? Report => View.Report<PackReport>(Station.Pack);

    /// <summary>The sheet that is looked at; null before there is one.</summary>
    public SheetFeeds? Shown => Sheets.FirstOrDefault(s => s.Sheet == Sheet) ?? (Sheets.Count > 0 ? Sheets[0] : null);

    /// <summary>What is there, once each: what was baked or brought before what materials say.</summary>
    public IReadOnlyList<SheetFeed> Feeds => [.. (Shown?.Feeds ?? []).Where(f => !IsTwin(f)).OrderBy(f => f.Origin).ThenBy(f => OrderOf(f.Name))];

    /// <summary>The channels of what is there.</summary>
    public static IEnumerable<BoardStrip> Strips(SheetFeed feed) =>
        feed.Letters().Select(letter => new BoardStrip(feed, letter, feed.Map?.Channel ?? feed.PlaceOf(letter)!.Value));

    /// <summary>How many channels of the outputs a strip feeds.</summary>
    public int Uses(BoardStrip strip) => View.Plan.Recipe.Made().SelectMany(o => o.Channels).Count(f => Takes(f, strip));

    /// <summary>Whether a channel is fed by a strip.</summary>
    public bool Takes(Feed feed, BoardStrip strip) =>
        First(feed) == strip.Feed.Name && strip.Feed.PlaceOf(feed.Channel) == strip.Feed.PlaceOf(strip.Channel);

    /// <summary>The map a feed takes, or null.</summary>
    public string? First(Feed feed) => feed.From.FirstOrDefault(f => Shown?.Feeds.Any(own => own.Name == f) == true);

    /// <summary>Key of a map among those of the map viewer; null where there is no picture of it.</summary>
    public string? KeyOf(SheetFeed feed) => feed.Origin switch
    {
        FeedOrigin.Baked or FeedOrigin.Made =>
            View.ShownBake?.Sheets.FirstOrDefault(s => s.Sheet == Shown?.Sheet)?.Maps.GetValueOrDefault(feed.Name) is { } file ? $"bake/{file}" : null,
        FeedOrigin.Brought => $"intake/{feed.From}",
        _ => null,
    };

    /// <summary>The picture an output was packed to on the sheet that is looked at.</summary>
    public PackedPicture? PictureOf(RecipeOutput output) =>
        Report?.Pictures.FirstOrDefault(p => p.Output == output.Name && (Shown is null || p.Sheet == Shown.Sheet));

    /// <summary>Hash of a packed file.</summary>
    public string HashOf(PackedPicture picture) => View.Result(Station.Pack)!.File(picture.File).Sha256;

    /// <summary>Where something comes from, in words.</summary>
    public static string Origin(SheetFeed feed) => feed.Origin switch
    {
        FeedOrigin.Baked => "baked",
        FeedOrigin.Made => feed.From.Length > 0 ? $"made of {feed.From}" : "made",
        FeedOrigin.Brought => feed.From,
        _ when Feed.MapOf(feed.Name) != feed.Name => "",
        _ => "material",
    };

    // A file is known by its kind and by its name, a material's value by two names; one of them is enough to look at.
    private bool IsTwin(SheetFeed feed) => feed.Origin switch
    {
        FeedOrigin.Brought => BroughtTextures.FeedName(feed.From) == feed.Name && Shown!.Feeds.Any(f => f.From == feed.From && f.Name != feed.Name),
        FeedOrigin.Material => Feed.MapOf(feed.Name) is var map && map != feed.Name
            && Shown!.Feeds.Any(f => f.Origin == FeedOrigin.Material && f.Name == map),
        _ => false,
    };

    private static int OrderOf(string name) => BakeMaps.Find(name) is { } map ? BakeMap.Table.IndexOf(map) : int.MaxValue;
}
