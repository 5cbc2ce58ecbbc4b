using System.Buffers.Binary;

namespace Crumpet.Core.Imaging.Blocks;

/// <summary>Stores texels that are not compressed, and reads them back.</summary>
/// <remarks>Source of shared exponents: EXT_texture_shared_exponent, "Encoding and decoding RGB9_E5".</remarks>
internal static class TexelStore
{
    private const int SharedBias = 15, SharedBits = 9, MostExponent = 31;
    private const float MostShared = 511f / 512 * 65536;

    /// <summary>How channels of one kind are stored.</summary>
    /// <param name="Write">From RGBA, so many channels.</param>
    /// <param name="Read">To RGBA; channels that are not there are 0, alpha 1.</param>
    public sealed record Kind(ChannelsWrite Write, ChannelsRead Read);

    /// <summary>Writes the first channels of a texel.</summary>
    public delegate void ChannelsWrite(ReadOnlySpan<float> from, Span<byte> to, int channels);

    /// <summary>Reads the first channels of a texel.</summary>
    public delegate void ChannelsRead(ReadOnlySpan<byte> from, Span<float> to, int channels);

    /// <summary>8 bits of 0 to 1.</summary>
    public static Kind Bytes { get; } = new(
        (from, to, n) =>
        {
            for (int c = 0; c < n; c++)
                to[c] = (byte)Whole(from[c], 255);
        },
        (from, to, n) =>
        {
            Empty(to);
            for (int c = 0; c < n; c++)
                to[c] = from[c] / 255f;
        });

    /// <summary>16 bits of 0 to 1.</summary>
    public static Kind Words { get; } = new(
        (from, to, n) =>
        {
            for (int c = 0; c < n; c++)
                BinaryPrimitives.WriteUInt16LittleEndian(to[(2 * c)..], (ushort)Whole(from[c], 65535));
        },
        (from, to, n) =>
        {
            Empty(to);
            for (int c = 0; c < n; c++)
                to[c] = BinaryPrimitives.ReadUInt16LittleEndian(from[(2 * c)..]) / 65535f;
        });

    /// <summary>Half precision.</summary>
    public static Kind Halves { get; } = new(
        (from, to, n) =>
        {
            // What a half cannot say is the greatest that it can.
            for (int c = 0; c < n; c++)
                BinaryPrimitives.WriteHalfLittleEndian(to[(2 * c)..], (Half)Math.Clamp(from[c], -65504, 65504));
        },
        (from, to, n) =>
        {
            Empty(to);
            for (int c = 0; c < n; c++)
                to[c] = (float)BinaryPrimitives.ReadHalfLittleEndian(from[(2 * c)..]);
        });

    /// <summary>Floating point.</summary>
    public static Kind Floats { get; } = new(
        (from, to, n) =>
        {
            for (int c = 0; c < n; c++)
                BinaryPrimitives.WriteSingleLittleEndian(to[(4 * c)..], from[c]);
        },
        (from, to, n) =>
        {
            Empty(to);
            for (int c = 0; c < n; c++)
                to[c] = BinaryPrimitives.ReadSingleLittleEndian(from[(4 * c)..]);
        });

    /// <summary>Reads bytes as they are.</summary>
    public static void ReadBytes(ReadOnlySpan<byte> from, Span<byte> to, int channels)
    {
        (to[0], to[1], to[2], to[3]) = (0, 0, 0, 255);
        from[..channels].CopyTo(to);
    }

    /// <summary>10, 10, 10 and 2 bits.</summary>
    public static void WriteTens(ReadOnlySpan<float> from, Span<byte> to) => BinaryPrimitives.WriteUInt32LittleEndian(to,
        Whole(from[0], 1023) | Whole(from[1], 1023) << 10 | Whole(from[2], 1023) << 20 | Whole(from[3], 3) << 30);

    /// <summary>Reads 10, 10, 10 and 2 bits.</summary>
    public static void ReadTens(ReadOnlySpan<byte> from, Span<float> to)
    {
        uint bits = BinaryPrimitives.ReadUInt32LittleEndian(from);
        (to[0], to[1], to[2], to[3]) = ((bits & 1023) / 1023f, (bits >> 10 & 1023) / 1023f, (bits >> 20 & 1023) / 1023f, (bits >> 30) / 3f);
    }

    /// <summary>Three mantissas with one exponent.</summary>
    public static void WriteShared(ReadOnlySpan<float> from, Span<byte> to)
    {
        float r = Math.Clamp(from[0], 0, MostShared), g = Math.Clamp(from[1], 0, MostShared), b = Math.Clamp(from[2], 0, MostShared);
        float most = Math.Max(r, Math.Max(g, b));
        int exponent = Math.Max(-SharedBias - 1, most > 0 ? (int)Math.Floor(Math.Log2(most)) : -SharedBias - 1) + 1 + SharedBias;
        double step = Math.Pow(2, exponent - SharedBias - SharedBits);
        if (Math.Floor(most / step + 0.5) >= 1 << SharedBits)
            step = Math.Pow(2, ++exponent - SharedBias - SharedBits);
        uint Mantissa(float value) => (uint)Math.Floor(value / step + 0.5);
        BinaryPrimitives.WriteUInt32LittleEndian(to, Mantissa(r) | Mantissa(g) << 9 | Mantissa(b) << 18 | (uint)Math.Min(exponent, MostExponent) << 27);
    }

    /// <summary>Reads three mantissas with one exponent.</summary>
    public static void ReadShared(ReadOnlySpan<byte> from, Span<float> to)
    {
        uint bits = BinaryPrimitives.ReadUInt32LittleEndian(from);
        float step = MathF.Pow(2, (int)(bits >> 27) - SharedBias - SharedBits);
        (to[0], to[1], to[2], to[3]) = ((bits & 511) * step, (bits >> 9 & 511) * step, (bits >> 18 & 511) * step, 1);
    }

    private static uint Whole(float value, int most) => (uint)(Math.Clamp(value, 0, 1) * most + 0.5f);

    private static void Empty(Span<float> texel) => (texel[0], texel[1], texel[2], texel[3]) = (0, 0, 0, 1);
}
