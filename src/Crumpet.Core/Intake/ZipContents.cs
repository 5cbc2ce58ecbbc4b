using System.IO.Compression;

namespace Crumpet.Core.Intake;

/// <summary>Looks into zips without trusting them.</summary>
public static class ZipContents
{
    /// <summary>Most entries of a zip.</summary>
    public const int MostEntries = 10_000;

    /// <summary>Most bytes all entries may come to.</summary>
    public const long MostBytes = 16L << 30;

    // Meshes and pictures shrink tenfold, a hundredfold at most; what promises more is a bomb.
    private const long MostTimesLarger = 300;
    private const long AlwaysAllowed = 16 << 20;
    private const int UnixLink = 0xa000;

    /// <summary>Goes through the files of a zip.</summary>
    /// <param name="zip">The zip; it can seek.</param>
    /// <param name="name">Name for messages.</param>
    /// <param name="take">Receives each file's path within the zip and its bytes, which end with an error if they are more than the zip says.</param>
    /// <returns>How many files there were.</returns>
    /// <exception cref="SourceFileException">It is no zip, has a path that leads out of it, a link, too many files, or too much in too little.</exception>
    public static int Read(Stream zip, string name, Action<string, Stream> take)
    {
        try
        {
            using var archive = new ZipArchive(zip, ZipArchiveMode.Read, leaveOpen: true);
            if (archive.Entries.Count > MostEntries)
                throw Refused(name, "", $"it holds {archive.Entries.Count} files, at most {MostEntries} are taken", "Split it");
            // Everything is checked before anything is taken.
            var files = archive.Entries.Where(e => !e.FullName.EndsWith('/') && !IsLitter(e.FullName)).ToArray();
            foreach (var entry in files)
                Check(entry, name);
            if (files.Sum(e => e.Length) > MostBytes)
                throw Refused(name, "", $"its files come to {files.Sum(e => e.Length) >> 30} GiB, at most {MostBytes >> 30} GiB are taken", "Split it");
            string root = CommonFolder(files);
            foreach (var entry in files)
            {
                using var stream = new Bounded(entry.Open(), entry.Length, name, entry.FullName);
                take(entry.FullName.Replace('\\', '/')[root.Length..], stream);
            }
            return files.Length;
        }
        catch (Exception e) when (e is InvalidDataException or NotSupportedException or EndOfStreamException or ArgumentException)
        {
            throw new SourceFileException(name, "", "it cannot be read as a zip, or it is encrypted", "Pack it again as a plain zip, or drop the folder itself", e);
        }
    }

    private static void Check(ZipArchiveEntry entry, string name)
    {
        string path = entry.FullName.Replace('\\', '/');
        if (SourcePaths.IsAbsolute(path) || path.Split('/').Contains(".."))
            throw Refused(name, entry.FullName, "the path leads out of the zip", "Pack it again from inside its folder");
        if ((entry.ExternalAttributes >> 16 & 0xf000) == UnixLink)
            throw Refused(name, entry.FullName, "it is a symbolic link", "Pack the file itself");
        if (entry.Length > AlwaysAllowed && entry.Length > MostTimesLarger * Math.Max(1, entry.CompressedLength))
            throw Refused(name, entry.FullName, $"{entry.CompressedLength} bytes claim to hold {entry.Length}", "Pack it again; no mesh or picture shrinks that far");
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

    /// <summary>Ends with an error where an entry goes on after the length it claims.</summary>
    private sealed class Bounded(Stream inner, long length, string name, string entry) : Stream
    {
        private long read;

        public override bool CanRead => true;
        public override bool CanSeek => false;
        public override bool CanWrite => false;
        public override long Length => length;
        public override long Position { get => read; set => throw new NotSupportedException(); }

        public override int Read(byte[] buffer, int offset, int count) => Read(buffer.AsSpan(offset, count));

        public override int Read(Span<byte> buffer)
        {
            int got;
            try
            {
                got = inner.Read(buffer);
            }
            catch (IOException e)
            {
                // The inflater says so when its own tables are broken.
                throw new InvalidDataException(e.Message, e);
            }
            read += got;
            return read <= length ? got : throw Refused(name, entry, $"it holds more than the {length} bytes it claims", "Pack it again");
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
