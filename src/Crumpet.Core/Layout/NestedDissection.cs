namespace Crumpet.Core.Layout;

/// <summary>
/// Orders the vertices of a graph so that a Cholesky factor stays sparse: a thin separator is numbered after the two halves
/// it parts, and so on inside them.
/// </summary>
/// <remarks>
/// Source: A. George, "Nested dissection of a regular finite element mesh", 1973; separators are levels of a breadth-first
/// search from a far vertex (J. Liu, A. George, "An automatic nested dissection algorithm for irregular finite element problems", 1978).
/// </remarks>
internal static class NestedDissection
{
    private const int LeafSize = 12;

    /// <summary>The vertex that comes first, second and so on.</summary>
    /// <param name="starts">Where each vertex's neighbours begin in <paramref name="neighbours"/>; one more entry than vertices.</param>
    /// <param name="neighbours">Neighbours; a vertex may be its own.</param>
    /// <param name="cancel">Ends the work early.</param>
    public static int[] Order(int[] starts, int[] neighbours, CancellationToken cancel)
    {
        int count = starts.Length - 1;
        var work = new Work(starts, neighbours, new int[count], new int[count], cancel);
        work.Recurse([.. Enumerable.Range(0, count)]);
        return [.. work.Order];
    }

    private sealed class Work(int[] starts, int[] neighbours, int[] owner, int[] level, CancellationToken cancel)
    {
        private int nextOwner = 1;

        public List<int> Order { get; } = new(owner.Length);

        public void Recurse(int[] vertices)
        {
            cancel.ThrowIfCancellationRequested();
            if (vertices.Length <= LeafSize)
            {
                Order.AddRange(vertices);
                return;
            }
            int mine = nextOwner++;
            foreach (int v in vertices)
                owner[v] = mine;
            var queue = new List<int>(vertices.Length);
            Search(vertices[0], mine, queue);
            if (queue.Count < vertices.Length)
            {
                // Not connected: the piece that was reached, then the rest.
                int[] piece = [.. queue];
                foreach (int v in piece)
                    level[v] = -1;
                int[] rest = [.. vertices.Where(v => level[v] != -1)];
                Recurse(piece);
                Recurse(rest);
                return;
            }
            Search(queue[^1], mine, queue);
            int last = level[queue[^1]];
            if (last < 2)
            {
                Order.AddRange(vertices);
                return;
            }
            int cut = BestLevel(queue, last);
            int from = queue.FindIndex(v => level[v] == cut), to = queue.FindIndex(v => level[v] == cut + 1);
            int[] before = [.. queue[..from]], separator = [.. queue[from..to]], after = [.. queue[to..]];
            Recurse(before);
            Recurse(after);
            Order.AddRange(separator);
        }

        /// <summary>The thinnest level in the middle third; neither the first nor the last.</summary>
        private int BestLevel(List<int> queue, int last)
        {
            var sizes = new int[last + 1];
            foreach (int v in queue)
                sizes[level[v]]++;
            int best = -1, middle = 1, before = 0;
            for (int i = 0; i < last; before += sizes[i++])
            {
                if (i == 0)
                    continue;
                if (before < queue.Count / 2)
                    middle = i;
                if (before > queue.Count / 3 && before + sizes[i] < 2 * queue.Count / 3 && (best < 0 || sizes[i] < sizes[best]))
                    best = i;
            }
            return best < 0 ? middle : best;
        }

        private void Search(int start, int mine, List<int> queue)
        {
            foreach (int v in queue)
                level[v] = 0;
            queue.Clear();
            queue.Add(start);
            // While searching, owners are negative for what was met.
            owner[start] = -mine;
            level[start] = 0;
            for (int i = 0; i < queue.Count; i++)
            {
                int v = queue[i];
                for (int n = starts[v]; n < starts[v + 1]; n++)
                {
                    int other = neighbours[n];
                    if (owner[other] != mine)
                        continue;
                    owner[other] = -mine;
                    level[other] = level[v] + 1;
                    queue.Add(other);
                }
            }
            foreach (int v in queue)
                owner[v] = mine;
        }
    }
}
