using System.Buffers.Binary;
using System.IO.Compression;
using System.Runtime.InteropServices;
using System.Text;

namespace Crumpet.Core.Imaging;

/// <summary>Reads OpenEXR scanline pictures, half and float, uncompressed or with RLE, ZIPS, ZIP or PIZ.</summary>
/// <remarks>Source: "OpenEXR File Layout" and "Technical Introduction to OpenEXR", Academy Software Foundation.</remarks>
public static class ExrReader
{
    private const int LargestChannels = 64;

    private sealed record Channel(string Name, int Type)
    {
        public int Bytes => Type == 1 ? 2 : 4;
    }

    private sealed record Header(List<Channel> Channels, int Compression, int X, int Y, int Width, int Height);

    /// <summary>Whether the bytes begin as OpenEXR does.</summary>
    public static bool IsExr(ReadOnlySpan<byte> bytes) => bytes.StartsWith((ReadOnlySpan<byte>)[0x76, 0x2f, 0x31, 0x01]);

    /// <summary>Reads a picture as floats: R, G, B and A where they are there, otherwise luminance, otherwise the first channels.</summary>
    /// <param name="bytes">The file.</param>
    /// <param name="fileName">Name for messages.</param>
    /// <exception cref="SourceFileException">It is tiled, deep or of several parts, uses another compression, or is cut.</exception>
    public static Bitmap32 Read(byte[] bytes, string fileName)
    {
        var source = new Source(bytes, fileName);
        source.At = 4;
        int version = source.Int();
        if ((version & 0xff) != 2)
            throw Wrong(fileName, $"it is version {version & 0xff} of OpenEXR", "Save it again as OpenEXR 2");
        if ((version & 0x1a00) != 0)
            throw Wrong(fileName, $"it is {((version & 0x200) != 0 ? "tiled" : (version & 0x800) != 0 ? "deep" : "of several parts")}, which is not read",
                "Save it again as a single flat picture in scanlines");
        var header = ReadHeader(source);
        int lines = header.Compression switch { 3 => 16, 4 => 32, _ => 1 };
        int chunks = (header.Height + lines - 1) / lines, rowBytes = header.Channels.Sum(c => c.Bytes * header.Width);
        if (8L * chunks > bytes.Length - source.At)
            throw Wrong(fileName, "its table of rows is cut", "Save it again");
        int table = source.At;
        var chosen = Choose(header.Channels);
        var picture = new Bitmap32(header.Width, header.Height, chosen.Length);
        for (int i = 0; i < chunks; i++)
        {
            long offset = BinaryPrimitives.ReadInt64LittleEndian(bytes.AsSpan(table + 8 * i));
            if (offset < 0 || offset > bytes.Length - 8)
                throw Wrong(fileName, $"row block {i} lies at byte {offset} of {bytes.Length}", "Save it again; it may have been cut in transfer");
            source.At = (int)offset;
            long row = (long)source.Int() - header.Y;
            int size = source.Int();
            if (row < 0 || row >= header.Height || row % lines != 0 || size < 0 || size > bytes.Length - source.At)
                throw Wrong(fileName, $"row block {i} is cut or out of place", "Save it again; it may have been cut in transfer");
            int rows = Math.Min(lines, header.Height - (int)row);
            byte[] data;
            try
            {
                data = Unpack(bytes.AsSpan(source.At, size), header, rows, rows * rowBytes);
            }
            catch (Exception e) when (e is InvalidDataException or IOException or IndexOutOfRangeException or ArgumentException)
            {
                throw new SourceFileException(fileName, $"row {row}", "its compressed data is broken", "Save it again; it may have been cut in transfer", e);
            }
            Put(data, header, chosen, picture, (int)row, rows, rowBytes);
        }
        return picture;
    }

    private static Header ReadHeader(Source source)
    {
        List<Channel>? channels = null;
        int compression = -1;
        (int X, int Y, int Right, int Bottom)? window = null;
        while (true)
        {
            string name = source.Text(256);
            if (name.Length == 0)
                break;
            string type = source.Text(256);
            int size = source.Int();
            if (size < 0 || size > source.Bytes.Length - source.At)
                throw Wrong(source.FileName, $"its header is cut at {name}", "Save it again; it may have been cut in transfer");
            int end = source.At + size;
            if ((name, type) == ("channels", "chlist"))
                channels = ReadChannels(source, end);
            else if (name == "compression" && size == 1)
                compression = source.Bytes[source.At];
            else if (name == "dataWindow" && size == 16)
                window = (source.Int(), source.Int(), source.Int(), source.Int());
            source.At = end;
        }
        if (channels is null or [] || window is not { } w)
            throw Wrong(source.FileName, "its header lacks channels or a data window", "Save it again");
        if (compression is < 0 or > 4)
            throw Wrong(source.FileName, $"it is compressed by method {compression}, which is not read", "Save it uncompressed, or with RLE, ZIP or PIZ");
        long width = (long)w.Right - w.X + 1, height = (long)w.Bottom - w.Y + 1;
        ImageFile.CheckSize(source.FileName, width, height, Math.Min(channels.Count, 4) * sizeof(float));
        // Deflate and PIZ alike save a thousandfold at most.
        if (width * height * channels.Sum(c => c.Bytes) / 2048 > source.Bytes.Length)
            throw Wrong(source.FileName, $"{width} × {height} px cannot be in {source.Bytes.Length} bytes", "Save it again; it may have been cut in transfer");
        return new Header(channels, compression, w.X, w.Y, (int)width, (int)height);
    }

    private static List<Channel> ReadChannels(Source source, int end)
    {
        var channels = new List<Channel>();
        while (source.At < end)
        {
            string name = source.Text(256);
            if (name.Length == 0)
                break;
            int type = source.Int();
            source.At += 4;
            int x = source.Int(), y = source.Int();
            if (type is < 0 or > 2 || x != 1 || y != 1 || channels.Count == LargestChannels)
                throw Wrong(source.FileName, x != 1 || y != 1 ? $"its channel {name} is stored at less than full size" : "its channels cannot be read",
                    "Save it again with plain R, G and B");
            channels.Add(new Channel(name, type));
        }
        return channels;
    }

    /// <summary>Numbers of the channels that make the picture.</summary>
    private static int[] Choose(List<Channel> channels)
    {
        int[] colour = [Find("R"), Find("G"), Find("B")];
        int alpha = Find("A"), grey = Find("Y");
        if (Array.TrueForAll(colour, c => c >= 0))
            return alpha >= 0 ? [.. colour, alpha] : colour;
        if (grey >= 0)
            return alpha >= 0 ? [grey, alpha] : [grey];
        return [.. Enumerable.Range(0, Math.Min(channels.Count, 4))];

        int Find(string name) => channels.FindIndex(c => c.Name == name);
    }

    private static byte[] Unpack(ReadOnlySpan<byte> packed, Header header, int rows, int size)
    {
        // What would have grown is stored as it is.
        if (header.Compression == 0 || packed.Length == size)
            return packed.Length == size ? packed.ToArray() : throw new InvalidDataException();
        if (header.Compression == 4)
            return ExrPiz.Unpack(packed, [.. header.Channels.Select(c => c.Bytes / 2)], header.Width, rows);
        byte[] raw = header.Compression == 1 ? UnpackRuns(packed, size) : Inflate(packed, size);
        // Differences to the byte before, then the two halves of the bytes laid into each other.
        for (int i = 1; i < raw.Length; i++)
            raw[i] = (byte)(raw[i - 1] + raw[i] - 128);
        var result = new byte[size];
        int half = (size + 1) / 2;
        for (int i = 0; i < size; i++)
            result[i] = raw[(i & 1) == 0 ? i / 2 : half + i / 2];
        return result;
    }

    private static byte[] Inflate(ReadOnlySpan<byte> packed, int size)
    {
        using var zlib = new ZLibStream(new MemoryStream(packed.ToArray(), writable: false), CompressionMode.Decompress);
        var raw = new byte[size];
        return zlib.ReadAtLeast(raw, size, throwOnEndOfStream: false) == size ? raw : throw new InvalidDataException();
    }

    private static byte[] UnpackRuns(ReadOnlySpan<byte> packed, int size)
    {
        var raw = new byte[size];
        int at = 0, put = 0;
        while (put < size)
        {
            int count = (sbyte)packed[at++];
            if (count < 0)
            {
                packed.Slice(at, -count).CopyTo(raw.AsSpan(put));
                at -= count;
                put -= count;
            }
            else
            {
                raw.AsSpan(put, count + 1).Fill(packed[at++]);
                put += count + 1;
            }
        }
        return raw;
    }

    private static void Put(byte[] data, Header header, int[] chosen, Bitmap32 picture, int firstRow, int rows, int rowBytes)
    {
        var starts = new int[header.Channels.Count];
        for (int c = 1; c < starts.Length; c++)
            starts[c] = starts[c - 1] + header.Channels[c - 1].Bytes * header.Width;
        for (int row = 0; row < rows; row++)
        {
            for (int k = 0; k < chosen.Length; k++)
            {
                var channel = header.Channels[chosen[k]];
                var values = data.AsSpan(row * rowBytes + starts[chosen[k]], channel.Bytes * header.Width);
                var target = picture.Pixels.AsSpan((firstRow + row) * header.Width * chosen.Length);
                for (int x = 0; x < header.Width; x++)
                {
                    target[x * chosen.Length + k] = channel.Type switch
                    {
                        0 => BinaryPrimitives.ReadUInt32LittleEndian(values[(4 * x)..]),
                        1 => (float)BinaryPrimitives.ReadHalfLittleEndian(values[(2 * x)..]),
                        _ => BinaryPrimitives.ReadSingleLittleEndian(values[(4 * x)..]),
                    };
                }
            }
        }
    }

    private static SourceFileException Wrong(string fileName, string what, string whatToDo) => new(fileName, "", what, whatToDo);

    private sealed class Source(byte[] bytes, string fileName)
    {
        public byte[] Bytes { get; } = bytes;
        public string FileName { get; } = fileName;
        public int At { get; set; }

        public int Int()
        {
            if (At < 0 || At > Bytes.Length - 4)
                throw Wrong(FileName, "its header is cut", "Save it again; it may have been cut in transfer");
            At += 4;
            return BinaryPrimitives.ReadInt32LittleEndian(Bytes.AsSpan(At - 4));
        }

        public string Text(int longest)
        {
            int length = At >= Bytes.Length ? -1 : Bytes.AsSpan(At, Math.Min(longest, Bytes.Length - At)).IndexOf((byte)0);
            if (length < 0)
                throw Wrong(FileName, "its header is cut", "Save it again; it may have been cut in transfer");
            At += length + 1;
            return Encoding.Latin1.GetString(Bytes, At - length - 1, length);
        }
    }
}
