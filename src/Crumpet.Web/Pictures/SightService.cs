using System.Collections.Concurrent;
using Crumpet.Core;
using Crumpet.Core.Convert;
using Crumpet.Core.Imaging;
using Crumpet.Storage;

namespace Crumpet.Web.Pictures;

/// <summary>A texture and the picture it was made from, as a viewer asks for them.</summary>
/// <param name="Texture">Hash of the texture in the store.</param>
/// <param name="Picture">Hash of the picture in the store.</param>
/// <param name="Meaning">What the numbers mean.</param>
/// <param name="Filter">How its levels were filtered.</param>
public readonly record struct SightKey(string Texture, string Picture, ColourMeaning Meaning, MipFilter Filter);

/// <summary>Measures textures beside their pictures when they are looked at, and keeps the latest answers.</summary>
public sealed class SightService(FileStore store, PixelAllowance allowance) : IDisposable
{
    // Picture, its levels as numbers, what is decoded, and what is measured: bytes for each of the picture's.
    private const int BytesABytePicture = 8, BytesAByteTexture = 24, MostKept = 200;

    private readonly SemaphoreSlim measuring = new(1);
    private readonly ConcurrentDictionary<(string, ConvertSettings), (string Sha256, int Width, int Height, int Levels)> kept = new();
    private readonly ConcurrentDictionary<SightKey, Lazy<Task<IReadOnlyList<LevelQuality>>>> levels = new();
    private readonly ConcurrentDictionary<(SightKey, int, bool), Lazy<Task<LevelErrors>>> errors = new();

    // Kept as long as there is room for it.
    private (SightKey Key, WeakReference<TextureSight>? Sight) latest;

    /// <summary>The blocks of a level as they lie in the file.</summary>
    /// <param name="sha256">Hash of the texture in the store.</param>
    /// <param name="level">Level from 0.</param>
    /// <returns>The bytes, or null where there is no such level.</returns>
    /// <exception cref="SourceFileException">It is no texture.</exception>
    public byte[]? Blocks(string sha256, int level)
    {
        var texture = LoosePicture.Read(store.Load(sha256), sha256[..12]);
        return level >= 0 && level < texture.Levels.Count ? texture.Level(level).ToArray() : null;
    }

    /// <summary>A texture as the stage draws it, as DDS.</summary>
    /// <param name="sha256">Hash of the texture in the store.</param>
    /// <param name="meaning">What the numbers mean.</param>
    /// <exception cref="SourceFileException">It is no texture.</exception>
    public async Task<byte[]> ForStageAsync(string sha256, ColourMeaning meaning)
    {
        byte[] bytes = store.Load(sha256);
        using var room = await allowance.TakeAsync((long)BytesAByteTexture * bytes.Length, CancellationToken.None);
        return await Task.Run(() => DdsFile.Write(TextureView.ForStage(LoosePicture.Read(bytes, sha256[..12]), meaning)));
    }

    /// <summary>A texture as it would be, made to be looked at.</summary>
    /// <param name="picture">Hash of the picture in the store.</param>
    /// <param name="settings">How it is converted.</param>
    /// <returns>Hash of the texture in the store, its size, and how many levels it has.</returns>
    /// <exception cref="SourceFileException">The picture cannot be read.</exception>
    public async Task<(string Sha256, int Width, int Height, int Levels)> WouldBeAsync(string picture, ConvertSettings settings)
    {
        if (kept.TryGetValue((picture, settings), out var known) && store.Has(known.Sha256))
            return known;
        if (kept.Count > MostKept)
            kept.Clear();
        byte[] bytes = store.Load(picture);
        using var room = await allowance.TakeAsync(ImageFile.BytesToRead(bytes, picture[..12]) * BytesABytePicture, CancellationToken.None);
        return kept[(picture, settings)] = await Task.Run(() =>
        {
            var texture = TextureConverter.Convert(ImageFile.Read(bytes, picture[..12]), settings, Threads);
            return (store.Put((settings.File.Container ?? TextureContainer.Dds).Write(texture)), texture.Width, texture.Height, texture.Levels.Count);
        });
    }

    /// <summary>What every level holds.</summary>
    /// <exception cref="SourceFileException">One of the files cannot be read.</exception>
    public Task<IReadOnlyList<LevelQuality>> LevelsAsync(SightKey key) => KeptAsync(levels, key, key, sight => LevelQuality.Measure(sight, Threads));

    /// <summary>Errors of a level, block by block.</summary>
    /// <param name="key">The texture and its picture.</param>
    /// <param name="level">Level from 0.</param>
    /// <param name="isSoft">Whether the level is drawn large beside the whole picture.</param>
    /// <exception cref="SourceFileException">One of the files cannot be read.</exception>
    /// <exception cref="ArgumentException">There is no such level.</exception>
    public Task<LevelErrors> ErrorsAsync(SightKey key, int level, bool isSoft) =>
        KeptAsync(errors, (key, level, isSoft), key, sight => LevelErrors.Measure(sight, level, isSoft, Threads));

    /// <inheritdoc/>
    public void Dispose() => measuring.Dispose();

    private static int Threads => Environment.ProcessorCount;

    private async Task<T> KeptAsync<TKey, T>(ConcurrentDictionary<TKey, Lazy<Task<T>>> kept, TKey key, SightKey files, Func<TextureSight, T> measure)
        where TKey : notnull
    {
        if (kept.Count > MostKept)
            kept.Clear();
        var lazy = kept.GetOrAdd(key, _ => new(() => Task.Run(() => MeasureAsync(files, measure))));
        try
        {
            return await lazy.Value;
        }
        catch
        {
            kept.TryRemove(new(key, lazy));
            throw;
        }
    }

    // One after another: each takes all threads, and most that follow are of the same texture.
    private async Task<T> MeasureAsync<T>(SightKey key, Func<TextureSight, T> measure)
    {
        byte[] texture = store.Load(key.Texture), picture = store.Load(key.Picture);
        string name = key.Picture[..12];
        using var room = await allowance.TakeAsync(
            ImageFile.BytesToRead(picture, name) * BytesABytePicture + (long)texture.Length * BytesAByteTexture, CancellationToken.None);
        await measuring.WaitAsync();
        try
        {
            if (latest.Key != key || latest.Sight?.TryGetTarget(out var sight) != true)
            {
                sight = new TextureSight(ImageFile.Read(picture, name), LoosePicture.Read(texture, key.Texture[..12]), key.Meaning, key.Filter,
                    wraps: false, Threads);
                latest = (key, new(sight));
            }
            return measure(sight!);
        }
        finally
        {
            measuring.Release();
        }
    }
}
