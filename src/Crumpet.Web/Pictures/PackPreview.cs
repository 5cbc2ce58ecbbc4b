using Crumpet.Core.Building;
using Crumpet.Core.Imaging;
using Crumpet.Core.Jobs;
using Crumpet.Core.Pack;
using Crumpet.Storage;

namespace Crumpet.Web.Pictures;

/// <summary>A channel of a draft.</summary>
/// <param name="Letter">R, G, B or A.</param>
/// <param name="Words">What feeds it.</param>
/// <param name="Least">Least value written.</param>
/// <param name="Most">Greatest value written.</param>
/// <param name="Mean">Their mean; null in floating point.</param>
/// <param name="Clipped">Share of texels cut at full or empty.</param>
public sealed record LiveChannel(string Letter, string Words, double Least, double Most, double? Mean, double Clipped);

/// <summary>A draft of an output.</summary>
/// <param name="Label">What it is called.</param>
/// <param name="Address">Where the map viewer finds it.</param>
/// <param name="Alone">Where it finds the channel that is being changed by itself; null for none.</param>
/// <param name="Before">Where it finds that channel as its map holds it; null for none.</param>
/// <param name="IsNormal">Whether it holds normals.</param>
/// <param name="Sheet">The sheet it is of.</param>
/// <param name="Channels">Its channels.</param>
public sealed record LiveOutput(string Label, string Address, string? Alone, string? Before, bool IsNormal, string Sheet, IReadOnlyList<LiveChannel> Channels);

/// <summary>Works outputs small while they are being decided, from maps that are kept small.</summary>
public sealed class PackPreview(FileStore store, PixelAllowance allowance, LivePictures live)
{
    private const long MostKept = 256 << 20;
    private const int BytesATexel = 16;

    private readonly ValueCache small = new(MostKept);

    /// <summary>Works a draft.</summary>
    /// <param name="output">The output as it is typed.</param>
    /// <param name="sheet">What can feed it.</param>
    /// <param name="channel">Number of the channel that is being changed; null for none.</param>
    /// <param name="cancel">Ends the work early.</param>
    /// <exception cref="Core.SourceFileException">A map is no picture any more.</exception>
    public async Task<LiveOutput> WorkAsync(RecipeOutput output, SheetFeeds sheet, int? channel, CancellationToken cancel)
    {
        var feeds = sheet.Feeds.Where(f => f.Codes is not null || f.Content is not null).ToDictionary(f => f.Name, StringComparer.Ordinal);
        var maps = new Dictionary<string, PackSource>(StringComparer.Ordinal);
        foreach (string name in output.Maps().Where(feeds.ContainsKey))
            maps[name] = await SmallAsync(feeds[name], cancel);
        var sources = PackSources.Of(maps);
        return await Task.Run(() =>
        {
            var packed = PackDraft.Work(output, sources, sheet.Width, sheet.Height, cancel);
            string? Single(Func<RecipeOutput, int, RecipeOutput> of) => channel is { } c && c >= 0 && c < output.Channels.Count
                ? AddressOf(PackDraft.Work(of(output, c), sources, sheet.Width, sheet.Height, cancel)) : null;
            var counts = feeds.ToDictionary(f => f.Key, f => f.Value.Channels, StringComparer.Ordinal);
            double texels = packed.Picture.Width * (double)packed.Picture.Height;
            string[] letters = output.Letters();
            var channels = packed.Channels.Select((p, i) =>
                new LiveChannel(letters[i], output.Channels[i].InWords(counts), p.Least, p.Most, p.Mean, p.Clipped / texels));
            return new LiveOutput(output.Name, AddressOf(packed), Single(PackDraft.Alone), Single(PackDraft.Before),
                output.Meaning == ColourMeaning.Normal, sheet.Sheet, [.. channels]);
        }, cancel);
    }

    private string AddressOf(PackedOutput packed) => $"/live/{live.Add(packed.Picture)}";

    /// <summary>A map made small; read once.</summary>
    private async Task<PackSource> SmallAsync(SheetFeed feed, CancellationToken cancel)
    {
        if (feed.Codes is { } codes)
            return PackSource.Of(codes, OutputJob.MeaningOf(feed.Name));
        var (map, file, scale) = (feed.Map!, feed.Content!, feed.ContentScale);
        string key = $"{file.Sha256} {scale?.Sha256} {map.Ending} {map.Meaning} {map.Channel} {map.Invert}";
        return await Task.Run(async () =>
        {
            byte[]? bytes = null;
            if (!small.Holds<PackSource>(key))
                bytes = store.Load(file.Sha256);
            using var room = bytes is null ? null : await allowance.TakeAsync(ImageFile.BytesToRead(bytes, feed.Name + map.Ending), cancel);
            return small.Get(key, PackDraft.Side * PackDraft.Side * BytesATexel,
                () => PackDraft.Small(map.Read(feed.Name, bytes ?? store.Load(file.Sha256), () => store.Load(scale!.Sha256)), CancellationToken.None));
        }, cancel);
    }
}
