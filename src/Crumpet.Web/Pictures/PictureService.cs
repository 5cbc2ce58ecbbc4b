using System.Collections.Concurrent;
using System.Globalization;
using System.Security.Cryptography;
using System.Text;
using Crumpet.Core;
using Crumpet.Core.Convert;
using Crumpet.Core.Imaging;
using Crumpet.Storage;
using Crumpet.Web.Hosting;
using Microsoft.Win32.SafeHandles;

namespace Crumpet.Web.Pictures;

/// <summary>A picture as a viewer asks for it.</summary>
/// <param name="Sha256">Hash of its file in the store.</param>
/// <param name="Meaning">What its numbers mean: decides how it is averaged, and whether a normal's third component is rebuilt.</param>
/// <param name="Mip">Level of a texture's mip chain; of a picture how often its sides are halved.</param>
/// <param name="Filter">How a picture is halved.</param>
public readonly record struct PictureKey(string Sha256, ColourMeaning Meaning, int Mip, MipFilter Filter = MipFilter.Box);

/// <summary>Cuts pictures into tiles when they are first looked at, keeps the tiles by content, and compares pictures.</summary>
public sealed class PictureService : IDisposable
{
    private const int Version = 2;
    private const long LargestCache = 8L << 30;
    private const int OpenFiles = 48;

    private readonly FileStore store;
    private readonly string folder;
    private readonly ConcurrentDictionary<PictureKey, Lazy<Task<Cut>>> cuts = new();
    private readonly ConcurrentDictionary<(PictureKey, PictureKey), Lazy<Task<PictureDifference?>>> differences = new();
    private readonly ConcurrentDictionary<PictureKey, double> cutting = new();

    private readonly PixelAllowance allowance;

    /// <summary>Makes a service whose tiles live in the data folder.</summary>
    public PictureService(AppOptions options, FileStore store, PixelAllowance allowance)
    {
        this.store = store;
        this.allowance = allowance;
        folder = Path.Combine(options.DataFolder, "tiles");
        PrivateFiles.MakeFolder(folder);
        foreach (string left in Directory.EnumerateFiles(folder, ".*"))
            File.Delete(left);
    }

    private sealed record Cut(TileIndex Index, SafeFileHandle File);

    /// <summary>Size, depth, levels and statistics of a picture; cuts it first where that was not done yet.</summary>
    /// <param name="key">The picture.</param>
    /// <param name="patience">How long to wait for a picture that is being cut.</param>
    /// <returns>The index, or null while it is being cut; <see cref="ShareCut"/> says how far that is.</returns>
    /// <exception cref="FileNotFoundException">The store has no such file.</exception>
    /// <exception cref="SourceFileException">The file is no picture, or has no such level.</exception>
    public async Task<TileIndex?> IndexAsync(PictureKey key, TimeSpan patience)
    {
        // A failure that comes later is told to whoever asks next.
        var cut = Cutting(key).Value;
        return await Task.WhenAny(cut, Task.Delay(patience)) == cut ? (await CutAsync(key)).Index : null;
    }

    /// <summary>How far a picture is cut, 0 to 1.</summary>
    public double ShareCut(PictureKey key) => cutting.GetValueOrDefault(key);

    /// <summary>The gzip bytes of a tile, or null where there is none.</summary>
    public async Task<byte[]?> TileAsync(PictureKey key, int level, int x, int y)
    {
        var (index, file) = await CutAsync(key);
        if (level < 0 || level >= index.Levels.Count || x < 0 || y < 0 || x >= index.Levels[level].Across || y >= index.Levels[level].Down)
            return null;
        int number = y * index.Levels[level].Across + x;
        long from = index.Levels[level].Offsets[number];
        var bytes = new byte[index.Levels[level].Offsets[number + 1] - from];
        for (int done = 0; done < bytes.Length;)
        {
            int read = await RandomAccess.ReadAsync(file, bytes.AsMemory(done), from + done);
            if (read == 0)
                return null;
            done += read;
        }
        return bytes;
    }

    /// <summary>How far two pictures are apart; null where their sizes differ.</summary>
    /// <exception cref="SourceFileException">One of them is no picture.</exception>
    public async Task<PictureDifference?> CompareAsync(PictureKey a, PictureKey b)
    {
        var lazy = differences.GetOrAdd((a, b), _ => new(() => Task.Run(() => MeasureAsync(a, b))));
        try
        {
            return await lazy.Value;
        }
        catch
        {
            differences.TryRemove(new((a, b), lazy));
            throw;
        }
    }

    /// <inheritdoc/>
    public void Dispose()
    {
        foreach (var cut in cuts.Values.Where(c => c is { IsValueCreated: true, Value.IsCompletedSuccessfully: true }))
            cut.Value.Result.File.Dispose();
    }

    private async Task<Cut> CutAsync(PictureKey key)
    {
        var lazy = Cutting(key);
        try
        {
            var cut = await lazy.Value;
            CloseOthers(key);
            return cut;
        }
        catch
        {
            cuts.TryRemove(new(key, lazy));
            throw;
        }
    }

    private Lazy<Task<Cut>> Cutting(PictureKey key) => cuts.GetOrAdd(key, k => new(() => Task.Run(() => MakeAsync(k))));

    private async Task<Cut> MakeAsync(PictureKey key)
    {
        string name = Convert.ToHexStringLower(
            SHA256.HashData(Encoding.UTF8.GetBytes(
                string.Create(CultureInfo.InvariantCulture, $"{Version} {key.Sha256} {key.Meaning} {key.Mip} {key.Filter}"))));
        string path = Path.Combine(folder, name);
        if (!File.Exists(path))
        {
            byte[] bytes = store.Load(key.Sha256);
            using var room = await allowance.TakeAsync(BytesOf(bytes, key), CancellationToken.None);
            try
            {
                MakeRoom();
                string aside = Path.Combine(folder, "." + name);
                await using (var stream = new FileStream(aside, FileMode.Create, FileAccess.Write))
                    TilePyramid.Write(Decode(bytes, key), key.Meaning == ColourMeaning.Srgb, stream, Environment.ProcessorCount, new CutProgress(cutting, key),
                        CancellationToken.None);
                File.Move(aside, path, overwrite: true);
            }
            finally
            {
                cutting.TryRemove(key, out _);
            }
        }
        TileIndex? index;
        await using (var stream = File.OpenRead(path))
            index = TilePyramid.ReadIndex(stream);
        if (index is not null)
            return new Cut(index, File.OpenHandle(path, options: FileOptions.Asynchronous | FileOptions.RandomAccess));
        // Damaged: gone now, and cut anew at the next look.
        File.Delete(path);
        throw new SourceFileException(key.Sha256[..12], "", "its tiles were damaged and are removed", "Open the page again");
    }

    private async Task<PictureDifference?> MeasureAsync(PictureKey a, PictureKey b)
    {
        byte[] one = store.Load(a.Sha256), two = store.Load(b.Sha256);
        using var room = await allowance.TakeAsync(BytesOf(one, a) + BytesOf(two, b), CancellationToken.None);
        return PictureDifference.Measure(Decode(one, a), Decode(two, b), Environment.ProcessorCount, CancellationToken.None);
    }

    /// <summary>How much a picture takes while it is decoded and cut: a pyramid is a third more.</summary>
    private static long BytesOf(byte[] bytes, PictureKey key) =>
        TextureContainer.IsTexture(bytes) ? 8L * bytes.Length
        // Filtering takes four numbers a texel.
        : ImageFile.BytesToRead(bytes, key.Sha256[..12]) * (key.Mip == 0 ? 4 : 20) / 3;

    private static Bitmap Decode(byte[] bytes, PictureKey key)
    {
        string name = key.Sha256[..12];
        if (!TextureContainer.IsTexture(bytes))
            return Halved(ImageFile.Read(bytes, name), key);
        var texture = TextureContainer.Read(bytes, name);
        if (key.Mip < 0 || key.Mip >= texture.Levels.Count)
            throw new SourceFileException(name, $"mip {key.Mip}", $"the texture has {texture.Levels.Count} levels", "Look at one of them");
        return TextureView.Decode(texture, key.Mip, key.Meaning);
    }

    /// <summary>A picture as a level of its texture is filtered before it is compressed.</summary>
    private static Bitmap Halved(Bitmap picture, PictureKey key)
    {
        if (key.Mip == 0)
            return picture;
        if (key.Mip < 0 || key.Mip >= MipChain.Count(picture.Width, picture.Height))
        {
            throw new SourceFileException(key.Sha256[..12], $"mip {key.Mip}", $"the picture has {MipChain.Count(picture.Width, picture.Height)} levels",
                "Look at one of them");
        }
        return MipChain.Resize(TextureConverter.ToFour(picture), Math.Max(1, picture.Width >> key.Mip), Math.Max(1, picture.Height >> key.Mip),
            new MipSettings(key.Filter, key.Meaning), Environment.ProcessorCount, CancellationToken.None);
    }

    /// <summary>Lets go of files that are not being looked at, so that stepping through many maps holds few.</summary>
    private void CloseOthers(PictureKey key)
    {
        if (cuts.Count <= OpenFiles)
            return;
        foreach (var (other, lazy) in cuts.Where(c => c.Key != key && c.Value is { IsValueCreated: true, Value.IsCompletedSuccessfully: true })
            .Take(cuts.Count - OpenFiles))
        {
            // Readers that hold it keep it open by its handle until they are done.
            cuts.TryRemove(new(other, lazy));
        }
    }

    private sealed class CutProgress(ConcurrentDictionary<PictureKey, double> cutting, PictureKey key) : IProgress<Progress>
    {
        public void Report(Progress value) => cutting[key] = value.Fraction;
    }

    private void MakeRoom()
    {
        var files = new DirectoryInfo(folder).GetFiles().OrderBy(f => f.LastAccessTimeUtc).ToList();
        long total = files.Sum(f => f.Length);
        foreach (var file in files.TakeWhile(_ => total > LargestCache))
        {
            total -= file.Length;
            file.Delete();
        }
    }
}
