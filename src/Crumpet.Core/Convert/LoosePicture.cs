using Crumpet.Core.Imaging;

namespace Crumpet.Core.Convert;

/// <summary>Textures as loose pictures, for engines that compress by themselves: brought to the size and the channels that are wanted.</summary>
public static class LoosePicture
{
    /// <summary>A picture as it is written.</summary>
    /// <param name="source">1 to 4 channels.</param>
    /// <param name="settings">What to make; its file is a picture.</param>
    /// <param name="cancel">Ends the work early.</param>
    /// <returns>The file, and the picture that was written.</returns>
    public static (byte[] File, Bitmap Picture) Write(Bitmap source, ConvertSettings settings, CancellationToken cancel)
    {
        var format = settings.File.Picture ?? throw new ArgumentException($"{settings.File.Label} is no loose picture.", nameof(settings));
        var (width, height) = TextureConverter.SizeFor(source.Width, source.Height, settings.Size, settings.Sides);
        var sized = (width, height) == (source.Width, source.Height) ? source : PictureOps.Resize(source, width, height, settings.Meaning, cancel);
        var picture = WithChannels(sized, format.Channels, settings.Bits);
        return (format.Write(picture, settings.Bits, cancel), picture);
    }

    /// <summary>A picture as a texture of one level that is not compressed.</summary>
    /// <param name="picture">1 to 4 channels, of whole numbers.</param>
    /// <param name="srgb">Whether its colours are stored for the eye.</param>
    public static Texture AsTexture(Bitmap picture, bool srgb)
    {
        bool isFine = picture is not Bitmap8;
        var format = isFine ? TextureFormat.Rgba16 : picture.Channels == 1 ? TextureFormat.R8 : TextureFormat.Rgba8;
        var levels = BlockCodec.Encode([TextureConverter.ToFour(picture)], format, EncodeSettings.For(Effort.Draft, ColourMeaning.Linear), 1, null, default);
        return new Texture(picture.Width, picture.Height, format, srgb && format.VkSrgb is not null, levels);
    }

    /// <summary>Reads a texture's file: a container, or a loose picture.</summary>
    /// <param name="bytes">The file.</param>
    /// <param name="fileName">Name for messages.</param>
    /// <exception cref="SourceFileException">It is neither, or is cut.</exception>
    public static Texture Read(byte[] bytes, string fileName) =>
        TextureContainer.IsTexture(bytes) ? TextureContainer.Read(bytes, fileName) : AsTexture(ImageFile.Read(bytes, fileName), srgb: false);

    /// <summary>A picture with as many channels as a format holds: grey is repeated, what is missing is opaque, alpha that cannot be is left out.</summary>
    private static Bitmap WithChannels(Bitmap picture, IReadOnlyList<int> held, int bits)
    {
        int channels = picture.Channels;
        bool hasAlpha = channels is 2 or 4;
        int wanted = held.Contains(channels) ? channels
            : hasAlpha && held.Contains(4) ? 4
            : channels <= 2 && held.Contains(1) ? 1 : 3;
        if (wanted == channels && picture.Bits == bits)
            return picture;
        int colours = hasAlpha ? channels - 1 : channels;
        float[] units = PictureOps.Units(picture), result = new float[units.Length / channels * wanted];
        for (int i = 0, from = 0; i < result.Length; i += wanted, from += channels)
        {
            for (int c = 0; c < wanted; c++)
                result[i + c] = c == 3 || (c == 1 && wanted == 2) ? hasAlpha ? units[from + channels - 1] : 1 : units[from + Math.Min(c, colours - 1)];
        }
        return PictureOps.FromUnits(picture.Width, picture.Height, wanted, bits, result);
    }
}
