using System.Numerics;
using Crumpet.Core.Geometry;

namespace Crumpet.Core.Tracing;

/// <summary>Measures two things that boxes stand for.</summary>
public interface IPairDistance
{
    /// <summary>Distance between item <paramref name="one"/> of the first tree and item <paramref name="two"/> of the second, metres.</summary>
    /// <param name="one">Number in the first tree.</param>
    /// <param name="two">Number in the second tree.</param>
    /// <param name="limit">Anything not below this may be given for a distance that is not below it.</param>
    float Distance(int one, int two, float limit);
}

/// <summary>Measures a point against what boxes stand for.</summary>
public interface IPointDistance
{
    /// <summary>Squared distance to an item, square metres.</summary>
    /// <param name="item">Number of the item.</param>
    float SquaredDistance(int item);
}

/// <summary>A hierarchy of boxes around anything, for what lies nearest to a point and for the least distance between two sets.</summary>
/// <remarks>
/// Binary, split at the middle of the boxes' centres, or at their median where that would leave a side empty. The same boxes give the same
/// tree.
/// </remarks>
public sealed class BoxTree
{
    private const int LeafItems = 4;
    private const int StackSize = 512;

    private readonly Node[] nodes;
    private readonly int[] items;
    private int nodeCount;

    private BoxTree(int count)
    {
        nodes = new Node[Math.Max(1, 2 * count)];
        items = new int[count];
    }

    private struct Node
    {
        public Vector3 Min;

        /// <summary>First item of a leaf; otherwise the first of two children that stand side by side.</summary>
        public int First;
        public Vector3 Max;

        /// <summary>Items of a leaf; 0 for an inner node.</summary>
        public int Count;
    }

    /// <summary>Box around everything.</summary>
    public Bounds Bounds => items.Length == 0 ? Geometry.Bounds.Empty : new Bounds(nodes[0].Min, nodes[0].Max);

    /// <summary>Builds a tree.</summary>
    /// <param name="boxes">One an item; none empty.</param>
    public static BoxTree Build(Bounds[] boxes)
    {
        var tree = new BoxTree(boxes.Length);
        for (int i = 0; i < boxes.Length; i++)
            tree.items[i] = i;
        if (boxes.Length > 0)
        {
            tree.nodeCount = 1;
            tree.Split(0, 0, boxes.Length, boxes, Array.ConvertAll(boxes, b => b.Centre));
        }
        return tree;
    }

    /// <summary>The item nearest to a point.</summary>
    /// <param name="point">Metres.</param>
    /// <param name="limit">How far to look, metres.</param>
    /// <param name="measure">Measures items against the point.</param>
    /// <param name="squaredDistance">Squared distance of the item, square metres.</param>
    /// <returns>Number of the item, or -1 where none is nearer than the limit.</returns>
    public int Nearest<TMeasure>(Vector3 point, float limit, ref TMeasure measure, out float squaredDistance)
        where TMeasure : struct, IPointDistance
    {
        int best = -1;
        squaredDistance = limit * limit;
        if (items.Length == 0)
            return best;
        Span<int> stack = stackalloc int[StackSize];
        int top = 0;
        stack[top++] = 0;
        while (top > 0)
        {
            ref readonly var node = ref nodes[stack[--top]];
            if (SquaredGap(node, point) >= squaredDistance)
                continue;
            if (node.Count > 0)
            {
                for (int i = node.First; i < node.First + node.Count; i++)
                {
                    float squared = measure.SquaredDistance(items[i]);
                    if (squared < squaredDistance)
                        (best, squaredDistance) = (items[i], squared);
                }
                continue;
            }
            bool firstIsNearer = SquaredGap(nodes[node.First], point) <= SquaredGap(nodes[node.First + 1], point);
            stack[top++] = firstIsNearer ? node.First + 1 : node.First;
            stack[top++] = firstIsNearer ? node.First : node.First + 1;
        }
        return best;
    }

    /// <summary>Numbers of all items whose boxes come within a distance of a point, in no particular order but always the same.</summary>
    public void Around(Vector3 point, float distance, List<int> found)
    {
        found.Clear();
        if (items.Length == 0)
            return;
        Span<int> stack = stackalloc int[StackSize];
        int top = 0;
        stack[top++] = 0;
        while (top > 0)
        {
            ref readonly var node = ref nodes[stack[--top]];
            if (SquaredGap(node, point) > distance * distance)
                continue;
            if (node.Count > 0)
            {
                found.AddRange(items.AsSpan(node.First, node.Count));
                continue;
            }
            stack[top++] = node.First;
            stack[top++] = node.First + 1;
        }
    }

    /// <summary>The least distance between an item of this tree and one of another; looks no further than what is nearer than the limit.</summary>
    /// <param name="other">The other tree.</param>
    /// <param name="limit">How far to look, metres.</param>
    /// <param name="measure">Measures two items.</param>
    /// <param name="one">Item of this tree, or -1 where nothing is nearer than the limit.</param>
    /// <param name="two">Item of the other tree, or -1.</param>
    /// <returns>The distance, metres, or the limit.</returns>
    public float LeastDistance<TMeasure>(BoxTree other, float limit, ref TMeasure measure, out int one, out int two)
        where TMeasure : struct, IPairDistance
    {
        (one, two) = (-1, -1);
        float best = limit;
        if (items.Length == 0 || other.items.Length == 0)
            return best;
        var stack = new Stack<(int One, int Two, float Gap)>();
        stack.Push((0, 0, Gap(nodes[0], other.nodes[0])));
        while (best > 0 && stack.TryPop(out var pair))
        {
            if (pair.Gap >= best)
                continue;
            ref readonly var a = ref nodes[pair.One];
            ref readonly var b = ref other.nodes[pair.Two];
            if (a.Count > 0 && b.Count > 0)
            {
                for (int i = a.First; i < a.First + a.Count; i++)
                {
                    for (int j = b.First; j < b.First + b.Count; j++)
                    {
                        float distance = measure.Distance(items[i], other.items[j], best);
                        if (distance < best)
                            (best, one, two) = (distance, items[i], other.items[j]);
                    }
                }
                continue;
            }
            // The larger of the two is opened, and what is nearer looked into first.
            bool openFirst = b.Count > 0 || (a.Count == 0 && (a.Max - a.Min).LengthSquared() >= (b.Max - b.Min).LengthSquared());
            var (left, right) = openFirst ? ((a.First, pair.Two), (a.First + 1, pair.Two)) : ((pair.One, b.First), (pair.One, b.First + 1));
            float leftGap = Gap(nodes[left.Item1], other.nodes[left.Item2]), rightGap = Gap(nodes[right.Item1], other.nodes[right.Item2]);
            if (leftGap > rightGap)
                (left, right, leftGap, rightGap) = (right, left, rightGap, leftGap);
            if (rightGap < best)
                stack.Push((right.Item1, right.Item2, rightGap));
            if (leftGap < best)
                stack.Push((left.Item1, left.Item2, leftGap));
        }
        return best;
    }

    private void Split(int at, int first, int count, Bounds[] boxes, Vector3[] centres)
    {
        Vector3 min = boxes[items[first]].Min, max = boxes[items[first]].Max, least = centres[items[first]], most = least;
        for (int i = first; i < first + count; i++)
        {
            var box = boxes[items[i]];
            (min, max) = (Vector3.Min(min, box.Min), Vector3.Max(max, box.Max));
            (least, most) = (Vector3.Min(least, centres[items[i]]), Vector3.Max(most, centres[items[i]]));
        }
        nodes[at] = new Node { Min = min, Max = max, First = first, Count = count };
        if (count <= LeafItems)
            return;
        var extent = most - least;
        int axis = extent.X >= extent.Y && extent.X >= extent.Z ? 0 : extent.Y >= extent.Z ? 1 : 2;
        float middle = (least[axis] + most[axis]) / 2;
        int cut = first;
        for (int i = first; i < first + count; i++)
        {
            if (centres[items[i]][axis] < middle)
            {
                (items[i], items[cut]) = (items[cut], items[i]);
                cut++;
            }
        }
        // One far item must not make the tree a list.
        if (Math.Min(cut - first, first + count - cut) < Math.Max(1, count / 16))
        {
            items.AsSpan(first, count).Sort((a, b) => centres[a][axis] != centres[b][axis] ? centres[a][axis].CompareTo(centres[b][axis]) : a.CompareTo(b));
            cut = first + count / 2;
        }
        int children = nodeCount;
        nodeCount += 2;
        nodes[at].First = children;
        nodes[at].Count = 0;
        Split(children, first, cut - first, boxes, centres);
        Split(children + 1, cut, first + count - cut, boxes, centres);
    }

    private static float SquaredGap(in Node node, Vector3 point) => Vector3.DistanceSquared(point, Vector3.Clamp(point, node.Min, node.Max));

    private static float Gap(in Node a, in Node b) => Vector3.Max(Vector3.Zero, Vector3.Max(a.Min - b.Max, b.Min - a.Max)).Length();
}
