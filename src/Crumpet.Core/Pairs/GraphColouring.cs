namespace Crumpet.Core.Pairs;

/// <summary>A colouring of a graph and how good it is.</summary>
/// <param name="Colours">Colour of each vertex, from 0.</param>
/// <param name="Count">Colours needed: the greatest plus one.</param>
/// <param name="AtLeast">No colouring has fewer.</param>
/// <param name="Clique">Vertices that are all neighbours of each other, as many as were found.</param>
public sealed record Colouring(int[] Colours, int Count, int AtLeast, IReadOnlyList<int> Clique);

/// <summary>Colours graphs with few colours so that no two neighbours share one.</summary>
/// <remarks>
/// Source: D. Brélaz, "New methods to color the vertices of a graph", 1979: the vertex with most colours among its neighbours comes
/// next; every choice is tried, and a branch is left when it cannot beat the best colouring. Cliques by C. Bron, J. Kerbosch,
/// "Algorithm 457: finding all cliques of an undirected graph", 1973, with pivots.
/// </remarks>
public static class GraphColouring
{
    /// <summary>Up to so many vertices the search always goes on to its end.</summary>
    public const int ExactUpTo = 40;

    private const int Patience = 100_000;

    /// <summary>Colours a graph.</summary>
    /// <param name="neighbours">For each vertex its neighbours; both ways, without itself.</param>
    /// <param name="given">Colours that are given, -1 for none; neighbours may share a given one.</param>
    /// <param name="cancel">Ends the search early.</param>
    public static Colouring Colour(IReadOnlyList<IReadOnlySet<int>> neighbours, IReadOnlyList<int> given, CancellationToken cancel = default)
    {
        var colours = given.ToArray();
        int atLeast = given.Count > 0 ? given.Max() + 1 : 0;
        List<int> largest = [];
        foreach (int[] component in Components(neighbours))
        {
            var clique = LargestClique(neighbours, component, cancel);
            if (clique.Count > largest.Count)
                largest = clique;
            var search = new Search(neighbours, component, colours, clique.Count, component.Length <= ExactUpTo ? long.MaxValue : Patience, cancel);
            search.Run();
            atLeast = Math.Max(atLeast, search.IsProved ? search.Count : clique.Count);
        }
        return new Colouring(colours, colours.Length > 0 ? colours.Max() + 1 : 0, atLeast, largest);
    }

    /// <summary>Vertices that hang together, each group ascending, groups by their first vertex.</summary>
    public static IReadOnlyList<int[]> Components(IReadOnlyList<IReadOnlySet<int>> neighbours)
    {
        var seen = new bool[neighbours.Count];
        var result = new List<int[]>();
        for (int start = 0; start < seen.Length; start++)
        {
            if (seen[start])
                continue;
            var found = new List<int>();
            var open = new Stack<int>([start]);
            seen[start] = true;
            while (open.TryPop(out int v))
            {
                found.Add(v);
                foreach (int n in neighbours[v])
                {
                    if (!seen[n])
                    {
                        seen[n] = true;
                        open.Push(n);
                    }
                }
            }
            found.Sort();
            result.Add([.. found]);
        }
        return result;
    }

    private static List<int> LargestClique(IReadOnlyList<IReadOnlySet<int>> neighbours, int[] component, CancellationToken cancel)
    {
        var best = new List<int>();
        if (component.Length <= ExactUpTo)
            Grow([], [.. component], []);
        else
            best = component.Select(Greedy).MaxBy(c => c.Count)!;
        best.Sort();
        return best;

        // From each vertex on, whoever leaves most to choose from.
        List<int> Greedy(int start)
        {
            cancel.ThrowIfCancellationRequested();
            var clique = new List<int> { start };
            var candidates = neighbours[start].Order().ToList();
            while (candidates.Count > 0)
            {
                int next = candidates.MaxBy(v => candidates.Count(neighbours[v].Contains));
                clique.Add(next);
                candidates.RemoveAll(v => !neighbours[next].Contains(v));
            }
            return clique;
        }

        void Grow(List<int> clique, List<int> candidates, List<int> done)
        {
            cancel.ThrowIfCancellationRequested();
            if (clique.Count > best.Count)
                best = [.. clique];
            if (clique.Count + candidates.Count <= best.Count)
                return;
            int pivot = candidates.Concat(done).MaxBy(v => candidates.Count(neighbours[v].Contains));
            foreach (int v in candidates.Where(v => !neighbours[pivot].Contains(v)).ToArray())
            {
                Grow([.. clique, v], [.. candidates.Where(neighbours[v].Contains)], [.. done.Where(neighbours[v].Contains)]);
                candidates.Remove(v);
                done.Add(v);
            }
        }
    }

    /// <summary>The search of one component, on numbers of its own.</summary>
    private sealed class Search
    {
        private readonly int[] component;
        private readonly int[][] neighbours;
        private readonly int clique;
        private readonly long patience;
        private readonly CancellationToken cancel;
        private readonly int[] colours;
        private readonly int[] now;

        /// <summary>For each vertex and colour, how many neighbours have it.</summary>
        private readonly int[,] around;

        /// <summary>For each vertex, how many colours its neighbours have.</summary>
        private readonly int[] saturation;
        private int[]? best;
        private long steps;
        private bool gaveUp;

        public Search(IReadOnlyList<IReadOnlySet<int>> neighbours, int[] component, int[] colours, int clique, long patience, CancellationToken cancel)
        {
            this.component = component;
            this.colours = colours;
            this.clique = clique;
            this.patience = patience;
            this.cancel = cancel;
            var place = component.Select((v, i) => (v, i)).ToDictionary(p => p.v, p => p.i);
            this.neighbours = [.. component.Select(v => neighbours[v].Select(n => place[n]).Order().ToArray())];
            now = Enumerable.Repeat(-1, component.Length).ToArray();
            saturation = new int[component.Length];
            around = new int[component.Length, Math.Max(component.Length, component.Max(v => colours[v]) + 1) + 1];
        }

        /// <summary>Colours of the best colouring.</summary>
        public int Count { get; private set; } = int.MaxValue;

        public bool IsProved => !gaveUp || Count <= clique;

        public void Run()
        {
            int used = 0, left = component.Length;
            for (int i = 0; i < component.Length; i++)
            {
                if (colours[component[i]] < 0)
                    continue;
                Give(i, colours[component[i]]);
                used = Math.Max(used, now[i] + 1);
                left--;
            }
            Step(used, left, Math.Max(used, clique));
            for (int i = 0; i < component.Length; i++)
                colours[component[i]] = best![i];
        }

        /// <summary>Colours the rest; stops when as few colours as there can be are found.</summary>
        private bool Step(int used, int left, int least)
        {
            if (used >= Count)
                return false;
            if (left == 0)
            {
                best = [.. now];
                Count = used;
                return Count <= least;
            }
            cancel.ThrowIfCancellationRequested();
            if (best is not null && ++steps > patience)
            {
                gaveUp = true;
                return true;
            }
            int vertex = Next();
            for (int colour = 0; colour <= used && colour < Count - 1; colour++)
            {
                if (around[vertex, colour] > 0)
                    continue;
                Give(vertex, colour);
                bool done = Step(Math.Max(used, colour + 1), left - 1, least);
                Take(vertex);
                if (done)
                    return true;
            }
            return false;
        }

        private void Give(int vertex, int colour)
        {
            now[vertex] = colour;
            foreach (int n in neighbours[vertex])
                if (around[n, colour]++ == 0)
                    saturation[n]++;
        }

        private void Take(int vertex)
        {
            int colour = now[vertex];
            now[vertex] = -1;
            foreach (int n in neighbours[vertex])
                if (--around[n, colour] == 0)
                    saturation[n]--;
        }

        private int Next()
        {
            int next = -1;
            for (int v = 0; v < now.Length; v++)
            {
                if (now[v] < 0 && (next < 0 || saturation[v] > saturation[next]
                    || (saturation[v] == saturation[next] && neighbours[v].Length > neighbours[next].Length)))
                    next = v;
            }
            return next;
        }
    }
}
