using Crumpet.Storage;

namespace Crumpet.Web.Hosting;

/// <summary>The folder everything is kept in: private to its owner, used by one process at a time, rid at start of what was left half done.</summary>
internal sealed class DataFolder : IDisposable
{
    private readonly FolderLock hold;

    private DataFolder(FolderLock hold) => this.hold = hold;

    /// <summary>Takes the folder; null where another process has it.</summary>
    /// <param name="path">The folder; made as needed.</param>
    /// <param name="owner">Who has it, where another process has.</param>
    public static DataFolder? Take(string path, out string owner)
    {
        PrivateFiles.Own(path, Path.Combine(path, Database.FileName));
        if (FolderLock.Take(path, "the web application", out owner) is not { } hold)
            return null;
        foreach (string own in (string[])["store", "keys"])
            PrivateFiles.MakeFolder(Path.Combine(path, own));
        RemoveRemains(Path.Combine(path, "store", FileStore.IncomingFolder));
        BufferUploads(path);
        return new DataFolder(hold);
    }

    public void Dispose() => hold.Dispose();

    /// <summary>
    /// Gives uploads that are still arriving a folder of their own below the system's for temporary files, or below the data folder
    /// where that one is not to be had, and empties it: what a killed process left there is nobody's. What a living one still reads it
    /// holds open, and does not miss its name.
    /// </summary>
    private static void BufferUploads(string path)
    {
        const string Variable = "ASPNETCORE_TEMP";
        if (Environment.GetEnvironmentVariable(Variable) is { Length: > 0 } chosen && Directory.Exists(chosen))
            return;
        string folder = Path.Combine(Path.GetTempPath(), $"crumpet-{Environment.UserName}");
        try
        {
            if (new DirectoryInfo(folder).LinkTarget is not null)
                throw new UnauthorizedAccessException();
            PrivateFiles.MakeFolder(folder);
        }
        catch (Exception e) when (e is UnauthorizedAccessException or IOException)
        {
            PrivateFiles.MakeFolder(folder = Path.Combine(path, "incoming"));
        }
        RemoveRemains(folder);
        Environment.SetEnvironmentVariable(Variable, folder);
    }

    private static void RemoveRemains(string folder)
    {
        if (!Directory.Exists(folder))
            return;
        foreach (string left in Directory.EnumerateFiles(folder))
            File.Delete(left);
    }
}
