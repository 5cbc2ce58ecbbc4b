using System.Collections.Concurrent;
using System.Net.ServerSentEvents;
using System.Runtime.CompilerServices;
using System.Text.Json;
using System.Threading.Channels;
using Crumpet.Core.Building;
using Crumpet.Storage;

namespace Crumpet.Web.Runs;

/// <summary>What a browser is told of a run.</summary>
/// <param name="Id">The run.</param>
/// <param name="AssetId">Asset it works on.</param>
/// <param name="Asset">Its name.</param>
/// <param name="State">How it stands.</param>
/// <param name="Station">Station at work.</param>
/// <param name="Fraction">0 to 1 within the station.</param>
/// <param name="Doing">What is being done.</param>
/// <param name="SecondsLeft">Time the station still needs, or null while that cannot be told.</param>
/// <param name="Message">What came of it.</param>
/// <param name="Draft">How coarse a draft is that can be looked at now; null where there is none new.</param>
public sealed record RunEvent(int Id, int AssetId, string Asset, RunState State, Station Station, double Fraction, string Doing, double? SecondsLeft,
    string Message, int? Draft = null)
{
    /// <summary>Kit of the asset.</summary>
    public int KitId { get; init; }

    /// <summary>Whether the run ended.</summary>
    public bool HasEnded => State is not (RunState.Running or RunState.Queued);
}

/// <summary>What a page shows: one asset, one kit, or everything.</summary>
/// <param name="AssetId">The asset, or null.</param>
/// <param name="KitId">The kit, or null.</param>
public sealed record FeedScope(int? AssetId, int? KitId)
{
    /// <summary>Whether a run concerns the page; of others it hears that they are at work, and no more.</summary>
    public bool Concerns(RunEvent news) => AssetId is { } asset ? news.AssetId == asset : KitId is not { } kit || news.KitId == kit;
}

/// <summary>Tells open pages how runs go, over server-sent events: each all of what it shows, and of the rest once a second what the masthead says.</summary>
public sealed class RunFeed
{
    private const int MostWaiting = 64;
    private static readonly TimeSpan Elsewhere = TimeSpan.FromSeconds(1);

    private readonly ConcurrentDictionary<Channel<RunEvent>, FeedScope> listeners = new();
    private readonly ConcurrentDictionary<int, RunEvent> latest = new();

    /// <summary>Tells all open pages. Slow ones lose older news, never newer.</summary>
    public void Tell(RunEvent news)
    {
        latest[news.AssetId] = news;
        foreach (var (listener, _) in listeners)
            listener.Writer.TryWrite(news);
    }

    /// <summary>News for a page until it is closed.</summary>
    /// <param name="scope">What the page shows.</param>
    /// <param name="cancel">Ends when the page is closed.</param>
    public async IAsyncEnumerable<SseItem<string>> ListenAsync(FeedScope scope, [EnumeratorCancellation] CancellationToken cancel)
    {
        var channel = Channel.CreateBounded<RunEvent>(new BoundedChannelOptions(MostWaiting) { FullMode = BoundedChannelFullMode.DropOldest });
        listeners.TryAdd(channel, scope);
        try
        {
            yield return new SseItem<string>("", "hello");
            // What ended while a page was on its way is told to it, but changes nothing on it.
            foreach (var now in latest.Values.Where(scope.Concerns))
                yield return Item(now.HasEnded ? "last" : "run", now);
            var told = new Dictionary<int, long>();
            await foreach (var news in channel.Reader.ReadAllAsync(cancel))
            {
                if (scope.Concerns(news))
                    yield return Item("run", news);
                else if (news.HasEnded || !told.TryGetValue(news.AssetId, out long at) || Environment.TickCount64 - at >= Elsewhere.TotalMilliseconds)
                {
                    told[news.AssetId] = Environment.TickCount64;
                    yield return Item("elsewhere", news);
                }
            }
        }
        finally
        {
            listeners.TryRemove(channel, out _);
        }
    }

    private static SseItem<string> Item(string kind, RunEvent news) => new(JsonSerializer.Serialize(news, BuildJson.Options), kind);
}
