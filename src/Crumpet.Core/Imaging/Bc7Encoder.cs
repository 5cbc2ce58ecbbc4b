using System.Numerics;
using System.Runtime.Intrinsics;

namespace Crumpet.Core.Imaging;

/// <summary>
/// Encodes BC7 blocks: every block tries the modes that can help it (1, 3, 4, 5, 6 and, with alpha, 7), the two-subset ones
/// with the partitions whose two lines would leave the least error, and keeps the one with the least squared error.
/// </summary>
/// <remarks>
/// Source: Khronos Data Format Specification 1.3, "BPTC compressed texture image formats"; least-squares refinement after
/// S. Brown, "DXT compression techniques", 2006. One encoder serves one thread.
/// </remarks>
internal sealed class Bc7Encoder
{
    private const int PartitionsTried = 4;
    private const float GoodEnough = 10;
    private static readonly (byte First, byte Second)[] Solid = SolidTable();

    private readonly Vector4[] texels = new Vector4[16];
    private readonly Vector4[] turned = new Vector4[16];
    private readonly Vector4[] gathered = new Vector4[16];
    private readonly int[] places = new int[16];
    private readonly byte[] fitIndices = new byte[16];
    private readonly int[] partitions = new int[PartitionsTried];
    private readonly float[] partitionErrors = new float[PartitionsTried];
    private readonly Bc7Block trial = new();
    private readonly Bc7Block best = new();
    private bool opaque;

    /// <summary>Encodes 16 RGBA texels, row by row, into 16 bytes.</summary>
    public void Encode(ReadOnlySpan<byte> rgba, Span<byte> block)
    {
        opaque = true;
        bool solid = true;
        for (int i = 0; i < 16; i++)
        {
            texels[i] = new Vector4(rgba[4 * i], rgba[4 * i + 1], rgba[4 * i + 2], rgba[4 * i + 3]);
            opaque &= rgba[4 * i + 3] == 255;
            solid &= texels[i] == texels[0];
        }
        best.Error = float.PositiveInfinity;
        if (solid)
        {
            EncodeSolid(rgba);
            best.Write(block);
            return;
        }
        TryWhole(6);
        if (best.Error > GoodEnough)
        {
            // Where a channel goes its own way it gets its own line; an opaque alpha needs none.
            float least = float.PositiveInfinity;
            int apart = 0;
            for (int rotation = opaque ? 1 : 0; rotation < 4; rotation++)
            {
                TrySplitChannel(5, rotation, 0);
                if (trial.Error < least)
                    (least, apart) = (trial.Error, rotation);
            }
            TrySplitChannel(4, apart, 0);
            TrySplitChannel(4, apart, 1);
            int count = RankPartitions();
            for (int i = 0; i < count; i++)
            {
                if (opaque)
                {
                    TryPartition(1, partitions[i]);
                    if (i < PartitionsTried / 2)
                        TryPartition(3, partitions[i]);
                }
                else
                {
                    TryPartition(7, partitions[i]);
                }
            }
        }
        best.Write(block);
    }

    private void Keep()
    {
        if (trial.Error < best.Error)
            best.CopyFrom(trial);
    }

    private void EncodeSolid(ReadOnlySpan<byte> rgba)
    {
        // Mode 5 holds alpha in 8 bits and, one third of the way between two 7-bit ends, every 8-bit colour.
        best.Mode = 5;
        best.Partition = best.Rotation = best.Selection = 0;
        var (r, g, b) = (Solid[rgba[0]], Solid[rgba[1]], Solid[rgba[2]]);
        best.Codes[0] = new Vector4(r.First, g.First, b.First, rgba[3]);
        best.Codes[1] = new Vector4(r.Second, g.Second, b.Second, rgba[3]);
        Array.Fill(best.Indices, (byte)1);
        Array.Fill(best.ScalarIndices, (byte)0);
    }

    private void TryWhole(int modeNumber)
    {
        Start(modeNumber, 0, 0, 0);
        for (int i = 0; i < 16; i++)
        {
            gathered[i] = texels[i];
            places[i] = i;
        }
        FitSubset(16, 0, Bc7Tables.Modes[modeNumber], Bc7Tables.Modes[modeNumber].IndexBits);
        Keep();
    }

    private void TryPartition(int modeNumber, int partition)
    {
        Start(modeNumber, partition, 0, 0);
        var mode = Bc7Tables.Modes[modeNumber];
        for (int subset = 0; subset < 2; subset++)
        {
            int count = 0;
            for (int i = 0; i < 16; i++)
            {
                if (Bc7Tables.Subset(2, partition, i) != subset)
                    continue;
                gathered[count] = texels[i];
                places[count++] = i;
            }
            FitSubset(count, subset, mode, mode.IndexBits);
            if (trial.Error >= best.Error)
                return;
        }
        Keep();
    }

    private void TrySplitChannel(int modeNumber, int rotation, int selection)
    {
        Start(modeNumber, 0, rotation, selection);
        var mode = Bc7Tables.Modes[modeNumber];
        for (int i = 0; i < 16; i++)
        {
            var t = texels[i];
            if (rotation > 0)
                (t[rotation - 1], t.W) = (t.W, t[rotation - 1]);
            turned[i] = t;
            gathered[i] = t with { W = 0 };
            places[i] = i;
        }
        FitSubset(16, 0, mode, selection == 1 ? mode.SecondIndexBits : mode.IndexBits);
        if (trial.Error < best.Error)
            FitScalar(mode, selection == 1 ? mode.IndexBits : mode.SecondIndexBits);
        Keep();
    }

    private void Start(int mode, int partition, int rotation, int selection)
    {
        (trial.Mode, trial.Partition, trial.Rotation, trial.Selection, trial.Error) = (mode, partition, rotation, selection, 0);
    }

    /// <summary>Fits a line to <c>gathered</c> and writes its ends and indices into the trial, adding its error.</summary>
    private void FitSubset(int count, int subset, Bc7Mode mode, int indexBits)
    {
        var points = gathered.AsSpan(0, count);
        var mean = Vector4.Zero;
        foreach (var p in points)
            mean += p;
        mean /= count;
        var axis = LineFit.PrincipalAxis(points, mean);
        float low = 0, high = 0;
        foreach (var p in points)
        {
            float d = Vector4.Dot(p - mean, axis);
            low = MathF.Min(low, d);
            high = MathF.Max(high, d);
        }
        Vector4 first = mean + axis * low, second = mean + axis * high;
        float error = float.PositiveInfinity;
        for (int round = 0; round < 3; round++)
        {
            var ends = Quantise(mode, first, second);
            float candidate = Assign(points, ends.First, ends.Second, indexBits);
            if (candidate >= error)
                break;
            error = candidate;
            trial.Codes[2 * subset] = ends.FirstCode;
            trial.Codes[2 * subset + 1] = ends.SecondCode;
            trial.Parity[2 * subset] = ends.FirstParity;
            trial.Parity[2 * subset + 1] = ends.SecondParity;
            for (int i = 0; i < count; i++)
                trial.Indices[places[i]] = fitIndices[i];
            if (error == 0 || !Solve(points, indexBits, out first, out second))
                break;
        }
        trial.Error += error;
    }

    private readonly record struct Ends(Vector4 First, Vector4 Second, Vector4 FirstCode, Vector4 SecondCode, int FirstParity, int SecondParity);

    private Ends Quantise(Bc7Mode mode, Vector4 first, Vector4 second)
    {
        if (!mode.HasParity)
        {
            var (a, ca, _) = Round(mode, first, -1);
            var (b, cb, _) = Round(mode, second, -1);
            return new Ends(a, b, ca, cb, 0, 0);
        }
        var a0 = Round(mode, first, 0);
        var a1 = Round(mode, first, 1);
        var b0 = Round(mode, second, 0);
        var b1 = Round(mode, second, 1);
        // An opaque block stays opaque: 255 needs the lowest bit set.
        bool forced = opaque && mode.AlphaBits > 0;
        bool oddA = forced || a1.Error < a0.Error, oddB = forced || b1.Error < b0.Error;
        if (mode.SharedParity)
            oddA = oddB = a1.Error + b1.Error < a0.Error + b0.Error;
        var (pa, pb) = (oddA ? a1 : a0, oddB ? b1 : b0);
        return new Ends(pa.Value, pb.Value, pa.Code, pb.Code, oddA ? 1 : 0, oddB ? 1 : 0);
    }

    private static (Vector4 Value, Vector4 Code, float Error) Round(Bc7Mode mode, Vector4 end, int parity)
    {
        // Wherever alpha is part of the line it has as many bits as colour.
        int total = parity < 0 ? mode.ColourBits : mode.ColourBits + 1;
        var scaled = Vector4.Clamp(end, Vector4.Zero, new Vector4(255)) * (((1 << total) - 1) / 255f);
        if (parity >= 0)
            scaled = (scaled - new Vector4(parity)) * 0.5f;
        var rounded = Vector128.ConvertToInt32(Vector128.Floor(scaled.AsVector128() + Vector128.Create(0.5f)));
        rounded = Vector128.Clamp(rounded, Vector128<int>.Zero, Vector128.Create((1 << mode.ColourBits) - 1));
        var full = parity < 0 ? rounded : (rounded << 1) | Vector128.Create(parity);
        var value = Vector128.ConvertToSingle((full << (8 - total)) | (full >> (2 * total - 8))).AsVector4();
        var code = Vector128.ConvertToSingle(rounded).AsVector4();
        if (mode.VectorChannels == 3)
        {
            // Alpha is fitted apart, or is always 255.
            value.W = mode.SecondIndexBits > 0 ? 0 : 255;
            code.W = 0;
        }
        return (value, code, (value - end).LengthSquared());
    }

    private float Assign(ReadOnlySpan<Vector4> points, Vector4 first, Vector4 second, int indexBits)
    {
        var line = second - first;
        float squared = line.LengthSquared(), steps = (1 << indexBits) - 1, scale = squared > 0 ? steps / squared : 0, sum = 0;
        var weights = Bc7Tables.Weights(indexBits);
        for (int i = 0; i < points.Length; i++)
        {
            int index = (int)Math.Clamp(Vector4.Dot(points[i] - first, line) * scale + 0.5f, 0, steps);
            fitIndices[i] = (byte)index;
            sum += (points[i] - first - line * (weights[index] / 64f)).LengthSquared();
        }
        return sum;
    }

    private bool Solve(ReadOnlySpan<Vector4> points, int indexBits, out Vector4 first, out Vector4 second)
    {
        var weights = Bc7Tables.Weights(indexBits);
        float aa = 0, ab = 0, bb = 0;
        Vector4 ax = default, bx = default;
        for (int i = 0; i < points.Length; i++)
        {
            float b = weights[fitIndices[i]] / 64f, a = 1 - b;
            aa += a * a;
            ab += a * b;
            bb += b * b;
            ax += a * points[i];
            bx += b * points[i];
        }
        float determinant = aa * bb - ab * ab;
        first = second = default;
        if (MathF.Abs(determinant) < 1e-5f)
            return false;
        first = (ax * bb - bx * ab) / determinant;
        second = (bx * aa - ax * ab) / determinant;
        return true;
    }

    /// <summary>Fits the channel that has its own line in modes 4 and 5 and adds its error to the trial.</summary>
    private void FitScalar(Bc7Mode mode, int indexBits)
    {
        float low = 255, high = 0;
        foreach (var t in turned)
        {
            low = MathF.Min(low, t.W);
            high = MathF.Max(high, t.W);
        }
        int largest = (1 << mode.AlphaBits) - 1, steps = (1 << indexBits) - 1;
        var weights = Bc7Tables.Weights(indexBits);
        float best = float.PositiveInfinity;
        for (int inset = 0; inset < 3; inset++)
        {
            float pull = (high - low) * inset / (4 * steps);
            int a = Code(low + pull), b = Code(high - pull);
            float first = Bc7Tables.Widen(a, mode.AlphaBits), second = Bc7Tables.Widen(b, mode.AlphaBits), sum = 0;
            float scale = second != first ? steps / (second - first) : 0;
            for (int i = 0; i < 16; i++)
            {
                int index = (int)Math.Clamp((turned[i].W - first) * scale + 0.5f, 0, steps);
                fitIndices[i] = (byte)index;
                float d = turned[i].W - first - (second - first) * weights[index] / 64;
                sum += d * d;
            }
            if (sum >= best)
                continue;
            best = sum;
            trial.Codes[0].W = a;
            trial.Codes[1].W = b;
            fitIndices.CopyTo(trial.ScalarIndices, 0);
        }
        trial.Error += best;

        int Code(float value) => (int)Math.Clamp(value * largest / 255 + 0.5f, 0, largest);
    }

    /// <summary>Finds the two-subset partitions whose subsets lie nearest to a line each; gives how many were found.</summary>
    private int RankPartitions()
    {
        Array.Fill(partitionErrors, float.PositiveInfinity);
        Span<Moments> each = stackalloc Moments[16];
        var total = default(Moments);
        for (int i = 0; i < 16; i++)
        {
            each[i] = Moments.Of(texels[i]);
            total += each[i];
        }
        for (int partition = 0; partition < 64; partition++)
        {
            var one = default(Moments);
            for (int mask = Bc7Tables.TwoSubsets[partition]; mask != 0; mask &= mask - 1)
                one += each[BitOperations.TrailingZeroCount(mask)];
            float error = one.OffLine() + (total - one).OffLine();
            int place = PartitionsTried;
            while (place > 0 && error < partitionErrors[place - 1])
                place--;
            if (place == PartitionsTried)
                continue;
            for (int i = PartitionsTried - 1; i > place; i--)
                (partitionErrors[i], partitions[i]) = (partitionErrors[i - 1], partitions[i - 1]);
            (partitionErrors[place], partitions[place]) = (error, partition);
        }
        return PartitionsTried;
    }

    /// <summary>Sums from which a cloud's covariance follows; they add up over disjoint clouds.</summary>
    private readonly record struct Moments(float Count, Vector4 Sum, Vector4 X, Vector4 Y, Vector4 Z, Vector4 W)
    {
        public static Moments Of(Vector4 p) => new(1, p, p * p.X, p * p.Y, p * p.Z, p * p.W);

        public static Moments operator +(in Moments a, in Moments b) => new(a.Count + b.Count, a.Sum + b.Sum, a.X + b.X, a.Y + b.Y, a.Z + b.Z, a.W + b.W);

        public static Moments operator -(in Moments a, in Moments b) => new(a.Count - b.Count, a.Sum - b.Sum, a.X - b.X, a.Y - b.Y, a.Z - b.Z, a.W - b.W);

        /// <summary>Squared distance left by the best line: the trace without its greatest eigenvalue.</summary>
        public float OffLine()
        {
            if (Count < 2)
                return 0;
            var mean = Sum / Count;
            Vector4 x = X - Sum * mean.X, y = Y - Sum * mean.Y, z = Z - Sum * mean.Z, w = W - Sum * mean.W;
            float trace = x.X + y.Y + z.Z + w.W;
            if (trace < 1e-3f)
                return 0;
            var axis = w.W > trace / 2 ? w : x.X >= y.Y && x.X >= z.Z ? x : y.Y >= z.Z ? y : z;
            // One step of the power method ranks as well as many.
            float length = axis.Length();
            if (length < 1e-9f)
                return trace;
            axis /= length;
            float eigenvalue = new Vector4(Vector4.Dot(x, axis), Vector4.Dot(y, axis), Vector4.Dot(z, axis), Vector4.Dot(w, axis)).Length();
            return MathF.Max(0, trace - eigenvalue);
        }
    }

    private static (byte, byte)[] SolidTable()
    {
        var table = new (byte, byte)[256];
        for (int value = 0; value < 256; value++)
        {
            int best = int.MaxValue;
            for (int a = 0; a < 128; a++)
            {
                for (int b = a; b < 128; b++)
                {
                    int decoded = (43 * Bc7Tables.Widen(a, 7) + 21 * Bc7Tables.Widen(b, 7) + 32) >> 6;
                    int cost = Math.Abs(decoded - value) * 1000 + b - a;
                    if (cost < best)
                        (best, table[value]) = (cost, ((byte)a, (byte)b));
                }
            }
        }
        return table;
    }
}
