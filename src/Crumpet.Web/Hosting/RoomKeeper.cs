using Crumpet.Storage;

namespace Crumpet.Web.Hosting;

/// <summary>Keeps the store within its limit: looks once an hour, and clears what was not used for longest.</summary>
internal sealed class RoomKeeper(StoreRoom room, AppOptions options, ILogger<RoomKeeper> log) : BackgroundService
{
    private static readonly TimeSpan First = TimeSpan.FromMinutes(5), Every = TimeSpan.FromHours(1);

    protected override async Task ExecuteAsync(CancellationToken stoppingToken)
    {
        for (var wait = First; ; wait = Every)
        {
            await Task.Delay(wait, stoppingToken);
            try
            {
                var cleared = await Task.Run(() => room.Clear(options.LimitBytes, stoppingToken), stoppingToken);
                if (cleared.Bytes > 0)
                    log.LogInformation("Cleared {Results} results, {Bytes} bytes, that were not used for longest", cleared.Results, cleared.Bytes);
            }
            catch (Exception e) when (e is IOException or UnauthorizedAccessException or Microsoft.Data.Sqlite.SqliteException)
            {
                log.LogError(e, "Room could not be cleared; tried again in an hour");
            }
        }
    }
}
