using System.Numerics;
using Crumpet.Core.Geometry;
using Crumpet.Core.Tracing;

namespace Crumpet.Core.Layout;

/// <summary>What was chosen by hand on one object: islands and edges, found again by where they are.</summary>
internal sealed class ChosenIslands
{
    private readonly LayoutSettings settings;
    private readonly Mesh mesh;
    private readonly HashSet<int> unwrapped;
    private readonly HashSet<int> locked;

    public ChosenIslands(LayoutSettings settings, Mesh mesh)
    {
        this.settings = settings;
        this.mesh = mesh;
        var tree = new Lazy<SurfaceTree>(() => SurfaceTree.Build([mesh]));
        unwrapped = Triangles(settings.UnwrapAt);
        locked = Triangles(settings.LockedAt);
        Edges = [.. settings.Seams.Where(s => s.ObjectName == mesh.Name)];

        HashSet<int> Triangles(IEnumerable<SurfaceSpot> spots) =>
            [.. spots.Where(s => s.ObjectName == mesh.Name).Select(s => tree.Value.Nearest(new Vector3(s.X, s.Y, s.Z), float.PositiveInfinity).Triangle)];
    }

    private SeamEdge[] Edges { get; }

    /// <summary>Whether edges were cut or sewn up by hand.</summary>
    public bool HasSeams => Edges.Length > 0;

    /// <summary>Whether an island of kept UVs is to be unwrapped all the same.</summary>
    public bool IsUnwrapped(FlatChart island) => unwrapped.Count > 0 && island.Chart.Triangles.Any(unwrapped.Contains);

    /// <summary>Whether an island stays where it is.</summary>
    public bool IsLocked(FlatChart island) => locked.Count > 0 && island.Chart.Triangles.Any(locked.Contains);

    /// <summary>For each half-edge whether charts end there: by the rules, as changed by hand.</summary>
    public bool[] Seams(Topology topology)
    {
        bool[] isSeam = SeamRules.Seams(topology, settings.Unwrap);
        if (!HasSeams)
            return isSeam;
        var ends = new Dictionary<(Vector3, Vector3), List<int>>();
        for (int c = 0; c < isSeam.Length; c++)
        {
            var key = Key(mesh.PositionAt(c), mesh.PositionAt(Topology.Next(c)));
            if (!ends.TryGetValue(key, out var list))
                ends.Add(key, list = []);
            list.Add(c);
        }
        foreach (var edge in Edges)
        {
            var key = Key(new Vector3(edge.Ax, edge.Ay, edge.Az), new Vector3(edge.Bx, edge.By, edge.Bz));
            foreach (int c in ends.GetValueOrDefault(key) ?? [])
            {
                // Only an edge with two triangles that agree about the outside can be sewn up.
                if (topology.Across[c] >= 0 && !topology.SameWay[c])
                    isSeam[c] = edge.IsCut;
            }
        }
        return isSeam;
    }

    private static (Vector3, Vector3) Key(Vector3 a, Vector3 b)
    {
        a += Vector3.Zero;
        b += Vector3.Zero;
        return (a.X, a.Y, a.Z).CompareTo((b.X, b.Y, b.Z)) <= 0 ? (a, b) : (b, a);
    }
}
