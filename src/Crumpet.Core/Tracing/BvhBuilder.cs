using System.Numerics;
using System.Runtime.CompilerServices;

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
    private const int Bins = 16;
    private const int ParallelFrom = 1 << 14;

    private readonly Reference[] references;
    private readonly Vector3[] positions;
    private readonly int[] corners;
    private readonly BvhNode* nodes;
    private readonly BvhLeaf* leaves;
    private readonly int threads;
    private readonly CancellationToken cancel;
    private int nodeCount;
    private int leafCount;

    private BvhBuilder(Vector3[] positions, int[] corners, Reference[] references, AlignedMemory nodes, AlignedMemory leaves, int threads, CancellationToken cancel)
    {
        this.positions = positions;
        this.corners = corners;
        this.references = references;
        this.nodes = (BvhNode*)nodes.Pointer;
        this.leaves = (BvhLeaf*)leaves.Pointer;
        this.threads = threads;
        this.cancel = cancel;
    }

    /// <summary>A triangle's box; the index travels in the spare lane.</summary>
    private struct Reference
    {
        public Vector4 Min, Max;
        public readonly int Index => BitConverter.SingleToInt32Bits(Min.W);
        public readonly Vector4 DoubleCentre => Min + Max;
    }

    private readonly record struct Span(int First, int Count, Vector4 Min, Vector4 Max)
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

    /// <summary>Builds the tree and gives its memory and counts.</summary>
    public static (AlignedMemory Nodes, int NodeCount, AlignedMemory Leaves, int LeafCount) Build(Vector3[] positions, int[] corners, int threads, CancellationToken cancel)
    {
        int count = corners.Length / 3;
        var references = new Reference[count];
        Vector4 min = new(float.PositiveInfinity), max = new(float.NegativeInfinity);
        for (int i = 0; i < count; i++)
        {
            Vector3 a = positions[corners[3 * i]], b = positions[corners[3 * i + 1]], c = positions[corners[3 * i + 2]];
            references[i].Min = new Vector4(Vector3.Min(a, Vector3.Min(b, c)), BitConverter.Int32BitsToSingle(i));
            references[i].Max = new Vector4(Vector3.Max(a, Vector3.Max(b, c)), 0);
            min = Vector4.MinNative(min, references[i].Min);
            max = Vector4.MaxNative(max, references[i].Max);
        }
        var nodes = new AlignedMemory((long)Math.Max(1, count) * sizeof(BvhNode));
        var leaves = new AlignedMemory((long)Math.Max(1, count) * sizeof(BvhLeaf));
        var builder = new BvhBuilder(positions, corners, references, nodes, leaves, threads, cancel);
        builder.nodeCount = 1;
        builder.FillNode(0, new Span(0, count, min, max));
        return (nodes, builder.nodeCount, leaves, builder.leafCount);
    }

    private void FillNode(int node, Span whole)
    {
        cancel.ThrowIfCancellationRequested();
        var children = new Span[BvhNode.Width];
        int childCount = whole.Count > 0 ? 1 : 0;
        children[0] = whole;
        while (childCount is > 0 and < BvhNode.Width)
        {
            int widest = -1;
            float widestArea = -1;
            for (int i = 0; i < childCount; i++)
                if (children[i].Count > BvhLeaf.Width && children[i].HalfArea > widestArea)
                    (widest, widestArea) = (i, children[i].HalfArea);
            if (widest < 0)
                break;
            (children[widest], children[childCount]) = Split(children[widest]);
            childCount++;
        }
        var target = nodes + node;
        for (int i = 0; i < BvhNode.Width; i++)
        {
            var child = i < childCount ? children[i] : new Span(0, 0, new Vector4(float.PositiveInfinity), new Vector4(float.NegativeInfinity));
            target->Boxes[i] = child.Min.X;
            target->Boxes[8 + i] = child.Max.X;
            target->Boxes[16 + i] = child.Min.Y;
            target->Boxes[24 + i] = child.Max.Y;
            target->Boxes[32 + i] = child.Min.Z;
            target->Boxes[40 + i] = child.Max.Z;
            target->Children[i] = i >= childCount ? 0
                : child.Count > BvhLeaf.Width ? Interlocked.Increment(ref nodeCount) - 1 : ~MakeLeaf(child);
        }
        if (threads > 1 && whole.Count >= ParallelFrom)
            Parallel.For(0, childCount, new ParallelOptions { MaxDegreeOfParallelism = threads, CancellationToken = cancel }, Descend);
        else
            for (int i = 0; i < childCount; i++)
                Descend(i);

        void Descend(int i)
        {
            if (children[i].Count > BvhLeaf.Width)
                FillNode((nodes + node)->Children[i], children[i]);
        }
    }

    private int MakeLeaf(Span span)
    {
        int index = Interlocked.Increment(ref leafCount) - 1;
        var leaf = leaves + index;
        for (int lane = 0; lane < BvhLeaf.Width; lane++)
        {
            bool used = lane < span.Count;
            int triangle = used ? references[span.First + lane].Index : -1;
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
        return index;
    }

    [InlineArray(3 * Bins)]
    private struct BinArray<T>
    {
        private T first;
    }

    private struct Bin
    {
        public Vector4 Min, Max;
        public int Count;
    }

    [SkipLocalsInit]
    private (Span, Span) Split(Span span)
    {
        var items = references.AsSpan(span.First, span.Count);
        Vector4 low = new(float.PositiveInfinity), high = new(float.NegativeInfinity);
        foreach (ref var item in items)
        {
            var centre = item.DoubleCentre;
            low = Vector4.MinNative(low, centre);
            high = Vector4.MaxNative(high, centre);
        }
        var extent = high - low;
        var scale = new Vector4(Scale(extent.X), Scale(extent.Y), Scale(extent.Z), 0);
        Unsafe.SkipInit(out BinArray<Bin> bins);
        for (int i = 0; i < 3 * Bins; i++)
            bins[i] = new Bin { Min = new Vector4(float.PositiveInfinity), Max = new Vector4(float.NegativeInfinity) };
        foreach (ref var item in items)
        {
            var slot = (item.DoubleCentre - low) * scale;
            Add(ref bins[Math.Min((int)slot.X, Bins - 1)], item);
            Add(ref bins[Bins + Math.Min((int)slot.Y, Bins - 1)], item);
            Add(ref bins[2 * Bins + Math.Min((int)slot.Z, Bins - 1)], item);
        }
        var (axis, border) = Cheapest(bins, extent);
        if (axis < 0)
            return Halve(span);
        int left = Partition(items, axis, border, Component(low, axis), Component(scale, axis));
        return left == 0 || left == span.Count ? Halve(span) : (Enclose(span.First, left), Enclose(span.First + left, span.Count - left));

        static float Scale(float extent) => extent > 0 ? Bins * 0.9999f / extent : 0;

        static void Add(ref Bin bin, in Reference item)
        {
            bin.Min = Vector4.MinNative(bin.Min, item.Min);
            bin.Max = Vector4.MaxNative(bin.Max, item.Max);
            bin.Count++;
        }
    }

    private static (int Axis, int Border) Cheapest(in BinArray<Bin> bins, Vector4 extent)
    {
        int bestAxis = -1, bestBorder = 0;
        float bestCost = float.PositiveInfinity;
        Span<float> leftCost = stackalloc float[Bins];
        for (int axis = 0; axis < 3; axis++)
        {
            if (!(Component(extent, axis) > 0))
                continue;
            var running = new Span(0, 0, new Vector4(float.PositiveInfinity), new Vector4(float.NegativeInfinity));
            for (int i = 0; i < Bins - 1; i++)
            {
                running = Grow(running, bins[axis * Bins + i]);
                leftCost[i] = running.Count == 0 ? float.PositiveInfinity : running.HalfArea * Tests(running.Count);
            }
            running = new Span(0, 0, new Vector4(float.PositiveInfinity), new Vector4(float.NegativeInfinity));
            for (int i = Bins - 1; i > 0; i--)
            {
                running = Grow(running, bins[axis * Bins + i]);
                if (running.Count == 0)
                    continue;
                float cost = leftCost[i - 1] + running.HalfArea * Tests(running.Count);
                if (cost < bestCost)
                    (bestCost, bestAxis, bestBorder) = (cost, axis, i);
            }
        }
        return (bestAxis, bestBorder);

        static Span Grow(Span span, in Bin bin) =>
            bin.Count == 0 ? span : new Span(0, span.Count + bin.Count, Vector4.MinNative(span.Min, bin.Min), Vector4.MaxNative(span.Max, bin.Max));

        static int Tests(int count) => (count + BvhLeaf.Width - 1) / BvhLeaf.Width;
    }

    private static int Partition(Span<Reference> items, int axis, int border, float low, float scale)
    {
        int left = 0, right = items.Length - 1;
        while (left <= right)
        {
            if (Math.Min((int)((Component(items[left].DoubleCentre, axis) - low) * scale), Bins - 1) < border)
                left++;
            else
                (items[left], items[right]) = (items[right--], items[left]);
        }
        return left;
    }

    private static float Component(Vector4 v, int axis) => axis == 0 ? v.X : axis == 1 ? v.Y : v.Z;

    private (Span, Span) Halve(Span span)
    {
        int half = span.Count / 2;
        return (Enclose(span.First, half), Enclose(span.First + half, span.Count - half));
    }

    private Span Enclose(int first, int count)
    {
        Vector4 min = new(float.PositiveInfinity), max = new(float.NegativeInfinity);
        foreach (ref var item in references.AsSpan(first, count))
        {
            min = Vector4.MinNative(min, item.Min);
            max = Vector4.MaxNative(max, item.Max);
        }
        return new Span(first, count, min, max);
    }
}
