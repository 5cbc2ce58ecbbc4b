using System.Numerics;
using System.Runtime.CompilerServices;
using System.Runtime.InteropServices;
using System.Runtime.Intrinsics;

namespace Crumpet.Core.Tracing;

/// <summary>
/// Builds the tree top-down: each node starts as one range of triangles and the child of largest area is split until
/// there are eight, by the binned surface area heuristic that counts a leaf's eight lanes as one test.
/// </summary>
/// <remarks>
/// Source: I. Wald, "On fast construction of SAH-based bounding volume hierarchies", 2007; the collapse into wide nodes
/// follows Wald, Benthin, Boulos, "Getting rid of packets", 2008. The tree does not depend on the number of threads.
/// </remarks>
internal sealed unsafe class BvhBuilder
{
    private const int FewTriangles = 64;
    private const int ParallelFrom = 1 << 12;

    // No mesh that anybody made comes near it. Below, ranges are halved by count, which needs few more levels whatever lies where.
    private const int CheapestSplitLevels = 48;

    private readonly Vector3[] positions;
    private readonly int[] corners;

    // A split copies its range from one to the other.
    private readonly Reference[] even;
    private readonly Reference[] odd;
    private readonly BvhNode* nodes;
    private readonly BvhLeaf* leaves;
    private readonly int threads;
    private readonly ParallelOptions options;
    private int nodeCount;
    private int leafCount;
    private int deepest;

    private BvhBuilder(Vector3[] positions, int[] corners, AlignedMemory nodes, AlignedMemory leaves, int threads, CancellationToken cancel)
    {
        this.positions = positions;
        this.corners = corners;
        even = GC.AllocateUninitializedArray<Reference>(corners.Length / 3);
        odd = GC.AllocateUninitializedArray<Reference>(corners.Length / 3);
        this.nodes = (BvhNode*)nodes.Pointer;
        this.leaves = (BvhLeaf*)leaves.Pointer;
        this.threads = threads;
        options = new ParallelOptions { MaxDegreeOfParallelism = threads, CancellationToken = cancel };
    }

    /// <summary>A triangle's box; the index travels in the spare lane.</summary>
    private struct Reference(Vector3 min, Vector3 max, int index)
    {
        // Above the exponent's top bit an index is an ordinary number: sums of denormal ones are slow.
        private const int Ordinary = 0x40000000;

        public Vector4 Min = new(min, 0);
        public Vector4 Max = new(max, BitConverter.Int32BitsToSingle(index | Ordinary));

        public readonly int Index => BitConverter.SingleToInt32Bits(Max.W) & ~Ordinary;

        public readonly Vector4 DoubleCentre => Min + Max;
    }

    private readonly record struct Range(int First, int Count, bool IsOdd, Vector4 Min, Vector4 Max)
    {
        public float HalfArea
        {
            get
            {
                var d = Max - Min;
                return d.X * d.Y + d.Y * d.Z + d.Z * d.X;
            }
        }
    }

    [InlineArray(BvhNode.Width)]
    private struct Children
    {
        private Range first;
    }

    /// <summary>Builds the tree and gives its memory, its counts and how many levels of nodes it has.</summary>
    /// <exception cref="ArgumentException">A corner numbers no position.</exception>
    public static (AlignedMemory Nodes, int NodeCount, AlignedMemory Leaves, int LeafCount, int Levels) Build(Vector3[] positions, int[] corners, int threads,
        CancellationToken cancel)
    {
        int count = corners.Length / 3;
        var nodes = new AlignedMemory((long)Math.Max(1, count) * sizeof(BvhNode));
        var leaves = new AlignedMemory((long)Math.Max(1, count) * sizeof(BvhLeaf));
        try
        {
            var builder = new BvhBuilder(positions, corners, nodes, leaves, threads, cancel);
            var whole = builder.Refer();
            builder.nodeCount = 1;
            builder.FillNode(0, whole, 1);
            return (nodes, builder.nodeCount, leaves, builder.leafCount, builder.deepest);
        }
        catch (Exception e)
        {
            nodes.Dispose();
            leaves.Dispose();
            if (e is AggregateException { InnerException: ArgumentException odd })
                throw new ArgumentException(odd.Message, nameof(corners), e);
            throw;
        }
    }

    /// <summary>Notes the box of every triangle that can be met, and gives the range of all.</summary>
    private Range Refer()
    {
        int chunk = Math.Max(ParallelFrom, (even.Length + 4 * threads - 1) / (4 * threads));
        var boxes = new (Vector4 Min, Vector4 Max, int Count)[(even.Length + chunk - 1) / chunk];
        Parallel.For(0, boxes.Length, options, c =>
        {
            Vector4 min = new(float.PositiveInfinity), max = new(float.NegativeInfinity);
            int first = c * chunk, count = 0;
            for (int i = first; i < Math.Min(even.Length, first + chunk); i++)
            {
                int a = corners[3 * i], b = corners[3 * i + 1], d = corners[3 * i + 2];
                if ((uint)Math.Max(a, Math.Max(b, d)) >= (uint)positions.Length || (a | b | d) < 0)
                    throw new ArgumentException($"Triangle {i} has a corner that is none of the {positions.Length} positions.");
                Vector3 p = positions[a], q = positions[b], r = positions[d];
                var reference = new Reference(Vector3.MinNative(p, Vector3.MinNative(q, r)), Vector3.MaxNative(p, Vector3.MaxNative(q, r)), i);
                if (!(IsNear(p) & IsNear(q) & IsNear(r)))
                    continue;
                even[first + count++] = reference;
                min = Vector4.MinNative(min, reference.Min);
                max = Vector4.MaxNative(max, reference.Max);
            }
            boxes[c] = (min, max, count);
        });
        Vector4 least = new(float.PositiveInfinity), most = new(float.NegativeInfinity);
        int met = 0;
        for (int c = 0; c < boxes.Length; c++)
        {
            // Close up over those that were left out.
            if (met < c * chunk)
                even.AsSpan(c * chunk, boxes[c].Count).CopyTo(even.AsSpan(met));
            met += boxes[c].Count;
            (least, most) = (Vector4.MinNative(least, boxes[c].Min), Vector4.MaxNative(most, boxes[c].Max));
        }
        return new Range(0, met, false, least, most);
    }

    // False for what is no number as well.
    [MethodImpl(MethodImplOptions.AggressiveInlining)]
    private static bool IsNear(Vector3 p) => Vector128.LessThanOrEqualAll(Vector128.Abs(p.AsVector128()), Vector128.Create(Bvh.Farthest));

    private void FillNode(int node, in Range whole, int level)
    {
        options.CancellationToken.ThrowIfCancellationRequested();
        if (level > deepest)
            Deepen(level);
        bool inParallel = threads > 1 && whole.Count >= ParallelFrom && level < CheapestSplitLevels;
        Children children = default;
        int count = Divide(whole, ref children, level < CheapestSplitLevels, inParallel ? SplitAhead(whole) : null);
        int inner = 0;
        for (int i = 0; i < count; i++)
            inner += children[i].Count > BvhLeaf.Width ? 1 : 0;
        int nextNode = Interlocked.Add(ref nodeCount, inner) - inner, nextLeaf = Interlocked.Add(ref leafCount, count - inner) - (count - inner);
        var target = nodes + node;
        for (int i = 0; i < BvhNode.Width; i++)
        {
            var child = i < count ? children[i] : new Range(0, 0, false, new Vector4(float.PositiveInfinity), new Vector4(float.NegativeInfinity));
            target->Boxes[i] = child.Min.X;
            target->Boxes[8 + i] = child.Max.X;
            target->Boxes[16 + i] = child.Min.Y;
            target->Boxes[24 + i] = child.Max.Y;
            target->Boxes[32 + i] = child.Min.Z;
            target->Boxes[40 + i] = child.Max.Z;
            target->Children[i] = i >= count ? 0 : child.Count > BvhLeaf.Width ? nextNode++ : ~nextLeaf++;
        }
        if (inParallel)
        {
            DescendInParallel(node, count, children, level + 1);
            return;
        }
        for (int i = 0; i < count; i++)
            Descend(target->Children[i], children[i], level + 1);
    }

    private void DescendInParallel(int node, int count, Children children, int level) =>
        Parallel.For(0, count, options, i => Descend((nodes + node)->Children[i], children[i], level));

    private void Descend(int child, in Range range, int level)
    {
        if (child >= 0)
            FillNode(child, range, level);
        else
            FillLeaf(~child, range);
    }

    private void Deepen(int level)
    {
        for (int seen = deepest; level > seen; seen = deepest)
            Interlocked.CompareExchange(ref deepest, level, seen);
    }

    /// <summary>Splits a range into up to eight, always that of largest area next, or of most triangles.</summary>
    /// <param name="whole">The range.</param>
    /// <param name="children">Takes them.</param>
    /// <param name="byCost">Whether splits are where they cost least; otherwise ranges are halved.</param>
    /// <param name="ahead">Splits that are known already, or null.</param>
    private int Divide(in Range whole, ref Children children, bool byCost, List<(Range Whole, (Range, Range) Halves)>? ahead)
    {
        children[0] = whole;
        int count = whole.Count > 0 ? 1 : 0;
        while (count is > 0 and < BvhNode.Width)
        {
            int widest = -1;
            float widestArea = -1;
            for (int i = 0; i < count; i++)
            {
                float area = byCost ? children[i].HalfArea : children[i].Count;
                // Not "greater": a range is split whatever its area comes to, or the tree would never end.
                if (children[i].Count > BvhLeaf.Width && !(area <= widestArea))
                    (widest, widestArea) = (i, area);
            }
            if (widest < 0)
                break;
            (children[widest], children[count++]) = byCost ? SplitOf(children[widest], ahead) : Halve(children[widest]);
        }
        return count;
    }

    private (Range, Range) SplitOf(in Range range, List<(Range Whole, (Range, Range) Halves)>? ahead)
    {
        for (int i = 0; i < (ahead?.Count ?? 0); i++)
        {
            if (ahead![i].Whole.First == range.First && ahead[i].Whole.Count == range.Count)
                return ahead[i].Halves;
        }
        return Split(range);
    }

    /// <summary>The splits of a large range that are nearly always asked for, made side by side.</summary>
    private List<(Range Whole, (Range, Range) Halves)> SplitAhead(Range whole)
    {
        var known = new List<(Range, (Range, Range))>();
        List<Range> open = [whole];
        while (open.Count is > 0 and < BvhNode.Width)
        {
            var halves = new (Range One, Range Two)[open.Count];
            Parallel.For(0, open.Count, options, i => halves[i] = Split(open[i]));
            for (int i = 0; i < halves.Length; i++)
                known.Add((open[i], halves[i]));
            open = [.. halves.SelectMany(h => new[] { h.One, h.Two }).Where(r => r.Count > BvhLeaf.Width)];
        }
        return known;
    }

    private void FillLeaf(int number, in Range range)
    {
        var items = (range.IsOdd ? odd : even).AsSpan(range.First, range.Count);
        var leaf = leaves + number;
        for (int lane = 0; lane < BvhLeaf.Width; lane++)
        {
            bool used = lane < items.Length;
            int triangle = used ? items[lane].Index : -1;
            leaf->Triangles[lane] = triangle;
            for (int corner = 0; corner < 3; corner++)
            {
                // Zero area: its determinant is 0, which the test refuses.
                var p = used ? positions[corners[3 * triangle + corner]] : Vector3.Zero;
                leaf->Corners[corner * 24 + lane] = p.X;
                leaf->Corners[corner * 24 + 8 + lane] = p.Y;
                leaf->Corners[corner * 24 + 16 + lane] = p.Z;
            }
        }
    }

    [SkipLocalsInit]
    private (Range, Range) Split(in Range range)
    {
        var items = (range.IsOdd ? odd : even).AsSpan(range.First, range.Count);
        Vector4 low = new(float.PositiveInfinity), high = new(float.NegativeInfinity);
        foreach (ref readonly var item in items)
        {
            var centre = item.DoubleCentre;
            low = Vector4.MinNative(low, centre);
            high = Vector4.MaxNative(high, centre);
        }
        // A bin for each of a few triangles tells as much as many bins.
        int binCount = items.Length < FewTriangles ? BvhBins.Count / 2 : BvhBins.Count;
        var extent = high - low;
        var slots = new Slots(low, new Vector4(Scale(extent.X), Scale(extent.Y), Scale(extent.Z), 0), Vector128.Create(binCount - 1));
        Unsafe.SkipInit(out BvhBinArray bins);
        for (int axis = 0; axis < 3; axis++)
            for (int i = 0; i < binCount; i++)
                bins[axis * BvhBins.Count + i] = new BvhBin { Min = new Vector4(float.PositiveInfinity), Max = new Vector4(float.NegativeInfinity) };
        foreach (ref readonly var item in items)
        {
            var slot = slots.Of(item);
            Add(ref bins[slot.GetElement(0)], item);
            Add(ref bins[BvhBins.Count + slot.GetElement(1)], item);
            Add(ref bins[2 * BvhBins.Count + slot.GetElement(2)], item);
        }
        var (axisOfSplit, border) = BvhBins.Cheapest(bins, binCount, extent);
        return axisOfSplit < 0 ? Halve(range)
            : Part(range, slots, axisOfSplit, border, BvhBins.Joined(bins, axisOfSplit, 0, border), BvhBins.Joined(bins, axisOfSplit, border, binCount));

        float Scale(float size) => size > 0 ? binCount * 0.9999f / size : 0;

        static void Add(ref BvhBin bin, in Reference item)
        {
            bin.Min = Vector4.MinNative(bin.Min, item.Min);
            bin.Max = Vector4.MaxNative(bin.Max, item.Max);
            bin.Count++;
        }
    }

    /// <summary>Numbers of the bins an item lies in, one an axis.</summary>
    private readonly struct Slots(Vector4 low, Vector4 scale, Vector128<int> last)
    {
        public Vector128<int> Of(in Reference item) =>
            Vector128.Max(Vector128.Min(Vector128.ConvertToInt32Native(((item.DoubleCentre - low) * scale).AsVector128()), last), Vector128<int>.Zero);
    }

    /// <summary>
    /// Copies what lies before a border to the front of the other array's range and the rest to its end, without a branch: which it is
    /// cannot be foretold.
    /// </summary>
    private (Range, Range) Part(in Range range, in Slots slots, int axis, int border, in BvhBin before, in BvhBin after)
    {
        var from = (range.IsOdd ? odd : even).AsSpan(range.First, range.Count);
        var to = (range.IsOdd ? even : odd).AsSpan(range.First, range.Count);
        int front = 0, back = to.Length - 1;
        foreach (ref readonly var item in from)
        {
            // 1 before the border, else 0.
            int isBefore = (slots.Of(item).GetElement(axis) - border) >>> 31;
            to[front] = item;
            to[back] = item;
            front += isBefore;
            back -= 1 - isBefore;
        }
        return (new Range(range.First, before.Count, !range.IsOdd, before.Min, before.Max),
            new Range(range.First + before.Count, after.Count, !range.IsOdd, after.Min, after.Max));
    }

    private (Range, Range) Halve(in Range range)
    {
        int half = range.Count / 2;
        return (Enclose(range.First, half, range.IsOdd), Enclose(range.First + half, range.Count - half, range.IsOdd));
    }

    private Range Enclose(int first, int count, bool isOdd)
    {
        Vector4 min = new(float.PositiveInfinity), max = new(float.NegativeInfinity);
        foreach (ref readonly var item in (isOdd ? odd : even).AsSpan(first, count))
        {
            min = Vector4.MinNative(min, item.Min);
            max = Vector4.MaxNative(max, item.Max);
        }
        return new Range(first, count, isOdd, min, max);
    }
}
