using System.Security.Cryptography;
using Crumpet.Core.Intake;
using Crumpet.Core.Jobs;

namespace Crumpet.Cli;

/// <summary>Brings files from the disk into a store, together with the files they need beside them.</summary>
internal sealed class SourceFolder(IResultStore store)
{
    private readonly Dictionary<string, SourceFile> files = new(StringComparer.Ordinal);

    public IReadOnlyList<SourceFile> Files => [.. files.Values];

    /// <summary>Adds a file and its companions.</summary>
    /// <param name="file">The file; it must be there.</param>
    /// <param name="side">Side of its objects, or null to read it from names.</param>
    public void Add(FileInfo file, Side? side)
    {
        byte[] bytes = Output.ReadFile(file);
        string name = file.Name;
        // Two folders may hold files of one name.
        if (files.TryGetValue(name, out var other) && other.Sha256 != Convert.ToHexStringLower(SHA256.HashData(bytes)))
            name = $"{file.Directory?.Name}_{name}";
        files[name] = new SourceFile(name, store.Put(bytes), bytes.Length, side);
        foreach (string companion in MeshFiles.CompanionsOf(file.Name, bytes))
        {
            // Only what lies below the file's own folder; paths of another machine are tried by their names.
            string wanted = SourcePaths.IsAbsolute(companion) ? Path.GetFileName(companion) : SourcePaths.From("", companion);
            var path = new FileInfo(Path.Combine(file.DirectoryName!, wanted));
            if (path.Exists && path.LinkTarget is null && !files.ContainsKey(wanted))
                files[wanted] = new SourceFile(wanted, store.Put(File.ReadAllBytes(path.FullName)), path.Length);
        }
    }
}
