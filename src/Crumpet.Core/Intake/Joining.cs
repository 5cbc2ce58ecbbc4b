using System.Numerics;
using Crumpet.Core.Checking;
using Crumpet.Core.Geometry;

namespace Crumpet.Core.Intake;

/// <summary>Makes few objects of very many.</summary>
internal static class Joining
{
    /// <summary>What objects must have in common to become one.</summary>
    private sealed record Kind(string File, Side Side, Side? ForcedSide, int Material, bool HasNormals, int UvSets, bool HasColours, bool IsHidden);

    /// <summary>Joins the objects of a file that have side and material in common; objects of several materials are taken apart first.</summary>
    /// <returns>How many objects became part of another one.</returns>
    public static int ByMaterial(JoinByMaterial mend, IntakeState state, CancellationToken cancel)
    {
        var isFor = mend.Chooser();
        var others = new List<IntakeObject>();
        var groups = new Dictionary<Kind, List<Mesh>>();
        int joined = 0;
        foreach (var o in state.Objects)
        {
            cancel.ThrowIfCancellationRequested();
            if (!isFor(o) || o.IsFar || o.Mesh.TriangleCount == 0)
            {
                others.Add(o);
                continue;
            }
            joined++;
            foreach (int material in o.Mesh.TriangleMaterials.Distinct())
            {
                var kind = new Kind(o.File, state.SideOf(o), o.ForcedSide, material, o.Mesh.Normals is not null, o.Mesh.UvSets.Count,
                    o.Mesh.Colours is not null, o.Mesh.IsHidden);
                if (!groups.TryGetValue(kind, out var meshes))
                    groups.Add(kind, meshes = []);
                meshes.Add(MeshRepair.Keep(o.Mesh, t => o.Mesh.TriangleMaterials[t] == material, out _));
            }
        }
        if (groups.Values.All(g => g.Count < 2))
            return 0;
        var taken = others.Select(o => o.Mesh.Name).ToHashSet(StringComparer.Ordinal);
        foreach (var (kind, meshes) in groups)
        {
            cancel.ThrowIfCancellationRequested();
            string name = Free(kind.Material < 0 ? "plain" : state.Materials[kind.Material].Name, kind.Side, state.Names, taken);
            others.Add(new IntakeObject(kind.File, name, Joined(meshes, name, kind.Material)) { ForcedSide = kind.ForcedSide });
        }
        state.Objects.Clear();
        state.Objects.AddRange(others);
        return joined - groups.Count;
    }

    /// <summary>A name that says material and side and that no other object has.</summary>
    private static string Free(string material, Side side, NameReader names, HashSet<string> taken)
    {
        string part = SafeName.Of(material);
        for (int number = 1; ; number++)
        {
            string numbered = number == 1 ? part : $"{part}{number}";
            string name = side is Side.Low or Side.High or Side.Cage ? names.Write(numbered, side) : numbered;
            if (taken.Add(name))
                return name;
        }
    }

    private static Mesh Joined(List<Mesh> meshes, string name, int material)
    {
        var (positions, corners) = Mesh.Join(meshes);
        var first = meshes[0];
        var polygons = new List<int>(corners.Length / 3);
        int polygon = 0;
        foreach (var mesh in meshes)
        {
            int highest = -1;
            for (int t = 0; t < mesh.TriangleCount; t++)
            {
                int own = mesh.TrianglePolygons?[t] ?? t;
                polygons.Add(polygon + own);
                highest = Math.Max(highest, own);
            }
            polygon += highest + 1;
        }
        return new Mesh
        {
            Name = name,
            Positions = positions,
            Corners = corners,
            Normals = first.Normals is null ? null : All(m => m.Normals!),
            UvSets = [.. Enumerable.Range(0, first.UvSets.Count).Select(set => All(m => m.UvSets[set]))],
            Colours = first.Colours is null ? null : All(m => m.Colours!),
            TriangleMaterials = [.. Enumerable.Repeat(material, corners.Length / 3)],
            TrianglePolygons = [.. polygons],
            PolygonCount = polygons.Distinct().Count(),
            IsHidden = first.IsHidden,
        };

        T[] All<T>(Func<Mesh, T[]> of) => [.. meshes.SelectMany(of)];
    }
}
