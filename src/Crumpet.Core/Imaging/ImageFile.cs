using System.Runtime.InteropServices;
using NetVips;

namespace Crumpet.Core.Imaging;

/// <summary>Reads and writes picture files. PNG is written; PNG, JPEG, TIFF, WebP, TGA, Radiance HDR and OpenEXR are read.</summary>
public static class ImageFile
{
    /// <summary>Largest side that is read or written, pixels.</summary>
    public const int LargestSide = 16384;

    /// <summary>Most bytes a picture may take once it is decoded: the largest side squared in RGBA of 16 bits.</summary>
    public const long MostDecodedBytes = 2L << 30;

    // Rows that are looked at together where a picture is only passed through.
    private const int StripRows = 64;

    // What shrinking needs beside the file, where it passes through it row by row.
    private const long ShrinkingBytes = 64L << 20;

    static ImageFile()
    {
        NetVips.NetVips.BlockUntrusted = true;
    }

    /// <summary>Reads a picture at its own depth.</summary>
    /// <param name="bytes">The file.</param>
    /// <param name="fileName">Name for messages.</param>
    /// <exception cref="SourceFileException">It is no picture, is cut, or is larger than <see cref="LargestSide"/>.</exception>
    public static Bitmap Read(byte[] bytes, string fileName)
    {
        if (bytes.Length == 0)
            throw new SourceFileException(fileName, "", "the file is empty", "Save it again");
        if (ExrReader.IsExr(bytes))
            return ExrReader.Read(bytes, fileName);
        if (bytes.AsSpan().StartsWith("#?"u8))
            return HdrReader.Read(bytes, fileName);
        if (fileName.EndsWith(".tga", StringComparison.OrdinalIgnoreCase) || TgaReader.LooksLike(bytes))
            return TgaReader.Read(bytes, fileName);
        try
        {
            using var image = Image.NewFromBuffer(bytes, failOn: Enums.FailOn.Error);
            CheckFormat(fileName, image);
            return image.Format switch
            {
                Enums.BandFormat.Uchar => new Bitmap8(image.Width, image.Height, image.Bands, image.WriteToMemory<byte>()),
                Enums.BandFormat.Ushort => new Bitmap16(image.Width, image.Height, image.Bands, image.WriteToMemory<ushort>()),
                _ => new Bitmap32(image.Width, image.Height, image.Bands, image.WriteToMemory<float>()),
            };
        }
        catch (VipsException e)
        {
            throw NoPicture(fileName, e);
        }
    }

    /// <summary>Passes through a picture from top to bottom without holding it whole, where its format allows that.</summary>
    /// <param name="bytes">The file.</param>
    /// <param name="fileName">Name for messages.</param>
    /// <param name="take">Receives strips of rows, each with the whole picture's height and the number of its first row.</param>
    /// <param name="cancel">Ends the work early.</param>
    /// <exception cref="SourceFileException">As for <see cref="Read"/>.</exception>
    public static void ReadStrips(byte[] bytes, string fileName, Action<Bitmap, int, int> take, CancellationToken cancel = default)
    {
        if (bytes.Length == 0 || IsReadHere(bytes, fileName))
        {
            var whole = Read(bytes, fileName);
            take(whole, whole.Height, 0);
            return;
        }
        try
        {
            using var image = Image.NewFromBuffer(bytes, access: Enums.Access.Sequential, failOn: Enums.FailOn.Error);
            CheckFormat(fileName, image);
            using var region = Region.New(image);
            for (int y = 0; y < image.Height; y += StripRows)
            {
                cancel.ThrowIfCancellationRequested();
                int rows = Math.Min(StripRows, image.Height - y);
                byte[] strip = region.Fetch(0, y, image.Width, rows);
                take(image.Format switch
                {
                    Enums.BandFormat.Uchar => new Bitmap8(image.Width, rows, image.Bands, strip),
                    Enums.BandFormat.Ushort => new Bitmap16(image.Width, rows, image.Bands, MemoryMarshal.Cast<byte, ushort>(strip).ToArray()),
                    _ => new Bitmap32(image.Width, rows, image.Bands, MemoryMarshal.Cast<byte, float>(strip).ToArray()),
                }, image.Height, y);
            }
        }
        catch (VipsException e)
        {
            throw NoPicture(fileName, e);
        }
    }

    /// <summary>How many bytes a thumbnail takes while it is made.</summary>
    /// <param name="bytes">The file.</param>
    /// <param name="fileName">Name for messages.</param>
    public static long BytesForThumbnail(byte[] bytes, string fileName) =>
        IsReadHere(bytes, fileName) || IsInterlaced(bytes) ? BytesToRead(bytes, fileName) : ShrinkingBytes;

    /// <summary>How many bytes a picture takes once it is decoded; the most there may be where only decoding would tell.</summary>
    /// <param name="bytes">The file.</param>
    /// <param name="fileName">Name for messages.</param>
    public static long BytesToRead(byte[] bytes, string fileName)
    {
        if (IsReadHere(bytes, fileName))
            return MostDecodedBytes;
        try
        {
            using var image = Image.NewFromBuffer(bytes, access: Enums.Access.Sequential);
            return (long)image.Width * image.Height * image.Bands * BytesOf(image.Format);
        }
        catch (VipsException e)
        {
            throw NoPicture(fileName, e);
        }
    }

    /// <summary>Width and height of a picture, pixels; without decoding it where its format allows that.</summary>
    /// <param name="bytes">The file.</param>
    /// <param name="fileName">Name for messages.</param>
    /// <exception cref="SourceFileException">As for <see cref="Read"/>.</exception>
    public static (int Width, int Height) SizeOf(byte[] bytes, string fileName)
    {
        var (width, height, _) = ShapeOf(bytes, fileName);
        return (width, height);
    }

    /// <summary>Width and height of a picture, pixels, and its channels; without decoding it where its format allows that.</summary>
    /// <inheritdoc cref="SizeOf"/>
    public static (int Width, int Height, int Channels) ShapeOf(byte[] bytes, string fileName)
    {
        if (bytes.Length == 0 || IsReadHere(bytes, fileName))
            return Read(bytes, fileName) is var whole ? (whole.Width, whole.Height, whole.Channels) : default;
        try
        {
            using var image = Image.NewFromBuffer(bytes, access: Enums.Access.Sequential);
            CheckFormat(fileName, image);
            return (image.Width, image.Height, image.Bands);
        }
        catch (VipsException e)
        {
            throw NoPicture(fileName, e);
        }
    }

    /// <summary>Formats the library does not read, or not from a buffer.</summary>
    private static bool IsReadHere(byte[] bytes, string fileName) => ExrReader.IsExr(bytes) || bytes.AsSpan().StartsWith("#?"u8)
        || fileName.EndsWith(".tga", StringComparison.OrdinalIgnoreCase) || TgaReader.LooksLike(bytes);

    /// <summary>Whether rows come in passes, so that none is there before all are. Source: PNG specification, third edition, section 11.2.1.</summary>
    private static bool IsInterlaced(byte[] bytes) => bytes.Length > 28 && bytes[0] == 0x89 && bytes.AsSpan(1).StartsWith("PNG"u8) && bytes[28] != 0;

    private static int BytesOf(Enums.BandFormat format) => format switch { Enums.BandFormat.Uchar => 1, Enums.BandFormat.Ushort => 2, _ => 4 };

    private static void CheckFormat(string fileName, Image image)
    {
        if (image.Bands > 4)
            throw new SourceFileException(fileName, "", $"it has {image.Bands} channels", "Save it as grey, RGB or RGBA");
        if (image.Format is not (Enums.BandFormat.Uchar or Enums.BandFormat.Ushort or Enums.BandFormat.Float))
            throw new SourceFileException(fileName, "", $"its pixels are stored as {image.Format}",
                "Save it with 8 or 16 bits a channel, or as 32-bit floating point");
        CheckSize(fileName, image.Width, image.Height, image.Bands * BytesOf(image.Format));
    }

    private static SourceFileException NoPicture(string fileName, VipsException e) =>
        new(fileName, "", "it is not a picture that can be read, or it is cut", "Save it again as PNG", e);

    /// <summary>Refuses sizes no texture has, before anything is allocated for them.</summary>
    /// <exception cref="SourceFileException">A side is smaller than 1 px or larger than <see cref="LargestSide"/>, or all of it more than
    /// <see cref="MostDecodedBytes"/>.</exception>
    internal static void CheckSize(string fileName, long width, long height, int bytesPerPixel)
    {
        if (width < 1 || height < 1)
            throw new SourceFileException(fileName, "", $"it is {width} × {height} px", "Save it again");
        if (width > LargestSide || height > LargestSide)
            throw new SourceFileException(fileName, "", $"it is {width} × {height} px, the largest side that is read is {LargestSide} px", "Scale it down");
        if (width * height * bytesPerPixel > MostDecodedBytes)
            throw new SourceFileException(fileName, "",
                FormattableString.Invariant(
                $"decoded it takes {width * height * bytesPerPixel / (double)(1 << 30):0.0} GiB, at most {MostDecodedBytes >> 30} GiB are read"),
                "Scale it down, or save it with fewer bits");
    }

    /// <summary>A small 8-bit PNG of a picture file.</summary>
    /// <param name="bytes">The file.</param>
    /// <param name="fileName">Name for messages.</param>
    /// <param name="side">Longest side, pixels.</param>
    /// <exception cref="SourceFileException">It is no picture.</exception>
    public static byte[] Thumbnail(byte[] bytes, string fileName, int side)
    {
        // What the library does not read is decoded here first; floats are shown up to 1.
        if (IsReadHere(bytes, fileName))
            bytes = WritePng(Shown(Read(bytes, fileName)), 1);
        try
        {
            using var image = Image.ThumbnailBuffer(bytes, side, height: side, size: Enums.Size.Down);
            using var narrow = image.Format == Enums.BandFormat.Ushort
                ? image.Colourspace(image.Bands < 3 ? Enums.Interpretation.Bw : Enums.Interpretation.Srgb) : image.Copy();
            return narrow.PngsaveBuffer(compression: 4);
        }
        catch (VipsException e)
        {
            throw NoPicture(fileName, e);
        }
    }

    private static Bitmap Shown(Bitmap picture)
    {
        if (picture is not Bitmap32 real)
            return picture;
        bool alpha = real.Channels is 2 or 4;
        return new Bitmap8(real.Width, real.Height, real.Channels, [.. real.Pixels.Select((value, i) =>
            (byte)(Math.Clamp(alpha && i % real.Channels == real.Channels - 1 ? value : Srgb.FromLinear(Math.Clamp(float.IsNaN(value) ? 0 : value, 0, 1)), 0,
                1) * 255 + 0.5f))]);
    }

    /// <summary>The bytes of a PNG file with the bitmap's own depth and channels.</summary>
    /// <param name="bitmap">What to write; 8 or 16 bits a channel.</param>
    /// <param name="compression">Deflate effort, 0 to 9.</param>
    /// <param name="done">Told the share that is written, 0 to 1.</param>
    /// <param name="cancel">Ends the work early.</param>
    /// <exception cref="ArgumentException">The bitmap is floating point, which PNG cannot hold.</exception>
    public static byte[] WritePng(Bitmap bitmap, int compression = 4, Action<double>? done = null, CancellationToken cancel = default)
    {
        bool colour = bitmap.Channels >= 3;
        if (bitmap is Bitmap8 b8)
        {
            using var image = Image.NewFromMemory(b8.Pixels, bitmap.Width, bitmap.Height, bitmap.Channels, Enums.BandFormat.Uchar);
            using var marked = image.Copy(interpretation: colour ? Enums.Interpretation.Srgb : Enums.Interpretation.Bw);
            return Png(marked, compression, 8, done, cancel);
        }
        if (bitmap is not Bitmap16 b16)
            throw new ArgumentException("PNG holds 8 or 16 bits a channel.", nameof(bitmap));
        using var wide = Image.NewFromMemory(b16.Pixels, bitmap.Width, bitmap.Height, bitmap.Channels, Enums.BandFormat.Ushort);
        using var tagged = wide.Copy(interpretation: colour ? Enums.Interpretation.Rgb16 : Enums.Interpretation.Grey16);
        return Png(tagged, compression, 16, done, cancel);
    }

    private sealed class Percent(Action<double> done) : IProgress<int>
    {
        public void Report(int value) => done(value / 100.0);
    }

    private static byte[] Png(Image image, int compression, int bits, Action<double>? done, CancellationToken cancel)
    {
        cancel.ThrowIfCancellationRequested();
        if (done is not null)
            image.SetProgress(new Percent(done), cancel);
        // A large sheet takes seconds: longer than a run may go on after it is cancelled.
        using var stop = cancel.Register(() => image.SetKill(true));
        try
        {
            return image.PngsaveBuffer(compression: compression, bitdepth: bits);
        }
        catch (VipsException) when (cancel.IsCancellationRequested)
        {
            throw new OperationCanceledException(cancel);
        }
    }

    /// <summary>The bytes of an uncompressed TGA file, its first row on top.</summary>
    /// <param name="bitmap">What to write.</param>
    /// <exception cref="ArgumentException">It has two channels, which TGA does not know.</exception>
    /// <remarks>Source: Truevision, "TGA File Format Specification", version 2.0.</remarks>
    public static byte[] WriteTga(Bitmap8 bitmap)
    {
        if (bitmap.Channels == 2)
            throw new ArgumentException("TGA holds grey, RGB or RGBA.", nameof(bitmap));
        const int HeaderBytes = 18;
        var file = new byte[HeaderBytes + bitmap.Pixels.Length];
        file[2] = (byte)(bitmap.Channels == 1 ? 3 : 2);
        System.Buffers.Binary.BinaryPrimitives.WriteUInt16LittleEndian(file.AsSpan(12), (ushort)bitmap.Width);
        System.Buffers.Binary.BinaryPrimitives.WriteUInt16LittleEndian(file.AsSpan(14), (ushort)bitmap.Height);
        file[16] = (byte)(8 * bitmap.Channels);
        file[17] = (byte)(bitmap.Channels == 4 ? 0x28 : 0x20);
        bitmap.Pixels.CopyTo(file, HeaderBytes);
        // Blue comes first.
        for (int at = HeaderBytes; bitmap.Channels >= 3 && at < file.Length; at += bitmap.Channels)
            (file[at], file[at + 2]) = (file[at + 2], file[at]);
        return file;
    }

    /// <summary>The bytes of a file the library writes, of the bitmap's own depth and channels.</summary>
    /// <param name="bitmap">What to write.</param>
    /// <param name="write">How.</param>
    /// <param name="cancel">Ends the work early.</param>
    internal static byte[] Save(Bitmap bitmap, Func<Image, byte[]> write, CancellationToken cancel)
    {
        cancel.ThrowIfCancellationRequested();
        using var image = bitmap switch
        {
            Bitmap8 b => Image.NewFromMemory(b.Pixels, b.Width, b.Height, b.Channels, Enums.BandFormat.Uchar),
            Bitmap16 b => Image.NewFromMemory(b.Pixels, b.Width, b.Height, b.Channels, Enums.BandFormat.Ushort),
            Bitmap32 b => Image.NewFromMemory(b.Pixels, b.Width, b.Height, b.Channels, Enums.BandFormat.Float),
            _ => throw new ArgumentException("There is no such bitmap.", nameof(bitmap)),
        };
        bool colour = bitmap.Channels >= 3;
        using var marked = image.Copy(interpretation: bitmap.Bits switch
        {
            8 => colour ? Enums.Interpretation.Srgb : Enums.Interpretation.Bw,
            16 => colour ? Enums.Interpretation.Rgb16 : Enums.Interpretation.Grey16,
            _ => colour ? Enums.Interpretation.Scrgb : Enums.Interpretation.Multiband,
        });
        using var stop = cancel.Register(() => marked.SetKill(true));
        try
        {
            return write(marked);
        }
        catch (VipsException) when (cancel.IsCancellationRequested)
        {
            throw new OperationCanceledException(cancel);
        }
    }

    /// <summary>The bytes of a floating-point TIFF file.</summary>
    /// <param name="bitmap">What to write.</param>
    public static byte[] WriteTiff(Bitmap32 bitmap) =>
        Save(bitmap, image => image.TiffsaveBuffer(compression: Enums.ForeignTiffCompression.Deflate), default);
}
