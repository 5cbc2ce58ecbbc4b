namespace Crumpet.Storage;

/// <summary>Writes files so that nobody ever sees half of one.</summary>
public static class AtomicFile
{
    /// <summary>Writes beside the target, then renames. Folders are made as needed.</summary>
    /// <param name="path">Target.</param>
    /// <param name="bytes">Content.</param>
    /// <param name="asideFolder">Folder on the same disk for what is not whole yet; null for the target's own.</param>
    /// <param name="syncs">Whether the bytes are on the disk before they get their name, so that a power cut leaves none or all of them.</param>
    public static void Write(string path, ReadOnlySpan<byte> bytes, string? asideFolder = null, bool syncs = true)
    {
        string folder = Path.GetDirectoryName(Path.GetFullPath(path))!;
        Directory.CreateDirectory(folder);
        string aside = Path.Combine(asideFolder ?? folder, $".{Path.GetFileName(path)}.{Guid.NewGuid():N}");
        try
        {
            using (var stream = new FileStream(aside, FileMode.CreateNew, FileAccess.Write))
            {
                stream.Write(bytes);
                if (syncs)
                    stream.Flush(flushToDisk: true);
            }
            File.Move(aside, path, overwrite: true);
        }
        catch
        {
            File.Delete(aside);
            throw;
        }
    }
}
