using System.Runtime.InteropServices;
using System.Runtime.Intrinsics;
using Crumpet.Core.Imaging.Blocks;
using F = System.Runtime.Intrinsics.Vector512<float>;
using V = System.Runtime.Intrinsics.Vector512;

namespace Crumpet.Core.Imaging;

/// <summary>Encodes and decodes whole levels. Blocks beyond an edge repeat its last texels.</summary>
public static class BlockCodec
{
    // Runs of sixteen blocks between two looks at whether anybody still waits.
    private const int RunsATask = 8;

    /// <summary>Encodes a level. The result depends neither on <paramref name="threads"/> nor on the width of the machine's vectors.</summary>
    /// <param name="level">Four channels; of 32 bits, numbers of the format's range.</param>
    /// <param name="format">Any format.</param>
    /// <param name="settings">Effort and weights; null for the usual.</param>
    /// <param name="threads">Threads to use, at least 1.</param>
    /// <param name="cancel">Ends the work early.</param>
    public static byte[] Encode(Bitmap level, TextureFormat format, EncodeSettings? settings = null, int threads = 1, CancellationToken cancel = default) =>
        Encode([level], format, settings ?? EncodeSettings.Default, threads, null, cancel)[0];

    /// <summary>Encodes a chain of levels, all of them at once.</summary>
    /// <param name="levels">Four channels each.</param>
    /// <param name="format">Any format.</param>
    /// <param name="settings">Effort and weights.</param>
    /// <param name="threads">Threads to use, at least 1.</param>
    /// <param name="progress">Told the share that is done.</param>
    /// <param name="cancel">Ends the work early.</param>
    public static byte[][] Encode(IReadOnlyList<Bitmap> levels, TextureFormat format, EncodeSettings settings, int threads, IProgress<Progress>? progress,
        CancellationToken cancel)
    {
        foreach (var level in levels)
            ArgumentOutOfRangeException.ThrowIfNotEqual(level.Channels, 4, nameof(levels));
        byte[][] results = [.. levels.Select(l => new byte[format.LevelBytes(l.Width, l.Height)])];
        if (format.Encoder is not { } encoder)
        {
            for (int i = 0; i < levels.Count; i++)
                Store(levels[i], format, results[i], threads, cancel);
            return results;
        }
        // Large levels first, each in pieces of a few runs: threads have work until the end.
        var pieces = new List<(int Level, int Run)>();
        for (int i = 0; i < levels.Count; i++)
            for (int run = 0; run < Runs(results[i], format); run += RunsATask)
                pieces.Add((i, run));
        int done = 0;
        Parallel.For(
            0, pieces.Count, new ParallelOptions { MaxDegreeOfParallelism = threads, CancellationToken = cancel },
            () => new Worker(encoder(settings), format),
            (piece, _, worker) =>
            {
                var (level, first) = pieces[piece];
                for (int run = first; run < Math.Min(first + RunsATask, Runs(results[level], format)); run++)
                    worker.Work(levels[level], run, results[level]);
                int now = Interlocked.Increment(ref done);
                if (now % 64 == 0)
                    progress?.Report(new Progress((double)now / pieces.Count, $"compressing {levels[0].Width} × {levels[0].Height} px to {format.Label}"));
                return worker;
            },
            _ => { });
        return results;
    }

    /// <summary>
    /// Decodes a level to bytes; channels the format lacks are 0, alpha 255. Of signed formats −1 to 1 gives 0 to 255, of high range 0 to 1 does.
    /// </summary>
    /// <param name="data">Exactly one level of one side.</param>
    /// <param name="width">Texels.</param>
    /// <param name="height">Texels.</param>
    /// <param name="format">Format of <paramref name="data"/>.</param>
    public static Bitmap8 Decode(ReadOnlyMemory<byte> data, int width, int height, TextureFormat format)
    {
        if (format.Decode is { } decode)
        {
            // Every texel is written.
            var result = new Bitmap8(width, height, 4, GC.AllocateUninitializedArray<byte>(checked(4 * width * height)));
            if (format is { BlockWidth: 4, BlockHeight: 4 })
                EachRow(data, width, height, format, result.Pixels, (blocks, pixels) => BlockRows.DecodeFours(blocks, pixels, width, decode));
            else
                EachRow(data, width, height, format, result.Pixels, (blocks, pixels) => BlockRows.Decode(blocks, pixels, width, format, decode));
            return result;
        }
        return ToBytes(DecodeValues(data, width, height, format), format.Range == TexelRange.SignedUnit);
    }

    // What is no number is 0.
    private static Bitmap8 ToBytes(Bitmap32 values, bool signed)
    {
        var bytes = new Bitmap8(values.Width, values.Height, 4, GC.AllocateUninitializedArray<byte>(values.Pixels.Length));
        Vector128<float> scale = Vector128.Create(signed ? 0.5f : 1), offset = Vector128.Create(signed ? 0.5f : 0);
        (scale, offset) = (scale.WithElement(3, 1), offset.WithElement(3, 0));
        Parallel.For(0, values.Height, y =>
        {
            Span<float> from = values.Pixels.AsSpan(4 * y * values.Width, 4 * values.Width);
            var to = MemoryMarshal.Cast<byte, uint>(bytes.Pixels.AsSpan(4 * y * values.Width, 4 * values.Width));
            for (int x = 0; x < to.Length; x++)
            {
                var value = Vector128.Create<float>(from[(4 * x)..]);
                value = value * scale + offset;
                value = Vector128.Min(Vector128.Max(value & Vector128.IsFinite(value), Vector128<float>.Zero), Vector128<float>.One);
                var whole = Vector128.ConvertToInt32Native(value * 255f + Vector128.Create(0.5f)).AsUInt32();
                to[x] = whole[0] | whole[1] << 8 | whole[2] << 16 | whole[3] << 24;
            }
        });
        return bytes;
    }

    /// <summary>Decodes a level to numbers of the format's range.</summary>
    /// <param name="data">Exactly one level of one side.</param>
    /// <param name="width">Texels.</param>
    /// <param name="height">Texels.</param>
    /// <param name="format">Format of <paramref name="data"/>.</param>
    public static Bitmap32 DecodeValues(ReadOnlyMemory<byte> data, int width, int height, TextureFormat format)
    {
        var result = new Bitmap32(width, height, 4);
        if (format.DecodeFine is { } decode)
        {
            EachRow(data, width, height, format, result.Pixels, (blocks, pixels) => BlockRows.Decode(blocks, pixels, width, format, decode));
            return result;
        }
        var bytes = Decode(data, width, height, format);
        for (int i = 0; i < bytes.Pixels.Length; i++)
            result.Pixels[i] = bytes.Pixels[i] / 255f;
        return result;
    }

    /// <summary>Decodes a level to bytes where they say all that the format holds, to numbers of its range otherwise.</summary>
    /// <param name="data">Exactly one level of one side.</param>
    /// <param name="width">Texels.</param>
    /// <param name="height">Texels.</param>
    /// <param name="format">Format of <paramref name="data"/>.</param>
    public static Bitmap DecodeAny(ReadOnlyMemory<byte> data, int width, int height, TextureFormat format) =>
        format.IsFine ? DecodeValues(data, width, height, format) : Decode(data, width, height, format);

    private delegate void RowWork<T>(ReadOnlySpan<byte> blocks, Span<T> pixels);

    private static void EachRow<T>(ReadOnlyMemory<byte> data, int width, int height, TextureFormat format, T[] pixels, RowWork<T> decode)
    {
        ArgumentOutOfRangeException.ThrowIfNotEqual(data.Length, format.LevelBytes(width, height), nameof(data));
        int down = (height + format.BlockHeight - 1) / format.BlockHeight, bytes = data.Length / down;
        Parallel.For(0, down, row =>
        {
            int top = row * format.BlockHeight, rows = Math.Min(format.BlockHeight, height - top);
            decode(data.Span.Slice(row * bytes, bytes), pixels.AsSpan(4 * top * width, 4 * rows * width));
        });
    }

    private static int Runs(byte[] level, TextureFormat format) => (level.Length / format.UnitBytes + Lanes.Count - 1) / Lanes.Count;

    private static void Store(Bitmap level, TextureFormat format, byte[] result, int threads, CancellationToken cancel) =>
        Parallel.For(0, level.Height, new ParallelOptions { MaxDegreeOfParallelism = threads, CancellationToken = cancel }, y =>
        {
            Span<float> texel = stackalloc float[4];
            var store = format.Store!;
            for (int x = 0; x < level.Width; x++)
            {
                for (int c = 0; c < 4; c++)
                    texel[c] = level.Unit(x, y, c);
                store(texel, result.AsSpan((y * level.Width + x) * format.UnitBytes));
            }
        });

    /// <summary>A thread's encoder with its room for sixteen blocks.</summary>
    private sealed class Worker(BlockEncoder encoder, TextureFormat format)
    {
        private readonly int texels = format.BlockWidth * format.BlockHeight;
        private readonly LaneBuffer planes = new(4 * format.BlockWidth * format.BlockHeight);
        private readonly uint[] gathered = new uint[format.BlockWidth * format.BlockHeight * Lanes.Count];
        private readonly byte[] blocks = new byte[Lanes.Count * format.UnitBytes];

        public void Work(Bitmap level, int run, byte[] result)
        {
            int across = (level.Width + format.BlockWidth - 1) / format.BlockWidth, count = result.Length / format.UnitBytes;
            for (int lane = 0; lane < Lanes.Count; lane++)
            {
                // The last run repeats its last block.
                int block = Math.Min(run * Lanes.Count + lane, count - 1), left = block % across * format.BlockWidth, top = block / across * format.BlockHeight;
                if (level is Bitmap8 bytes)
                    Gather(bytes, left, top, lane);
                else
                    Gather(level, left, top, lane);
            }
            if (level is Bitmap8)
                Spread();
            encoder.Encode(planes.Span, blocks);
            int start = run * Lanes.Count * format.UnitBytes;
            blocks.AsSpan(0, Math.Min(blocks.Length, result.Length - start)).CopyTo(result.AsSpan(start));
        }

        private void Gather(Bitmap8 level, int left, int top, int lane)
        {
            var pixels = MemoryMarshal.Cast<byte, uint>(level.Pixels.AsSpan());
            bool whole = left + format.BlockWidth <= level.Width;
            for (int y = 0, i = lane; y < format.BlockHeight; y++)
            {
                var row = pixels.Slice(Math.Min(top + y, level.Height - 1) * level.Width, level.Width);
                for (int x = 0; x < format.BlockWidth; x++, i += Lanes.Count)
                    gathered[i] = row[whole ? left + x : Math.Min(left + x, level.Width - 1)];
            }
        }

        // Bytes of a texel apart, as numbers.
        private void Spread()
        {
            var to = planes.Span;
            var scale = V.Create(format.Range is TexelRange.High or TexelRange.SignedHigh ? 1 / 255f : 1f);
            for (int i = 0; i < texels; i++)
            {
                var rgba = V.Create<uint>(gathered.AsSpan(i * Lanes.Count, Lanes.Count));
                var byteMask = V.Create(255u);
                for (int c = 0; c < 4; c++)
                    to[c * texels + i] = V.ConvertToSingle(V.AsInt32(V.ShiftRightLogical(rgba, 8 * c) & byteMask)) * scale;
            }
        }

        private void Gather(Bitmap level, int left, int top, int lane)
        {
            var to = MemoryMarshal.Cast<F, float>(planes.Span);
            float[]? numbers = (level as Bitmap32)?.Pixels;
            bool isHigh = format.Range is TexelRange.High or TexelRange.SignedHigh;
            for (int y = 0, i = 0; y < format.BlockHeight; y++)
            {
                for (int x = 0; x < format.BlockWidth; x++, i++)
                {
                    int column = Math.Min(left + x, level.Width - 1), row = Math.Min(top + y, level.Height - 1);
                    for (int c = 0; c < 4; c++)
                    {
                        float value = numbers is null ? level.Unit(column, row, c) : numbers[(row * level.Width + column) * 4 + c];
                        value = float.IsFinite(value) ? value : value > 0 ? float.MaxValue : 0;
                        to[(c * texels + i) * Lanes.Count + lane] = isHigh ? value : Math.Clamp(value, 0, 1) * 255;
                    }
                }
            }
        }
    }
}
