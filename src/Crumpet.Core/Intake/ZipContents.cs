using System.IO.Compression;
using Crumpet.Core.Checking;

namespace Crumpet.Core.Intake;

/// <summary>What all zips of one upload may take together.</summary>
public sealed class ZipAllowance
{
    /// <summary>Most bytes all entries may come to.</summary>
    public const long MostBytes = 16L << 30;

    private long bytes;

    /// <summary>Counts bytes that came out.</summary>
    /// <returns>Why no more may, or null.</returns>
    internal string? Spend(int came)
    {
        bytes += came;
        return bytes > MostBytes ? $"all entries together come to more than {MostBytes >> 30} GiB" : null;
    }
}

/// <summary>Looks into zips without trusting them.</summary>
public static class ZipContents
{
    /// <summary>Most entries of a zip.</summary>
    public const int MostEntries = 10_000;

    // Meshes and pictures shrink tenfold, a hundredfold at most; what promises more is a bomb.
    private const long MostTimesLarger = 300;
    private const long AlwaysAllowed = 16 << 20;
    private const int UnixLink = 0xa000;

    /// <summary>Goes through the files of a zip. An entry that is damaged is refused by itself; the others are taken.</summary>
    /// <param name="zip">The zip; it can seek.</param>
    /// <param name="name">Name for messages.</param>
    /// <param name="take">Receives each file's path within the zip and its bytes, which end with an error if they are not what the zip says they are.</param>
    /// <param name="refuse">Told of each entry that is not taken.</param>
    /// <param name="allowance">What may come out, with other zips of the same upload; null for this zip alone.</param>
    /// <param name="cancel">Ends the work early.</param>
    /// <returns>How many files were taken.</returns>
    /// <exception cref="SourceFileException">It is no zip, has a path that leads out of it, a link, too many files, or too much in too little.</exception>
    public static int Read(Stream zip, string name, Action<string, Stream> take, Action<SourceFileException> refuse, ZipAllowance? allowance = null,
        CancellationToken cancel = default)
    {
        allowance ??= new ZipAllowance();
        try
        {
            using var archive = new ZipArchive(zip, ZipArchiveMode.Read, leaveOpen: true);
            if (archive.Entries.Count > MostEntries)
                throw Refused(name, "", $"it holds {archive.Entries.Count} files, at most {MostEntries} are taken", "Split it");
            // Everything is checked before anything is taken.
            var files = archive.Entries.Where(e => !e.FullName.EndsWith('/') && !IsLitter(e.FullName)).ToArray();
            foreach (var entry in files)
                Check(entry, name);
            CheckTogether(files, zip.Length, name);
            string root = CommonFolder(files);
            int taken = 0;
            foreach (var entry in files)
            {
                cancel.ThrowIfCancellationRequested();
                try
                {
                    using var stream = new Checked(Opened(entry, name), entry, name, allowance, cancel);
                    take(entry.FullName.Replace('\\', '/')[root.Length..], stream);
                    taken++;
                }
                catch (DamagedEntryException e)
                {
                    refuse(Refused(name, FieldRules.Quoted(entry.FullName), e.Message, "Pack it again"));
                }
            }
            return taken;
        }
        catch (Exception e) when (e is InvalidDataException or NotSupportedException or EndOfStreamException or ArgumentException)
        {
            throw new SourceFileException(name, "", "it cannot be read as a zip, or it is encrypted",
                "Pack it again as a plain zip, or drop the folder itself", e);
        }
    }

    private static void Check(ZipArchiveEntry entry, string name)
    {
        string path = entry.FullName.Replace('\\', '/'), shown = FieldRules.Quoted(entry.FullName);
        if (SourcePaths.IsAbsolute(path) || path.Split('/').Contains(".."))
            throw Refused(name, shown, "the path leads out of the zip", "Pack it again from inside its folder");
        if ((entry.ExternalAttributes >> 16 & 0xf000) == UnixLink)
            throw Refused(name, shown, "it is a symbolic link", "Pack the file itself");
        if (entry.Length > AlwaysAllowed && entry.Length > MostTimesLarger * Math.Max(1, entry.CompressedLength))
            throw Refused(name, shown, $"{entry.CompressedLength} bytes claim to hold {entry.Length}", "Pack it again; no mesh or picture shrinks that far");
    }

    private static void CheckTogether(ZipArchiveEntry[] files, long zipBytes, string name)
    {
        long inside = files.Sum(e => e.CompressedLength), whole = files.Sum(e => e.Length);
        // Entries that share bytes are many files' worth of work in one file's room.
        if (inside > zipBytes)
            throw Refused(name, "", $"its entries claim {inside} bytes of a file of {zipBytes}, so they lie over each other", "Pack it again as a plain zip");
        if (whole > 4 * AlwaysAllowed && whole > MostTimesLarger * zipBytes)
            throw Refused(name, "", $"{zipBytes} bytes claim to hold {whole}", "Pack it again; no meshes or pictures shrink that far");
        if (whole > ZipAllowance.MostBytes)
            throw Refused(name, "", $"its files come to {whole >> 30} GiB, at most {ZipAllowance.MostBytes >> 30} GiB are taken", "Split it");
    }

    private static Stream Opened(ZipArchiveEntry entry, string name)
    {
        try
        {
            return entry.Open();
        }
        catch (InvalidDataException e)
        {
            throw new DamagedEntryException(entry.IsEncrypted ? "it is encrypted" : "it is damaged or packed in a way that is not read", e);
        }
    }

    /// <summary>What systems leave in folders.</summary>
    private static bool IsLitter(string path)
    {
        string file = Path.GetFileName(path.Replace('\\', '/'));
        return (file.StartsWith('.') && file != "..") || file is "Thumbs.db" or "desktop.ini" || path.StartsWith("__MACOSX/", StringComparison.Ordinal);
    }

    private static string CommonFolder(ZipArchiveEntry[] files)
    {
        if (files.Length == 0)
            return "";
        string first = files[0].FullName.Replace('\\', '/');
        int slash = first.IndexOf('/');
        string root = slash < 0 ? "" : first[..(slash + 1)];
        return files.All(f => f.FullName.Replace('\\', '/').StartsWith(root, StringComparison.Ordinal)) ? root : "";
    }

    private static SourceFileException Refused(string name, string where, string what, string whatToDo) => new(name, where, what, whatToDo);

    /// <summary>An entry is not what the zip says of it.</summary>
    private sealed class DamagedEntryException(string message, Exception? inner = null) : Exception(message, inner);

    /// <summary>Ends with an error where an entry is longer or shorter than it claims, or where its bytes do not give its checksum.</summary>
    private sealed class Checked(Stream inner, ZipArchiveEntry entry, string name, ZipAllowance allowance, CancellationToken cancel) : Stream
    {
        private long read;
        private Crc32 sum;
        private bool isAtEnd;

        public override bool CanRead => true;
        public override bool CanSeek => false;
        public override bool CanWrite => false;
        public override long Length => entry.Length;
        public override long Position { get => read; set => throw new NotSupportedException(); }

        public override int Read(byte[] buffer, int offset, int count) => Read(buffer.AsSpan(offset, count));

        public override int Read(Span<byte> buffer)
        {
            cancel.ThrowIfCancellationRequested();
            int got;
            try
            {
                got = inner.Read(buffer);
            }
            catch (Exception e) when (e is IOException or InvalidDataException)
            {
                // The inflater says so when its own tables are broken.
                throw new DamagedEntryException("its packed bytes are damaged", e);
            }
            read += got;
            sum.Add(buffer[..got]);
            if (read > entry.Length)
                throw new DamagedEntryException($"it holds more than the {entry.Length} bytes it claims");
            if (allowance.Spend(got) is { } problem)
                throw Refused(name, FieldRules.Quoted(entry.FullName), problem, "Split it, or drop the folder itself");
            if (got == 0 && buffer.Length > 0 && !isAtEnd)
            {
                isAtEnd = true;
                if (read < entry.Length)
                    throw new DamagedEntryException($"it holds {read} bytes and claims {entry.Length}");
                if (sum.Value != entry.Crc32)
                    throw new DamagedEntryException("its bytes do not give its checksum");
            }
            return got;
        }

        public override void Flush() => inner.Flush();

        public override long Seek(long offset, SeekOrigin origin) => throw new NotSupportedException();

        public override void SetLength(long value) => throw new NotSupportedException();

        public override void Write(byte[] buffer, int offset, int count) => throw new NotSupportedException();

        protected override void Dispose(bool disposing)
        {
            if (disposing)
                inner.Dispose();
            base.Dispose(disposing);
        }
    }
}
