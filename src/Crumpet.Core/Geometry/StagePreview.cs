using System.Numerics;
using System.Runtime.InteropServices;
using System.Text.Json;
using Crumpet.Core.Checking;

namespace Crumpet.Core.Geometry;

/// <summary>One object for the 3D stage.</summary>
/// <param name="Mesh">Geometry.</param>
/// <param name="Part">Part it belongs to.</param>
/// <param name="PartCentre">Middle of all of the part's objects, metres: what the object moves with when parts are drawn apart.</param>
public sealed record PreviewObject(Mesh Mesh, string Part, Vector3 PartCentre);

/// <summary>
/// Compact geometry for the browser in three levels of detail, coarse first, so that a reader can show what has arrived.
/// Positions are 16-bit shares of a cube around the object, normals octahedral in 32 bits.
/// </summary>
/// <remarks>
/// Layout, little-endian: "CPV2", length of the JSON header in bytes, the header (padded with spaces to four), then the buffers it
/// points into by byte offset, each padded to four. <c>levelEnds</c> says how many bytes of data each level needs; an object whose
/// level is null there looks as in the level before. Per vertex: four 16-bit words (three shares and the material's number plus one),
/// two signed 16-bit words (normal); where there are any, four bytes of linear colour, two floats of UV, four of tangent and one of
/// texel density for a sheet of one pixel (1/m).
/// </remarks>
public static class StagePreview
{
    /// <summary>Levels of detail in a preview.</summary>
    public const int Levels = 3;

    private const int SmallObject = 400;
    private static readonly int[] CellsAcross = [110, 400];

    /// <summary>The bytes of a preview.</summary>
    /// <param name="objects">Objects of one side.</param>
    /// <param name="materials">Materials their triangles number.</param>
    /// <param name="whole">Box of the whole asset, both sides: what the stage frames, whichever side arrives first.</param>
    /// <param name="isBakedOnto">Whether the objects take maps: these carry UVs, tangents, densities and edges.</param>
    /// <param name="threads">Threads to use, at least 1; the bytes do not depend on it.</param>
    /// <param name="cancel">Ends the work early.</param>
    public static byte[] Write(IReadOnlyList<PreviewObject> objects, IReadOnlyList<Material> materials, Bounds whole, bool isBakedOnto, int threads = 1,
        CancellationToken cancel = default)
    {
        var levels = new PreviewMesh?[objects.Count][];
        Parallel.For(0, objects.Count, new ParallelOptions { MaxDegreeOfParallelism = threads, CancellationToken = cancel },
            i => levels[i] = LevelsOf(objects[i].Mesh, whole.Size.Length(), isBakedOnto));
        using var data = new MemoryStream();
        var headers = objects.Select(o => new List<object?>()).ToArray();
        var ends = new long[Levels];
        for (int level = 0; level < Levels; level++)
        {
            for (int i = 0; i < objects.Count; i++)
            {
                cancel.ThrowIfCancellationRequested();
                headers[i].Add(levels[i][level] is { } mesh ? WriteMesh(objects[i].Mesh, mesh, isBakedOnto, data) : null);
            }
            ends[level] = data.Position;
        }
        return Assemble("CPV2"u8, new
        {
            levelEnds = ends,
            min = Three(whole.Min),
            max = Three(whole.Max),
            materials = materials.Select(m =>
                new
                {
                    name = m.Name,
                    colour = new[] { m.BaseColour.X, m.BaseColour.Y, m.BaseColour.Z, m.BaseColour.W },
                    roughness = m.Roughness,
                    metalness = m.Metalness
                }),
            objects = objects.Select((o, i) => Describe(o, headers[i])),
        }, data);
    }

    private static PreviewMesh?[] LevelsOf(Mesh mesh, float diagonal, bool withUvs)
    {
        var full = PreviewMesh.Build(mesh, withUvs);
        // What takes maps is small already, and its UVs must stay whole.
        if (withUvs || mesh.TriangleCount <= SmallObject)
            return [full, null, null];
        var coarse = PreviewClusters.Simplify(full, MathF.Max(diagonal / CellsAcross[0], 1e-9f));
        var middle = PreviewClusters.Simplify(full, MathF.Max(diagonal / CellsAcross[1], 1e-9f));
        bool middleHelps = middle.Indices.Length < 0.6 * full.Indices.Length && middle.Indices.Length > 0;
        // Fine objects of a few cells vanish when coarse; the middle level then serves from the start.
        if (coarse.Indices.Length < 36 || coarse.Indices.Length > 0.6 * (middleHelps ? middle : full).Indices.Length)
            return middleHelps ? [middle, null, full] : [full, null, null];
        return middleHelps ? [coarse, middle, full] : [coarse, full, null];
    }

    private static object Describe(PreviewObject item, List<object?> levels)
    {
        var bounds = item.Mesh.Bounds();
        return new
        {
            name = item.Mesh.Name,
            part = item.Part,
            triangles = item.Mesh.TriangleCount,
            partCentre = Three(item.PartCentre),
            min = Three(bounds.Min),
            max = Three(bounds.Max),
            size = CubeSide(bounds),
            colours = item.Mesh.Colours is not null,
            levels,
        };
    }

    private static object WriteMesh(Mesh source, PreviewMesh mesh, bool isBakedOnto, MemoryStream data)
    {
        var bounds = source.Bounds();
        float size = CubeSide(bounds);
        int count = mesh.Positions.Length;
        var positions = new ushort[4 * count];
        for (int i = 0; i < count; i++)
        {
            var share = Vector3.Clamp((mesh.Positions[i] - bounds.Min) / size, Vector3.Zero, Vector3.One) * 65535;
            for (int axis = 0; axis < 3; axis++)
                positions[4 * i + axis] = (ushort)(share[axis] + 0.5f);
            positions[4 * i + 3] = mesh.Attributes[i].Material;
        }
        bool withUvs = isBakedOnto && source.Uvs is not null;
        var edges = isBakedOnto ? PreviewEdges.Find(source, mesh.Indices) : null;
        return new
        {
            vertices = count,
            indices = mesh.Indices.Length,
            wide = count > 65536,
            position = Append<ushort>(data, positions),
            normal = Append<uint>(data, Array.ConvertAll(mesh.Attributes, a => a.Normal)),
            index = count > 65536 ? Append<int>(data, mesh.Indices) : Append<ushort>(data, Array.ConvertAll(mesh.Indices, i => (ushort)i)),
            colour = source.Colours is null ? -1 : Append<uint>(data, Array.ConvertAll(mesh.Attributes, a => a.Colour)),
            uv = withUvs ? Append<Vector2>(data, Array.ConvertAll(mesh.Attributes, a => a.Uv)) : -1,
            tangent = withUvs ? Append<Vector4>(data, Array.ConvertAll(mesh.Attributes, a => a.Tangent)) : -1,
            density = withUvs ? Append<float>(data, Densities(source, mesh)) : -1,
            hard = edges is null ? -1 : Append<int>(data, edges.Hard),
            hardCount = edges?.Hard.Length ?? 0,
            seam = edges is null ? -1 : Append<int>(data, edges.Seams),
            seamCount = edges?.Seams.Length ?? 0,
        };
    }

    /// <summary>Texel density at each vertex for a sheet of one pixel, 1/m: the root of UV area over surface area of the triangles around it.</summary>
    private static float[] Densities(Mesh source, PreviewMesh mesh)
    {
        var uvArea = new double[mesh.Positions.Length];
        var area = new double[mesh.Positions.Length];
        var uvs = source.Uvs!;
        for (int t = 0; t < mesh.Indices.Length; t += 3)
        {
            var a = source.PositionAt(t);
            Vector2 ub = uvs[t + 1] - uvs[t], uc = uvs[t + 2] - uvs[t];
            double surface = Vector3.Cross(source.PositionAt(t + 1) - a, source.PositionAt(t + 2) - a).Length(),
                sheet = Math.Abs((double)ub.X * uc.Y - (double)ub.Y * uc.X);
            for (int i = t; i < t + 3; i++)
            {
                area[mesh.Indices[i]] += surface;
                uvArea[mesh.Indices[i]] += sheet;
            }
        }
        return [.. uvArea.Zip(area, (u, a) => a > 0 ? (float)Math.Sqrt(u / a) : 0)];
    }

    /// <summary>What a preview file is: four letters, length of the JSON header in bytes, the header padded with spaces to four, buffers.</summary>
    internal static byte[] Assemble(ReadOnlySpan<byte> letters, object header, MemoryStream data)
    {
        byte[] json = JsonSerializer.SerializeToUtf8Bytes(header, FiniteNumbers.Web);
        int padded = (json.Length + 3) / 4 * 4;
        using var stream = new MemoryStream(letters.Length + 4 + padded + (int)data.Length);
        using var writer = new BinaryWriter(stream);
        writer.Write(letters);
        writer.Write(padded);
        writer.Write(json);
        writer.Write("   "u8[..(padded - json.Length)]);
        data.WriteTo(stream);
        return stream.ToArray();
    }

    // One scale for all axes keeps normals right under it.
    private static float CubeSide(Bounds bounds) => MathF.Max(1e-9f, MathF.Max(bounds.Size.X, MathF.Max(bounds.Size.Y, bounds.Size.Z)));

    private static float[] Three(Vector3 v) => [v.X, v.Y, v.Z];

    internal static long Append<T>(MemoryStream data, ReadOnlySpan<T> values)
        where T : unmanaged
    {
        long at = data.Position;
        data.Write(MemoryMarshal.AsBytes(values));
        while (data.Position % 4 != 0)
            data.WriteByte(0);
        return at;
    }
}
