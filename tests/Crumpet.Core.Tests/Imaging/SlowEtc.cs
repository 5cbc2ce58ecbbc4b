using System.Buffers.Binary;
using Crumpet.Core.Imaging.Blocks;

namespace Crumpet.Core.Tests.Imaging;

/// <summary>ETC2 and EAC, written down as the standard has them, texel by texel.</summary>
/// <remarks>Source: Khronos Data Format Specification 1.3, "ETC2" and "EAC compressed texture image formats".</remarks>
internal static class SlowEtc
{
    /// <summary>Decodes 8 bytes of RGB into 16 RGBA texels.</summary>
    public static void Decode(ReadOnlySpan<byte> block, Span<byte> rgba) => Decode(block, rgba, hasHoles: false);

    /// <summary>The same where a block may have holes.</summary>
    public static void DecodeHoles(ReadOnlySpan<byte> block, Span<byte> rgba) => Decode(block, rgba, hasHoles: true);

    /// <summary>Decodes 16 bytes: alpha, then RGB.</summary>
    public static void DecodeAlpha(ReadOnlySpan<byte> block, Span<byte> rgba)
    {
        Decode(block[8..], rgba, hasHoles: false);
        var (bits, step, table) = Head(block);
        for (int i = 0; i < 16; i++)
            rgba[4 * i + 3] = (byte)Math.Clamp(block[0] + step * table[Index(bits, i)], 0, 255);
    }

    /// <summary>Decodes the one or two channels of EAC, 11 bits each; the others are 0, alpha 1.</summary>
    public static void DecodeEleven(ReadOnlySpan<byte> blocks, Span<float> rgba, int channels, bool signed)
    {
        rgba.Clear();
        for (int i = 0; i < 16; i++)
            rgba[4 * i + 3] = 1;
        for (int c = 0; c < channels; c++)
        {
            var block = blocks.Slice(8 * c, 8);
            var (bits, step, table) = Head(block);
            int size = step == 0 ? 1 : 8 * step;
            for (int i = 0; i < 16; i++)
            {
                int change = size * table[Index(bits, i)];
                rgba[4 * i + c] = signed ? Math.Clamp(Math.Max((int)(sbyte)block[0], -127) * 8 + change, -1023, 1023) / 1023f
                    : Math.Clamp(block[0] * 8 + 4 + change, 0, 2047) / 2047f;
            }
        }
    }

    private static (ulong Bits, int Step, sbyte[] Table) Head(ReadOnlySpan<byte> block) =>
        (BinaryPrimitives.ReadUInt64BigEndian(block), block[1] >> 4, EtcTables.Alpha[block[1] & 15]);

    private static int Index(ulong bits, int texel) => (int)(bits >> (45 - 3 * EtcTables.Place(texel))) & 7;

    private static void Decode(ReadOnlySpan<byte> block, Span<byte> rgba, bool hasHoles)
    {
        ulong bits = BinaryPrimitives.ReadUInt64BigEndian(block);
        int Field(int low, int count) => (int)(bits >> low) & ((1 << count) - 1);
        bool differs = Field(33, 1) == 1;
        bool holes = hasHoles && !differs;
        Span<int> first = stackalloc int[3], second = stackalloc int[3];
        if (differs || hasHoles)
        {
            for (int c = 0; c < 3; c++)
            {
                int a = Field(59 - 8 * c, 5), b = a + (Field(56 - 8 * c, 3) << 29 >> 29);
                if (b is < 0 or > 31)
                {
                    if (c == 2)
                        Planar(bits, rgba);
                    else
                        TwoColours(bits, rgba, c == 0, holes);
                    return;
                }
                (first[c], second[c]) = (a << 3 | a >> 2, b << 3 | b >> 2);
            }
        }
        else
        {
            for (int c = 0; c < 3; c++)
                (first[c], second[c]) = (Field(60 - 8 * c, 4) * 17, Field(56 - 8 * c, 4) * 17);
        }
        bool flipped = Field(32, 1) == 1;
        for (int i = 0; i < 16; i++)
        {
            bool isSecond = flipped ? i >= 8 : i % 4 >= 2;
            var (small, large) = EtcTables.Modifiers[isSecond ? Field(34, 3) : Field(37, 3)];
            int index = PixelIndex(bits, i), change = (index & 1) == 1 ? large : holes ? 0 : small;
            if (holes && index == 2)
            {
                rgba.Slice(4 * i, 4).Clear();
                continue;
            }
            var colour = isSecond ? second : first;
            for (int c = 0; c < 3; c++)
                rgba[4 * i + c] = (byte)Math.Clamp(colour[c] + (index >= 2 ? -change : change), 0, 255);
            rgba[4 * i + 3] = 255;
        }
    }

    private static int PixelIndex(ulong bits, int texel)
    {
        int place = EtcTables.Place(texel);
        return (int)(bits >> (16 + place) & 1) << 1 | (int)(bits >> place & 1);
    }

    private static void TwoColours(ulong bits, Span<byte> rgba, bool isT, bool holes)
    {
        int Field(int low, int count) => (int)(bits >> low) & ((1 << count) - 1);
        ReadOnlySpan<int> first = isT ? [Field(59, 2) << 2 | Field(56, 2), Field(52, 4), Field(48, 4)]
            : [Field(59, 4), Field(56, 3) << 1 | Field(52, 1), Field(51, 1) << 3 | Field(47, 3)];
        ReadOnlySpan<int> second = isT ? [Field(44, 4), Field(40, 4), Field(36, 4)] : [Field(43, 4), Field(39, 4), Field(35, 4)];
        int distance = isT ? Field(34, 2) << 1 | Field(32, 1)
            : Field(34, 1) << 2 | Field(32, 1) << 1 | (Number(first) >= Number(second) ? 1 : 0);
        int d = EtcTables.Distances[distance];
        for (int i = 0; i < 16; i++)
        {
            int index = PixelIndex(bits, i);
            if (holes && index == 2)
            {
                rgba.Slice(4 * i, 4).Clear();
                continue;
            }
            bool ofFirst = isT ? index == 0 : index < 2;
            int change = isT ? index switch { 1 => d, 3 => -d, _ => 0 } : index % 2 == 0 ? d : -d;
            for (int c = 0; c < 3; c++)
                rgba[4 * i + c] = (byte)Math.Clamp((ofFirst ? first[c] : second[c]) * 17 + change, 0, 255);
            rgba[4 * i + 3] = 255;
        }

        static int Number(ReadOnlySpan<int> colour) => colour[0] << 8 | colour[1] << 4 | colour[2];
    }

    private static void Planar(ulong bits, Span<byte> rgba)
    {
        int Field(int low, int count) => (int)(bits >> low) & ((1 << count) - 1);
        static int Six(int v) => v << 2 | v >> 4;
        static int Seven(int v) => v << 1 | v >> 6;
        ReadOnlySpan<int> origin = [Six(Field(57, 6)), Seven(Field(56, 1) << 6 | Field(49, 6)), Six(Field(48, 1) << 5 | Field(43, 2) << 3 | Field(39, 3))];
        ReadOnlySpan<int> right = [Six(Field(34, 5) << 1 | Field(32, 1)), Seven(Field(25, 7)), Six(Field(19, 6))];
        ReadOnlySpan<int> below = [Six(Field(13, 6)), Seven(Field(6, 7)), Six(Field(0, 6))];
        for (int i = 0; i < 16; i++)
        {
            for (int c = 0; c < 3; c++)
                rgba[4 * i + c] = (byte)Math.Clamp((i % 4 * (right[c] - origin[c]) + i / 4 * (below[c] - origin[c]) + 4 * origin[c] + 2) >> 2, 0, 255);
            rgba[4 * i + 3] = 255;
        }
    }
}
