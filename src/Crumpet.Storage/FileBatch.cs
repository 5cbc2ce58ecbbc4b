namespace Crumpet.Storage;

/// <summary>Files that come to stand together: written aside one by one, and named when all are whole. Without <see cref="Commit"/> none stays.</summary>
/// <param name="folder">Folder they go to; made when they come to stand.</param>
public sealed class FileBatch(string folder) : IDisposable
{
    private readonly string whole = Path.GetFullPath(folder);
    private readonly List<(string Aside, string Path)> files = [];
    private string? aside;

    /// <summary>Writes a file aside.</summary>
    /// <param name="name">Its name in the folder.</param>
    /// <param name="bytes">Content.</param>
    /// <returns>Its path once it stands.</returns>
    public string Add(string name, ReadOnlySpan<byte> bytes)
    {
        // On the same disk, or giving names would copy: beside the folder, or above it where that is not there yet.
        aside ??= MakeAside();
        string path = Path.Combine(whole, name);
        // What could not take its name is said before any other has.
        if (Directory.Exists(path))
            throw new IOException($"{path} is a folder.");
        string own = Path.Combine(aside, $"{files.Count}");
        AtomicFile.Write(own, bytes);
        files.Add((own, path));
        return path;
    }

    /// <summary>Gives all files their names.</summary>
    public void Commit()
    {
        if (files.Count > 0)
            Directory.CreateDirectory(whole);
        foreach (var (own, path) in files)
            File.Move(own, path, overwrite: true);
        files.Clear();
    }

    /// <inheritdoc/>
    public void Dispose()
    {
        if (aside is not null)
            Directory.Delete(aside, recursive: true);
    }

    private string MakeAside()
    {
        string parent = whole;
        while (!Directory.Exists(parent))
            parent = Path.GetDirectoryName(parent)!;
        return Directory.CreateDirectory(Path.Combine(parent, $".crumpet-{Guid.NewGuid():N}")).FullName;
    }
}
