using System.Text.Json;
using Crumpet.Core.Geometry;

namespace Crumpet.Core.Intake;

/// <summary>Knows which files hold meshes and reads them.</summary>
public static class MeshFiles
{
    private const string Formats = "OBJ, glTF, GLB, PLY, STL, USDA, USDZ, FBX, Collada or 3MF";

    private static readonly string[] LayerEndings = [".usd", ".usda", ".usdc"];
    private static readonly string[] JsonLists = ["buffers", "images"];

    /// <summary>Endings of all files that are taken in.</summary>
    public static IReadOnlyList<string> Endings { get; } =
        [".obj", ".mtl", ".glb", ".gltf", ".bin", ".ply", ".stl", .. LayerEndings, ".usdz", .. ExchangeFiles.Formats.Keys,
        ".png", ".jpg", ".jpeg", ".tga", ".tif", ".tiff", ".webp",
            ".hdr", ".exr"];

    /// <summary>Whether a file is read for its objects.</summary>
    public static bool IsMesh(string name) =>
        Extension(name) is ".obj" or ".glb" or ".gltf" or ".ply" or ".stl" or ".usdz" || IsLayer(name) || ExchangeFiles.Is(name);

    /// <summary>Whether a mesh file may be part of another of its kind.</summary>
    public static bool IsLayer(string name) => LayerEndings.Contains(Extension(name));

    /// <summary>Whether a file only goes with another one: a material library, a buffer, a picture.</summary>
    public static bool IsCompanion(string name) => Extension(name) is ".mtl" or ".bin" || IsPicture(name);

    /// <summary>Whether a file is a picture.</summary>
    public static bool IsPicture(string name) => PictureEndings.Contains(Extension(name));

    /// <summary>Endings of pictures.</summary>
    public static IReadOnlyList<string> PictureEndings { get; } = [".png", ".jpg", ".jpeg", ".tga", ".tif", ".tiff", ".webp", ".hdr", ".exr"];

    /// <summary>Reads the objects of a file.</summary>
    /// <param name="name">File name; its ending tells the format.</param>
    /// <param name="stream">The file; it can seek.</param>
    /// <param name="beside">Bytes of a file by its path as the mesh file has it, or null.</param>
    /// <param name="threads">Threads to use, at least 1; the result does not depend on it.</param>
    /// <param name="cancel">Ends the reading early.</param>
    /// <exception cref="SourceFileException">The file cannot be read.</exception>
    public static Scene Read(string name, Stream stream, Func<string, byte[]?> beside, int threads = 1, CancellationToken cancel = default)
    {
        if (stream.Length == 0)
            throw new SourceFileException(name, "", "the file is empty", "Export it again");
        return Extension(name) switch
        {
            ".obj" => ReadObj(name, stream, beside, threads, cancel),
            ".glb" or ".gltf" => GltfReader.Read(All(name, stream), name, beside, cancel),
            ".ply" => PlyReader.Read(All(name, stream), name, cancel),
            ".stl" => StlReader.Read(All(name, stream), name, cancel),
            ".usdz" => UsdReader.ReadPackage(Unpacked(name, stream, cancel), name, cancel),
            _ when IsLayer(name) => UsdReader.Read(All(name, stream), name, beside, cancel),
            _ when ExchangeFiles.Is(name) => ExchangeFiles.Read(All(name, stream), name, cancel),
            _ => throw new SourceFileException(name, "", "it is not a mesh file that can be read", $"Export the mesh as {Formats}"),
        };
    }

    /// <summary>
    /// The file that a path in a mesh file means, or null. Buffers and libraries are taken from another folder or case too: nothing but
    /// their content could be meant.
    /// </summary>
    /// <param name="name">Name of the mesh file.</param>
    /// <param name="path">The path as it says it.</param>
    /// <param name="files">Files that are there.</param>
    public static string? Beside(string name, string path, IEnumerable<string> files) =>
        SourcePaths.Candidates(name, path, files).FirstOrDefault(c => c.Fit != PathFit.OtherEnding).File;

    private static Scene ReadObj(string name, Stream stream, Func<string, byte[]?> beside, int threads, CancellationToken cancel)
    {
        var notes = new List<Finding>();
        var scene = ObjReader.Read(stream, name, Library, threads, cancel);
        return scene with { Notes = [.. scene.Notes, .. notes] };

        IReadOnlyList<Material> Library(string wanted)
        {
            if (beside(wanted) is { } text)
                return MtlReader.Read(new MemoryStream(text, writable: false), wanted);
            notes.Add(new Finding(Severity.Note, "material-library-missing", name,
                $"{name} refers to {wanted}, which is not here; add it to keep its colours."));
            return [];
        }
    }

    private static byte[] All(string name, Stream stream)
    {
        if (stream.Length > Array.MaxLength)
            throw new SourceFileException(name, "", $"it has {stream.Length} bytes; at most {Array.MaxLength} are read in this format",
                "Split it into several files, or export it as OBJ");
        var bytes = GC.AllocateUninitializedArray<byte>((int)stream.Length);
        stream.ReadExactly(bytes);
        return bytes;
    }

    private static List<(string Path, byte[] Bytes)> Unpacked(string name, Stream stream, CancellationToken cancel)
    {
        var files = new List<(string, byte[])>();
        ZipContents.Read(stream, name, (path, content) =>
        {
            var bytes = new MemoryStream();
            content.CopyTo(bytes);
            files.Add((path, bytes.ToArray()));
        }, e => throw e, cancel: cancel);
        return files;
    }

    /// <summary>Paths of the files a mesh file needs beside it: material libraries, buffers, pictures, layers.</summary>
    /// <param name="name">File name; its ending tells the format.</param>
    /// <param name="bytes">The file.</param>
    public static IReadOnlyList<string> CompanionsOf(string name, byte[] bytes) => Extension(name) switch
    {
        ".obj" => [.. LibrariesOf(bytes).Distinct(StringComparer.Ordinal)],
        ".gltf" => UrisOf(bytes),
        _ when IsLayer(name) => UsdReader.LayersOf(bytes),
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
            names.Add(System.Text.Encoding.UTF8.GetString(end < 0 ? rest : rest[..end]).Trim().Replace('\\', '/'));
        }
        return names;
    }

    private static List<string> UrisOf(byte[] bytes)
    {
        try
        {
            using var json = JsonDocument.Parse(bytes);
            return [.. JsonLists.Where(list => json.RootElement.TryGetProperty(list, out _))
                .SelectMany(list => json.RootElement.GetProperty(list).EnumerateArray())
                .Select(b => b.TryGetProperty("uri", out var uri) ? uri.GetString() : null).OfType<string>()
                    .Where(u => !u.StartsWith("data:", StringComparison.Ordinal)).Select(Uri.UnescapeDataString)];
        }
        catch (Exception e) when (e is JsonException or InvalidOperationException)
        {
            // The reader itself says what is wrong with the file.
            return [];
        }
    }

    private static string Extension(string name) => Path.GetExtension(name).ToLowerInvariant();
}
