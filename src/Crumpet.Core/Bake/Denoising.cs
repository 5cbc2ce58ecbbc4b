using System.Numerics;
using System.Runtime.InteropServices;
using Crumpet.Core.Geometry;
using ZstdSharp;

namespace Crumpet.Core.Bake;

/// <summary>Smooths the noise of light rays where neither the surface nor the light has an edge.</summary>
/// <remarks>Source: H. Dammertz et al., "Edge-avoiding À-trous wavelet transform for fast global illumination filtering", HPG 2010.</remarks>
internal static class Denoising
{
    private const int Passes = 3;
    private const int Side = SampleRaster.TileSide;
    private static readonly (int X, int Y)[] Neighbours = [(1, 0), (-1, 0), (0, 1), (0, -1)];
    private static readonly float[] Kernel = [1 / 16f, 1 / 4f, 3 / 8f, 1 / 4f, 1 / 16f];

    /// <summary>A direction in 32 bits.</summary>
    public static uint Packed(Vector3 direction)
    {
        var (x, y) = OctahedralNormal.Encode(direction);
        return ((uint)(ushort)x << 16) | (ushort)y;
    }

    /// <summary>A part's map, smoothed over the borders of its tiles.</summary>
    public static byte[][] Smooth(BakeMap map, CoverTile[] cover, byte[][] blocks, PartBake.Guides[] guides, int size, BakeSettings settings,
        float range, Action<double> done, int threads, CancellationToken cancel)
    {
        bool isFloat = PartMap.HoldsFloats(map);
        var grid = new Grid(cover, size);
        TileLoop.Run(cover.Length, () => new Scratch(), (i, scratch) =>
        {
            int count = cover[i].Texels.Length;
            if (isFloat)
                PieceFile.Unpack(scratch.Decompressor, blocks[i], MemoryMarshal.AsBytes(scratch.Floats.AsSpan(0, count)));
            else
                PieceFile.Unpack(scratch.Decompressor, blocks[i], MemoryMarshal.AsBytes(scratch.Shares.AsSpan(0, count)));
            for (int k = 0; k < count; k++)
                grid.Set(cover[i], k, isFloat ? scratch.Floats[k] / range : scratch.Shares[k] / 65535f, guides[i]);
        }, threads, cancel);
        // Less than a few times the noise is noise.
        float noise = 3 * MathF.Sqrt(0.25f / Math.Max(4,
            settings.RaysBaked(map.RayKind == MapNeeds.Thickness ? settings.ThicknessRays : settings.OcclusionRays)));
        for (int pass = 0; pass < Passes; pass++)
        {
            int before = pass;
            grid.Filter(1 << pass, noise / (1 << pass), share => done((before + share) / Passes), threads, cancel);
        }
        var smooth = new byte[blocks.Length][];
        TileLoop.Run(cover.Length, () => new Scratch(), (i, scratch) =>
        {
            int count = cover[i].Texels.Length;
            for (int k = 0; k < count; k++)
                scratch.Floats[k] = grid.Get(cover[i], k) * (isFloat ? range : 1);
            smooth[i] = PartBake.PackBlock(map, scratch.Floats.AsSpan(0, count), scratch.Shares, scratch.Compressor);
        }, threads, cancel);
        return smooth;
    }

    /// <summary>Arrays one thread fills again and again.</summary>
    private sealed class Scratch : IDisposable
    {
        public readonly ushort[] Shares = new ushort[Side * Side];
        public readonly float[] Floats = new float[Side * Side];
        public readonly Decompressor Decompressor = new();
        public readonly Compressor Compressor = PieceFile.Compressor();

        public void Dispose()
        {
            Decompressor.Dispose();
            Compressor.Dispose();
        }
    }

    /// <summary>The part's texels as a picture of their bounds.</summary>
    private sealed class Grid
    {
        private readonly int across, left, top, width, height;
        private readonly uint[] normals;
        private readonly Vector3[] places;
        private readonly bool[] inside;
        private float[] values, next;

        public Grid(CoverTile[] cover, int size)
        {
            across = (size + Side - 1) / Side;
            left = cover.Length == 0 ? 0 : cover.Min(t => t.Tile % across) * Side;
            top = cover.Length == 0 ? 0 : cover.Min(t => t.Tile / across) * Side;
            width = cover.Length == 0 ? 0 : cover.Max(t => t.Tile % across) * Side + Side - left;
            height = cover.Length == 0 ? 0 : cover.Max(t => t.Tile / across) * Side + Side - top;
            values = new float[width * height];
            next = new float[values.Length];
            normals = new uint[values.Length];
            places = new Vector3[values.Length];
            inside = new bool[values.Length];
        }

        private int At(CoverTile tile, int k) =>
            (tile.Tile / across * Side - top + tile.Texels[k] / Side) * width + tile.Tile % across * Side - left + tile.Texels[k] % Side;

        public void Set(CoverTile tile, int k, float value, PartBake.Guides guides)
        {
            int at = At(tile, k);
            (values[at], normals[at], places[at], inside[at]) = (value, guides.Normals[k], guides.Places[k], tile.Hits[k] > 0);
        }

        public float Get(CoverTile tile, int k) => values[At(tile, k)];

        public void Filter(int step, float noise, Action<double> done, int threads, CancellationToken cancel)
        {
            int rows = 0;
            Parallel.For(0, height, new ParallelOptions { MaxDegreeOfParallelism = threads, CancellationToken = cancel }, y =>
            {
                for (int x = 0; x < width; x++)
                {
                    int at = y * width + x;
                    if (inside[at])
                        next[at] = Filtered(x, y, step, noise);
                }
                done((double)Interlocked.Increment(ref rows) / height);
            });
            (values, next) = (next, values);
        }

        private float Filtered(int x, int y, int step, float noise)
        {
            int at = y * width + x;
            var normal = Normal(at);
            float sum = 0, weights = 0;
            // Texels of another island, or beyond a step of the surface, lie much farther away than texels are apart.
            float apart = Spacing(x, y) * step * 3;
            for (int dy = -2; dy <= 2; dy++)
            {
                int v = y + dy * step;
                if (v < 0 || v >= height)
                    continue;
                for (int dx = -2; dx <= 2; dx++)
                {
                    int u = x + dx * step, other = v * width + u;
                    if (u < 0 || u >= width || !inside[other])
                        continue;
                    float along = Vector3.Dot(normal, Normal(other)), off = (values[other] - values[at]) / noise;
                    if (along < 0.9f || Vector3.DistanceSquared(places[other], places[at]) > apart * apart)
                        continue;
                    float weight = Kernel[dx + 2] * Kernel[dy + 2] * ToThe32nd(along) * MathF.Exp(-off * off);
                    sum += weight * values[other];
                    weights += weight;
                }
            }
            return weights > 0 ? sum / weights : values[at];
        }

        private static float ToThe32nd(float x)
        {
            for (int i = 0; i < 5; i++)
                x *= x;
            return x;
        }

        /// <summary>Distance of the nearest neighbouring texel on the surface.</summary>
        private float Spacing(int x, int y)
        {
            int at = y * width + x;
            float nearest = float.PositiveInfinity;
            foreach (var (dx, dy) in Neighbours)
            {
                int u = x + dx, v = y + dy;
                if (u >= 0 && u < width && v >= 0 && v < height && inside[v * width + u])
                    nearest = MathF.Min(nearest, Vector3.Distance(places[at], places[v * width + u]));
            }
            return float.IsInfinity(nearest) ? 0 : nearest;
        }

        private Vector3 Normal(int at) => OctahedralNormal.Decode((short)(normals[at] >> 16), (short)normals[at]);
    }
}
