namespace Crumpet.Core.Layout;

/// <summary>
/// Solves symmetric positive definite systems over the vertices of a mesh with two unknowns a vertex. The pattern is
/// analysed once; factors for new numbers follow quickly.
/// </summary>
/// <remarks>
/// Vertices whose columns look alike are factored together as dense panels, each panel handing what is left for later ones on to the
/// next that it touches. Every number is made by the same operations in the same order however wide the machine's vectors are.
/// Sources: T. A. Davis, "Direct Methods for Sparse Linear Systems", 2006, chapter 4, for the pattern; I. S. Duff, J. K. Reid,
/// "The Multifrontal Solution of Indefinite Sparse Symmetric Linear Systems", 1983, for panels.
/// </remarks>
internal sealed class BlockCholesky
{
    /// <summary>Zeros a panel may hold: a few, and a share of its numbers.</summary>
    private const int FewZeros = 24, ZeroShare = 4;

    private readonly int count;
    private readonly int[] order;
    private readonly int[] place;
    private readonly int[] starts;
    private readonly int[] columns;
    private readonly int[] parent;
    private readonly VertexGraph graph;
    private readonly Panel[] panels;
    private readonly int widest;

    /// <summary>Columns that are factored together.</summary>
    /// <param name="First">First column.</param>
    /// <param name="Width">How many.</param>
    /// <param name="Rows">Rows below that they touch, ascending.</param>
    /// <param name="Children">Panels whose first such row lies in this one.</param>
    private sealed record Panel(int First, int Width, int[] Rows, List<int> Children)
    {
        /// <summary>Column by column, each of all rows of the panel; numbers above the diagonal mean nothing.</summary>
        public double[] Numbers { get; } = new double[checked(4 * Width * (Width + Rows.Length))];

        /// <summary>Numbers in a column.</summary>
        public int Height => 2 * (Width + Rows.Length);
    }

    /// <summary>Analyses the pattern of a graph.</summary>
    /// <param name="graph">Who is whose neighbour.</param>
    /// <param name="cancel">Ends the work early.</param>
    public BlockCholesky(VertexGraph graph, CancellationToken cancel)
    {
        this.graph = graph;
        count = graph.VertexCount;
        order = NestedDissection.Order(graph.Starts, graph.Neighbours, cancel);
        place = new int[count];
        for (int i = 0; i < count; i++)
            place[order[i]] = i;
        // Row k of the lower triangle in the new order.
        starts = new int[count + 1];
        for (int k = 0; k < count; k++)
        {
            int v = order[k], inside = 0;
            for (int n = graph.Starts[v]; n < graph.Starts[v + 1]; n++)
                inside += place[graph.Neighbours[n]] <= k ? 1 : 0;
            starts[k + 1] = starts[k] + inside;
        }
        columns = new int[starts[count]];
        for (int k = 0, at = 0; k < count; k++)
        {
            int v = order[k];
            for (int n = graph.Starts[v]; n < graph.Starts[v + 1]; n++)
            {
                if (place[graph.Neighbours[n]] <= k)
                    columns[at++] = place[graph.Neighbours[n]];
            }
        }
        parent = EliminationTree();
        panels = Panels(ColumnCounts(cancel));
        widest = panels.Length == 0 ? 0 : panels.Max(p => p.Height);
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

    /// <summary>Numbers of blocks in each column of the factor, diagonal included.</summary>
    private int[] ColumnCounts(CancellationToken cancel)
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
        return counts;
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

    private Panel[] Panels(int[] counts)
    {
        var made = new List<Panel>();
        var panelOf = new int[count];
        var children = new List<List<int>>();
        var mark = new int[count];
        Array.Fill(mark, -1);
        var firsts = new List<int>();
        for (int k = 0, filled = 0; k < count; k++)
        {
            // A column joins the one before where it is its parent and hardly any zeros come in.
            bool joins = k > 0 && parent[k - 1] == k;
            if (joins)
            {
                int width = k - firsts[^1], zeros = width * (counts[k] + 1 - counts[k - 1]);
                joins = zeros == 0 || filled + zeros <= FewZeros + (width + 1) * (counts[k] + width) / ZeroShare;
                filled = joins ? filled + zeros : 0;
            }
            if (!joins)
            {
                filled = 0;
                firsts.Add(k);
            }
            panelOf[k] = firsts.Count - 1;
        }
        for (int i = 0; i < firsts.Count; i++)
            children.Add([]);
        var rows = new List<int>();
        for (int i = 0; i < firsts.Count; i++)
        {
            int first = firsts[i], end = i + 1 < firsts.Count ? firsts[i + 1] : count;
            rows.Clear();
            for (int k = first; k < end; k++)
            {
                int v = order[k];
                for (int n = graph.Starts[v]; n < graph.Starts[v + 1]; n++)
                    Touch(place[graph.Neighbours[n]]);
            }
            foreach (int child in children[i])
            {
                foreach (int row in made[child].Rows)
                    Touch(row);
            }
            rows.Sort();
            made.Add(new Panel(first, end - first, [.. rows], children[i]));
            if (rows.Count > 0)
                children[panelOf[rows[0]]].Add(i);

            void Touch(int row)
            {
                if (row < end || mark[row] == i)
                    return;
                mark[row] = i;
                rows.Add(row);
            }
        }
        return [.. made];
    }

    /// <summary>Factors a matrix of the analysed pattern.</summary>
    /// <param name="blocks">Four numbers, row by row, for each neighbour of each vertex in the graph's order.</param>
    /// <param name="cancel">Ends the work early.</param>
    /// <returns>False where the matrix is not positive definite.</returns>
    public bool Factor(double[] blocks, CancellationToken cancel)
    {
        var left = new double[]?[panels.Length];
        // Where each row lies in the panel at hand, in blocks.
        var at = new int[count];
        for (int i = 0; i < panels.Length; i++)
        {
            cancel.ThrowIfCancellationRequested();
            var panel = panels[i];
            int below = 2 * panel.Rows.Length, height = panel.Height, width = 2 * panel.Width;
            for (int r = 0; r < panel.Rows.Length; r++)
                at[panel.Rows[r]] = panel.Width + r;
            for (int k = 0; k < panel.Width; k++)
                at[panel.First + k] = k;
            double[] numbers = panel.Numbers, update = new double[below * below];
            Array.Clear(numbers);
            for (int k = 0; k < panel.Width; k++)
            {
                int v = order[panel.First + k], own = 2 * k * height;
                for (int n = graph.Starts[v]; n < graph.Starts[v + 1]; n++)
                {
                    if (place[graph.Neighbours[n]] < panel.First + k)
                        continue;
                    int r = own + 2 * at[place[graph.Neighbours[n]]];
                    (numbers[r], numbers[r + height], numbers[r + 1], numbers[r + 1 + height]) = (blocks[4 * n], blocks[4 * n + 2], blocks[4 * n + 1],
                        blocks[4 * n + 3]);
                }
            }
            foreach (int child in panel.Children)
            {
                HandOn(left[child]!, panels[child].Rows, at, panel, update);
                left[child] = null;
            }
            if (!DensePanel.Factor(numbers, height, width))
                return false;
            for (int c = 0; c < below; c += 2)
            {
                DensePanel.SubtractTwo(numbers, height, width, width + c, width + c, height, update.AsSpan(c * below), update.AsSpan((c + 1) * below), width);
            }
            left[i] = update;
        }
        return true;
    }

    /// <summary>Adds what a panel left for later ones to the next.</summary>
    private static void HandOn(double[] from, int[] rows, int[] at, Panel panel, double[] update)
    {
        int size = 2 * rows.Length, height = panel.Height, width = 2 * panel.Width, below = height - width;
        for (int c = 0; c < size; c++)
        {
            int column = 2 * at[rows[c >> 1]] + (c & 1);
            var into = column < width ? panel.Numbers.AsSpan(column * height) : update.AsSpan((column - width) * below);
            int shift = column < width ? 0 : width;
            for (int r = c & ~1; r < size; r += 2)
            {
                int row = 2 * at[rows[r >> 1]] - shift;
                into[row] += from[c * size + r];
                into[row + 1] += from[c * size + r + 1];
            }
        }
    }

    /// <summary>Solves with the last factor.</summary>
    /// <param name="right">Right-hand side, two numbers a vertex; receives the solution.</param>
    public void Solve(double[] right)
    {
        var x = new double[2 * count];
        for (int k = 0; k < count; k++)
            (x[2 * k], x[2 * k + 1]) = (right[2 * order[k]], right[2 * order[k] + 1]);
        var own = new double[widest];
        foreach (var panel in panels)
        {
            int height = panel.Height, width = 2 * panel.Width;
            Array.Clear(own, 0, height);
            x.AsSpan(2 * panel.First, width).CopyTo(own);
            for (int c = 0; c < width; c++)
            {
                var column = panel.Numbers.AsSpan(c * height, height);
                double value = own[c] /= column[c];
                for (int r = c + 1; r < height; r++)
                    own[r] -= column[r] * value;
            }
            own.AsSpan(0, width).CopyTo(x.AsSpan(2 * panel.First));
            for (int r = 0; r < panel.Rows.Length; r++)
            {
                x[2 * panel.Rows[r]] += own[width + 2 * r];
                x[2 * panel.Rows[r] + 1] += own[width + 2 * r + 1];
            }
        }
        for (int i = panels.Length - 1; i >= 0; i--)
        {
            var panel = panels[i];
            int height = panel.Height, width = 2 * panel.Width;
            x.AsSpan(2 * panel.First, width).CopyTo(own);
            for (int r = 0; r < panel.Rows.Length; r++)
                (own[width + 2 * r], own[width + 2 * r + 1]) = (x[2 * panel.Rows[r]], x[2 * panel.Rows[r] + 1]);
            for (int c = width - 1; c >= 0; c--)
            {
                var column = panel.Numbers.AsSpan(c * height, height);
                double value = own[c];
                for (int r = c + 1; r < height; r++)
                    value -= column[r] * own[r];
                own[c] = value / column[c];
            }
            own.AsSpan(0, width).CopyTo(x.AsSpan(2 * panel.First));
        }
        for (int k = 0; k < count; k++)
            (right[2 * order[k]], right[2 * order[k] + 1]) = (x[2 * k], x[2 * k + 1]);
    }
}
