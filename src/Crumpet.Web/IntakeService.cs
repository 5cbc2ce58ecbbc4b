using Crumpet.Core;
using Crumpet.Core.Checking;
using Crumpet.Core.Intake;
using Crumpet.Storage;

namespace Crumpet.Web;

/// <summary>A file that came in.</summary>
/// <param name="Name">Its name with its folders.</param>
/// <param name="Sha256">Of its bytes, its name in the store.</param>
/// <param name="Bytes">Its size.</param>
public sealed record ArrivedFile(string Name, string Sha256, long Bytes);

/// <summary>Takes uploaded files into the store: single ones, folders, zips.</summary>
public sealed class IntakeService(FileStore store)
{
    /// <summary>Folder below the data folder where kit folders are opened from and saved to.</summary>
    public const string KitsFolder = "kits";

    private const int MostSaid = 5;

    // Slower than any disk that writes what comes out of a zip; what takes longer is made to take long.
    private const double SecondsAtLeast = 20, BytesASecond = 4 << 20;

    /// <summary>Takes uploads into the store; those that are refused are said, the others are taken.</summary>
    /// <param name="files">Uploads; their names may have folders.</param>
    /// <param name="cancel">Ends the work when nobody waits for it any more.</param>
    /// <returns>What came in, and what was refused, one sentence each.</returns>
    public (IReadOnlyList<ArrivedFile> Arrived, IReadOnlyList<string> Refused) Take(IReadOnlyList<IFormFile> files, CancellationToken cancel)
    {
        var taken = new List<ArrivedFile>();
        var refused = new List<string>();
        var allowance = new ZipAllowance();
        var time = TimeSpan.FromSeconds(SecondsAtLeast + files.Sum(f => f.Length) / BytesASecond);
        using var patience = CancellationTokenSource.CreateLinkedTokenSource(cancel);
        patience.CancelAfter(time);
        foreach (var file in files)
        {
            cancel.ThrowIfCancellationRequested();
            string name = Clean(file.FileName);
            using var stream = file.OpenReadStream();
            if (!name.EndsWith(".zip", StringComparison.OrdinalIgnoreCase))
            {
                taken.Add(Keep(name, stream));
                continue;
            }
            try
            {
                ZipContents.Read(stream, name, (path, content) => taken.Add(Keep(Clean(path), content)), e => refused.Add(e.Message), allowance,
                    patience.Token);
            }
            catch (SourceFileException e)
            {
                refused.Add(e.Message);
            }
            catch (OperationCanceledException) when (!cancel.IsCancellationRequested)
            {
                refused.Add($"{name}: taking it apart takes more than {time.TotalSeconds:0} s. Split it, or drop the folder itself.");
                break;
            }
        }
        return (taken, refused.Count <= MostSaid ? refused : [.. refused.Take(MostSaid), $"{refused.Count - MostSaid} more were refused."]);
    }

    /// <summary>Takes the files of a zipped kit folder into the store.</summary>
    /// <exception cref="SourceFileException">It is no zip, or one of its files cannot be taken.</exception>
    public Dictionary<string, (string Sha256, long Bytes)> TakeKit(IFormFile zip, CancellationToken cancel)
    {
        var files = new Dictionary<string, (string, long)>(StringComparer.Ordinal);
        using var stream = zip.OpenReadStream();
        ZipContents.Read(stream, Clean(zip.FileName), (path, content) => files[Clean(path)] = (store.Put(content, out long bytes), bytes), e => throw e, null,
            cancel);
        return files;
    }

    /// <summary>Takes the files of a kit folder below the data folder into the store.</summary>
    /// <exception cref="SourceFileException">There is no such folder.</exception>
    public Dictionary<string, (string Sha256, long Bytes)> TakeKit(string dataFolder, string? name)
    {
        string root = Path.Combine(dataFolder, KitsFolder), wanted = Clean(name ?? "");
        var folder = new DirectoryInfo(Path.Combine(root, wanted));
        if (string.IsNullOrWhiteSpace(name) || !folder.Exists || folder.LinkTarget is not null)
            throw new SourceFileException(wanted, "", $"there is no folder {Path.Combine(KitsFolder, wanted)} in the data folder",
                "Put the kit folder there, or give a zip of it");
        var files = new Dictionary<string, (string, long)>(StringComparer.Ordinal);
        foreach (var file in folder.EnumerateFiles("*",
            new EnumerationOptions { RecurseSubdirectories = true, AttributesToSkip = FileAttributes.ReparsePoint }))
        {
            using var stream = file.OpenRead();
            files[Path.GetRelativePath(folder.FullName, file.FullName).Replace('\\', '/')] = (store.Put(stream, out long bytes), bytes);
        }
        return files;
    }

    /// <summary>Adds files that came in to an asset.</summary>
    /// <param name="asset">The asset; its sources must be loaded.</param>
    /// <param name="files">The files.</param>
    /// <returns>How many are new or changed.</returns>
    public static int Add(Asset asset, IReadOnlyList<ArrivedFile> files)
    {
        var index = new SourceIndex(asset);
        return files.Count(f => index.Add(index.PlaceOf(f.Name), f.Sha256, f.Bytes, DateTime.UtcNow));
    }

    private ArrivedFile Keep(string name, Stream content)
    {
        string sha256 = store.Put(content, out long bytes);
        return new ArrivedFile(name, sha256, bytes);
    }

    /// <summary>A path with plain slashes that stays below its folder.</summary>
    public static string Clean(string path)
    {
        var pieces = path.Replace('\\', '/').Split('/', StringSplitOptions.RemoveEmptyEntries)
            .Select(p => SafeName.Of(new string([.. p.Where(c => !char.IsControl(c) && c is not (':' or '"'))]).Trim(), int.MaxValue))
                .Where(p => p is not ("" or "." or ".."));
        string clean = string.Join('/', pieces);
        return clean.Length == 0 ? "unnamed" : clean.Length > SafeName.Longest ? clean[^SafeName.Longest..].TrimStart('/') : clean;
    }
}
