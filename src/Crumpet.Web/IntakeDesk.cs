using Crumpet.Core;
using Crumpet.Core.Intake;
using Crumpet.Storage;

namespace Crumpet.Web;

/// <summary>Takes uploaded files into the store: single ones, folders, zips.</summary>
public sealed class IntakeDesk(FileStore store)
{
    private const int LongestName = 240;

    /// <summary>Adds uploads to an asset; those that are refused are said, the others are taken.</summary>
    /// <param name="asset">The asset; its sources must be loaded.</param>
    /// <param name="files">Uploads; their names may have folders.</param>
    /// <returns>How many files came in or changed, and what was refused, one sentence each.</returns>
    public (int Taken, IReadOnlyList<string> Refused) Take(Asset asset, IReadOnlyList<IFormFile> files)
    {
        int taken = 0;
        var refused = new List<string>();
        foreach (var file in files)
        {
            string name = Clean(file.FileName);
            using var stream = file.OpenReadStream();
            if (!name.EndsWith(".zip", StringComparison.OrdinalIgnoreCase))
            {
                taken += Add(asset, name, stream) ? 1 : 0;
                continue;
            }
            try
            {
                ZipContents.Read(stream, name, (path, content) => taken += Add(asset, Clean(path), content) ? 1 : 0);
            }
            catch (SourceFileException e)
            {
                refused.Add(e.Message);
            }
        }
        return (taken, refused);
    }

    private bool Add(Asset asset, string name, Stream content)
    {
        string sha256 = store.Put(content, out long bytes);
        return asset.AddSource(NameFor(asset, name), sha256, bytes, DateTime.UtcNow);
    }

    /// <summary>A newer version that comes without its folder takes the place of the one file of its name.</summary>
    private static string NameFor(Asset asset, string name)
    {
        var current = asset.Sources.Where(s => s.IsCurrent).ToArray();
        if (Array.Exists(current, s => s.Name == name) || name.Contains('/', StringComparison.Ordinal))
            return name;
        var same = Array.FindAll(current, s => Path.GetFileName(s.Name) == name);
        return same.Length == 1 ? same[0].Name : name;
    }

    /// <summary>A path with plain slashes that stays below its folder.</summary>
    public static string Clean(string path)
    {
        var pieces = path.Replace('\\', '/').Split('/', StringSplitOptions.RemoveEmptyEntries)
            .Select(p => new string([.. p.Where(c => !char.IsControl(c) && c is not (':' or '"'))]).Trim()).Where(p => p is not ("" or "." or ".."));
        string clean = string.Join('/', pieces);
        return clean.Length == 0 ? "unnamed" : clean.Length > LongestName ? clean[^LongestName..] : clean;
    }
}
