using System.Buffers.Binary;
using System.IO.Compression;
using System.Runtime.CompilerServices;
using System.Runtime.InteropServices;
using System.Text.Json;
using Crumpet.Core.Checking;

namespace Crumpet.Core.Imaging;

/// <summary>One level of a pyramid.</summary>
/// <param name="Width">Texels.</param>
/// <param name="Height">Texels.</param>
/// <param name="Offsets">Where each tile begins in the file, row by row, and last where the level ends.</param>
public sealed record TileLevel(int Width, int Height, IReadOnlyList<long> Offsets)
{
    /// <summary>Tiles in a row.</summary>
    public int Across => (Width + TilePyramid.TileSide - 1) / TilePyramid.TileSide;

    /// <summary>Rows of tiles.</summary>
    public int Down => (Height + TilePyramid.TileSide - 1) / TilePyramid.TileSide;
}

/// <summary>What a pyramid holds.</summary>
/// <param name="Channels">1 to 4.</param>
/// <param name="Bits">8, 16, or 32 for floating point.</param>
/// <param name="Levels">Full size first, each further one half as large, down to one tile.</param>
/// <param name="Statistics">Spread of the values at full size.</param>
public sealed record TileIndex(int Channels, int Bits, IReadOnlyList<TileLevel> Levels, PictureStatistics Statistics);

/// <summary>
/// A picture cut into tiles at every power of two, for viewers that show pictures far larger than the screen. Each tile is its rows of
/// raw little-endian values at the picture's own depth, as gzip, so that a browser can take it as it is; 8-bit values are compressed,
/// wider ones, whose low bits are noise that costs much time for little gain, only wrapped.
/// </summary>
/// <remarks>File: the tiles, then the index as JSON, then the JSON's length in four bytes and "CTP1".</remarks>
public static class TilePyramid
{
    /// <summary>Side of a tile, texels; tiles at the right and bottom may be smaller.</summary>
    public const int TileSide = 256;

    private static ReadOnlySpan<byte> Magic => "CTP1"u8;

    /// <summary>Writes the pyramid of a picture.</summary>
    /// <param name="picture">The picture.</param>
    /// <param name="srgb">Whether its colours carry the sRGB transfer and are therefore averaged in linear light; alpha never is.</param>
    /// <param name="to">Where to write; at its start.</param>
    /// <param name="threads">Threads to use, at least 1; the bytes do not depend on it.</param>
    /// <param name="progress">Told after each row of tiles.</param>
    /// <param name="cancel">Ends the work early.</param>
    public static TileIndex Write(Bitmap picture, bool srgb, Stream to, int threads, IProgress<Progress>? progress, CancellationToken cancel)
    {
        var levels = picture switch
        {
            Bitmap8 b => srgb ? Levels<byte, SrgbByte, PlainByte>(b.Pixels, b, to, threads, progress, cancel)
                : Levels<byte, PlainByte, PlainByte>(b.Pixels, b, to, threads, progress, cancel),
            Bitmap16 b => srgb ? Levels<ushort, SrgbWord, PlainWord>(b.Pixels, b, to, threads, progress, cancel)
                : Levels<ushort, PlainWord, PlainWord>(b.Pixels, b, to, threads, progress, cancel),
            Bitmap32 b => Levels<float, PlainFloat, PlainFloat>(b.Pixels, b, to, threads, progress, cancel),
            _ => throw new ArgumentException("There is no such bitmap.", nameof(picture)),
        };
        progress?.Report(new Progress(0.8, "counting values"));
        var index = new TileIndex(picture.Channels, picture.Bits, levels, PictureStatistics.Of(picture, threads, cancel));
        byte[] json = JsonSerializer.SerializeToUtf8Bytes(index, FiniteNumbers.Web);
        to.Write(json);
        Span<byte> tail = stackalloc byte[8];
        BinaryPrimitives.WriteInt32LittleEndian(tail, json.Length);
        Magic.CopyTo(tail[4..]);
        to.Write(tail);
        return index;
    }

    /// <summary>Reads the index of a pyramid.</summary>
    /// <param name="file">A file that <see cref="Write"/> made; seekable.</param>
    /// <returns>The index, or null where the file is no whole pyramid.</returns>
    public static TileIndex? ReadIndex(Stream file)
    {
        if (file.Length < 8)
            return null;
        Span<byte> tail = stackalloc byte[8];
        file.Seek(-8, SeekOrigin.End);
        file.ReadExactly(tail);
        int length = BinaryPrimitives.ReadInt32LittleEndian(tail);
        if (!tail[4..].SequenceEqual(Magic) || length <= 0 || length > file.Length - 8)
            return null;
        var json = new byte[length];
        file.Seek(-8 - length, SeekOrigin.End);
        file.ReadExactly(json);
        return JsonSerializer.Deserialize<TileIndex>(json, JsonSerializerOptions.Web);
    }

    private interface IAverage<T>
    {
        /// <summary>Mean of four values of one channel.</summary>
        static abstract T Of(T a, T b, T c, T d);
    }

    private readonly struct PlainByte : IAverage<byte>
    {
        public static byte Of(byte a, byte b, byte c, byte d) => (byte)((a + b + c + d + 2) >> 2);
    }

    private readonly struct PlainWord : IAverage<ushort>
    {
        public static ushort Of(ushort a, ushort b, ushort c, ushort d) => (ushort)((a + b + c + d + 2) >> 2);
    }

    private readonly struct PlainFloat : IAverage<float>
    {
        public static float Of(float a, float b, float c, float d) => (a + b + c + d) / 4;
    }

    private readonly struct SrgbByte : IAverage<byte>
    {
        // Fine enough that every 8-bit value comes back as itself.
        private static readonly byte[] Encoded = [.. Enumerable.Range(0, 65536).Select(i => (byte)(Srgb.FromLinear(i / 65535f) * 255 + 0.5f))];

        public static byte Of(byte a, byte b, byte c, byte d) =>
            Encoded[(int)((Srgb.ToLinear(a) + Srgb.ToLinear(b) + Srgb.ToLinear(c) + Srgb.ToLinear(d)) * (65535f / 4) + 0.5f)];
    }

    private readonly struct SrgbWord : IAverage<ushort>
    {
        public static ushort Of(ushort a, ushort b, ushort c, ushort d) =>
            (ushort)(Srgb.FromLinear((Linear(a) + Linear(b) + Linear(c) + Linear(d)) / 4) * 65535 + 0.5f);

        private static float Linear(ushort value) => Srgb.ToLinear(value / 65535f);
    }

    private static List<TileLevel> Levels<T, TColour, TAlpha>(T[] pixels, Bitmap picture, Stream to, int threads, IProgress<Progress>? progress,
        CancellationToken cancel)
        where T : unmanaged
        where TColour : struct, IAverage<T>
        where TAlpha : struct, IAverage<T>
    {
        var options = new ParallelOptions { MaxDegreeOfParallelism = threads, CancellationToken = cancel };
        var levels = new List<TileLevel>();
        int width = picture.Width, height = picture.Height, channels = picture.Channels;
        while (true)
        {
            var level = new TileLevel(width, height, []);
            var offsets = new long[level.Across * level.Down + 1];
            var row = new byte[level.Across][];
            for (int y = 0; y < level.Down; y++)
            {
                T[] current = pixels;
                Parallel.For(0, level.Across, options, x => row[x] = Tile(current, width, height, channels, x, y));
                // Each level has a quarter of the texels of the one before.
                progress?.Report(new Progress(0.8 * (1 - Math.Pow(0.25, levels.Count) * (1 - 0.75 * y / level.Down)), "cutting into tiles"));
                for (int x = 0; x < row.Length; x++)
                {
                    offsets[y * level.Across + x] = to.Position;
                    to.Write(row[x]);
                }
            }
            offsets[^1] = to.Position;
            levels.Add(level with { Offsets = offsets });
            if (width <= TileSide && height <= TileSide)
                return levels;
            pixels = Halve<T, TColour, TAlpha>(pixels, width, height, channels, options);
            (width, height) = ((width + 1) / 2, (height + 1) / 2);
        }
    }

    private static byte[] Tile<T>(T[] pixels, int width, int height, int channels, int x, int y)
        where T : unmanaged
    {
        int left = x * TileSide, top = y * TileSide, across = Math.Min(TileSide, width - left), down = Math.Min(TileSide, height - top);
        using var packed = new MemoryStream();
        using (var zip = new GZipStream(packed, Unsafe.SizeOf<T>() == 1 ? CompressionLevel.Fastest : CompressionLevel.NoCompression, leaveOpen: true))
        {
            for (int row = top; row < top + down; row++)
                zip.Write(MemoryMarshal.AsBytes(pixels.AsSpan((row * width + left) * channels, across * channels)));
        }
        return packed.ToArray();
    }

    private static T[] Halve<T, TColour, TAlpha>(T[] pixels, int width, int height, int channels, ParallelOptions options)
        where T : unmanaged
        where TColour : struct, IAverage<T>
        where TAlpha : struct, IAverage<T>
    {
        int newWidth = (width + 1) / 2, newHeight = (height + 1) / 2;
        var half = new T[newWidth * newHeight * channels];
        bool hasAlpha = channels is 2 or 4;
        Parallel.For(0, newHeight, options, y =>
        {
            int upper = 2 * y * width, lower = Math.Min(2 * y + 1, height - 1) * width;
            for (int x = 0; x < newWidth; x++)
            {
                int left = 2 * x, right = Math.Min(left + 1, width - 1), to = (y * newWidth + x) * channels;
                for (int c = 0; c < channels; c++)
                {
                    T a = pixels[(upper + left) * channels + c], b = pixels[(upper + right) * channels + c], d = pixels[(lower + left) * channels + c],
                        e = pixels[(lower + right) * channels + c];
                    half[to + c] = hasAlpha && c == channels - 1 ? TAlpha.Of(a, b, d, e) : TColour.Of(a, b, d, e);
                }
            }
        });
        return half;
    }
}
