using System.Numerics;
using Crumpet.Core.Geometry;

namespace Crumpet.Demo;

/// <summary>A part of a demo asset.</summary>
/// <param name="Name">Name of the part.</param>
/// <param name="Shape">Its shape; parts with the same one are copies and share its place on the sheet.</param>
/// <param name="Transform">Where it stands.</param>
internal sealed record AssemblyPart(string Name, Shape Shape, Matrix4x4 Transform);

/// <summary>Puts parts together into the two sides of an asset.</summary>
internal static class Assembly
{
    /// <summary>The low side: one object a part, one material, UVs at one density.</summary>
    /// <param name="fileName">File it is for.</param>
    /// <param name="parts">Parts.</param>
    /// <param name="material">Material of all faces.</param>
    /// <param name="copiesShare">Whether copies of a shape lie on the same texels.</param>
    public static Scene Low(string fileName, IReadOnlyList<AssemblyPart> parts, Material material, bool copiesShare)
    {
        var islands = parts.Select(p => p.Shape.Low().ToArray()).ToArray();
        int[] owner = [.. parts.Select((p, i) => copiesShare ? Enumerable.Range(0, i + 1).First(k => ReferenceEquals(parts[k].Shape, p.Shape)) : i)];
        int[] laid = [.. Enumerable.Range(0, parts.Count).Where(i => owner[i] == i)];
        var (scale, places) = SheetLayout.Place([.. laid.SelectMany(i => islands[i])]);
        var firstPlace = new int[parts.Count];
        int next = 0;
        foreach (int i in laid)
        {
            firstPlace[i] = next;
            next += islands[i].Length;
        }
        var meshes = new List<Mesh>();
        for (int part = 0; part < parts.Count; part++)
        {
            var builder = new LowBuilder(parts[part].Transform);
            int place = firstPlace[owner[part]];
            foreach (var island in islands[part])
                builder.Add(island, places[place].Corner, places[place++].Turned, scale);
            meshes.Add(builder.Build($"{parts[part].Name}_low"));
        }
        return new Scene(fileName, meshes, [material], []);
    }

    /// <summary>The high side, one object a part. Copies look alike.</summary>
    /// <param name="fileName">File it is for.</param>
    /// <param name="parts">Parts.</param>
    /// <param name="material">Material of all faces.</param>
    /// <param name="copiesShare">Whether copies of a shape have one surface to the last dent.</param>
    /// <param name="every">Every how many lines of a grid are kept along each side.</param>
    public static Scene High(string fileName, IReadOnlyList<AssemblyPart> parts, Material material, bool copiesShare, int every)
    {
        var meshes = new Mesh[parts.Count];
        Parallel.For(0, parts.Count, i =>
        {
            int seed = copiesShare ? Enumerable.Range(0, i + 1).First(k => ReferenceEquals(parts[k].Shape, parts[i].Shape)) : i;
            var high = new HighMesh(parts[i].Transform, every);
            parts[i].Shape.AddHigh(high, 1 + seed * 0.731f);
            meshes[i] = high.Build($"{parts[i].Name}_high");
        });
        return new Scene(fileName, meshes, [material], []);
    }
}
