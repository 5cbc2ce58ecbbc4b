using System.Runtime.InteropServices;

namespace Crumpet.Storage;

/// <summary>What Linux does with files that the framework has no words for.</summary>
internal static partial class LinuxFiles
{
    private const int HereAndNow = -100;
    private const uint ExchangeFlag = 2;

    /// <summary>Gives a file a second name; where the file system cannot, a copy.</summary>
    /// <param name="from">The file.</param>
    /// <param name="to">Its other name; nothing has it yet.</param>
    public static void LinkOrCopy(string from, string to)
    {
        if (Link(from, to) != 0)
            File.Copy(from, to);
    }

    /// <summary>Lets two folders change places in one step that nobody can see half of.</summary>
    /// <returns>Whether the file system can.</returns>
    public static bool Exchange(string one, string two) => Rename(HereAndNow, one, HereAndNow, two, ExchangeFlag) == 0;

    [LibraryImport("libc", EntryPoint = "link", StringMarshalling = StringMarshalling.Utf8)]
    private static partial int Link(string from, string to);

    [LibraryImport("libc", EntryPoint = "renameat2", StringMarshalling = StringMarshalling.Utf8)]
    private static partial int Rename(int fromFolder, string from, int toFolder, string to, uint flags);
}
