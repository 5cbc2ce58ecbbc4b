using System.Numerics;
using Crumpet.Core.Geometry;
using Crumpet.Core.Tracing;

namespace Crumpet.Core.Layout;

/// <summary>Where charts of an object end before any is too stretched.</summary>
/// <param name="IsSeam">For each half-edge whether it is cut.</param>
/// <param name="IsSoft">For each half-edge whether charts are parted there first, to be sewn up again where they can be.</param>
internal sealed record SeamPlan(bool[] IsSeam, bool[] IsSoft)
{
    /// <summary>Whether two objects are cut alike.</summary>
    public bool IsLike(SeamPlan other) => IsSeam.AsSpan().SequenceEqual(other.IsSeam) && IsSoft.AsSpan().SequenceEqual(other.IsSoft);
}

/// <summary>What was chosen by hand on one object: islands and edges, found again by where they are.</summary>
internal sealed class ChosenIslands
{
    private readonly LayoutSettings settings;
    private readonly Topology topology;
    private readonly HashSet<int> unwrapped;

    /// <summary>For each half-edge that was chosen whether it is cut; otherwise it is sewn up.</summary>
    private readonly Dictionary<int, bool> seams;

    public ChosenIslands(LayoutSettings settings, Topology topology)
    {
        this.settings = settings;
        this.topology = topology;
        var mesh = topology.Mesh;
        unwrapped = TrianglesAt(mesh, settings.UnwrapAt);
        seams = ByHand();
    }

    /// <summary>The triangles of an object on which places lie.</summary>
    public static HashSet<int> TrianglesAt(Mesh mesh, IEnumerable<SurfaceSpot> spots)
    {
        var tree = new Lazy<SurfaceTree>(() => SurfaceTree.Build([mesh]));
        return [.. spots.Where(s => s.ObjectName == mesh.Name).Select(s => tree.Value.Nearest(new Vector3(s.X, s.Y, s.Z), float.PositiveInfinity).Triangle)];
    }

    /// <summary>Whether edges were cut or sewn up by hand.</summary>
    private bool HasSeams => seams.Count > 0;

    /// <summary>Whether an island of kept UVs is to be unwrapped all the same: it was chosen, or it is cut inside or sewn up on its border.</summary>
    public bool IsUnwrapped(FlatChart island)
    {
        if (unwrapped.Count > 0 && island.Chart.Triangles.Any(unwrapped.Contains))
            return true;
        for (int c = 0; c < island.Chart.Across.Length && HasSeams; c++)
        {
            if (seams.TryGetValue(3 * island.Chart.Triangles[c / 3] + c % 3, out bool isCut) && isCut == island.Chart.Across[c] >= 0)
                return true;
        }
        return false;
    }

    /// <summary>Where charts end: by the rules, as changed by hand.</summary>
    public SeamPlan Seams()
    {
        bool[] isSeam = SeamRules.Seams(topology, settings.Unwrap), isSoft = SeamRules.Soft(topology, settings.Unwrap);
        foreach (var (corner, isCut) in seams)
            (isSeam[corner], isSoft[corner]) = (isCut, false);
        return new SeamPlan(isSeam, isSoft);
    }

    private Dictionary<int, bool> ByHand()
    {
        var mesh = topology.Mesh;
        var edges = settings.Seams.Where(s => s.ObjectName == mesh.Name).ToArray();
        var found = new Dictionary<int, bool>();
        if (edges.Length == 0)
            return found;
        var chosen = new Dictionary<(string, Vector3, Vector3), bool>();
        foreach (var edge in edges)
            chosen[edge.Key] = edge.IsCut;
        for (int c = 0; c < mesh.Corners.Length; c++)
        {
            // Only an edge with two triangles that agree about the outside can be sewn up.
            if (topology.Across[c] >= 0 && !topology.SameWay[c]
                && chosen.TryGetValue(SeamEdge.KeyOf(mesh.Name, mesh.PositionAt(c), mesh.PositionAt(Topology.Next(c))), out bool isCut))
                found[c] = isCut;
        }
        return found;
    }
}
