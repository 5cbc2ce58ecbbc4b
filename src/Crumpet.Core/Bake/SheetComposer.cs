using System.Runtime.InteropServices;
using Crumpet.Core.Geometry;
using Crumpet.Core.Imaging;
using ZstdSharp;

namespace Crumpet.Core.Bake;

/// <summary>A part's share of a sheet.</summary>
/// <param name="Name">Name of the part.</param>
/// <param name="Cover">What it covers.</param>
/// <param name="Maps">Its maps.</param>
internal sealed record SheetPiece(string Name, PartCover Cover, IReadOnlyDictionary<BakeMap, PartMap> Maps);

/// <summary>
/// Puts the pieces of parts together into sheets. Texels at the border of two islands share their samples; where more samples meet than
/// a texel has, islands overlap, and the first part's count.
/// </summary>
internal sealed class SheetComposer
{
    private const int Side = SampleRaster.TileSide;
    private readonly IReadOnlyList<SheetPiece> pieces;
    private readonly BakeSettings settings;
    private readonly int size;
    private readonly int across;
    private readonly int samplesInTexel;
    private readonly int threads;
    private readonly CancellationToken cancel;
    private readonly List<(int Piece, int Place)>[] tiles;

    public SheetComposer(IReadOnlyList<SheetPiece> pieces, BakeSettings settings, int size, int threads, CancellationToken cancel)
    {
        this.pieces = pieces;
        this.settings = settings;
        this.size = size;
        this.threads = threads;
        this.cancel = cancel;
        across = (size + Side - 1) / Side;
        samplesInTexel = settings.SamplesBaked * settings.SamplesBaked;
        tiles = new List<(int, int)>[across * across];
        for (int p = 0; p < pieces.Count; p++)
            for (int i = 0; i < pieces[p].Cover.Tiles.Length; i++)
                (tiles[pieces[p].Cover.Tiles[i].Tile] ??= []).Add((p, i));
        Covered = new bool[size * size];
        Faulty = new Bitmap8(size, size, 3);
    }

    /// <summary>Texels some low triangle covers.</summary>
    public bool[] Covered { get; }

    /// <summary>Where what is wrong.</summary>
    public Bitmap8 Faulty { get; }

    private sealed class Scratch : IDisposable
    {
        public readonly byte[] Taken = new byte[Side * Side];
        public readonly ushort[] Weight = new ushort[Side * Side];
        public readonly byte[] Parts = new byte[Side * Side];
        public readonly float[] Sums = new float[Side * Side * 3];
        public readonly float[] Floats = new float[Side * Side * 3];
        public readonly ushort[] Shares = new ushort[Side * Side * 3];
        public readonly Decompressor Decompressor = new();

        public void Dispose() => Decompressor.Dispose();
    }

    private void ForEachTile(Action<int, Scratch> work, Action<double>? done = null)
    {
        int count = 0;
        TileLoop.Run(tiles.Length, () => new Scratch(), (tile, scratch) =>
        {
            work(tile, scratch);
            done?.Invoke((double)Interlocked.Increment(ref count) / tiles.Length);
        }, threads, cancel);
    }

    /// <summary>Covers the sheet, draws what is wrong, and finds parts that overlap each other.</summary>
    /// <returns>A region for each two parts.</returns>
    public IReadOnlyList<FaultRegion> Cover()
    {
        var overlaps = new SortedDictionary<(int One, int Two), (int Texels, int X0, int Y0, int X1, int Y1)>();
        ForEachTile((tile, scratch) =>
        {
            int left = tile % across * Side, top = tile / across * Side;
            for (int local = 0; local < Side * Side; local++)
            {
                if (left + local % Side < size && top + local / Side < size)
                    Draw(left + local % Side, top + local / Side, FaultPicture.Empty);
            }
            Array.Clear(scratch.Taken);
            var owners = new int[tiles[tile] is null ? 0 : Side * Side];
            foreach (var (piece, place) in tiles[tile] ?? [])
            {
                var cover = pieces[piece].Cover.Tiles[place];
                for (int k = 0; k < cover.Texels.Length; k++)
                {
                    int local = cover.Texels[k], x = left + local % Side, y = top + local / Side;
                    if (IsOverlap(scratch.Taken[local], cover.Samples[k]))
                    {
                        Draw(x, y, FaultPicture.ColourOf(FaultKind.Overlap));
                        lock (overlaps)
                        {
                            var key = (owners[local], piece);
                            var now = overlaps.TryGetValue(key, out var known) ? known : (0, x, y, x, y);
                            overlaps[key] = (now.Item1 + 1, Math.Min(now.Item2, x), Math.Min(now.Item3, y), Math.Max(now.Item4, x), Math.Max(now.Item5, y));
                        }
                        continue;
                    }
                    if (scratch.Taken[local] == 0)
                        owners[local] = piece;
                    scratch.Taken[local] += cover.Samples[k];
                    Covered[y * size + x] = true;
                    Draw(x, y, FaultPicture.ColourOf((FaultKind)cover.Faults[k]));
                }
            }
        });
        return [.. overlaps.Select(o => new FaultRegion(
            FaultKind.Overlap, pieces[o.Key.Two].Name, pieces[o.Key.One].Name, o.Value.Texels, o.Value.X0, o.Value.Y0, o.Value.X1 - o.Value.X0 + 1,
                o.Value.Y1 - o.Value.Y0 + 1))];
    }

    private bool IsOverlap(byte taken, byte samples) => taken > 0 && taken + samples > samplesInTexel;

    private void Draw(int x, int y, (byte R, byte G, byte B) colour)
    {
        int at = 3 * (y * size + x);
        (Faulty.Pixels[at], Faulty.Pixels[at + 1], Faulty.Pixels[at + 2]) = colour;
    }

    /// <summary>One map of the whole sheet, without padding.</summary>
    /// <param name="map">Which.</param>
    /// <param name="bounds">Bounds positions are measured in.</param>
    /// <param name="green">Direction of green, for vectors in tangent space.</param>
    /// <param name="done">Told the share that is done, 0 to 1.</param>
    /// <param name="legend">What colours stand for, for an ID map; otherwise empty.</param>
    public SheetMap Compose(BakeMap map, Bounds bounds, GreenDirection green, Action<double> done, out IReadOnlyList<LegendRow> legend)
    {
        string[] labels = [.. pieces.SelectMany(p => p.Maps[map].Labels).Distinct().Order(StringComparer.Ordinal)];
        var colours = IdLabels.Colours(labels.Length);
        var numbers = labels.Select((l, i) => (l, i)).ToDictionary(p => p.l, p => p.i, StringComparer.Ordinal);
        int[][] renumbered = [.. pieces.Select(p => p.Maps[map].Labels.Select(l => numbers[l]).ToArray())];
        var counts = new Dictionary<int, int>();
        var result = new SheetMap(map, settings, size, bounds, colours, green);
        float[] background = map.Values == MapValues.Position && !bounds.IsEmpty ? [bounds.Min.X, bounds.Min.Y, bounds.Min.Z] : map.Background;
        int kept = map.Kept;
        ForEachTile((tile, scratch) =>
        {
            int left = tile % across * Side, top = tile / across * Side;
            Gather(map, tile, scratch, renumbered);
            var found = map.Values == MapValues.Label ? new Dictionary<int, int>() : null;
            for (int local = 0; local < Side * Side; local++)
            {
                int x = left + local % Side, y = top + local / Side;
                if (x >= size || y >= size)
                    continue;
                var values = scratch.Weight[local] == 0 ? background : scratch.Sums.AsSpan(local * kept, kept);
                if (found is not null && values[0] >= 0)
                    found[(int)values[0]] = found.GetValueOrDefault((int)values[0]) + 1;
                result.Set(x, y, values, Math.Min(1, (float)scratch.Taken[local] / samplesInTexel));
            }
            if (found is null)
                return;
            lock (counts)
            {
                foreach (var (label, texels) in found)
                    counts[label] = counts.GetValueOrDefault(label) + texels;
            }
        }, done);
        legend = [.. counts.OrderByDescending(c => c.Value).ThenBy(c => c.Key).Select(c => labels.Length > 0
            ? new LegendRow(labels[c.Key], $"#{colours[c.Key].R:x2}{colours[c.Key].G:x2}{colours[c.Key].B:x2}", c.Value)
            : new LegendRow($"#{c.Key:x6}", $"#{c.Key:x6}", c.Value))];
        return result;
    }

    /// <summary>Fills the scratch with the means of a tile's texels.</summary>
    private void Gather(BakeMap map, int tile, Scratch scratch, int[][] renumbered)
    {
        int kept = map.Kept;
        bool isLabel = map.Values == MapValues.Label;
        bool countsMisses = map.CountsMisses(settings);
        Array.Clear(scratch.Taken);
        Array.Clear(scratch.Weight);
        Array.Clear(scratch.Parts);
        Array.Clear(scratch.Sums);
        foreach (var (piece, place) in tiles[tile] ?? [])
        {
            var cover = pieces[piece].Cover.Tiles[place];
            var values = Values(map, pieces[piece].Maps[map].Blocks[place], cover.Texels.Length, scratch);
            for (int k = 0; k < cover.Texels.Length; k++)
            {
                int local = cover.Texels[k];
                if (IsOverlap(scratch.Taken[local], cover.Samples[k]))
                    continue;
                scratch.Taken[local] += cover.Samples[k];
                // The opacity of nothing is 0, and counts.
                int weight = countsMisses ? cover.Samples[k] : cover.Hits[k];
                if (weight == 0 || (isLabel && scratch.Weight[local] >= weight))
                    continue;
                if (isLabel)
                    scratch.Sums[local] = values[k] >= 0 && renumbered[piece].Length > 0 ? renumbered[piece][(int)values[k]] : values[k];
                else
                    for (int c = 0; c < kept; c++)
                        scratch.Sums[local * kept + c] += values[k * kept + c] * weight;
                scratch.Weight[local] = (ushort)(isLabel ? weight : scratch.Weight[local] + weight);
                scratch.Parts[local]++;
            }
        }
        if (isLabel)
            return;
        for (int local = 0; local < Side * Side; local++)
        {
            if (scratch.Weight[local] == 0)
                continue;
            var sum = scratch.Sums.AsSpan(local * kept, kept);
            for (int c = 0; c < kept; c++)
                sum[c] /= scratch.Weight[local];
            // Only a mean of two parts' normals has lost its length.
            if (map.Values == MapValues.Vector && scratch.Parts[local] > 1)
            {
                float length = MathF.Sqrt(sum[0] * sum[0] + sum[1] * sum[1] + sum[2] * sum[2]);
                for (int c = 0; c < kept; c++)
                    sum[c] = length > 0 ? sum[c] / length : c == 2 ? 1 : 0;
            }
        }
    }

    /// <summary>A block's values in the map's units; colours stay encoded shares.</summary>
    private static ReadOnlySpan<float> Values(BakeMap map, byte[] block, int texels, Scratch scratch)
    {
        int count = texels * map.Kept;
        if (PartMap.HoldsFloats(map))
        {
            PieceFile.Unpack(scratch.Decompressor, block, MemoryMarshal.AsBytes(scratch.Floats.AsSpan(0, count)));
            return scratch.Floats.AsSpan(0, count);
        }
        PieceFile.Unpack(scratch.Decompressor, block, MemoryMarshal.AsBytes(scratch.Shares.AsSpan(0, count)));
        bool isVector = map.Values == MapValues.Vector;
        for (int i = 0; i < count; i++)
            scratch.Floats[i] = isVector ? scratch.Shares[i] / 65535f * 2 - 1 : scratch.Shares[i] / 65535f;
        return scratch.Floats.AsSpan(0, count);
    }
}
