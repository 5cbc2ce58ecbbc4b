using System.ComponentModel;
using System.Text.Json.Serialization;
using Crumpet.Core.Checking;
using NetVips;

namespace Crumpet.Core.Imaging;

/// <summary>A file format of loose pictures: all that is known of it. A new one is an entry here with its writer.</summary>
[JsonConverter(typeof(EntryJson<PictureFormat>)), TypeConverter(typeof(EntryText<PictureFormat>))]
public sealed class PictureFormat : IEntry<PictureFormat>
{
    private const int JpegQuality = 95;

    /// <inheritdoc/>
    public required string Word { get; init; }

    /// <summary>Name as people write it.</summary>
    public required string Label { get; init; }

    /// <summary>Ending of its files, with the point.</summary>
    public required string Ending { get; init; }

    /// <summary>Bits a channel it holds, ascending.</summary>
    public required IReadOnlyList<int> Bits { get; init; }

    /// <summary>Channels it holds, ascending.</summary>
    public required IReadOnlyList<int> Channels { get; init; }

    /// <summary>The fewest bits that are floating point; 0 where none are.</summary>
    public int FloatFrom { get; init; }

    /// <summary>Whether what is read again differs a little from what was written.</summary>
    public bool IsLossy { get; init; }

    /// <summary>Whether browsers show it.</summary>
    public bool IsShownByBrowsers { get; init; }

    /// <summary>Writes a picture with so many bits a channel, of the depth <see cref="DepthOf"/> says.</summary>
    public required Func<Bitmap, int, CancellationToken, byte[]> Writer { get; init; }

    /// <summary>Lossless, whole numbers.</summary>
    public static PictureFormat Png { get; } = new()
    {
        Word = "png",
        IsShownByBrowsers = true,
        Label = "PNG",
        Ending = ".png",
        Bits = [8, 16],
        Channels = [1, 2, 3, 4],
        Writer = (picture, _, cancel) => ImageFile.WritePng(picture, cancel: cancel),
    };

    /// <summary>Uncompressed, 8 bits.</summary>
    public static PictureFormat Tga { get; } = new()
    {
        Word = "tga",
        Label = "TGA",
        Ending = ".tga",
        Bits = [8],
        Channels = [1, 3, 4],
        Writer = (picture, _, _) => ImageFile.WriteTga((Bitmap8)picture),
    };

    /// <summary>Lossless, whole numbers or floating point.</summary>
    public static PictureFormat Tiff { get; } = new()
    {
        Word = "tiff",
        Label = "TIFF",
        Ending = ".tif",
        Bits = [8, 16, 32],
        Channels = [1, 2, 3, 4],
        FloatFrom = 32,
        Writer = (picture, _, cancel) => ImageFile.Save(picture, image => image.TiffsaveBuffer(compression: Enums.ForeignTiffCompression.Deflate), cancel),
    };

    /// <summary>Small and lossy, without alpha.</summary>
    public static PictureFormat Jpeg { get; } = new()
    {
        Word = "jpeg",
        IsShownByBrowsers = true,
        Label = "JPEG",
        Ending = ".jpg",
        Bits = [8],
        Channels = [1, 3],
        IsLossy = true,
        Writer = (picture, _, cancel) => ImageFile.Save(picture,
            image => image.JpegsaveBuffer(q: JpegQuality, subsampleMode: Enums.ForeignSubsample.Off), cancel),
    };

    /// <summary>Lossless, 8 bits.</summary>
    public static PictureFormat Webp { get; } = new()
    {
        Word = "webp",
        IsShownByBrowsers = true,
        Label = "WebP",
        Ending = ".webp",
        Bits = [8],
        Channels = [3, 4],
        // Colour under transparent texels is kept as it is.
        Writer = (picture, _, cancel) => ImageFile.Save(picture, image => image.WebpsaveBuffer(lossless: true, exact: true), cancel),
    };

    /// <summary>Lossless, floating point.</summary>
    public static PictureFormat Exr { get; } = new()
    {
        Word = "exr",
        Label = "OpenEXR",
        Ending = ".exr",
        Bits = [16, 32],
        Channels = [1, 2, 3, 4],
        FloatFrom = 16,
        Writer = (picture, bits, cancel) => ExrWriter.Write((Bitmap32)picture, Environment.ProcessorCount, bits == 16, cancel),
    };

    /// <summary>Colour with a shared exponent.</summary>
    public static PictureFormat Hdr { get; } = new()
    {
        Word = "hdr",
        Label = "Radiance",
        Ending = ".hdr",
        Bits = [32],
        Channels = [3],
        FloatFrom = 32,
        IsLossy = true,
        Writer = (picture, _, cancel) => HdrWriter.Write((Bitmap32)picture, cancel),
    };

    /// <inheritdoc/>
    public static Table<PictureFormat> Table { get; } = new("picture format", Png, Tga, Tiff, Jpeg, Webp, Exr, Hdr);

    /// <summary>Whether so many bits are floating point in it.</summary>
    public bool IsFloat(int bits) => FloatFrom > 0 && bits >= FloatFrom;

    /// <summary>Bits of the bitmap that is written: 8, 16, or 32 for all floating point.</summary>
    public int DepthOf(int bits) => IsFloat(bits) ? 32 : bits;

    /// <summary>Why it cannot hold a picture, one sentence, or null.</summary>
    /// <param name="bits">Bits a channel.</param>
    /// <param name="channels">Channels.</param>
    public string? Problem(int bits, int channels) =>
        !Bits.Contains(bits) ? $"{Label} holds {Listed(Bits)} bits a channel, not {bits}; choose other bits or another format."
        : !Channels.Contains(channels) ? $"{Label} holds {Listed(Channels)} channels, not {channels}; give it others or choose another format."
        : null;

    /// <summary>The bytes of a file.</summary>
    /// <param name="picture">What to write, of the depth <see cref="DepthOf"/> says.</param>
    /// <param name="bits">Bits a channel.</param>
    /// <param name="cancel">Ends the work early.</param>
    /// <exception cref="ArgumentException">The format does not hold that.</exception>
    public byte[] Write(Bitmap picture, int bits, CancellationToken cancel = default) =>
        (Problem(bits, picture.Channels) ?? (picture.Bits != DepthOf(bits) ? $"A bitmap of {picture.Bits} bits is no picture of {bits}." : null)) is { } problem
            ? throw new ArgumentException(problem, nameof(picture)) : Writer(picture, bits, cancel);

    /// <inheritdoc/>
    public override string ToString() => Word;

    private static string Listed(IReadOnlyList<int> numbers) =>
        numbers.Count == 1 ? $"{numbers[0]}" : $"{string.Join(", ", numbers.SkipLast(1))} or {numbers[^1]}";
}
