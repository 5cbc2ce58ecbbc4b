namespace Crumpet.Storage;

/// <summary>Writes files so that nobody ever sees half of one.</summary>
public static class AtomicFile
{
    /// <summary>Writes beside the target, then renames. Folders are made as needed.</summary>
    /// <param name="path">Target.</param>
    /// <param name="bytes">Content.</param>
    public static void Write(string path, ReadOnlySpan<byte> bytes)
    {
        string folder = Path.GetDirectoryName(Path.GetFullPath(path))!;
        Directory.CreateDirectory(folder);
        string aside = Path.Combine(folder, $".{Path.GetFileName(path)}.{Guid.NewGuid():N}");
        try
        {
            using (var stream = new FileStream(aside, FileMode.CreateNew, FileAccess.Write))
                stream.Write(bytes);
            File.Move(aside, path, overwrite: true);
        }
        catch
        {
            File.Delete(aside);
            throw;
        }
    }
}
