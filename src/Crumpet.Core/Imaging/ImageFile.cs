using NetVips;

namespace Crumpet.Core.Imaging;

/// <summary>Reads and writes picture files. PNG is written; PNG, JPEG, TIFF, WebP, TGA, Radiance HDR and OpenEXR are read.</summary>
public static class ImageFile
{
    /// <summary>Largest side that is read or written, pixels.</summary>
    public const int LargestSide = 16384;

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
            CheckSize(fileName, image.Width, image.Height);
            if (image.Bands > 4)
                throw new SourceFileException(fileName, "", $"it has {image.Bands} channels", "Save it as grey, RGB or RGBA");
            if (image.Format == Enums.BandFormat.Uchar)
                return new Bitmap8(image.Width, image.Height, image.Bands, image.WriteToMemory<byte>());
            if (image.Format == Enums.BandFormat.Ushort)
                return new Bitmap16(image.Width, image.Height, image.Bands, image.WriteToMemory<ushort>());
            if (image.Format == Enums.BandFormat.Float)
                return new Bitmap32(image.Width, image.Height, image.Bands, image.WriteToMemory<float>());
            throw new SourceFileException(fileName, "", $"its pixels are stored as {image.Format}", "Save it with 8 or 16 bits a channel, or as 32-bit floating point");
        }
        catch (VipsException e)
        {
            throw new SourceFileException(fileName, "", "it is not a picture that can be read, or it is cut", "Save it again as PNG", e);
        }
    }

    /// <summary>Refuses sizes no texture has, before anything is allocated for them.</summary>
    /// <exception cref="SourceFileException">A side is smaller than 1 px or larger than <see cref="LargestSide"/>.</exception>
    internal static void CheckSize(string fileName, long width, long height)
    {
        if (width < 1 || height < 1)
            throw new SourceFileException(fileName, "", $"it is {width} × {height} px", "Save it again");
        if (width > LargestSide || height > LargestSide)
            throw new SourceFileException(fileName, "", $"it is {width} × {height} px, the largest side that is read is {LargestSide} px", "Scale it down");
    }

    /// <summary>A small 8-bit PNG of a picture file.</summary>
    /// <param name="bytes">The file.</param>
    /// <param name="fileName">Name for messages.</param>
    /// <param name="side">Longest side, pixels.</param>
    /// <exception cref="SourceFileException">It is no picture.</exception>
    public static byte[] Thumbnail(byte[] bytes, string fileName, int side)
    {
        // What the library does not read is decoded here first; floats are shown up to 1.
        if (ExrReader.IsExr(bytes) || bytes.AsSpan().StartsWith("#?"u8) || fileName.EndsWith(".tga", StringComparison.OrdinalIgnoreCase) || TgaReader.LooksLike(bytes))
            bytes = WritePng(Shown(Read(bytes, fileName)), 1);
        try
        {
            using var image = Image.ThumbnailBuffer(bytes, side, height: side, size: Enums.Size.Down);
            using var narrow = image.Format == Enums.BandFormat.Ushort ? image.Colourspace(image.Bands < 3 ? Enums.Interpretation.Bw : Enums.Interpretation.Srgb) : image.Copy();
            return narrow.PngsaveBuffer(compression: 4);
        }
        catch (VipsException e)
        {
            throw new SourceFileException(fileName, "", "it is not a picture that can be read, or it is cut", "Save it again as PNG", e);
        }
    }

    private static Bitmap Shown(Bitmap picture)
    {
        if (picture is not Bitmap32 real)
            return picture;
        bool alpha = real.Channels is 2 or 4;
        return new Bitmap8(real.Width, real.Height, real.Channels, [.. real.Pixels.Select((value, i) =>
            (byte)(Math.Clamp(alpha && i % real.Channels == real.Channels - 1 ? value : Srgb.FromLinear(Math.Clamp(float.IsNaN(value) ? 0 : value, 0, 1)), 0, 1) * 255 + 0.5f))]);
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

    /// <summary>The bytes of a floating-point TIFF file.</summary>
    /// <param name="bitmap">What to write.</param>
    public static byte[] WriteTiff(Bitmap32 bitmap)
    {
        using var image = Image.NewFromMemory(bitmap.Pixels, bitmap.Width, bitmap.Height, bitmap.Channels, Enums.BandFormat.Float);
        return image.TiffsaveBuffer(compression: Enums.ForeignTiffCompression.Deflate);
    }
}
