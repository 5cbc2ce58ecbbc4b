using System.Globalization;

namespace Crumpet.Storage;

/// <summary>A data folder in the hands of one process.</summary>
public sealed class FolderLock : IDisposable
{
    private const string LockName = "crumpet.lock", OwnerName = "crumpet.owner";
    private readonly FileStream hold;

    private FolderLock(FileStream hold) => this.hold = hold;

    /// <summary>Takes a folder.</summary>
    /// <param name="folder">The folder; it must be there.</param>
    /// <param name="what">What the process is, for others that ask.</param>
    /// <param name="owner">Who has it, where another process has; otherwise empty.</param>
    /// <returns>The lock, or null where another process has the folder.</returns>
    public static FolderLock? Take(string folder, string what, out string owner)
    {
        owner = "";
        string path = Path.Combine(folder, OwnerName);
        try
        {
            var hold = new FileStream(Path.Combine(folder, LockName), FileMode.OpenOrCreate, FileAccess.ReadWrite, FileShare.None);
            AtomicFile.Write(path, System.Text.Encoding.UTF8.GetBytes(
                string.Create(CultureInfo.InvariantCulture, $"{what}, process {Environment.ProcessId}, since {DateTime.UtcNow:u}")), syncs: false);
            return new FolderLock(hold);
        }
        catch (IOException)
        {
            owner = File.Exists(path) ? File.ReadAllText(path) : "another process";
            return null;
        }
    }

    /// <inheritdoc/>
    public void Dispose() => hold.Dispose();
}
