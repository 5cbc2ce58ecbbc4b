using System.Collections.Concurrent;
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
public sealed record RunEvent(int Id, int AssetId, string Asset, RunState State, Station Station, double Fraction, string Doing, double? SecondsLeft, string Message, int? Draft = null);

/// <summary>Tells every open page how runs go, over server-sent events.</summary>
public sealed class RunFeed
{
    private readonly ConcurrentDictionary<Channel<RunEvent>, byte> listeners = new();
    private volatile RunEvent? latest;

    /// <summary>Tells all open pages. Slow ones lose older news, never newer.</summary>
    public void Tell(RunEvent news)
    {
        latest = news;
        foreach (var listener in listeners.Keys)
            listener.Writer.TryWrite(news);
    }

    /// <summary>Sends news until the page is closed.</summary>
    public async Task StreamAsync(HttpResponse response, CancellationToken cancel)
    {
        response.ContentType = "text/event-stream";
        response.Headers.CacheControl = "no-store";
        var channel = Channel.CreateBounded<RunEvent>(new BoundedChannelOptions(64) { FullMode = BoundedChannelFullMode.DropOldest });
        listeners.TryAdd(channel, 0);
        try
        {
            await response.WriteAsync(": open\n\n", cancel);
            // What ended while a page was on its way is told to it, but changes nothing on it.
            if (latest is { } now)
                await SendAsync(response, now.State == RunState.Running ? "run" : "last", now, cancel);
            await response.Body.FlushAsync(cancel);
            await foreach (var news in channel.Reader.ReadAllAsync(cancel))
                await SendAsync(response, "run", news, cancel);
        }
        catch (OperationCanceledException)
        {
            // The page was closed.
        }
        finally
        {
            listeners.TryRemove(channel, out _);
        }
    }

    private static async Task SendAsync(HttpResponse response, string kind, RunEvent news, CancellationToken cancel)
    {
        await response.WriteAsync($"event: {kind}\ndata: {JsonSerializer.Serialize(news, BuildJson.Options)}\n\n", cancel);
        await response.Body.FlushAsync(cancel);
    }
}
