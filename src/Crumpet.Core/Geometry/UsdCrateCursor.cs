using System.Buffers.Binary;

namespace Crumpet.Core.Geometry;

/// <summary>Goes through a part of a crate, with what is packed there unpacked.</summary>
/// <param name="file">The crate.</param>
/// <param name="start">Where the part begins.</param>
/// <param name="end">Where it ends.</param>
/// <remarks>Source: AOUSD core specification; the LZ4 block format.</remarks>
internal sealed class UsdCrateCursor(byte[] file, long start, long end)
{
    // The most that is packed at once.
    private const int ChunkBytes = 0x7E000000;

    // The packing makes nothing more than this many times smaller.
    private const int MostTimesLarger = 255;

    // What is packed may be so many items in any case, and one more a byte of the file.
    private const long AlwaysAllowed = 1 << 24;
    private const long MostUnpacked = 1 << 30;
    private long at = start;

    /// <summary>Where it stands.</summary>
    public long Position => at;

    /// <summary>Goes to a place.</summary>
    public void Seek(long position)
    {
        if (position < 0 || position > end)
            throw new InvalidDataException();
        at = position;
    }

    /// <summary>Goes on by the distance that stands here, from where it stands.</summary>
    public void Jump()
    {
        long from = at;
        Seek(checked(from + Long()));
    }

    /// <summary>The next bytes.</summary>
    public ReadOnlySpan<byte> Bytes(long count)
    {
        if (count < 0 || count > end - at)
            throw new InvalidDataException();
        at += count;
        return file.AsSpan((int)(at - count), (int)count);
    }

    /// <summary>The next byte.</summary>
    public byte Byte() => Bytes(1)[0];

    /// <summary>The next 32 bits.</summary>
    public int Int() => BinaryPrimitives.ReadInt32LittleEndian(Bytes(4));

    /// <summary>The next 64 bits.</summary>
    public long Long() => BinaryPrimitives.ReadInt64LittleEndian(Bytes(8));

    /// <summary>A count of items, which must fit into what is left.</summary>
    /// <param name="bytesEach">Bytes an item takes at least; 0 where items are packed.</param>
    public int Count(int bytesEach)
    {
        long count = Long();
        if (count < 0 || count > (bytesEach > 0 ? (end - at) / bytesEach : AlwaysAllowed + file.Length))
            throw new InvalidDataException();
        return checked((int)count);
    }

    /// <summary>A size and so many bytes, unpacked.</summary>
    /// <param name="size">Bytes they come to.</param>
    public byte[] Unpacked(long size)
    {
        long packed = Long();
        return Unpack(Bytes(packed), size);
    }

    /// <summary>Packed 32-bit integers.</summary>
    /// <param name="count">How many.</param>
    public int[] Integers(int count)
    {
        if (count == 0)
        {
            // The size of nothing is written all the same.
            Bytes(Long());
            return [];
        }
        int codes = (count + 3) / 4;
        long packed = Long();
        byte[] encoded = Unpack(Bytes(packed), 4L + codes + 4L * count, mayBeShorter: true);
        int common = BinaryPrimitives.ReadInt32LittleEndian(encoded), place = 4 + codes, value = 0;
        var found = new int[count];
        for (int i = 0; i < count; i++)
        {
            int code = encoded[4 + i / 4] >> (2 * (i % 4)) & 3;
            value += code switch
            {
                0 => common,
                1 => (sbyte)encoded[place],
                2 => BinaryPrimitives.ReadInt16LittleEndian(encoded.AsSpan(place)),
                _ => BinaryPrimitives.ReadInt32LittleEndian(encoded.AsSpan(place)),
            };
            place += code switch { 0 => 0, 1 => 1, 2 => 2, _ => 4 };
            found[i] = value;
        }
        return found;
    }

    /// <summary>Unpacks chunks, or the one there is where their number is 0.</summary>
    private static byte[] Unpack(ReadOnlySpan<byte> packed, long size, bool mayBeShorter = false)
    {
        if (packed.Length == 0 || size < 0 || size > MostUnpacked || (!mayBeShorter && size > (long)MostTimesLarger * packed.Length))
            throw new InvalidDataException();
        // Of integers only the most they could come to is known, which is more than a false count can make of few bytes.
        var into = new byte[mayBeShorter ? Math.Min(size, (long)MostTimesLarger * packed.Length) : size];
        int chunks = packed[0], got = 0;
        packed = packed[1..];
        if (chunks == 0)
        {
            got = Lz4(packed, into, 0);
        }
        else
        {
            for (int i = 0; i < chunks; i++)
            {
                int length = BinaryPrimitives.ReadInt32LittleEndian(packed);
                got += Lz4(packed.Slice(4, length), into.AsSpan(got, Math.Min(ChunkBytes, into.Length - got)), 0);
                packed = packed[(4 + length)..];
            }
        }
        return mayBeShorter || got == into.Length ? into : throw new InvalidDataException();
    }

    private static int Lz4(ReadOnlySpan<byte> from, Span<byte> into, int written)
    {
        for (int at = 0; at < from.Length;)
        {
            int token = from[at++], literals = token >> 4;
            if (literals == 15)
                literals += Length(from, ref at);
            from.Slice(at, literals).CopyTo(into[written..]);
            (at, written) = (at + literals, written + literals);
            if (at >= from.Length)
                break;
            int back = BinaryPrimitives.ReadUInt16LittleEndian(from[at..]), match = token & 15;
            at += 2;
            if (match == 15)
                match += Length(from, ref at);
            match += 4;
            if (back == 0 || back > written || match > into.Length - written)
                throw new InvalidDataException();
            // What is copied may be what was just written.
            for (int i = 0; i < match; i++, written++)
                into[written] = into[written - back];
        }
        return written;
    }

    private static int Length(ReadOnlySpan<byte> from, ref int at)
    {
        int sum = 0, part;
        do
        {
            part = from[at++];
            sum = checked(sum + part);
        }
        while (part == 255);
        return sum;
    }
}
