namespace Crumpet.Storage;

/// <summary>Keeps folders and files readable by their owner only, where the system knows owners.</summary>
public static class PrivateFiles
{
    private const UnixFileMode Folder = UnixFileMode.UserRead | UnixFileMode.UserWrite | UnixFileMode.UserExecute;
    private const UnixFileMode Alone = UnixFileMode.UserRead | UnixFileMode.UserWrite;

    /// <summary>Makes a folder, or makes it private.</summary>
    /// <exception cref="UnauthorizedAccessException">It is somebody else's.</exception>
    public static void MakeFolder(string path)
    {
        if (OperatingSystem.IsWindows())
        {
            Directory.CreateDirectory(path);
            return;
        }
        Directory.CreateDirectory(path, Folder);
        File.SetUnixFileMode(path, Folder);
    }

    /// <summary>Makes a folder. One that was there stays as open as it is unless it holds a file that shows it is ours, or nothing.</summary>
    /// <param name="path">The folder.</param>
    /// <param name="sign">The file that shows it.</param>
    public static void Own(string path, string sign)
    {
        if (!Directory.Exists(path) || File.Exists(sign) || !Directory.EnumerateFileSystemEntries(path).Any())
            MakeFolder(path);
    }

    /// <summary>Makes a file that is not there yet, and makes it private.</summary>
    public static void MakeFile(string path)
    {
        if (!File.Exists(path))
        {
            var options = new FileStreamOptions { Mode = FileMode.CreateNew, Access = FileAccess.Write };
            if (!OperatingSystem.IsWindows())
                options.UnixCreateMode = Alone;
            using var made = new FileStream(path, options);
        }
        if (!OperatingSystem.IsWindows())
            File.SetUnixFileMode(path, Alone);
    }
}
