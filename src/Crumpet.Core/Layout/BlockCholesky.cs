namespace Crumpet.Core.Layout;

/// <summary>
/// Solves symmetric positive definite systems over the vertices of a mesh with two unknowns a vertex. The pattern is
/// analysed once; factors for new numbers follow quickly.
/// </summary>
/// <remarks>
/// Up-looking factorisation along the elimination tree, on 2 × 2 blocks.
/// Source: T. A. Davis, "Direct Methods for Sparse Linear Systems", 2006, chapter 4.
/// </remarks>
internal sealed class BlockCholesky
{
    private readonly int count;
    private readonly int[] order;
    private readonly int[] place;
    private readonly int[] starts;
    private readonly int[] columns;
    private readonly int[] source;
    private readonly int[] parent;
    private readonly int[] lowerStarts;
    private readonly int[] lowerRows;
    private readonly double[] lower;

    /// <summary>Analyses the pattern of a graph.</summary>
    /// <param name="graph">Who is whose neighbour.</param>
    /// <param name="cancel">Ends the work early.</param>
    public BlockCholesky(VertexGraph graph, CancellationToken cancel)
    {
        count = graph.VertexCount;
        order = NestedDissection.Order(graph.Starts, graph.Neighbours, cancel);
        place = new int[count];
        for (int i = 0; i < count; i++)
            place[order[i]] = i;
        // Row k of the lower triangle in the new order, and where its numbers come from.
        starts = new int[count + 1];
        for (int k = 0; k < count; k++)
        {
            int v = order[k], inside = 0;
            for (int n = graph.Starts[v]; n < graph.Starts[v + 1]; n++)
                inside += place[graph.Neighbours[n]] <= k ? 1 : 0;
            starts[k + 1] = starts[k] + inside;
        }
        columns = new int[starts[count]];
        source = new int[starts[count]];
        for (int k = 0, at = 0; k < count; k++)
        {
            int v = order[k];
            for (int n = graph.Starts[v]; n < graph.Starts[v + 1]; n++)
            {
                if (place[graph.Neighbours[n]] > k)
                    continue;
                columns[at] = place[graph.Neighbours[n]];
                source[at++] = n;
            }
        }
        parent = EliminationTree();
        lowerStarts = ColumnStarts(cancel);
        lowerRows = new int[lowerStarts[count]];
        lower = new double[4L * lowerStarts[count]];
    }

    private int[] EliminationTree()
    {
        var tree = new int[count];
        var ancestor = new int[count];
        for (int k = 0; k < count; k++)
        {
            tree[k] = -1;
            ancestor[k] = -1;
            for (int p = starts[k]; p < starts[k + 1]; p++)
            {
                for (int i = columns[p], next; i != -1 && i < k; i = next)
                {
                    next = ancestor[i];
                    ancestor[i] = k;
                    if (next == -1)
                        tree[i] = k;
                }
            }
        }
        return tree;
    }

    private int[] ColumnStarts(CancellationToken cancel)
    {
        var counts = new int[count];
        var mark = new int[count];
        Array.Fill(mark, -1);
        var stack = new int[count];
        for (int k = 0; k < count; k++)
        {
            if ((k & 1023) == 0)
                cancel.ThrowIfCancellationRequested();
            counts[k]++;
            for (int top = Reach(k, mark, stack); top < count; top++)
                counts[stack[top]]++;
        }
        var begins = new int[count + 1];
        for (int k = 0; k < count; k++)
            begins[k + 1] = checked(begins[k] + counts[k]);
        return begins;
    }

    /// <summary>
    /// Columns that row k of the factor touches, in an order in which each comes after those it depends on; from the returned place to the
    /// end.
    /// </summary>
    private int Reach(int k, int[] mark, int[] stack)
    {
        int top = count;
        mark[k] = k;
        for (int p = starts[k]; p < starts[k + 1]; p++)
        {
            int length = 0;
            for (int i = columns[p]; mark[i] != k; i = parent[i])
            {
                stack[length++] = i;
                mark[i] = k;
            }
            while (length > 0)
                stack[--top] = stack[--length];
        }
        return top;
    }

    /// <summary>Factors a matrix of the analysed pattern.</summary>
    /// <param name="blocks">Four numbers, row by row, for each neighbour of each vertex in the graph's order.</param>
    /// <param name="cancel">Ends the work early.</param>
    /// <returns>False where the matrix is not positive definite.</returns>
    public bool Factor(double[] blocks, CancellationToken cancel)
    {
        var mark = new int[count];
        Array.Fill(mark, -1);
        var stack = new int[count];
        var row = new double[4 * count];
        var ends = lowerStarts.AsSpan(0, count).ToArray();
        for (int k = 0; k < count; k++)
        {
            if ((k & 255) == 0)
                cancel.ThrowIfCancellationRequested();
            int top = Reach(k, mark, stack);
            for (int p = starts[k]; p < starts[k + 1]; p++)
                blocks.AsSpan(4 * source[p], 4).CopyTo(row.AsSpan(4 * columns[p], 4));
            double d00 = row[4 * k], d10 = row[4 * k + 2], d11 = row[4 * k + 3];
            row.AsSpan(4 * k, 4).Clear();
            for (; top < count; top++)
            {
                int i = stack[top];
                // The block of row k and column i: what is left of the matrix, times the inverse of the diagonal factor.
                var diagonal = lower.AsSpan(4 * lowerStarts[i], 4);
                double a = row[4 * i] / diagonal[0], c = row[4 * i + 2] / diagonal[0];
                double b = (row[4 * i + 1] - a * diagonal[2]) / diagonal[3], d = (row[4 * i + 3] - c * diagonal[2]) / diagonal[3];
                row.AsSpan(4 * i, 4).Clear();
                int end = ends[i]++;
                for (int p = lowerStarts[i] + 1; p < end; p++)
                {
                    var block = lower.AsSpan(4 * p, 4);
                    var into = row.AsSpan(4 * lowerRows[p], 4);
                    into[0] -= a * block[0] + b * block[1];
                    into[1] -= a * block[2] + b * block[3];
                    into[2] -= c * block[0] + d * block[1];
                    into[3] -= c * block[2] + d * block[3];
                }
                d00 -= a * a + b * b;
                d10 -= c * a + d * b;
                d11 -= c * c + d * d;
                lowerRows[end] = k;
                lower[4 * end] = a;
                lower[4 * end + 1] = b;
                lower[4 * end + 2] = c;
                lower[4 * end + 3] = d;
            }
            if (!(d00 > 0))
                return false;
            d00 = Math.Sqrt(d00);
            d10 /= d00;
            d11 -= d10 * d10;
            if (!(d11 > 0))
                return false;
            int first = ends[k]++;
            lowerRows[first] = k;
            lower[4 * first] = d00;
            lower[4 * first + 1] = 0;
            lower[4 * first + 2] = d10;
            lower[4 * first + 3] = Math.Sqrt(d11);
        }
        return true;
    }

    /// <summary>Solves with the last factor.</summary>
    /// <param name="right">Right-hand side, two numbers a vertex; receives the solution.</param>
    public void Solve(double[] right)
    {
        var x = new double[2 * count];
        for (int k = 0; k < count; k++)
        {
            x[2 * k] = right[2 * order[k]];
            x[2 * k + 1] = right[2 * order[k] + 1];
        }
        for (int k = 0; k < count; k++)
        {
            int p = lowerStarts[k];
            double u = x[2 * k] / lower[4 * p], v = (x[2 * k + 1] - lower[4 * p + 2] * u) / lower[4 * p + 3];
            x[2 * k] = u;
            x[2 * k + 1] = v;
            for (p++; p < lowerStarts[k + 1]; p++)
            {
                int r = 2 * lowerRows[p];
                x[r] -= lower[4 * p] * u + lower[4 * p + 1] * v;
                x[r + 1] -= lower[4 * p + 2] * u + lower[4 * p + 3] * v;
            }
        }
        for (int k = count - 1; k >= 0; k--)
        {
            int first = lowerStarts[k];
            double u = x[2 * k], v = x[2 * k + 1];
            for (int p = first + 1; p < lowerStarts[k + 1]; p++)
            {
                int r = 2 * lowerRows[p];
                u -= lower[4 * p] * x[r] + lower[4 * p + 2] * x[r + 1];
                v -= lower[4 * p + 1] * x[r] + lower[4 * p + 3] * x[r + 1];
            }
            v /= lower[4 * first + 3];
            x[2 * k + 1] = v;
            x[2 * k] = (u - lower[4 * first + 2] * v) / lower[4 * first];
        }
        for (int k = 0; k < count; k++)
        {
            right[2 * order[k]] = x[2 * k];
            right[2 * order[k] + 1] = x[2 * k + 1];
        }
    }
}
