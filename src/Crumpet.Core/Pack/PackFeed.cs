using Crumpet.Core.Imaging;

namespace Crumpet.Core.Pack;

/// <summary>Where what can feed a channel comes from.</summary>
public enum FeedOrigin
{
    /// <summary>It was baked.</summary>
    Baked,

    /// <summary>It was made from a texture.</summary>
    Made,

    /// <summary>It is a texture that came along.</summary>
    Brought,

    /// <summary>A material says it.</summary>
    Material,
}

/// <summary>What can feed channels on a sheet.</summary>
/// <param name="Name">Name by which recipes know it.</param>
/// <param name="Origin">Where it comes from.</param>
/// <param name="Channels">Channels it has.</param>
public record PackFeed(string Name, FeedOrigin Origin, int Channels)
{
    /// <summary>Letters of its channels; the second of two is alpha.</summary>
    public IEnumerable<FeedChannel> Letters() => Channels == 2 ? [FeedChannel.R, FeedChannel.A] : Enumerable.Range(0, Channels).Select(c => (FeedChannel)c);

    /// <summary>Number of the channel a letter means, from 0: of a grey map every letter means its only one; null where it has none of it.</summary>
    public int? PlaceOf(FeedChannel letter) => ChannelReader.Place(Channels, letter);

    /// <summary>File it comes from; empty where its name says that.</summary>
    public string From { get; init; } = "";

    /// <summary>How its file is read; null where it is one value everywhere, or not there yet.</summary>
    public OutputMap? Map { get; init; }

    /// <summary>For a texture, what the material multiplies it with, in linear light, a number a channel; null where it leaves it as it is.</summary>
    public IReadOnlyList<float>? Factor { get; init; }

    /// <summary>Codes of 0 to 255 where it is one value everywhere.</summary>
    public int[]? Codes { get; init; }

    /// <summary>For normals, which way green runs; null where that is not told.</summary>
    public GreenDirection? Green { get; init; }
}

/// <summary>What outputs of a sheet are judged by beside themselves.</summary>
/// <param name="Feeds">What can feed channels, by name.</param>
/// <param name="Green">Which way the target's green runs; null where there is no target.</param>
/// <param name="CanBake">Whether maps can be baked.</param>
public sealed record PackContext(IReadOnlyDictionary<string, PackFeed> Feeds, GreenDirection? Green = null, bool CanBake = false)
{
    /// <summary>Nothing is known but the outputs.</summary>
    public static PackContext None { get; } = new(new Dictionary<string, PackFeed>());
}
