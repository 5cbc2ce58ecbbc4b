using System.Numerics;
using Crumpet.Core.Geometry;
using Crumpet.Core.Layout;

namespace Crumpet.Core.Building;

/// <summary>A place on the low side, as the islands' view or the stage know it.</summary>
/// <param name="Corner">Three times the triangle plus the corner, numbered over all objects as in the view; null where an object is named.</param>
/// <param name="ObjectName">Name of the object.</param>
/// <param name="At">Where on it, metres.</param>
public sealed record LowPlace(int? Corner, string? ObjectName = null, Vector3? At = null)
{
    /// <summary>Edges to cut or sew up; null where the place is on none of the objects.</summary>
    /// <param name="objects">Objects, in the order of the view.</param>
    /// <param name="reach">How far to go on from the nearest edge.</param>
    /// <param name="from">Where a path begins, metres, or null.</param>
    /// <returns>Edges, with half-edges numbered over all objects.</returns>
    internal PickedEdges? Pick(IReadOnlyList<Mesh> objects, EdgeReach reach, Vector3? from)
    {
        if (Find(objects) is not { } found)
            return null;
        var picks = new EdgePicks(found.Mesh);
        var picked = picks.Pick(found.Corner ?? picks.Nearest(At!.Value), At, reach, from);
        return picked with { HalfEdges = [.. picked.HalfEdges.Select(h => h + found.First)] };
    }

    /// <summary>A pin that holds the vertex at this corner; null where there is no such corner.</summary>
    internal UvPin? Pin(IReadOnlyList<Mesh> objects, float u, float v)
    {
        if (Find(objects) is not { Corner: { } corner } found)
            return null;
        var at = found.Mesh.PositionAt(corner);
        return new UvPin(found.Mesh.Name, at.X, at.Y, at.Z, u, v);
    }

    private (Mesh Mesh, int First, int? Corner)? Find(IReadOnlyList<Mesh> objects)
    {
        int first = 0;
        foreach (var mesh in objects)
        {
            int corners = mesh.Corners.Length;
            if (Corner is null ? mesh.Name == ObjectName && At is not null : Corner >= first && Corner < first + corners)
                return (mesh, first, Corner - first);
            first += corners;
        }
        return null;
    }
}
