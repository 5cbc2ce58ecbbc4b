namespace Crumpet.Core.Imaging.Blocks;

/// <summary>Decodes the one-channel blocks of BC4, which BC5 uses twice and BC3 for alpha.</summary>
/// <remarks>Source: Khronos Data Format Specification 1.3, "RGTC compressed texture image formats". Values between the ends are rounded to nearest where
/// they are read as bytes.</remarks>
internal static class Bc4Decoder
{
    /// <summary>Decodes 8 bytes into 16 values.</summary>
    public static void Decode(ReadOnlySpan<byte> block, Span<byte> values)
    {
        Span<byte> palette = stackalloc byte[8];
        Palette(block[0], block[1], palette);
        ulong bits = Indices(block);
        for (int i = 0; i < 16; i++)
            values[i] = palette[(int)(bits >> (3 * i)) & 7];
    }

    /// <summary>Decodes blocks of signed values to the first channels of 16 RGBA texels, −1 to 1; the others are 0, alpha 1.</summary>
    public static void DecodeSigned(ReadOnlySpan<byte> blocks, Span<float> rgba, int channels)
    {
        rgba.Clear();
        for (int i = 0; i < 16; i++)
            rgba[4 * i + 3] = 1;
        Span<float> palette = stackalloc float[8];
        for (int c = 0; c < channels; c++)
        {
            var block = blocks.Slice(8 * c, 8);
            // −128 stands for −127: both are −1.
            int first = Math.Max((sbyte)block[0], (sbyte)-127), second = Math.Max((sbyte)block[1], (sbyte)-127);
            (palette[0], palette[1]) = (first / 127f, second / 127f);
            int steps = (sbyte)block[0] > (sbyte)block[1] ? 7 : 5;
            for (int i = 1; i < steps; i++)
                palette[i + 1] = ((steps - i) * first + i * second) / (127f * steps);
            if (steps == 5)
                (palette[6], palette[7]) = (-1, 1);
            ulong bits = Indices(block);
            for (int i = 0; i < 16; i++)
                rgba[4 * i + c] = palette[(int)(bits >> (3 * i)) & 7];
        }
    }

    private static ulong Indices(ReadOnlySpan<byte> block)
    {
        ulong bits = 0;
        for (int i = 0; i < 6; i++)
            bits |= (ulong)block[2 + i] << (8 * i);
        return bits;
    }

    private static void Palette(int first, int second, Span<byte> palette)
    {
        palette[0] = (byte)first;
        palette[1] = (byte)second;
        if (first > second)
        {
            for (int i = 1; i < 7; i++)
                palette[i + 1] = (byte)(((7 - i) * first + i * second + 3) / 7);
            return;
        }
        for (int i = 1; i < 5; i++)
            palette[i + 1] = (byte)(((5 - i) * first + i * second + 2) / 5);
        palette[6] = 0;
        palette[7] = 255;
    }

    /// <summary>Decodes blocks of 8 bytes to the first channels of 16 RGBA texels; the others are 0, alpha 255.</summary>
    public static void DecodeChannels(ReadOnlySpan<byte> blocks, Span<byte> rgba, int channels)
    {
        rgba.Clear();
        Span<byte> values = stackalloc byte[16];
        for (int i = 0; i < 16; i++)
            rgba[4 * i + 3] = 255;
        for (int c = 0; c < channels; c++)
        {
            Decode(blocks[(8 * c)..], values);
            for (int i = 0; i < 16; i++)
                rgba[4 * i + c] = values[i];
        }
    }
}
