using Crumpet.Core;
using Crumpet.Core.Checking;
using Crumpet.Core.Intake;
using Crumpet.Storage;

namespace Crumpet.Web;

/// <summary>Takes uploaded files into the store: single ones, folders, zips.</summary>
public sealed class IntakeDesk(FileStore store)
{
    private const int MostSaid = 5;

    // Slower than any disk that writes what comes out of a zip; what takes longer is made to take long.
    private const double SecondsAtLeast = 20, BytesASecond = 4 << 20;

    /// <summary>Adds uploads to an asset; those that are refused are said, the others are taken.</summary>
    /// <param name="asset">The asset; its sources must be loaded.</param>
    /// <param name="files">Uploads; their names may have folders.</param>
    /// <param name="cancel">Ends the work when nobody waits for it any more.</param>
    /// <returns>How many files came in or changed, and what was refused, one sentence each.</returns>
    public (int Taken, IReadOnlyList<string> Refused) Take(Asset asset, IReadOnlyList<IFormFile> files, CancellationToken cancel)
    {
        int taken = 0;
        var refused = new List<string>();
        var allowance = new ZipAllowance();
        var index = new SourceIndex(asset);
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
                taken += Add(index, name, stream) ? 1 : 0;
                continue;
            }
            try
            {
                ZipContents.Read(stream, name, (path, content) => taken += Add(index, Clean(path), content) ? 1 : 0, e => refused.Add(e.Message), allowance, patience.Token);
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

    private bool Add(SourceIndex index, string name, Stream content)
    {
        string sha256 = store.Put(content, out long bytes);
        return index.Add(index.PlaceOf(name), sha256, bytes, DateTime.UtcNow);
    }

    /// <summary>A path with plain slashes that stays below its folder.</summary>
    public static string Clean(string path)
    {
        var pieces = path.Replace('\\', '/').Split('/', StringSplitOptions.RemoveEmptyEntries)
            .Select(p => SafeName.Of(new string([.. p.Where(c => !char.IsControl(c) && c is not (':' or '"'))]).Trim(), int.MaxValue)).Where(p => p is not ("" or "." or ".."));
        string clean = string.Join('/', pieces);
        return clean.Length == 0 ? "unnamed" : clean.Length > SafeName.Longest ? clean[^SafeName.Longest..].TrimStart('/') : clean;
    }
}
