using System.Globalization;
using System.Numerics;
using System.Text;

namespace Crumpet.Core.Geometry;

/// <summary>Writes PLY. A vertex is one position with one normal, coordinate and colour; corners that differ get vertices of their own.</summary>
public static class PlyWriter
{
    /// <summary>Writes the objects of a scene as one table of vertices and one of faces; PLY knows no objects and no materials.</summary>
    /// <param name="scene">What to write.</param>
    /// <param name="stream">Receives the file.</param>
    /// <param name="format">How rows are written.</param>
    public static void Write(Scene scene, Stream stream, PlyFormat format = PlyFormat.LittleEndian)
    {
        bool normals = scene.Meshes.All(m => m.Normals is not null), uvs = scene.Meshes.All(m => m.Uvs is not null),
            colours = scene.Meshes.Any(m => m.Colours is not null);
        var seen = new Dictionary<(int Mesh, int Position, Vector3, Vector2, Vector4), int>();
        var vertices = new List<(Mesh Mesh, int Corner)>();
        var faces = new List<int>();
        for (int m = 0; m < scene.Meshes.Count; m++)
        {
            var mesh = scene.Meshes[m];
            for (int corner = 0; corner < mesh.Corners.Length; corner++)
            {
                var key = (m, mesh.Corners[corner], normals ? mesh.Normals![corner] : default, uvs ? mesh.Uvs![corner] : default, mesh.Colours?[corner]
                    ?? Vector4.One);
                if (!seen.TryGetValue(key, out int vertex))
                {
                    seen.Add(key, vertex = vertices.Count);
                    vertices.Add((mesh, corner));
                }
                faces.Add(vertex);
            }
        }
        var header = new StringBuilder("ply\n");
        header.Append("format ").Append(format switch { PlyFormat.Text => "ascii", PlyFormat.LittleEndian => "binary_little_endian", _ => "binary_big_endian" })
            .Append(" 1.0\n");
        header.Append(CultureInfo.InvariantCulture, $"element vertex {vertices.Count}\nproperty float x\nproperty float y\nproperty float z\n");
        if (normals)
            header.Append("property float nx\nproperty float ny\nproperty float nz\n");
        if (uvs)
            header.Append("property float s\nproperty float t\n");
        if (colours)
            header.Append("property uchar red\nproperty uchar green\nproperty uchar blue\nproperty uchar alpha\n");
        header.Append(CultureInfo.InvariantCulture, $"element face {faces.Count / 3}\nproperty list uchar int vertex_indices\nend_header\n");
        stream.Write(Encoding.ASCII.GetBytes(header.ToString()));
        var row = new Row(stream, format);
        foreach (var (mesh, corner) in vertices)
        {
            var p = mesh.PositionAt(corner);
            row.Add(p.X).Add(p.Y).Add(p.Z);
            if (normals)
                row.Add(mesh.Normals![corner].X).Add(mesh.Normals[corner].Y).Add(mesh.Normals[corner].Z);
            if (uvs)
                row.Add(mesh.Uvs![corner].X).Add(mesh.Uvs[corner].Y);
            if (colours)
            {
                var c = mesh.Colours?[corner] ?? Vector4.One;
                row.Add(Byte(Imaging.Srgb.FromLinear(c.X))).Add(Byte(Imaging.Srgb.FromLinear(c.Y))).Add(Byte(Imaging.Srgb.FromLinear(c.Z))).Add(Byte(c.W));
            }
            row.End();
        }
        for (int i = 0; i < faces.Count; i += 3)
        {
            row.Add((byte)3).Add(faces[i]).Add(faces[i + 1]).Add(faces[i + 2]);
            row.End();
        }
        stream.Flush();
    }

    private static byte Byte(float value) => (byte)(Math.Clamp(value, 0, 1) * 255 + 0.5f);

    private sealed class Row(Stream output, PlyFormat format)
    {
        private readonly StringBuilder text = new();

        public Row Add(float value) => Put(BitConverter.GetBytes(value), value.ToString("R", CultureInfo.InvariantCulture));

        public Row Add(int value) => Put(BitConverter.GetBytes(value), value.ToString(CultureInfo.InvariantCulture));

        public Row Add(byte value) => Put([value], value.ToString(CultureInfo.InvariantCulture));

        public void End()
        {
            if (format != PlyFormat.Text)
                return;
            output.Write(Encoding.ASCII.GetBytes(text.Append('\n').ToString()));
            text.Clear();
        }

        private Row Put(byte[] bytes, string word)
        {
            if (format == PlyFormat.Text)
            {
                text.Append(text.Length > 0 ? " " : "").Append(word);
                return this;
            }
            if (format == PlyFormat.BigEndian == BitConverter.IsLittleEndian)
                Array.Reverse(bytes);
            output.Write(bytes);
            return this;
        }
    }
}
