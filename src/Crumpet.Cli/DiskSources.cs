using Crumpet.Core.Intake;

namespace Crumpet.Cli;

/// <summary>Files on the disk, with those they need beside them, read in place so that even very large ones are never held whole.</summary>
internal sealed class DiskSources
{
    private const int HeadBytes = 1 << 20;
    private readonly Dictionary<string, (SourceFile Source, string Path)> files = new(StringComparer.Ordinal);

    public IReadOnlyList<SourceFile> Files => [.. files.Values.Select(f => f.Source)];

    public Stream Open(SourceFile file) =>
        new FileStream(files[file.Name].Path, FileMode.Open, FileAccess.Read, FileShare.Read, 1 << 16, FileOptions.SequentialScan);

    /// <summary>Adds a file, the libraries and buffers it names, and the pictures of its materials where they lie where it says.</summary>
    public void Add(FileInfo file)
    {
        string name = files.TryGetValue(file.Name, out var other) && other.Path != file.FullName ? $"{file.Directory?.Name}_{file.Name}" : file.Name;
        Put(name, file);
        foreach (string companion in MeshFiles.CompanionsOf(file.Name, Head(file)))
        {
            string wanted = SourcePaths.From("", companion);
            var path = new FileInfo(Path.Combine(file.DirectoryName!, wanted));
            if (SourcePaths.IsAbsolute(companion))
                path = new FileInfo(Path.Combine(file.DirectoryName!, wanted = Path.GetFileName(wanted)));
            if (path.Exists && path.LinkTarget is null)
                Put(wanted, path);
        }
    }

    private void Put(string name, FileInfo file)
    {
        if (!files.ContainsKey(name))
            files.Add(name, (new SourceFile(name, file.FullName, file.Length), file.FullName));
    }

    // Libraries are named at the beginning of a file.
    private static byte[] Head(FileInfo file)
    {
        using var stream = file.OpenRead();
        var head = new byte[file.Extension.Equals(".obj", StringComparison.OrdinalIgnoreCase) ? Math.Min(stream.Length, HeadBytes)
            : Math.Min(stream.Length, 64L << 20)];
        stream.ReadExactly(head);
        return head;
    }
}
