namespace Crumpet.Core.Imaging;

/// <summary>A picture in memory. Row 0 is the top row; channels are interleaved.</summary>
public abstract class Bitmap
{
    private protected Bitmap(int width, int height, int channels)
    {
        Width = width;
        Height = height;
        Channels = channels;
    }

    /// <summary>Pixels a row.</summary>
    public int Width { get; }

    /// <summary>Rows.</summary>
    public int Height { get; }

    /// <summary>1 grey, 2 grey and alpha, 3 RGB, 4 RGBA.</summary>
    public int Channels { get; }

    /// <summary>Bits a channel: 8, 16, or 32 for floating point.</summary>
    public abstract int Bits { get; }

    /// <summary>One value as a share of full scale, 0 to 1; floating-point values as they are.</summary>
    public abstract float Unit(int x, int y, int channel);
}

/// <summary>8 bits a channel.</summary>
public sealed class Bitmap8(int width, int height, int channels, byte[]? pixels = null) : Bitmap(width, height, channels)
{
    /// <summary><c>Height · Width · Channels</c> values.</summary>
    public byte[] Pixels { get; } = pixels ?? new byte[checked(width * height * channels)];

    /// <inheritdoc/>
    public override int Bits => 8;

    /// <inheritdoc/>
    public override float Unit(int x, int y, int channel) => Pixels[(y * Width + x) * Channels + channel] / 255f;
}

/// <summary>16 bits a channel.</summary>
public sealed class Bitmap16(int width, int height, int channels, ushort[]? pixels = null) : Bitmap(width, height, channels)
{
    /// <summary><c>Height · Width · Channels</c> values.</summary>
    public ushort[] Pixels { get; } = pixels ?? new ushort[checked(width * height * channels)];

    /// <inheritdoc/>
    public override int Bits => 16;

    /// <inheritdoc/>
    public override float Unit(int x, int y, int channel) => Pixels[(y * Width + x) * Channels + channel] / 65535f;
}

/// <summary>32-bit floating point a channel.</summary>
public sealed class Bitmap32(int width, int height, int channels, float[]? pixels = null) : Bitmap(width, height, channels)
{
    /// <summary><c>Height · Width · Channels</c> values.</summary>
    public float[] Pixels { get; } = pixels ?? new float[checked(width * height * channels)];

    /// <inheritdoc/>
    public override int Bits => 32;

    /// <inheritdoc/>
    public override float Unit(int x, int y, int channel) => Pixels[(y * Width + x) * Channels + channel];
}
