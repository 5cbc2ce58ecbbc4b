using System.Buffers.Binary;
using System.Globalization;
using System.Numerics;
using System.Text;

namespace Crumpet.Core.Geometry;

/// <summary>Reads PLY: text and both binary orders, properties in any order, colours, normals and texture coordinates of vertices.</summary>
/// <remarks>Source: G. Turk, "The PLY Polygon File Format", 1994.</remarks>
public static class PlyReader
{
    /// <summary>Reads a file.</summary>
    /// <param name="bytes">The file.</param>
    /// <param name="fileName">Name for messages and, without its ending, of the one object.</param>
    /// <param name="cancel">Ends the reading early.</param>
    /// <exception cref="SourceFileException">The header cannot be read, the data is cut, a number or index is unusable, or there is no triangle.</exception>
    public static Scene Read(byte[] bytes, string fileName, CancellationToken cancel = default)
    {
        var header = PlyHeader.Read(bytes, fileName);
        IPlyData data = header.Format switch
        {
            PlyFormat.Text => new TextData(bytes, header.Length, fileName),
            _ => new BinaryData(bytes, header.Length, header.Format == PlyFormat.BigEndian, fileName),
        };
        var builder = new Builder(fileName);
        foreach (var element in header.Elements)
        {
            // Every row takes at least a byte for each property, so a false count is seen before anything is allocated for it.
            if (element.Count > 0 && element.Count > data.Left / Math.Max(1, element.Properties.Sum(p => data.LeastBytes(p))))
                throw Cut(fileName, $"it says it has {element.Count} {element.Name} rows, and ends before");
            if (element.Count > ObjReader.LargestCount)
                throw new SourceFileException(fileName, $"element {element.Name}", $"it has {element.Count} rows; at most {ObjReader.LargestCount} are read",
                    "Split it into several files");
            builder.Read(element, data, cancel);
        }
        var scene = builder.Finish();
        return header.Strays.Count == 0 ? scene : scene with
        {
            Notes = [new Finding(Severity.Note, "stray-header-lines", fileName, $"{fileName} has {header.Strays.Count} header "
                + $"{(header.Strays.Count == 1 ? "line" : "lines")} that no PLY has, line {header.Strays[0]} first; they were passed over.",
                header.Strays.Count)],
        };
    }

    private static SourceFileException Cut(string fileName, string what) => new(fileName, "", what, "Export it again; it may have been cut in transfer");

    private sealed class Builder(string fileName)
    {
        private Vector3[] positions = [];
        private Vector3[]? normals;
        private Vector4[]? colours;
        private Vector2[]? uvs;
        private List<Vector2>? cornerUvs = [];
        private readonly List<int> corners = [];
        private readonly List<int> polygons = [];
        private int polygonCount;
        private bool allTriangles = true;

        public void Read(PlyElement element, IPlyData data, CancellationToken cancel)
        {
            if (element.Name == "vertex")
                ReadVertices(element, data, cancel);
            else if (element.Name == "face")
                ReadFaces(element, data, cancel);
            else if (element.Name == "tristrips")
                ReadStrips(element, data, cancel);
            else
                Skip(element, data, cancel);
        }

        private void ReadVertices(PlyElement element, IPlyData data, CancellationToken cancel)
        {
            int count = (int)element.Count;
            positions = new Vector3[count];
            var roles = element.Properties.Select(p => p.IsList ? -1 : Role(p.Name)).ToArray();
            normals = roles.Contains(3) && roles.Contains(4) && roles.Contains(5) ? new Vector3[count] : null;
            colours = roles.Contains(6) && roles.Contains(7) && roles.Contains(8) ? new Vector4[count] : null;
            uvs = roles.Contains(10) && roles.Contains(11) ? new Vector2[count] : null;
            if (!roles.Contains(0) || !roles.Contains(1) || !roles.Contains(2))
                throw new SourceFileException(fileName, "element vertex", "it has no x, y and z", "Export it again");
            Span<float> row = stackalloc float[12];
            for (int i = 0; i < count; i++)
            {
                if ((i & 0xffff) == 0)
                    cancel.ThrowIfCancellationRequested();
                row.Clear();
                row[9] = 1;
                for (int p = 0; p < roles.Length; p++)
                {
                    var property = element.Properties[p];
                    if (property.IsList)
                    {
                        SkipList(property, data);
                        continue;
                    }
                    double value = data.Number(property.Type);
                    if (roles[p] >= 0)
                        row[roles[p]] = (float)(roles[p] is >= 6 and <= 9 ? value * ColourScale(property.Type) : value);
                }
                if (!float.IsFinite(row[0]) || !float.IsFinite(row[1]) || !float.IsFinite(row[2]))
                    throw new SourceFileException(fileName, $"vertex {i}", "its position is no number",
                        "Look for a broken vertex in the mesh, delete it and export again");
                positions[i] = new Vector3(row[0], row[1], row[2]);
                if (normals is not null)
                    normals[i] = Unit(new Vector3(row[3], row[4], row[5]));
                if (colours is not null)
                    colours[i] = new Vector4(Linear(row[6]), Linear(row[7]), Linear(row[8]), row[9]);
                if (uvs is not null)
                    uvs[i] = new Vector2(row[10], row[11]);
            }
        }

        private void ReadFaces(PlyElement element, IPlyData data, CancellationToken cancel)
        {
            var face = new List<int>();
            var coordinates = new List<float>();
            var outline = new List<Vector3>();
            var cut = new List<int>();
            for (long i = 0; i < element.Count; i++)
            {
                if ((i & 0xffff) == 0)
                    cancel.ThrowIfCancellationRequested();
                face.Clear();
                coordinates.Clear();
                foreach (var property in element.Properties)
                {
                    if (property is { IsList: true, Name: "vertex_indices" or "vertex_index" })
                        ReadIndices(property, data, face, i);
                    else if (property is { IsList: true, Name: "texcoord" })
                        ReadList(property, data, coordinates);
                    else if (property.IsList)
                        SkipList(property, data);
                    else
                        data.Number(property.Type);
                }
                if (face.Count < 3)
                    continue;
                if (face.Count > Triangulation.LargestPolygon)
                    throw new SourceFileException(fileName, $"face {i}", $"it has {face.Count} corners, at most {Triangulation.LargestPolygon} are read",
                        "Cut it into smaller faces and export again");
                if (coordinates.Count != 2 * face.Count)
                    cornerUvs = null;
                cut.Clear();
                outline.Clear();
                foreach (int index in face)
                    outline.Add(positions[index]);
                Triangulation.Cut(System.Runtime.InteropServices.CollectionsMarshal.AsSpan(outline), cut);
                foreach (int corner in cut)
                {
                    corners.Add(face[corner]);
                    cornerUvs?.Add(new Vector2(coordinates[2 * corner], coordinates[2 * corner + 1]));
                }
                for (int t = 0; t < cut.Count; t += 3)
                    polygons.Add(polygonCount);
                allTriangles &= face.Count == 3;
                polygonCount++;
            }
        }

        private void ReadIndices(PlyProperty property, IPlyData data, List<int> into, long face)
        {
            long count = data.Count(property);
            for (long k = 0; k < count; k++)
            {
                double index = data.Number(property.Type);
                if (!(index >= 0 && index < positions.Length))
                    throw new SourceFileException(fileName, $"face {face}", $"its index {index} is out of range, there are {positions.Length} vertices",
                        "Export it again; it may have been cut in transfer");
                into.Add((int)index);
            }
        }

        /// <summary>Strips of triangles; a negative index begins the next one.</summary>
        private void ReadStrips(PlyElement element, IPlyData data, CancellationToken cancel)
        {
            cornerUvs = null;
            for (long i = 0; i < element.Count; i++)
            {
                foreach (var property in element.Properties)
                {
                    if (!property.IsList)
                    {
                        data.Number(property.Type);
                        continue;
                    }
                    long count = data.Count(property);
                    int a = -1, b = -1;
                    bool odd = false;
                    for (long k = 0; k < count; k++)
                    {
                        if ((k & 0xffff) == 0)
                            cancel.ThrowIfCancellationRequested();
                        double value = data.Number(property.Type);
                        if (!(value < positions.Length) || double.IsNaN(value))
                            throw new SourceFileException(fileName, $"strip {i}", $"its index {value} is out of range, there are {positions.Length} vertices",
                                "Export it again; it may have been cut in transfer");
                        int c = (int)value;
                        if (c < 0)
                        {
                            (a, b, odd) = (-1, -1, false);
                            continue;
                        }
                        if (a >= 0 && a != b && b != c && a != c)
                        {
                            corners.AddRange(odd ? [b, a, c] : [a, b, c]);
                            polygons.Add(polygonCount++);
                        }
                        odd = a >= 0 && !odd;
                        (a, b) = (b, c);
                    }
                }
            }
        }

        private static void ReadList(PlyProperty property, IPlyData data, List<float> into)
        {
            long count = data.Count(property);
            for (long k = 0; k < count; k++)
                into.Add((float)data.Number(property.Type));
        }

        private static void SkipList(PlyProperty property, IPlyData data)
        {
            long count = data.Count(property);
            for (long k = 0; k < count; k++)
                data.Number(property.Type);
        }

        private static void Skip(PlyElement element, IPlyData data, CancellationToken cancel)
        {
            for (long i = 0; i < element.Count && element.Properties.Count > 0; i++)
            {
                if ((i & 0xffff) == 0)
                    cancel.ThrowIfCancellationRequested();
                foreach (var property in element.Properties)
                {
                    if (property.IsList)
                        SkipList(property, data);
                    else
                        data.Number(property.Type);
                }
            }
        }

        public Scene Finish()
        {
            if (corners.Count == 0)
                throw new SourceFileException(fileName, "", "there is no triangle in it", "Export the mesh again with its faces");
            int[] all = [.. corners];
            Vector2[][] sets = cornerUvs is { Count: > 0 } ? [[.. cornerUvs]] : uvs is null ? [] : [Array.ConvertAll(all, c => uvs[c])];
            var mesh = new Mesh
            {
                Name = Path.GetFileNameWithoutExtension(fileName),
                Positions = positions,
                Corners = all,
                Normals = normals is null ? null : Array.ConvertAll(all, c => normals[c]),
                Colours = colours is null ? null : Array.ConvertAll(all, c => colours[c]),
                UvSets = sets,
                TriangleMaterials = [.. Enumerable.Repeat(-1, all.Length / 3)],
                TrianglePolygons = allTriangles ? null : [.. polygons],
                PolygonCount = polygonCount,
            };
            return new Scene(fileName, [mesh], [], []);
        }

        private static int Role(string name) => name switch
        {
            "x" => 0,
            "y" => 1,
            "z" => 2,
            "nx" => 3,
            "ny" => 4,
            "nz" => 5,
            "red" or "r" or "diffuse_red" => 6,
            "green" or "g" or "diffuse_green" => 7,
            "blue" or "b" or "diffuse_blue" => 8,
            "alpha" or "a" => 9,
            "s" or "u" or "texture_u" => 10,
            "t" or "v" or "texture_v" => 11,
            _ => -1,
        };

        private static double ColourScale(PlyType type) => type switch { PlyType.UInt8 => 1 / 255.0, PlyType.UInt16 => 1 / 65535.0, _ => 1 };

        // Colours of PLY files are what a camera or a picker gave: sRGB.
        private static float Linear(float value) => Imaging.Srgb.ToLinear(Math.Clamp(float.IsNaN(value) ? 0 : value, 0, 1));

        private static Vector3 Unit(Vector3 n)
        {
            float length = n.Length();
            return length > 0 && float.IsFinite(length) ? n / length : Vector3.UnitY;
        }
    }

    private interface IPlyData
    {
        long Left { get; }

        int LeastBytes(PlyProperty property);

        double Number(PlyType type);

        /// <summary>Length of a list, checked against what is left of the file.</summary>
        long Count(PlyProperty list);
    }

    private sealed class BinaryData(byte[] bytes, int start, bool bigEndian, string fileName) : IPlyData
    {
        private int at = start;

        public long Left => bytes.Length - at;

        public int LeastBytes(PlyProperty property) => property.IsList ? PlyHeader.SizeOf(property.CountType) : PlyHeader.SizeOf(property.Type);

        public double Number(PlyType type)
        {
            int size = PlyHeader.SizeOf(type);
            if (bytes.Length - at < size)
                throw Cut(fileName, "its data ends in the middle of a row");
            var span = bytes.AsSpan(at, size);
            at += size;
            return type switch
            {
                PlyType.Int8 => (sbyte)span[0],
                PlyType.UInt8 => span[0],
                PlyType.Int16 => bigEndian ? BinaryPrimitives.ReadInt16BigEndian(span) : BinaryPrimitives.ReadInt16LittleEndian(span),
                PlyType.UInt16 => bigEndian ? BinaryPrimitives.ReadUInt16BigEndian(span) : BinaryPrimitives.ReadUInt16LittleEndian(span),
                PlyType.Int32 => bigEndian ? BinaryPrimitives.ReadInt32BigEndian(span) : BinaryPrimitives.ReadInt32LittleEndian(span),
                PlyType.UInt32 => bigEndian ? BinaryPrimitives.ReadUInt32BigEndian(span) : BinaryPrimitives.ReadUInt32LittleEndian(span),
                PlyType.Float32 => bigEndian ? BinaryPrimitives.ReadSingleBigEndian(span) : BinaryPrimitives.ReadSingleLittleEndian(span),
                _ => bigEndian ? BinaryPrimitives.ReadDoubleBigEndian(span) : BinaryPrimitives.ReadDoubleLittleEndian(span),
            };
        }

        public long Count(PlyProperty list)
        {
            double count = Number(list.CountType);
            if (!(count >= 0) || count * PlyHeader.SizeOf(list.Type) > Left)
                throw Cut(fileName, $"a list says it has {count} entries, and the file ends before");
            return (long)count;
        }
    }

    private sealed class TextData(byte[] bytes, int start, string fileName) : IPlyData
    {
        private int at = start;

        public long Left => bytes.Length - at;

        // A number and a blank; the very last one may lack its blank.
        public int LeastBytes(PlyProperty property) => 1;

        public double Number(PlyType type)
        {
            while (at < bytes.Length && bytes[at] <= ' ')
                at++;
            int from = at;
            while (at < bytes.Length && bytes[at] > ' ')
                at++;
            var word = bytes.AsSpan(from, at - from);
            if (word.IsEmpty)
                throw Cut(fileName, "its data ends before all rows are there");
            if (!double.TryParse(word, NumberStyles.Float, CultureInfo.InvariantCulture, out double value))
                throw new SourceFileException(fileName, $"byte {from}", $"'{Encoding.UTF8.GetString(word[..Math.Min(40, word.Length)])}' is no number",
                    "Export it again");
            return value;
        }

        public long Count(PlyProperty list)
        {
            double count = Number(list.CountType);
            if (!(count >= 0) || count > Left)
                throw Cut(fileName, $"a list says it has {count} entries, and the file ends before");
            return (long)count;
        }
    }
}
