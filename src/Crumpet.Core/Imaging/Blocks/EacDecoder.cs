using System.Buffers.Binary;
using System.Runtime.Intrinsics;

namespace Crumpet.Core.Imaging.Blocks;

/// <summary>Decodes blocks of one channel: a base, a step and one of sixteen tables.</summary>
/// <remarks>Source: Khronos Data Format Specification 1.3, "EAC compressed texture image formats".</remarks>
internal static class EacDecoder
{
    private static readonly Vector256<int>[] Tables = [.. EtcTables.Alpha.Select(t => Vector256.Create([.. t.Select(v => (int)v)]))];
    private static readonly Vector128<short>[] Steps = [.. EtcTables.Alpha.Select(t => Vector128.Create([.. t.Select(v => (short)v)]))];

    /// <summary>Decodes 8 bytes of the alpha of ETC2 into sixteen texels.</summary>
    public static Vector128<byte> Alpha(ReadOnlySpan<byte> block)
    {
        ulong bits = BinaryPrimitives.ReadUInt64BigEndian(block);
        // Sixteen bits hold them all.
        var palette = Vector128.Create((short)(bits >> 56)) + Steps[(int)(bits >> 48) & 15] * (short)(bits >> 52 & 15);
        palette = Vector128.Min(Vector128.Max(palette, Vector128<short>.Zero), Vector128.Create((short)255));
        return Planes.Look(palette.AsUInt16(), Places(bits));
    }

    /// <summary>Decodes the one or two channels of 11 bits each; the others are 0, alpha 1.</summary>
    /// <param name="blocks">8 bytes a channel.</param>
    /// <param name="rgba">64 numbers.</param>
    /// <param name="channels">1 or 2.</param>
    /// <param name="signed">Whether they are −1 to 1.</param>
    public static void Decode(ReadOnlySpan<byte> blocks, Span<float> rgba, int channels, bool signed)
    {
        Planes.Empty(rgba);
        for (int c = 0; c < channels; c++)
        {
            ulong bits = BinaryPrimitives.ReadUInt64BigEndian(blocks[(8 * c)..]);
            Planes.Write(Palette(bits, signed), Places(bits), rgba, c);
        }
    }

    /// <summary>The same to bytes; of signed ones −1 to 1 gives 0 to 255.</summary>
    public static void DecodeBytes(ReadOnlySpan<byte> blocks, Span<byte> rgba, int channels, bool signed)
    {
        var red = Bytes(BinaryPrimitives.ReadUInt64BigEndian(blocks), signed);
        // Of signed channels, 0 lies in the middle.
        byte none = (byte)(signed ? 128 : 0);
        var green = channels > 1 ? Bytes(BinaryPrimitives.ReadUInt64BigEndian(blocks[8..]), signed) : Vector128.Create(none);
        Planes.Write(red, green, none, rgba);
    }

    private static Vector128<byte> Bytes(ulong bits, bool signed) =>
        Planes.Look(Planes.ToBytes(Palette(bits, signed), signed), Places(bits));

    // Eight numbers of 0 to 1, or of −1 to 1.
    private static Vector256<float> Palette(ulong bits, bool signed)
    {
        int step = (int)(bits >> 52 & 15), size = step == 0 ? 1 : 8 * step, start = (int)(bits >> 56);
        var changes = Tables[(int)(bits >> 48) & 15] * size;
        return signed ? Vector256.ConvertToSingle(Clamp(Vector256.Create(Math.Max((sbyte)start, (sbyte)-127) * 8) + changes, -1023, 1023)) / 1023f
            : Vector256.ConvertToSingle(Clamp(Vector256.Create(start * 8 + 4) + changes, 0, 2047)) / 2047f;
    }

    private static Vector256<int> Clamp(Vector256<int> values, int least, int most) =>
        Vector256.Min(Vector256.Max(values, Vector256.Create(least)), Vector256.Create(most));

    // The first texel's index lies highest, and they lie in columns.
    private static Vector128<byte> Places(ulong bits) => Vector128.Shuffle(Planes.Places(bits & 0xffffffffffff),
        Vector128.Create((byte)15, 11, 7, 3, 14, 10, 6, 2, 13, 9, 5, 1, 12, 8, 4, 0));
}
