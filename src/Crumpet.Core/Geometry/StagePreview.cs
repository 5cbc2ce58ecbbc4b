using System.Numerics;
using System.Runtime.InteropServices;
using System.Text.Json;

namespace Crumpet.Core.Geometry;

/// <summary>One object for the 3D stage.</summary>
/// <param name="Mesh">Geometry.</param>
/// <param name="Side">"low", "high" or another word the stage groups by.</param>
/// <param name="Part">Part it belongs to.</param>
public sealed record PreviewObject(Mesh Mesh, string Side, string Part);

/// <summary>
/// Compact geometry for the browser: positions as 16-bit shares of a cube around the object, normals as signed bytes; objects with
/// UVs also get tangents and UVs at full precision, as they are lit with baked maps.
/// </summary>
/// <remarks>
/// Layout: "CPV1", length of the JSON header in bytes, the header (padded with spaces to four), then the buffers it points into by byte
/// offset, each padded to four. Little-endian.
/// </remarks>
public static class StagePreview
{
    /// <summary>The bytes of a preview.</summary>
    public static byte[] Write(IReadOnlyList<PreviewObject> objects)
    {
        using var data = new MemoryStream();
        var headers = objects.Select(o => WriteObject(o, data)).ToArray();
        byte[] json = JsonSerializer.SerializeToUtf8Bytes(new { objects = headers }, JsonSerializerOptions.Web);
        int padded = (json.Length + 3) / 4 * 4;
        using var stream = new MemoryStream(8 + padded + (int)data.Length);
        using var writer = new BinaryWriter(stream);
        writer.Write("CPV1"u8);
        writer.Write(padded);
        writer.Write(json);
        writer.Write("   "u8[..(padded - json.Length)]);
        data.WriteTo(stream);
        return stream.ToArray();
    }

    private static object WriteObject(PreviewObject item, MemoryStream data)
    {
        var mesh = item.Mesh;
        var normals = mesh.NormalsOrSmooth();
        var tangents = mesh.Uvs is null ? null : TangentSpace.PerCorner(mesh);
        var seen = new Dictionary<(int, Vector3, Vector4, Vector2), int>(mesh.Positions.Length);
        var corners = new List<int>(mesh.Positions.Length);
        var indices = new int[mesh.Corners.Length];
        for (int corner = 0; corner < indices.Length; corner++)
        {
            var key = (mesh.Corners[corner], normals[corner], tangents?[corner] ?? default, mesh.Uvs?[corner] ?? default);
            if (!seen.TryGetValue(key, out indices[corner]))
            {
                seen.Add(key, indices[corner] = corners.Count);
                corners.Add(corner);
            }
        }
        var bounds = mesh.Bounds();
        // One scale for all axes keeps normals right under it.
        var size = new Vector3(MathF.Max(1e-9f, MathF.Max(bounds.Size.X, MathF.Max(bounds.Size.Y, bounds.Size.Z))));
        var positions = new ushort[4 * corners.Count];
        var bytes = new sbyte[4 * corners.Count];
        for (int i = 0; i < corners.Count; i++)
        {
            var share = (mesh.PositionAt(corners[i]) - bounds.Min) / size * 65535;
            var n = normals[corners[i]] * 127;
            for (int axis = 0; axis < 3; axis++)
            {
                positions[4 * i + axis] = (ushort)Math.Clamp((int)(share[axis] + 0.5f), 0, 65535);
                bytes[4 * i + axis] = (sbyte)Math.Clamp((int)MathF.Round(n[axis]), -127, 127);
            }
        }
        return new
        {
            name = mesh.Name,
            side = item.Side,
            part = item.Part,
            vertices = corners.Count,
            indices = indices.Length,
            min = Three(bounds.Min),
            max = Three(bounds.Max),
            size = size.X,
            positionOffset = Append<ushort>(data, positions),
            normalOffset = Append<sbyte>(data, bytes),
            indexOffset = Append<int>(data, indices),
            tangentOffset = tangents is null ? -1 : Append<Vector4>(data, corners.Select(c => tangents[c]).ToArray()),
            uvOffset = mesh.Uvs is null ? -1 : Append<Vector2>(data, corners.Select(c => mesh.Uvs[c]).ToArray()),
            // Lighting shows the stairs of 8-bit normals on large flat faces, so lit objects carry theirs in full.
            fullNormalOffset = tangents is null ? -1 : Append<Vector3>(data, corners.Select(c => normals[c]).ToArray()),
        };
    }

    private static float[] Three(Vector3 v) => [v.X, v.Y, v.Z];

    private static long Append<T>(MemoryStream data, ReadOnlySpan<T> values)
        where T : unmanaged
    {
        long at = data.Position;
        data.Write(MemoryMarshal.AsBytes(values));
        while (data.Position % 4 != 0)
            data.WriteByte(0);
        return at;
    }
}
