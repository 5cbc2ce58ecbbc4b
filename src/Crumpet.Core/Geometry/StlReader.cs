using System.Buffers.Binary;
using System.Globalization;
using System.Numerics;
using System.Text;

namespace Crumpet.Core.Geometry;

/// <summary>
/// Reads STL, text and binary. Corners at bit-equal positions become one vertex; facet normals are not kept, since they say what the
/// corners say.
/// </summary>
/// <remarks>Source: 3D Systems, "StereoLithography Interface Specification", 1989.</remarks>
public static class StlReader
{
    private const int HeaderBytes = 84;
    private const int FacetBytes = 50;

    /// <summary>Reads a file.</summary>
    /// <param name="bytes">The file.</param>
    /// <param name="fileName">Name for messages and, without its ending, of objects without one.</param>
    /// <param name="cancel">Ends the reading early.</param>
    /// <exception cref="SourceFileException">The data is cut, a number is unusable, or there is no triangle.</exception>
    public static Scene Read(byte[] bytes, string fileName, CancellationToken cancel = default)
    {
        string stem = Path.GetFileNameWithoutExtension(fileName);
        var meshes = IsBinary(bytes) ? [ReadBinary(bytes, fileName, stem, cancel)] : ReadText(bytes, fileName, stem, cancel);
        if (meshes.TrueForAll(m => m.TriangleCount == 0))
            throw new SourceFileException(fileName, "", "there is no triangle in it", "Export the mesh again with its faces");
        return new Scene(fileName, [.. meshes.Where(m => m.TriangleCount > 0)], [], []);
    }

    // Binary headers may begin with "solid" too; the length decides.
    private static bool IsBinary(byte[] bytes)
    {
        if (bytes.Length >= HeaderBytes && HeaderBytes + FacetBytes * (long)BinaryPrimitives.ReadUInt32LittleEndian(bytes.AsSpan(80)) == bytes.Length)
            return true;
        int at = bytes.AsSpan().StartsWith(Encoding.UTF8.Preamble) ? Encoding.UTF8.Preamble.Length : 0;
        while (at < bytes.Length && bytes[at] <= ' ')
            at++;
        return !Encoding.ASCII.GetString(bytes, at, Math.Min(5, bytes.Length - at)).Equals("solid", StringComparison.OrdinalIgnoreCase)
            || bytes.AsSpan(0, Math.Min(bytes.Length, 512)).Contains((byte)0);
    }

    private static Mesh ReadBinary(byte[] bytes, string fileName, string name, CancellationToken cancel)
    {
        if (bytes.Length < HeaderBytes)
            throw new SourceFileException(fileName, "", $"it has {bytes.Length} bytes, less than a header",
                "This is no STL file, or it was cut; export it again");
        long count = BinaryPrimitives.ReadUInt32LittleEndian(bytes.AsSpan(80));
        if (HeaderBytes + FacetBytes * count > bytes.Length)
            throw new SourceFileException(fileName, "", $"it says it has {count} triangles, and {(bytes.Length - HeaderBytes) / FacetBytes} are there",
                "Export it again; it may have been cut in transfer");
        var points = new Vector3[3 * count];
        for (int t = 0; t < count; t++)
        {
            if ((t & 0xffff) == 0)
                cancel.ThrowIfCancellationRequested();
            var facet = bytes.AsSpan(HeaderBytes + FacetBytes * t + 12, 36);
            for (int corner = 0; corner < 3; corner++)
            {
                var at = facet[(12 * corner)..];
                points[3 * t + corner] = new Vector3(BinaryPrimitives.ReadSingleLittleEndian(at), BinaryPrimitives.ReadSingleLittleEndian(at[4..]),
                    BinaryPrimitives.ReadSingleLittleEndian(at[8..]));
            }
        }
        return Weld(name, points, fileName);
    }

    private static List<Mesh> ReadText(byte[] bytes, string fileName, string stem, CancellationToken cancel)
    {
        var meshes = new List<Mesh>();
        var points = new List<Vector3>();
        string name = stem;
        int inLoop = 0;
        using var reader = new StringReader(TextSource.ReadAll(new MemoryStream(bytes, writable: false)));
        for (int line = 1; reader.ReadLine() is { } text; line++)
        {
            if ((line & 0xffff) == 0)
                cancel.ThrowIfCancellationRequested();
            string[] words = text.Split((char[]?)null, StringSplitOptions.RemoveEmptyEntries);
            if (words.Length == 0)
                continue;
            switch (words[0].ToLowerInvariant())
            {
                case "solid":
                    Finish();
                    name = words.Length > 1 ? string.Join(' ', words[1..]) : stem;
                    break;
                case "vertex":
                    points.Add(words.Length >= 4 ? new Vector3(Number(words[1]), Number(words[2]), Number(words[3]))
                        : throw Wrong("a vertex has fewer than three numbers"));
                    inLoop++;
                    break;
                case "outer":
                    inLoop = 0;
                    break;
                case "endloop" when inLoop != 3:
                    throw Wrong($"a facet has {inLoop} corners");
                case "endloop" or "facet" or "endfacet" or "endsolid" or "color":
                    break;
                default:
                    throw Wrong($"'{words[0][..Math.Min(40, words[0].Length)]}' is no word of an STL file");
            }

            float Number(string word) =>
                float.TryParse(word, NumberStyles.Float, CultureInfo.InvariantCulture, out float value) && float.IsFinite(value) ? value
                    : throw Wrong($"'{word[..Math.Min(40, word.Length)]}' is no usable number");

            SourceFileException Wrong(string what) => new(fileName, $"line {line}", what, "Export it again; it was cut or edited by hand");
        }
        if (points.Count % 3 != 0)
            throw new SourceFileException(fileName, "", "it ends in the middle of a facet", "Export it again; it may have been cut in transfer");
        Finish();
        return meshes;

        void Finish()
        {
            if (points.Count >= 3)
                meshes.Add(Weld(name, points.GetRange(0, points.Count / 3 * 3).ToArray(), fileName));
            points.Clear();
        }
    }

    private static Mesh Weld(string name, Vector3[] points, string fileName)
    {
        for (int i = 0; i < points.Length; i++)
        {
            if (!float.IsFinite(points[i].X) || !float.IsFinite(points[i].Y) || !float.IsFinite(points[i].Z))
                throw new SourceFileException(fileName, $"facet {i / 3}", "a corner is no number",
                    "Look for a broken vertex in the mesh, delete it and export again");
        }
        int[] corners = PositionWeld.Groups(points, out int count);
        var positions = new Vector3[count];
        for (int i = 0; i < points.Length; i++)
            positions[corners[i]] = points[i];
        return new Mesh
        {
            Name = name,
            Positions = positions,
            Corners = corners,
            TriangleMaterials = [.. Enumerable.Repeat(-1, corners.Length / 3)],
            PolygonCount = corners.Length / 3
        };
    }
}
