using System.Buffers.Binary;

namespace Crumpet.Core.Geometry;

/// <summary>Decodes buffer views that were compressed for meshes.</summary>
/// <remarks>Source: Khronos, glTF extension EXT_meshopt_compression, appendix A (bitstream) and B (filters).</remarks>
internal static class MeshoptDecoder
{
    private const int Group = 16;
    private const int MostBlock = 256;
    private const int BlockBytes = 8192;
    private const int LeastTail = 32;
    private const int IndexTail = 16;
    private const int SequenceTail = 4;
    private const byte VertexHeader = 0xa0;
    private const byte IndexHeader = 0xe0;
    private const byte SequenceHeader = 0xd0;

    /// <summary>The bytes of a view.</summary>
    /// <param name="data">Compressed bytes.</param>
    /// <param name="count">Elements.</param>
    /// <param name="stride">Bytes an element.</param>
    /// <param name="mode">ATTRIBUTES, TRIANGLES or INDICES.</param>
    /// <param name="filter">NONE, OCTAHEDRAL or EXPONENTIAL; nothing of a mesh is a quaternion.</param>
    /// <exception cref="FormatException">They are damaged, or of a form that is not known.</exception>
    public static byte[] Decode(ReadOnlySpan<byte> data, int count, int stride, string mode, string filter)
    {
        try
        {
            byte[] bytes = mode switch
            {
                "ATTRIBUTES" when stride is > 0 and <= 256 && stride % 4 == 0 => Vertices(data, count, stride),
                "TRIANGLES" when stride is 2 or 4 && count % 3 == 0 => Packed(Triangles(data, count), stride),
                "INDICES" when stride is 2 or 4 => Packed(Sequence(data, count), stride),
                _ => throw new FormatException($"a compressed view has mode {mode} with {stride} bytes an element"),
            };
            switch (filter)
            {
                case "NONE":
                    break;
                case "OCTAHEDRAL" when stride is 4 or 8:
                    Octahedral(bytes, stride);
                    break;
                case "EXPONENTIAL":
                    Exponents(bytes);
                    break;
                default:
                    throw new FormatException($"a compressed view has filter {filter} with {stride} bytes an element");
            }
            return bytes;
        }
        catch (Exception e) when (e is ArgumentOutOfRangeException or IndexOutOfRangeException)
        {
            throw new FormatException("compressed geometry is cut", e);
        }
    }

    private static byte[] Vertices(ReadOnlySpan<byte> data, int count, int stride)
    {
        if (data[0] != VertexHeader)
            throw new FormatException($"compressed vertices have version {data[0] & 15}, which is not read");
        int at = 1, block = Math.Min(MostBlock, BlockBytes / stride & ~(Group - 1));
        byte[] last = data[^stride..].ToArray(), result = new byte[checked(count * stride)];
        Span<byte> column = stackalloc byte[MostBlock];
        for (int first = 0; first < count; first += block)
        {
            int here = Math.Min(block, count - first), aligned = (here + Group - 1) & ~(Group - 1);
            for (int k = 0; k < stride; k++)
            {
                at = Bytes(data, at, column[..aligned]);
                byte value = last[k];
                for (int i = 0; i < here; i++)
                {
                    // The lowest bit is the sign.
                    value += (byte)(-(column[i] & 1) ^ (column[i] >> 1));
                    result[(first + i) * stride + k] = value;
                }
                last[k] = value;
            }
        }
        return at == data.Length - Math.Max(stride, LeastTail) ? result : throw new FormatException("compressed vertices do not end where they should");
    }

    private static int Bytes(ReadOnlySpan<byte> data, int at, Span<byte> into)
    {
        int header = at;
        at += (into.Length / Group + 3) / 4;
        for (int i = 0; i < into.Length; i += Group)
        {
            int number = i / Group, bits = (data[header + number / 4] >> (number % 4 * 2)) & 3;
            at = bits switch
            {
                0 => Zeros(into.Slice(i, Group), at),
                1 => Sentinels(data, at, 2, into.Slice(i, Group)),
                2 => Sentinels(data, at, 4, into.Slice(i, Group)),
                _ => Plain(data, at, into.Slice(i, Group)),
            };
        }
        return at;
    }

    private static int Zeros(Span<byte> into, int at)
    {
        into.Clear();
        return at;
    }

    private static int Plain(ReadOnlySpan<byte> data, int at, Span<byte> into)
    {
        data.Slice(at, Group).CopyTo(into);
        return at + Group;
    }

    /// <summary>Values of few bits; the greatest stands for a byte of its own behind them.</summary>
    private static int Sentinels(ReadOnlySpan<byte> data, int at, int bits, Span<byte> into)
    {
        int each = 8 / bits, full = (1 << bits) - 1, own = at + Group / each;
        for (int i = 0; i < Group; i++)
        {
            int value = (data[at + i / each] >> (8 - bits * (i % each + 1))) & full;
            into[i] = value == full ? data[own++] : (byte)value;
        }
        return own;
    }

    private static uint[] Triangles(ReadOnlySpan<byte> data, int count)
    {
        if ((data[0] & 0xf0) != IndexHeader || (data[0] & 15) > 1)
            throw new FormatException("compressed triangles have a version that is not read");
        int most = (data[0] & 15) >= 1 ? 13 : 15, at = 1 + count / 3, end = data.Length - IndexTail;
        var table = data[end..];
        var result = new uint[count];
        var edges = new (uint A, uint B)[16];
        var vertices = new uint[16];
        int edge = 0, vertex = 0;
        uint next = 0, last = 0;
        for (int i = 0; i < count; i += 3)
        {
            byte code = data[1 + i / 3];
            if (code < 0xf0)
            {
                var (a, b) = edges[(edge - 1 - (code >> 4)) & 15];
                int third = code & 15;
                bool isNew = third == 0;
                uint c;
                if (third < most)
                    c = isNew ? next++ : vertices[(vertex - 1 - third) & 15];
                else
                {
                    // 13 and 14 are one before and one after.
                    c = last = third != 15 ? (uint)(last + (third - (third ^ 3))) : Index(data, ref at, last);
                    isNew = true;
                }
                (result[i], result[i + 1], result[i + 2]) = (a, b, c);
                if (isNew)
                    Vertex(c);
                Edge(c, b);
                Edge(a, c);
                continue;
            }
            byte more = code < 0xfe ? table[code & 15] : data[at++];
            int first = code == 0xff ? 15 : 0, second = more >> 4, last3 = more & 15;
            if (code >= 0xfe && more == 0)
                next = 0;
            uint va = first == 0 ? next++ : 0, vb = second == 0 ? next++ : vertices[(vertex - second) & 15],
                vc = last3 == 0 ? next++ : vertices[(vertex - last3) & 15];
            if (code >= 0xfe)
            {
                if (first == 15)
                    last = va = Index(data, ref at, last);
                if (second == 15)
                    last = vb = Index(data, ref at, last);
                if (last3 == 15)
                    last = vc = Index(data, ref at, last);
            }
            (result[i], result[i + 1], result[i + 2]) = (va, vb, vc);
            Vertex(va);
            if (second == 0 || (code >= 0xfe && second == 15))
                Vertex(vb);
            if (last3 == 0 || (code >= 0xfe && last3 == 15))
                Vertex(vc);
            Edge(vb, va);
            Edge(vc, vb);
            Edge(va, vc);
        }
        return at == end ? result : throw new FormatException("compressed triangles do not end where they should");

        void Vertex(uint v)
        {
            vertices[vertex] = v;
            vertex = (vertex + 1) & 15;
        }

        void Edge(uint a, uint b)
        {
            edges[edge] = (a, b);
            edge = (edge + 1) & 15;
        }
    }

    private static uint[] Sequence(ReadOnlySpan<byte> data, int count)
    {
        if ((data[0] & 0xf0) != SequenceHeader || (data[0] & 15) > 1)
            throw new FormatException("compressed indices have a version that is not read");
        int at = 1;
        var last = new uint[2];
        var result = new uint[count];
        for (int i = 0; i < count; i++)
        {
            uint v = Number(data, ref at);
            uint which = v & 1;
            v >>= 1;
            result[i] = last[which] += (v >> 1) ^ (uint)-(int)(v & 1);
        }
        return at == data.Length - SequenceTail ? result : throw new FormatException("compressed indices do not end where they should");
    }

    private static uint Index(ReadOnlySpan<byte> data, ref int at, uint last)
    {
        uint v = Number(data, ref at);
        return last + ((v >> 1) ^ (uint)-(int)(v & 1));
    }

    /// <summary>A number of seven bits a byte, the least first.</summary>
    private static uint Number(ReadOnlySpan<byte> data, ref int at)
    {
        uint value = 0;
        for (int shift = 0; shift < 35; shift += 7)
        {
            byte part = data[at++];
            value |= (uint)(part & 127) << shift;
            if (part < 128)
                break;
        }
        return value;
    }

    private static byte[] Packed(uint[] indices, int stride)
    {
        var bytes = new byte[checked(indices.Length * stride)];
        for (int i = 0; i < indices.Length; i++)
        {
            if (stride == 4)
                BinaryPrimitives.WriteUInt32LittleEndian(bytes.AsSpan(4 * i), indices[i]);
            else
                BinaryPrimitives.WriteUInt16LittleEndian(bytes.AsSpan(2 * i), (ushort)indices[i]);
        }
        return bytes;
    }

    private static void Octahedral(byte[] bytes, int stride)
    {
        int size = stride / 4, most = (1 << (8 * size - 1)) - 1;
        for (int at = 0; at < bytes.Length; at += stride)
        {
            float x = Read(at), y = Read(at + size), z = Read(at + 2 * size) - MathF.Abs(x) - MathF.Abs(y), fold = MathF.Min(z, 0);
            x += x >= 0 ? fold : -fold;
            y += y >= 0 ? fold : -fold;
            float length = MathF.Sqrt(x * x + y * y + z * z), scale = length > 0 ? most / length : 0;
            Write(at, x * scale);
            Write(at + size, y * scale);
            Write(at + 2 * size, z * scale);
        }

        float Read(int at) => size == 1 ? (sbyte)bytes[at] : BinaryPrimitives.ReadInt16LittleEndian(bytes.AsSpan(at));

        void Write(int at, float value)
        {
            int whole = (int)(value + (value >= 0 ? 0.5f : -0.5f));
            if (size == 1)
                bytes[at] = (byte)(sbyte)whole;
            else
                BinaryPrimitives.WriteInt16LittleEndian(bytes.AsSpan(at), (short)whole);
        }
    }

    private static void Exponents(byte[] bytes)
    {
        for (int at = 0; at < bytes.Length; at += 4)
        {
            int packed = BinaryPrimitives.ReadInt32LittleEndian(bytes.AsSpan(at));
            BinaryPrimitives.WriteSingleLittleEndian(bytes.AsSpan(at), MathF.ScaleB((packed << 8) >> 8, packed >> 24));
        }
    }
}
