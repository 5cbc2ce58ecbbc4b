using System.Globalization;
using System.Numerics;
using System.Text;

namespace Crumpet.Core.Geometry;

/// <summary>Writes STL: triangles alone, without names of materials, UVs or colours, since the format has none.</summary>
public static class StlWriter
{
    /// <summary>Writes all triangles of a scene.</summary>
    /// <param name="scene">What to write.</param>
    /// <param name="stream">Receives the file.</param>
    /// <param name="asText">Whether to write text, which keeps objects apart, instead of binary.</param>
    public static void Write(Scene scene, Stream stream, bool asText = false)
    {
        if (asText)
        {
            using var text = new StreamWriter(stream, new UTF8Encoding(false), 1 << 16, leaveOpen: true) { NewLine = "\n" };
            foreach (var mesh in scene.Meshes)
                WriteText(mesh, text);
            return;
        }
        using var writer = new BinaryWriter(new BufferedStream(stream, 1 << 16), Encoding.ASCII, leaveOpen: true);
        writer.Write(new byte[80]);
        writer.Write((uint)scene.Meshes.Sum(m => m.TriangleCount));
        foreach (var mesh in scene.Meshes)
        {
            for (int t = 0; t < mesh.TriangleCount; t++)
            {
                Put(writer, NormalOf(mesh, t));
                for (int corner = 3 * t; corner < 3 * t + 3; corner++)
                    Put(writer, mesh.PositionAt(corner));
                writer.Write((ushort)0);
            }
        }
        writer.Flush();
    }

    private static void WriteText(Mesh mesh, StreamWriter text)
    {
        text.WriteLine($"solid {mesh.Name}");
        for (int t = 0; t < mesh.TriangleCount; t++)
        {
            text.WriteLine($" facet normal {Words(NormalOf(mesh, t))}\n  outer loop");
            for (int corner = 3 * t; corner < 3 * t + 3; corner++)
                text.WriteLine($"   vertex {Words(mesh.PositionAt(corner))}");
            text.WriteLine("  endloop\n endfacet");
        }
        text.WriteLine($"endsolid {mesh.Name}");
    }

    private static string Words(Vector3 v) => string.Create(CultureInfo.InvariantCulture, $"{v.X:R} {v.Y:R} {v.Z:R}");

    private static void Put(BinaryWriter writer, Vector3 v)
    {
        writer.Write(v.X);
        writer.Write(v.Y);
        writer.Write(v.Z);
    }

    private static Vector3 NormalOf(Mesh mesh, int triangle)
    {
        var a = mesh.PositionAt(3 * triangle);
        var normal = Vector3.Cross(mesh.PositionAt(3 * triangle + 1) - a, mesh.PositionAt(3 * triangle + 2) - a);
        float length = normal.Length();
        return length > 0 ? normal / length : Vector3.Zero;
    }
}
