using System.Buffers.Text;
using System.Numerics;
using System.Runtime.CompilerServices;
using System.Text;

namespace Crumpet.Core.Geometry;

/// <summary>What went wrong in a block of text, with its line counted from the block's first.</summary>
internal sealed record ObjError(long Line, string What, string WhatToDo)
{
    public SourceFileException At(string fileName, long linesBefore) => new(fileName, $"line {linesBefore + Line}", What, WhatToDo);
}

/// <summary>A statement that changes what the faces after it belong to.</summary>
/// <param name="Face">Number of faces of the block before it.</param>
/// <param name="Kind">o, g, s, m for a material, or l for a library.</param>
/// <param name="Name">Its argument.</param>
internal readonly record struct ObjStatement(int Face, char Kind, string Name);

/// <summary>What a face says of one corner: three indices, each from 0, missing, or relative to its block.</summary>
internal readonly record struct ObjCorner(int Position, int Uv, int Normal);

/// <summary>The numbers of one block of an OBJ file's text, as the text has them.</summary>
/// <param name="length">Bytes of the text, which tell how much room its numbers may need.</param>
internal sealed unsafe class ObjBlock(int length)
{
    /// <summary>Bytes that must be left after the text: words of eight are read.</summary>
    public const int Room = 16;

    /// <summary>Stands for an index that a corner does not have.</summary>
    public const int Missing = -1;

    /// <summary>Added to indices that count back from the place they stand at; what is left is relative to the block's beginning.</summary>
    public const int FromBlock = int.MinValue + ObjReader.LargestCount * 2;

    public byte[]? Text;
    public Growing<Vector3> Positions = new(length / 26 + 16);
    public Growing<Vector3> Colours = new(length / 40 + 16);
    public Growing<Vector2> Uvs = new(length / 20 + 16);
    public Growing<Vector3> Normals = new(length / 22 + 16);
    public Growing<ObjCorner> Corners = new(length / 14 + 16);
    public Growing<byte> FaceCorners = new(length / 36 + 16);
    public Growing<int> LongFaceCorners = new(16);
    public Growing<int> FaceLines = new(length / 36 + 16);
    public List<ObjStatement> Statements { get; } = [];

    /// <summary>Triangles all faces are cut into.</summary>
    public int Triangles { get; private set; }

    public long Lines { get; private set; }
    public ObjError? Error { get; private set; }

    private long line = 1;

    /// <summary>Parses text that ends with a line.</summary>
    /// <param name="text">Text with <see cref="Room"/> bytes after it.</param>
    /// <param name="length">Bytes of it that count.</param>
    public static ObjBlock Parse(byte[] text, int length)
    {
        var block = new ObjBlock(length) { Text = text };
        // A sentinel ends the last line, so that no step has to look for the end of the buffer.
        text.AsSpan(length, Room).Fill((byte)'\n');
        Join(text.AsSpan(0, length));
        fixed (byte* start = text)
        {
            try
            {
                block.ParseLines(start, start + length);
            }
            catch (Refusal e)
            {
                block.Error = new ObjError(block.line, e.Message, e.WhatToDo);
            }
        }
        block.Lines = block.line - 1;
        return block;
    }

    /// <summary>Blanks line ends that a backslash takes back; a vertical tab keeps the line counted.</summary>
    private static void Join(Span<byte> text)
    {
        for (int at = 0, found; (found = text[at..].IndexOf((byte)'\\')) >= 0;)
        {
            at += found;
            int end = at + 1;
            if (end < text.Length && text[end] is (byte)'\r' or (byte)'\n')
            {
                bool pair = text[end] == '\r' && end + 1 < text.Length && text[end + 1] == '\n';
                text[at] = (byte)' ';
                text[end] = Continued;
                if (pair)
                    text[end + 1] = (byte)' ';
            }
            at++;
        }
    }

    private const byte Continued = 0x0b;

    [MethodImpl(MethodImplOptions.AggressiveOptimization)]
    private void ParseLines(byte* p, byte* end)
    {
        while (p < end)
        {
            p = Blanks(p);
            byte first = *p;
            if (first == 'v')
                p = Vertex(p);
            else if (first == 'f' && p[1] is (byte)' ' or (byte)'\t')
                p = Face(p + 2);
            else if (first is not ((byte)'\n' or (byte)'\r' or (byte)'#'))
                p = Statement(p);
            p = EndOfLine(p, end);
        }
    }

    [MethodImpl(MethodImplOptions.AggressiveInlining)]
    private byte* Blanks(byte* p)
    {
        while (*p is (byte)' ' or (byte)'\t' or Continued or 0)
        {
            if (*p == Continued)
                line++;
            p++;
        }
        return p;
    }

    [MethodImpl(MethodImplOptions.AggressiveInlining)]
    private byte* EndOfLine(byte* p, byte* end)
    {
        while (*p is not ((byte)'\n' or (byte)'\r'))
        {
            if (*p == Continued)
                line++;
            p++;
        }
        line++;
        return *p == '\r' && p < end && p[1] == '\n' ? p + 2 : p + 1;
    }

    [MethodImpl(MethodImplOptions.AggressiveOptimization)]
    private byte* Vertex(byte* p)
    {
        byte second = p[1];
        if (second is (byte)' ' or (byte)'\t')
        {
            p = Number(p + 2, out float x);
            p = Number(p, out float y);
            p = Number(p, out float z);
            Positions.Add(new Vector3(x, y, z));
            p = Blanks(p);
            if (*p is not ((byte)'\n' or (byte)'\r' or (byte)'#'))
                p = MoreOfVertex(p);
        }
        else if (second == 't' && p[2] is (byte)' ' or (byte)'\t')
        {
            p = Number(p + 3, out float u);
            p = Blanks(p);
            float v = 0;
            if (*p is not ((byte)'\n' or (byte)'\r' or (byte)'#'))
                p = Number(p, out v);
            Uvs.Add(new Vector2(u, v));
        }
        else if (second == 'n' && p[2] is (byte)' ' or (byte)'\t')
        {
            p = Number(p + 3, out float x);
            p = Number(p, out float y);
            p = Number(p, out float z);
            Normals.Add(new Vector3(x, y, z));
        }
        return p;
    }

    /// <summary>A weight, or a colour, or both after a position.</summary>
    private byte* MoreOfVertex(byte* p)
    {
        Span<float> more = stackalloc float[4];
        int count = 0;
        while (count < 4 && *p is not ((byte)'\n' or (byte)'\r' or (byte)'#'))
        {
            p = Number(p, out more[count++]);
            p = Blanks(p);
        }
        if (count < 3)
            return p;
        // Earlier positions may have had none; white stands in for them.
        while (Colours.Count < Positions.Count - 1)
            Colours.Add(Vector3.One);
        Colours.Add(new Vector3(more[0], more[1], more[2]));
        return p;
    }

    [MethodImpl(MethodImplOptions.AggressiveOptimization)]
    private byte* Face(byte* p)
    {
        int count = 0;
        while (true)
        {
            p = Blanks(p);
            if (*p is (byte)'\n' or (byte)'\r' or (byte)'#')
                break;
            p = Index(p, Positions.Count, "position", out int position);
            int uv = Missing, normal = Missing;
            if (*p == '/')
            {
                p++;
                if (*p is not ((byte)'/' or (byte)' ' or (byte)'\t' or (byte)'\n' or (byte)'\r'))
                    p = Index(p, Uvs.Count, "texture coordinate", out uv);
                if (*p == '/')
                {
                    p++;
                    if (*p is not ((byte)' ' or (byte)'\t' or (byte)'\n' or (byte)'\r'))
                        p = Index(p, Normals.Count, "normal", out normal);
                }
            }
            if (*p is not ((byte)' ' or (byte)'\t' or (byte)'\n' or (byte)'\r' or (byte)'#' or Continued or 0))
                throw Wrong($"'{Word(p)}' is no corner of a face", "Export the mesh again");
            Corners.Add(new ObjCorner(position, uv, normal));
            count++;
        }
        if (count < 3)
            throw Wrong($"a face has {count} corner{(count == 1 ? "" : "s")}", "Delete loose edges and points, then export again");
        if (count > Triangulation.LargestPolygon)
            throw Wrong($"a face has {count} corners, at most {Triangulation.LargestPolygon} are read", "Cut it into smaller faces and export again");
        FaceCorners.Add(count < byte.MaxValue ? (byte)count : byte.MaxValue);
        if (count >= byte.MaxValue)
            LongFaceCorners.Add(count);
        FaceLines.Add((int)line);
        Triangles += count - 2;
        return p;
    }

    private byte* Statement(byte* p)
    {
        byte* start = p;
        while (*p is not ((byte)'\n' or (byte)'\r'))
            p++;
        var text = new ReadOnlySpan<byte>(start, (int)(p - start)).TrimEnd(" \t\0\v"u8);
        int space = text.IndexOfAny((byte)' ', (byte)'\t');
        var keyword = space < 0 ? text : text[..space];
        char kind = keyword switch
        {
            _ when keyword.SequenceEqual("o"u8) => 'o',
            _ when keyword.SequenceEqual("g"u8) => 'g',
            _ when keyword.SequenceEqual("s"u8) => 's',
            _ when keyword.SequenceEqual("usemtl"u8) => 'm',
            _ when keyword.SequenceEqual("mtllib"u8) => 'l',
            _ => '\0',
        };
        if (kind != '\0')
            Statements.Add(new ObjStatement(FaceCorners.Count, kind, space < 0 ? "" : Encoding.UTF8.GetString(text[space..].Trim(" \t\v"u8))));
        else if (text.IndexOf((byte)0) >= 0)
            throw Wrong("there are bytes that are no text", "This is no OBJ file; export it again");
        return start;
    }

    [MethodImpl(MethodImplOptions.AggressiveInlining)]
    private byte* Index(byte* p, int count, string of, out int index)
    {
        byte* start = p;
        bool back = *p == '-';
        if (*p is (byte)'-' or (byte)'+')
            p++;
        int digits = Digits(p, out ulong value);
        p += digits;
        if (digits is 0 or > 15)
            throw Wrong($"'{Word(start)}' is no {of} index", "Export the mesh again");
        if (value is 0 or > ObjReader.LargestCount)
            throw Wrong($"{of} index {(back ? "-" : "")}{value} is out of range", "Export the mesh again; the file was cut or edited by hand");
        index = back ? FromBlock + count - (int)value : (int)value - 1;
        return p;
    }

    [MethodImpl(MethodImplOptions.AggressiveInlining)]
    private byte* Number(byte* p, out float value)
    {
        p = Blanks(p);
        byte* start = p;
        bool negative = *p == '-';
        if (*p is (byte)'-' or (byte)'+')
            p++;
        int count = Digits(p, out ulong mantissa), scale = 0;
        p += count;
        if (*p == '.')
        {
            scale = Digits(++p, out ulong fraction);
            p += scale;
            count += scale;
            mantissa = mantissa * Powers[scale & 15] + fraction;
        }
        // Up to 15 digits and 10^22 a double holds both parts exactly, so one division rounds rightly.
        if (count is 0 or > 15 || *p is not ((byte)' ' or (byte)'\n' or (byte)'\r' or (byte)'\t'))
            return SlowNumber(start, out value);
        double exact = mantissa / (double)Powers[scale];
        // Halfway between two floats a second rounding could go wrong.
        if ((BitConverter.DoubleToUInt64Bits(exact) & 0x1fffffff) == 0x10000000)
            return SlowNumber(start, out value);
        value = (float)(negative ? -exact : exact);
        return p;
    }

    private static ReadOnlySpan<ulong> Powers =>
    [
        1, 10, 100, 1000, 10_000, 100_000, 1_000_000, 10_000_000, 100_000_000, 1_000_000_000, 10_000_000_000, 100_000_000_000,
        1_000_000_000_000, 10_000_000_000_000, 100_000_000_000_000, 1_000_000_000_000_000,
    ];

    /// <summary>Reads digits eight at a time; the value is right for up to 16 of them.</summary>
    /// <remarks>Source: the word-parallel digit parsing of J. Schmidt and D. Lemire, "Quickly parsing eight digits", 2018.</remarks>
    [MethodImpl(MethodImplOptions.AggressiveInlining)]
    private static int Digits(byte* p, out ulong value)
    {
        ulong word = Unsafe.ReadUnaligned<ulong>(p) ^ 0x3030303030303030;
        ulong other = ((word + 0x7676767676767676) | word) & 0x8080808080808080;
        int count = BitOperations.TrailingZeroCount(other) >> 3;
        if (count == 0 || other == 0)
            return other == 0 ? ManyDigits(p, out value) : None(out value);
        word <<= 64 - 8 * count;
        value = Eight(word);
        return count;
    }

    private static int None(out ulong value)
    {
        value = 0;
        return 0;
    }

    [MethodImpl(MethodImplOptions.AggressiveInlining)]
    private static ulong Eight(ulong word)
    {
        word = word * 10 + (word >> 8);
        return (((word & 0x000000ff000000ff) * 0x000f424000000064) + ((word >> 16 & 0x000000ff000000ff) * 0x0000271000000001)) >> 32;
    }

    private static int ManyDigits(byte* p, out ulong value)
    {
        byte* start = p;
        value = 0;
        for (uint digit; (digit = (uint)(*p - '0')) <= 9; p++)
            value = value * 10 + digit;
        return (int)(p - start);
    }

    private byte* SlowNumber(byte* start, out float value)
    {
        byte* p = start;
        while (*p is not ((byte)' ' or (byte)'\t' or (byte)'\n' or (byte)'\r' or Continued or 0))
            p++;
        var text = new ReadOnlySpan<byte>(start, (int)(p - start));
        if (text.Length > 0 && text[0] == '+')
            text = text[1..];
        if (!Utf8Parser.TryParse(text, out value, out int used) || used != text.Length)
            throw Wrong(text.IsEmpty ? "a number is missing" : $"'{Word(start)}' is no number", "Export the mesh again");
        if (!float.IsFinite(value))
            throw Wrong($"'{Word(start)}' is no usable number", "Look for a broken vertex in the mesh, delete it and export again");
        return p;
    }

    private static string Word(byte* p)
    {
        byte* end = p;
        while (*end is not ((byte)' ' or (byte)'\t' or (byte)'\n' or (byte)'\r' or Continued) && end - p < 40)
            end++;
        return Encoding.UTF8.GetString(new ReadOnlySpan<byte>(p, (int)(end - p)));
    }

    private static Refusal Wrong(string what, string whatToDo) => new(what, whatToDo);

    /// <summary>Ends parsing at the first error; the block turns it into one with its line.</summary>
    private sealed class Refusal(string what, string whatToDo) : Exception(what)
    {
        public string WhatToDo { get; } = whatToDo;
    }
}
