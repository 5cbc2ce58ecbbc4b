namespace Crumpet.Core.Imaging;

/// <summary>The sRGB transfer function, exactly as IEC 61966-2-1 has it.</summary>
public static class Srgb
{
    private static readonly float[] Table = BuildTable();

    // The least linear value that is rounded to each code.
    private static readonly float[] Threshold = [.. Enumerable.Range(0, 256).Select(i => i == 0 ? 0 : ToLinear((i - 0.5f) / 255f))];

    private static readonly byte[] Guess = [.. Enumerable.Range(0, 1024).Select(i => (byte)(FromLinear(i / 1023f * (i / 1023f)) * 255 + 0.5f))];

    /// <summary>Encoded value 0 to 1 to linear 0 to 1.</summary>
    public static float ToLinear(float encoded) =>
        encoded <= 0.04045f ? encoded / 12.92f : (float)Math.Pow((encoded + 0.055) / 1.055, 2.4);

    /// <summary>8-bit encoded value to linear 0 to 1.</summary>
    public static float ToLinear(byte encoded) => Table[encoded];

    /// <summary>Linear 0 to 1 to encoded 0 to 1; clamps.</summary>
    public static float FromLinear(float linear)
    {
        linear = Math.Clamp(linear, 0, 1);
        return linear <= 0.0031308f ? linear * 12.92f : (float)(1.055 * Math.Pow(linear, 1 / 2.4) - 0.055);
    }

    /// <summary>Linear 0 to 1 to the nearest 8-bit encoded value; clamps.</summary>
    public static byte ToByte(float linear)
    {
        linear = Math.Clamp(linear, 0, 1);
        // The root of linear light is close to what is stored; the thresholds between codes then decide.
        int code = Guess[(int)(MathF.Sqrt(linear) * (Guess.Length - 1))];
        while (code < 255 && linear >= Threshold[code + 1])
            code++;
        while (code > 0 && linear < Threshold[code])
            code--;
        return (byte)code;
    }

    private static float[] BuildTable()
    {
        var table = new float[256];
        for (int i = 0; i < 256; i++)
            table[i] = ToLinear(i / 255f);
        return table;
    }
}
