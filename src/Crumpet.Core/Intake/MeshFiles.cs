using System.Text.Json;
using Crumpet.Core.Geometry;

namespace Crumpet.Core.Intake;

/// <summary>Knows which files hold meshes and reads them.</summary>
public static class MeshFiles
{
    /// <summary>Whether a file is read for its objects.</summary>
    public static bool IsMesh(string name) => Extension(name) is ".obj" or ".glb" or ".gltf";

    /// <summary>Whether a file only goes with another one: a material library, a buffer, a picture.</summary>
    public static bool IsCompanion(string name) => Extension(name) is ".mtl" or ".bin" or ".png" or ".jpg" or ".jpeg" or ".tif" or ".tiff" or ".webp";

    /// <summary>Whether a companion is a picture.</summary>
    public static bool IsPicture(string name) => IsCompanion(name) && Extension(name) is not (".mtl" or ".bin");

    /// <summary>Reads the objects of a file.</summary>
    /// <param name="name">File name; its ending tells the format.</param>
    /// <param name="bytes">The file.</param>
    /// <param name="beside">Bytes of a file beside it by name, or null.</param>
    /// <param name="cancel">Ends the reading early.</param>
    /// <exception cref="SourceFileException">The file cannot be read.</exception>
    public static Scene Read(string name, byte[] bytes, Func<string, byte[]?> beside, CancellationToken cancel = default)
    {
        if (bytes.Length == 0)
            throw new SourceFileException(name, "", "the file is empty", "Export it again");
        if (Extension(name) is ".glb" or ".gltf")
            return GltfReader.Read(bytes, name, beside);
        if (Extension(name) != ".obj")
            throw new SourceFileException(name, "", "it is not a mesh file that can be read", "Export the mesh as OBJ, glTF or GLB");
        var library = new List<Material>();
        var notes = new List<Finding>();
        foreach (string wanted in CompanionsOf(name, bytes))
        {
            if (beside(wanted) is { } text)
                library.AddRange(MtlReader.Read(new MemoryStream(text, writable: false), wanted));
            else
                notes.Add(new Finding(Severity.Note, "material-library-missing", name, $"{name} refers to {wanted}, which is not here; add it to keep its colours."));
        }
        var scene = ObjReader.Read(new MemoryStream(bytes, writable: false), name, library, cancel);
        return scene with { Notes = [.. scene.Notes, .. notes] };
    }

    /// <summary>Names of the files a mesh file needs beside it: material libraries, buffers.</summary>
    /// <param name="name">File name; its ending tells the format.</param>
    /// <param name="bytes">The file.</param>
    public static IReadOnlyList<string> CompanionsOf(string name, byte[] bytes) => Extension(name) switch
    {
        ".obj" => [.. LibrariesOf(bytes).Distinct(StringComparer.Ordinal)],
        ".gltf" => BuffersOf(bytes),
        _ => [],
    };

    private static List<string> LibrariesOf(byte[] bytes)
    {
        var names = new List<string>();
        for (int at = 0, found; (found = bytes.AsSpan(at).IndexOf("mtllib "u8)) >= 0; at += found + 1)
        {
            int start = at + found;
            if (start > 0 && bytes[start - 1] is not ((byte)'\n' or (byte)'\r'))
                continue;
            var rest = bytes.AsSpan(start + "mtllib ".Length);
            int end = rest.IndexOfAny((byte)'\n', (byte)'\r');
            string file = System.Text.Encoding.UTF8.GetString(end < 0 ? rest : rest[..end]).Trim();
            // Only files that arrived together count; folders of another machine do not.
            names.Add(Path.GetFileName(file.Replace('\\', '/')));
        }
        return names;
    }

    private static List<string> BuffersOf(byte[] bytes)
    {
        try
        {
            using var json = JsonDocument.Parse(bytes);
            if (!json.RootElement.TryGetProperty("buffers", out var buffers))
                return [];
            return [.. buffers.EnumerateArray().Select(b => b.TryGetProperty("uri", out var uri) ? uri.GetString() : null).OfType<string>().Where(u => !u.StartsWith("data:", StringComparison.Ordinal)).Select(Uri.UnescapeDataString)];
        }
        catch (Exception e) when (e is JsonException or InvalidOperationException)
        {
            // The reader itself says what is wrong with the file.
            return [];
        }
    }

    private static string Extension(string name) => Path.GetExtension(name).ToLowerInvariant();
}
