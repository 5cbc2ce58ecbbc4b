using System.Numerics;
using System.Text;

namespace Crumpet.Core.Geometry;

/// <summary>
/// Reads Wavefront OBJ. The text streams through in blocks that are parsed side by side; only numbers are kept, so files of
/// gigabytes need no memory for their text. Objects follow <c>o</c>; where a file has fewer than two, its groups are the objects.
/// </summary>
/// <remarks>Source: Wavefront "Object Files (.obj)", appendix B1 of the Advanced Visualizer manual. Colours after a position are the common addition.</remarks>
public static class ObjReader
{
    /// <summary>Most positions, corners or faces that are read.</summary>
    public const int LargestCount = 1 << 28;

    private const int BlockBytes = 4 << 20;
    private const int LongestLine = 64 << 20;

    /// <summary>Reads a file.</summary>
    /// <param name="stream">UTF-8, ASCII, or UTF-16 with a byte order mark; any line ending.</param>
    /// <param name="fileName">Name for messages.</param>
    /// <param name="library">Materials of a library it names, as <see cref="MtlReader"/> gives them.</param>
    /// <param name="threads">Threads to use, at least 1; the result does not depend on it.</param>
    /// <param name="cancel">Ends the reading early.</param>
    /// <exception cref="SourceFileException">A number, index or face cannot be read, or there is no triangle.</exception>
    public static Scene Read(Stream stream, string fileName, Func<string, IReadOnlyList<Material>> library, int threads = 1, CancellationToken cancel = default)
    {
        var text = TextSource.Open(stream);
        // UTF-16 may grow by half when it becomes UTF-8.
        var blocks = ReadBlocks(text, (int)Math.Min(BlockBytes, 2 * stream.Length + ObjBlock.Room + 1), fileName, threads, cancel);
        var wrong = blocks.FindIndex(b => b.Error is not null);
        if (wrong >= 0)
            throw blocks[wrong].Error!.At(fileName, blocks.Take(wrong).Sum(b => b.Lines));
        var scene = new ObjAssembly(fileName, blocks, Libraries(blocks, library)).Build(threads, cancel);
        if (scene.Meshes.Count == 0)
            throw new SourceFileException(fileName, "", "there is no triangle in it", "Export the mesh again with its faces");
        return scene;
    }

    private static List<Material> Libraries(List<ObjBlock> blocks, Func<string, IReadOnlyList<Material>> library)
    {
        var materials = new List<Material>();
        foreach (string name in blocks.SelectMany(b => b.Statements).Where(s => s.Kind == 'l' && s.Name.Length > 0).Select(s => s.Name.Replace('\\', '/'))
            .Distinct(StringComparer.Ordinal))
        {
            // One statement may name several libraries, and one name may hold blanks.
            string[] names = name.Contains(' ', StringComparison.Ordinal) && name.Split(' ') is var several
                && several.All(n => n.EndsWith(".mtl", StringComparison.OrdinalIgnoreCase)) ? several : [name];
            foreach (string one in names)
                materials.AddRange(library(one));
        }
        return materials;
    }

    private static List<ObjBlock> ReadBlocks(Stream text, int blockBytes, string fileName, int threads, CancellationToken cancel)
    {
        var blocks = new List<ObjBlock>();
        var working = new Queue<Task<ObjBlock>>();
        var spare = new Stack<byte[]>();
        var buffer = new byte[blockBytes];
        int filled = 0;
        try
        {
            while (true)
            {
                cancel.ThrowIfCancellationRequested();
                int read = ReadFully(text, buffer.AsSpan(filled..^ObjBlock.Room));
                filled += read;
                bool last = filled < buffer.Length - ObjBlock.Room;
                int end = last ? filled : LastLineEnd(buffer.AsSpan(0, filled));
                if (end == 0 && !last)
                {
                    if (buffer.Length >= LongestLine)
                        throw new SourceFileException(fileName, "", "a line is longer than 64 MiB", "This is no OBJ file; export it again");
                    Array.Resize(ref buffer, buffer.Length * 2);
                    continue;
                }
                // The rest of the last line begins the next block.
                byte[] full = buffer;
                buffer = spare.TryPop(out byte[]? used) ? used : new byte[Math.Max(blockBytes, full.Length)];
                full.AsSpan(end, filled - end).CopyTo(buffer);
                filled -= end;
                int length = end;
                working.Enqueue(threads > 1 ? Task.Run(() => ObjBlock.Parse(full, length), cancel) : Task.FromResult(ObjBlock.Parse(full, length)));
                while (working.Count > (last ? 0 : threads))
                {
                    var done = working.Dequeue().GetAwaiter().GetResult();
                    if (done.Text!.Length == blockBytes && spare.Count < threads + 2)
                        spare.Push(done.Text);
                    done.Text = null;
                    blocks.Add(done);
                    if (done.Error is not null)
                        return blocks;
                }
                if (last)
                    return blocks;
            }
        }
        finally
        {
            // What is still at work must not outlive the call.
            foreach (var task in working)
                ((IAsyncResult)task).AsyncWaitHandle.WaitOne();
        }
    }

    private static int ReadFully(Stream stream, Span<byte> into)
    {
        int total = 0, read;
        while (total < into.Length && (read = stream.Read(into[total..])) > 0)
            total += read;
        return total;
    }

    /// <summary>Just after the last line end that no backslash takes back; 0 where there is none.</summary>
    private static int LastLineEnd(ReadOnlySpan<byte> text)
    {
        while (true)
        {
            int at = text.LastIndexOfAny((byte)'\n', (byte)'\r');
            if (at < 0)
                return 0;
            // A return at the very end may be half of a pair.
            if (at == text.Length - 1 && text[at] == '\r')
            {
                text = text[..at];
                continue;
            }
            int before = at - 1;
            if (before >= 0 && text[at] == '\n' && text[before] == '\r')
                before--;
            if (before < 0 || text[before] != '\\')
                return at + 1;
            text = text[..Math.Max(before, 0)];
        }
    }
}

/// <summary>Gives text files as UTF-8, whatever they were written in.</summary>
internal static class TextSource
{
    /// <summary>The stream after its byte order mark, transcoded where it is UTF-16.</summary>
    public static Stream Open(Stream stream)
    {
        Span<byte> head = stackalloc byte[4];
        long start = stream.Position;
        int read = stream.ReadAtLeast(head, 4, throwOnEndOfStream: false);
        head = head[..read];
        (Encoding? From, int Skip) found = head switch
        {
            [0xef, 0xbb, 0xbf, ..] => (null, 3),
            [0xff, 0xfe, ..] => (Encoding.Unicode, 2),
            [0xfe, 0xff, ..] => (Encoding.BigEndianUnicode, 2),
            // Without a mark, ASCII in two bytes has a zero in every other one.
            [not 0, 0, not 0, 0] => (Encoding.Unicode, 0),
            [0, not 0, 0, not 0] => (Encoding.BigEndianUnicode, 0),
            _ => (null, 0),
        };
        stream.Position = start + found.Skip;
        return found.From is { } encoding ? Encoding.CreateTranscodingStream(stream, encoding, new UTF8Encoding(false), leaveOpen: true) : stream;
    }

    /// <summary>A whole text file.</summary>
    public static string ReadAll(Stream stream)
    {
        using var reader = new StreamReader(Open(stream), new UTF8Encoding(false), detectEncodingFromByteOrderMarks: false, leaveOpen: true);
        return reader.ReadToEnd();
    }
}
