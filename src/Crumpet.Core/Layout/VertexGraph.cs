using Crumpet.Core.Geometry;

namespace Crumpet.Core.Layout;

/// <summary>Which vertices of a chart share an edge, each with itself: the pattern of its matrices.</summary>
internal sealed class VertexGraph
{
    private readonly int[] slots;

    /// <summary>The graph of a chart.</summary>
    public VertexGraph(ChartMesh chart)
    {
        int count = chart.VertexCount;
        var lists = new List<int>[count];
        for (int v = 0; v < count; v++)
            lists[v] = [v];
        for (int c = 0; c < chart.Corners.Length; c++)
        {
            int a = chart.Corners[c], b = chart.Corners[Topology.Next(c)];
            if (chart.Across[c] > c || chart.Across[c] < 0)
            {
                lists[a].Add(b);
                lists[b].Add(a);
            }
        }
        Starts = new int[count + 1];
        for (int v = 0; v < count; v++)
        {
            // A border may run along one edge twice.
            lists[v] = [.. lists[v].Distinct().Order()];
            Starts[v + 1] = Starts[v] + lists[v].Count;
        }
        Neighbours = new int[Starts[count]];
        for (int v = 0; v < count; v++)
            lists[v].CopyTo(Neighbours, Starts[v]);
        slots = new int[9 * chart.TriangleCount];
        for (int t = 0; t < chart.TriangleCount; t++)
        {
            for (int i = 0; i < 3; i++)
            {
                for (int j = 0; j < 3; j++)
                    slots[9 * t + 3 * i + j] = Slot(chart.Corners[3 * t + i], chart.Corners[3 * t + j]);
            }
        }
    }

    public int VertexCount => Starts.Length - 1;

    /// <summary>Where each vertex's neighbours begin.</summary>
    public int[] Starts { get; }

    /// <summary>Neighbours of all vertices, ascending for each.</summary>
    public int[] Neighbours { get; }

    /// <summary>Place among <see cref="Neighbours"/> of each pair of a triangle's corners, nine a triangle, row by row.</summary>
    public ReadOnlySpan<int> Slots(int triangle) => slots.AsSpan(9 * triangle, 9);

    /// <summary>Place of a vertex among another's neighbours.</summary>
    public int Slot(int vertex, int neighbour) => Array.BinarySearch(Neighbours, Starts[vertex], Starts[vertex + 1] - Starts[vertex], neighbour);
}
