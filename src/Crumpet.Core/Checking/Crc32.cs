namespace Crumpet.Core.Checking;

/// <summary>The checksum of zip entries, eight bytes at a time.</summary>
/// <remarks>
/// Source: ISO 3309, as zip uses it; tables for eight bytes after M. Kounavis, F. Berry, "A systematic approach to building high
/// performance software-based CRC generators", 2005.
/// </remarks>
internal struct Crc32
{
    private const uint Polynomial = 0xedb88320;
    private static readonly uint[][] Tables = MakeTables();
    private uint inverted;

    /// <summary>The checksum of all bytes so far.</summary>
    public readonly uint Value => inverted;

    /// <summary>Takes further bytes in.</summary>
    public void Add(ReadOnlySpan<byte> bytes)
    {
        uint crc = ~inverted;
        for (; bytes.Length >= 8; bytes = bytes[8..])
        {
            uint low = crc ^ System.Buffers.Binary.BinaryPrimitives.ReadUInt32LittleEndian(bytes);
            crc = Tables[7][low & 0xff] ^ Tables[6][low >> 8 & 0xff] ^ Tables[5][low >> 16 & 0xff] ^ Tables[4][low >> 24]
                ^ Tables[3][bytes[4]] ^ Tables[2][bytes[5]] ^ Tables[1][bytes[6]] ^ Tables[0][bytes[7]];
        }
        foreach (byte b in bytes)
            crc = Tables[0][(crc ^ b) & 0xff] ^ crc >> 8;
        inverted = ~crc;
    }

    private static uint[][] MakeTables()
    {
        var tables = new uint[8][];
        for (int t = 0; t < tables.Length; t++)
        {
            tables[t] = new uint[256];
            for (uint i = 0; i < 256; i++)
            {
                uint crc = t == 0 ? i : tables[t - 1][i];
                if (t > 0)
                {
                    tables[t][i] = crc >> 8 ^ tables[0][crc & 0xff];
                    continue;
                }
                for (int bit = 0; bit < 8; bit++)
                    crc = (crc & 1) != 0 ? crc >> 1 ^ Polynomial : crc >> 1;
                tables[0][i] = crc;
            }
        }
        return tables;
    }
}
