using System.Numerics;
using Crumpet.Core.Imaging;

namespace Crumpet.Core.Convert;

/// <summary>What a conversion is asked to do.</summary>
/// <param name="Format">How texels are stored.</param>
/// <param name="Meaning">What the numbers mean.</param>
/// <param name="Mips">Whether the whole chain is made.</param>
public sealed record ConvertSettings(TextureFormat Format, ColourMeaning Meaning, bool Mips = true)
{
    /// <summary>Version of this record's meaning; part of every conversion's key.</summary>
    public int Version { get; init; } = 1;
}

/// <summary>How far a decoded texture is from its source, over the channels the format keeps that vary in the source or the result.</summary>
/// <param name="Psnr">Peak signal to noise ratio over those channels, dB; null where nothing differs.</param>
/// <param name="ChannelPsnr">The same for each channel the format keeps.</param>
/// <param name="WorstBlockPsnr">Of the worst 4 × 4 block, dB.</param>
/// <param name="MeanAngleDegrees">For normals: mean angle between source and result, degrees.</param>
public sealed record TextureQuality(double? Psnr, IReadOnlyList<double?> ChannelPsnr, double? WorstBlockPsnr, double? MeanAngleDegrees);

/// <summary>Makes textures from pictures and measures them by decoding them again.</summary>
public static class TextureConverter
{
    /// <summary>Converts a picture. The result does not depend on <paramref name="threads"/>.</summary>
    /// <param name="source">1 to 4 channels; 16 bits are rounded to 8.</param>
    /// <param name="settings">What to make.</param>
    /// <param name="threads">Threads to use, at least 1.</param>
    /// <param name="progress">Told after each level.</param>
    /// <param name="cancel">Ends the work early.</param>
    public static Texture Convert(Bitmap source, ConvertSettings settings, int threads, IProgress<Progress>? progress = null,
        CancellationToken cancel = default)
    {
        var rgba = ToRgba(source);
        var chain = settings.Mips ? MipChain.Build(rgba, settings.Meaning, cancel) : [rgba];
        var levels = new List<byte[]>();
        double all = chain.Sum(l => (double)l.Width * l.Height), done = 0;
        foreach (var level in chain)
        {
            cancel.ThrowIfCancellationRequested();
            levels.Add(BlockCodec.Encode(level, settings.Format, threads, cancel));
            done += (double)level.Width * level.Height;
            progress?.Report(new Progress(done / all, $"compressing {level.Width} × {level.Height}"));
        }
        return new Texture(rgba.Width, rgba.Height, settings.Format, settings.Meaning == ColourMeaning.Srgb, levels);
    }

    /// <summary>Decodes level 0 and compares it with the picture it was made from.</summary>
    public static TextureQuality Measure(Bitmap source, Texture texture, ColourMeaning meaning, CancellationToken cancel = default)
    {
        var wanted = ToRgba(source);
        var decoded = BlockCodec.Decode(texture.Levels[0], texture.Width, texture.Height, texture.Format);
        // An opaque alpha that stays opaque would only flatter the number.
        int channels = Math.Min(texture.Format.Channels, source.Channels == 1 ? 3 : source.Channels);
        var sums = new double[channels];
        int across = (wanted.Width + 3) / 4;
        var blocks = new double[across * ((wanted.Height + 3) / 4)];
        for (int y = 0; y < wanted.Height; y++)
        {
            cancel.ThrowIfCancellationRequested();
            for (int x = 0; x < wanted.Width; x++)
            {
                for (int c = 0; c < channels; c++)
                {
                    int at = (y * wanted.Width + x) * 4 + c;
                    // What is finer than 8 bits is judged by what it was.
                    double d = (source is Bitmap8 ? wanted.Pixels[at] : 255.0 * Unit(source, x, y, c)) - decoded.Pixels[at];
                    sums[c] += d * d;
                    blocks[y / 4 * across + x / 4] += d * d;
                }
            }
        }
        double texels = (double)wanted.Width * wanted.Height;
        return new TextureQuality(
            Decibels(sums.Sum() / (texels * channels)),
            [.. sums.Select(s => Decibels(s / texels))],
            Decibels(blocks.Max() / (16 * channels)),
            meaning == ColourMeaning.Normal ? MeanAngle(wanted, decoded, texture.Format) : null);
    }

    /// <summary>Any picture as 8-bit RGBA: grey is repeated, a missing alpha is 255.</summary>
    public static Bitmap8 ToRgba(Bitmap source)
    {
        if (source is Bitmap8 { Channels: 4 } same)
            return same;
        var result = new Bitmap8(source.Width, source.Height, 4);
        for (int y = 0; y < source.Height; y++)
        {
            for (int x = 0; x < source.Width; x++)
            {
                for (int c = 0; c < 4; c++)
                {
                    float value = Unit(source, x, y, c);
                    result.Pixels[(y * source.Width + x) * 4 + c] = (byte)(Math.Clamp(value, 0, 1) * 255 + 0.5f);
                }
            }
        }
        return result;
    }

    /// <summary>A channel of RGBA as a share of full scale; what is no number counts as none.</summary>
    private static float Unit(Bitmap source, int x, int y, int channel)
    {
        if (channel == 3 && source.Channels is 1 or 3)
            return 1;
        float value = source.Unit(x, y, channel == 3 ? source.Channels - 1 : source.Channels < 3 ? 0 : channel);
        return float.IsFinite(value) ? value : 0;
    }

    private static double? Decibels(double meanSquare) => meanSquare > 0 ? 10 * Math.Log10(255 * 255 / meanSquare) : null;

    private static double MeanAngle(Bitmap8 wanted, Bitmap8 decoded, TextureFormat format)
    {
        double sum = 0;
        int count = wanted.Width * wanted.Height;
        for (int i = 0; i < count; i++)
        {
            var a = Vector(wanted.Pixels.AsSpan(4 * i, 4), false);
            var b = Vector(decoded.Pixels.AsSpan(4 * i, 4), format.RebuildsThird);
            sum += Math.Atan2(Vector3.Cross(a, b).Length(), Vector3.Dot(a, b));
        }
        return sum / count * 180 / Math.PI;

        // Two-channel normals get their third component back as a shader computes it.
        static Vector3 Vector(ReadOnlySpan<byte> p, bool rebuild)
        {
            float x = p[0] / 127.5f - 1, y = p[1] / 127.5f - 1;
            float z = rebuild ? MathF.Sqrt(MathF.Max(0, 1 - x * x - y * y)) : p[2] / 127.5f - 1;
            return Vector3.Normalize(new Vector3(x, y, z));
        }
    }
}
