namespace Crumpet.Storage;

/// <summary>Tells a full disk from other reasons why something could not be written.</summary>
public static class FullDisk
{
    // ERROR_DISK_FULL and ENOSPC as .NET reports them, and SQLITE_FULL.
    private const int DiskFull = unchecked((int)0x80070070), NoSpace = 28, SqliteFull = 13;

    /// <summary>What a full disk means and what helps.</summary>
    public const string Sentence =
        "the disk that holds the data folder is full. What was worked until then is kept; make room on it, or clear results nobody needs (crumpet room), and "
            + "press again.";

    /// <summary>Whether an exception says so.</summary>
    public static bool Is(Exception e)
    {
        for (var at = e; at is not null; at = at.InnerException)
        {
            if (at is IOException { HResult: var code } && (code == DiskFull || (code & 0xffff) == NoSpace))
                return true;
            if (at is Microsoft.Data.Sqlite.SqliteException { SqliteErrorCode: SqliteFull })
                return true;
        }
        return false;
    }
}
