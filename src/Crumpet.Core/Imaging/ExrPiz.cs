using System.Buffers.Binary;
using System.Runtime.InteropServices;

namespace Crumpet.Core.Imaging;

/// <summary>Undoes PIZ: a table of the values that occur, a two-dimensional Haar wavelet in 14 or 16 bits, and Huffman codes.</summary>
/// <remarks>Source: "Technical Introduction to OpenEXR" (PIZ compression) and its reference implementation's layout of tables.</remarks>
internal static class ExrPiz
{
    private const int Values = 1 << 16;
    private const int CodeSymbols = Values + 1;
    private const int LongestCode = 58;

    /// <summary>Gives back rows of 16-bit words, channel after channel in each row.</summary>
    /// <param name="packed">The compressed block.</param>
    /// <param name="wordsOfChannel">1 for half, 2 for float, a channel.</param>
    /// <param name="width">Pixels a row.</param>
    /// <param name="rows">Rows.</param>
    /// <exception cref="InvalidDataException">The block is broken.</exception>
    public static byte[] Unpack(ReadOnlySpan<byte> packed, int[] wordsOfChannel, int width, int rows)
    {
        int first = BinaryPrimitives.ReadUInt16LittleEndian(packed), last = BinaryPrimitives.ReadUInt16LittleEndian(packed[2..]);
        packed = packed[4..];
        var occurs = new byte[Values / 8];
        if (last >= occurs.Length)
            throw new InvalidDataException();
        if (first <= last)
        {
            packed[..(last - first + 1)].CopyTo(occurs.AsSpan(first));
            packed = packed[(last - first + 1)..];
        }
        var table = new ushort[Values];
        int count = 0;
        for (int value = 0; value < Values; value++)
        {
            if (value == 0 || (occurs[value >> 3] & (1 << (value & 7))) != 0)
                table[count++] = (ushort)value;
        }
        int length = BinaryPrimitives.ReadInt32LittleEndian(packed);
        var words = new ushort[wordsOfChannel.Sum() * width * rows];
        Decode(packed.Slice(4, length), words);
        int at = 0;
        foreach (int size in wordsOfChannel)
        {
            for (int part = 0; part < size; part++)
                Unwave(words.AsSpan(at + part), width, size, rows, width * size, count - 1 < 1 << 14);
            at += width * size * rows;
        }
        for (int i = 0; i < words.Length; i++)
            words[i] = table[words[i]];
        return Interleave(words, wordsOfChannel, width, rows);
    }

    private static byte[] Interleave(ushort[] words, int[] wordsOfChannel, int width, int rows)
    {
        var result = new ushort[words.Length];
        int put = 0;
        for (int row = 0; row < rows; row++)
        {
            int channel = 0;
            foreach (int size in wordsOfChannel)
            {
                words.AsSpan(channel + row * width * size, width * size).CopyTo(result.AsSpan(put));
                put += width * size;
                channel += width * size * rows;
            }
        }
        return MemoryMarshal.AsBytes(result.AsSpan()).ToArray();
    }

    private static void Decode(ReadOnlySpan<byte> packed, ushort[] into)
    {
        int least = BinaryPrimitives.ReadInt32LittleEndian(packed), greatest = BinaryPrimitives.ReadInt32LittleEndian(packed[4..]);
        long bits = BinaryPrimitives.ReadUInt32LittleEndian(packed[12..]);
        if (least < 0 || least >= CodeSymbols || greatest < least || greatest >= CodeSymbols)
            throw new InvalidDataException();
        var reader = new BitReader(packed[20..]);
        var lengths = ReadLengths(ref reader, least, greatest);
        reader.ToByte();
        if (bits > reader.BitsLeft)
            throw new InvalidDataException();
        new HuffmanTable(lengths).Decode(ref reader, bits, greatest, into);
    }

    /// <summary>Lengths of codes in six bits each; 59 to 63 stand for runs of symbols without a code.</summary>
    private static byte[] ReadLengths(ref BitReader reader, int least, int greatest)
    {
        var lengths = new byte[CodeSymbols];
        for (int symbol = least; symbol <= greatest; symbol++)
        {
            int length = (int)reader.Read(6);
            if (length <= LongestCode)
            {
                lengths[symbol] = (byte)length;
                continue;
            }
            int run = length == 63 ? (int)reader.Read(8) + 6 : length - 59 + 2;
            if (symbol + run > greatest + 1)
                throw new InvalidDataException();
            symbol += run - 1;
        }
        return lengths;
    }

    private sealed class HuffmanTable
    {
        private readonly ulong[] firstCode = new ulong[LongestCode + 2];
        private readonly int[] countOfLength = new int[LongestCode + 2];
        private readonly int[] firstSymbol = new int[LongestCode + 2];
        private readonly int[] symbols;

        /// <summary>Canonical codes: the longest come first, numbered in the order of their symbols.</summary>
        public HuffmanTable(byte[] lengths)
        {
            foreach (byte length in lengths)
                countOfLength[length]++;
            countOfLength[0] = 0;
            ulong code = 0;
            for (int length = LongestCode; length > 0; length--)
            {
                firstCode[length] = code;
                code = (code + (ulong)countOfLength[length]) >> 1;
            }
            int at = 0;
            for (int length = 1; length <= LongestCode; length++)
            {
                firstSymbol[length] = at;
                at += countOfLength[length];
            }
            symbols = new int[at];
            var next = (int[])firstSymbol.Clone();
            for (int symbol = 0; symbol < lengths.Length; symbol++)
            {
                if (lengths[symbol] > 0)
                    symbols[next[lengths[symbol]]++] = symbol;
            }
        }

        public void Decode(ref BitReader reader, long bits, int runSymbol, ushort[] into)
        {
            int put = 0;
            long end = reader.At + bits;
            while (reader.At < end)
            {
                int symbol = Next(ref reader);
                if (symbol == runSymbol)
                {
                    int count = (int)reader.Read(8);
                    if (put == 0 || count > into.Length - put)
                        throw new InvalidDataException();
                    into.AsSpan(put, count).Fill(into[put - 1]);
                    put += count;
                }
                else
                {
                    if (put == into.Length)
                        throw new InvalidDataException();
                    into[put++] = (ushort)symbol;
                }
            }
            if (put != into.Length)
                throw new InvalidDataException();
        }

        private int Next(ref BitReader reader)
        {
            ulong code = 0;
            for (int length = 1; length <= LongestCode; length++)
            {
                code = code << 1 | reader.Read(1);
                if (countOfLength[length] > 0 && code >= firstCode[length] && code - firstCode[length] < (ulong)countOfLength[length])
                    return symbols[firstSymbol[length] + (int)(code - firstCode[length])];
            }
            throw new InvalidDataException();
        }
    }

    private ref struct BitReader(ReadOnlySpan<byte> bytes)
    {
        private readonly ReadOnlySpan<byte> bytes = bytes;

        public long At { get; private set; }

        public readonly long BitsLeft => 8L * bytes.Length - At;

        public ulong Read(int count)
        {
            if (count > BitsLeft)
                throw new InvalidDataException();
            ulong value = 0;
            for (int i = 0; i < count; i++, At++)
                value = value << 1 | (uint)(bytes[(int)(At >> 3)] >> (7 - (int)(At & 7)) & 1);
            return value;
        }

        public void ToByte() => At = (At + 7) & ~7L;
    }

    private static void Unwave(Span<ushort> values, int width, int stepX, int height, int stepY, bool narrow)
    {
        int smaller = Math.Min(width, height), half = 1;
        while (half <= smaller)
            half <<= 1;
        half >>= 1;
        int whole = half;
        for (half >>= 1; half >= 1; whole = half, half >>= 1)
        {
            int y = 0;
            for (; y + whole <= height; y += whole)
            {
                int x = 0;
                for (; x + whole <= width; x += whole)
                {
                    int p00 = y * stepY + x * stepX, p01 = p00 + half * stepX, p10 = p00 + half * stepY, p11 = p10 + half * stepX;
                    Pair(ref values[p00], ref values[p10], narrow);
                    Pair(ref values[p01], ref values[p11], narrow);
                    Pair(ref values[p00], ref values[p01], narrow);
                    Pair(ref values[p10], ref values[p11], narrow);
                }
                if ((width & half) != 0)
                    Pair(ref values[y * stepY + x * stepX], ref values[(y + half) * stepY + x * stepX], narrow);
            }
            if ((height & half) == 0)
                continue;
            for (int x = 0; x + whole <= width; x += whole)
                Pair(ref values[y * stepY + x * stepX], ref values[y * stepY + (x + half) * stepX], narrow);
        }
    }

    /// <summary>From mean and difference back to two values.</summary>
    private static void Pair(ref ushort low, ref ushort high, bool narrow)
    {
        if (narrow)
        {
            int difference = (short)high, a = (short)low + (difference & 1) + (difference >> 1);
            low = (ushort)a;
            high = (ushort)(a - difference);
            return;
        }
        int second = (low - (high >> 1)) & 0xffff;
        low = (ushort)(high + second - 0x8000);
        high = (ushort)second;
    }
}
