using Crumpet.Storage;

namespace Crumpet.Cli;

/// <summary>A store on the disk for as long as a command runs, so that large bakes need not fit into memory.</summary>
internal sealed class TemporaryStore : IDisposable
{
    private readonly string folder = Directory.CreateTempSubdirectory("crumpet-").FullName;

    public TemporaryStore() => Store = new FileStore(folder, isLasting: false);

    /// <summary>The store.</summary>
    public FileStore Store { get; }

    public void Dispose()
    {
        if (Directory.Exists(folder))
            Directory.Delete(folder, recursive: true);
    }
}
