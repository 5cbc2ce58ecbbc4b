using System.Globalization;
using System.Security.Cryptography;
using System.Text.Json;
using Crumpet.Core.Convert;
using Crumpet.Core.Geometry;
using Crumpet.Core.Imaging;
using Crumpet.Core.Intake;

namespace Crumpet.Core.Dock;

/// <summary>
/// The engine side, as strict as one: takes the files of a delivery and judges them by a convention of its own. It knows the manifest and the
/// files, and nothing of how they were made.
/// </summary>
/// <param name="files">Files of the delivery by their paths.</param>
/// <param name="cancel">Ends the work early.</param>
public sealed class DockCheck(IReadOnlyDictionary<string, byte[]> files, CancellationToken cancel = default)
{
    private const string ManifestName = "manifest.json";
    private readonly List<DockMessage> messages = [];
    private readonly List<DockMesh> meshes = [];
    private readonly List<DockTexture> textures = [];

    private sealed record Listed(string Path, string Sha256, string? Colour);

    /// <summary>Judges the delivery.</summary>
    public DockVerdict Judge()
    {
        var (asset, green, listed) = Manifest();
        Files(listed);
        foreach (string path in files.Keys.Order(StringComparer.Ordinal))
        {
            cancel.ThrowIfCancellationRequested();
            string ending = Path.GetExtension(path).ToLowerInvariant();
            if (IsContainer(path) || MeshFiles.IsPicture(path))
                Texture(path, listed.GetValueOrDefault(path)?.Colour, green);
            else if (MeshFiles.IsMesh(path) && !path.EndsWith("_shapes.usda", StringComparison.Ordinal))
                Mesh(path, asset);
            else if (path != ManifestName && ending is not (".json" or ".mtl" or ".bin" or ".mtlx" or ".usda" or ".usd"))
                Say(DockLevel.Note, path, $"{path} is no file the dock reads.", "Leave it out, or keep it where it is.");
        }
        Whole(asset);
        return new DockVerdict(asset, meshes, textures, [.. messages.OrderBy(m => m.Level).ThenBy(m => m.File, StringComparer.Ordinal)]);
    }

    private (string Asset, string? Green, Dictionary<string, Listed> Listed) Manifest()
    {
        var listed = new Dictionary<string, Listed>(StringComparer.Ordinal);
        if (!files.TryGetValue(ManifestName, out byte[]? bytes))
        {
            Say(DockLevel.Error, ManifestName, "The delivery has no manifest.json.", "Deliver it again.");
            return ("", null, listed);
        }
        try
        {
            using var document = JsonDocument.Parse(bytes);
            var root = document.RootElement;
            foreach (var file in root.GetProperty("files").EnumerateArray())
            {
                string path = file.GetProperty("path").GetString() ?? "";
                listed[path] = new Listed(path, file.GetProperty("sha256").GetString() ?? "",
                    file.TryGetProperty("colour", out var colour) ? colour.GetString() : null);
            }
            string asset = root.GetProperty("asset").GetString() ?? "";
            if (!DockConvention.IsName(asset))
                Misnamed(ManifestName, asset, "The asset's name ");
            return (asset, root.GetProperty("green").GetString(), listed);
        }
        catch (Exception e) when (e is JsonException or KeyNotFoundException or InvalidOperationException)
        {
            Say(DockLevel.Error, ManifestName, "manifest.json cannot be read.", "Deliver it again.");
            return ("", null, listed);
        }
    }

    /// <summary>Whether what is listed is there, to the byte, and what is there is listed.</summary>
    private void Files(Dictionary<string, Listed> listed)
    {
        foreach (var file in listed.Values)
        {
            if (!files.TryGetValue(file.Path, out byte[]? bytes))
            {
                string? like = files.Keys.FirstOrDefault(f => f.Equals(file.Path, StringComparison.OrdinalIgnoreCase));
                Say(DockLevel.Error, file.Path,
                    like is null ? $"{file.Path} is listed and not there." : $"{file.Path} is listed, and the file is called {like}.",
                    like is null ? "Deliver it again." : $"Name it {file.Path}, to the letter.");
            }
            else if (System.Convert.ToHexStringLower(SHA256.HashData(bytes)) != file.Sha256)
                Say(DockLevel.Error, file.Path, $"{file.Path} has other bytes than the manifest says.", "Deliver it again; do not edit it here.");
        }
        if (listed.Count == 0)
            return;
        foreach (string path in files.Keys.Where(f => f != ManifestName && !listed.ContainsKey(f)))
            Say(DockLevel.Note, path, $"{path} is not of the delivery.", "Keep it if it is your own.");
    }

    private void Texture(string path, string? flag, string? green)
    {
        string name = Path.GetFileNameWithoutExtension(path);
        string word = name[(name.LastIndexOf('_') + 1)..];
        var input = DockConvention.Inputs.FirstOrDefault(i => i.Word == word);
        if (!DockConvention.IsName(name))
            Misnamed(path, name);
        if (input is null)
            Say(DockLevel.Warning, path, $"No input takes {name}: its last word is {word}.",
                $"End its name in one of {string.Join(", ", DockConvention.Inputs.Select(i => i.Word))}.");
        Texture? texture = null;
        Bitmap? picture = null;
        try
        {
            if (IsContainer(path))
                texture = TextureContainer.Read(files[path], path);
            else
                picture = ImageFile.Read(files[path], path);
        }
        catch (SourceFileException e)
        {
            Say(DockLevel.Error, path, $"{path} cannot be read: {e.What}.", "Deliver it again.");
            return;
        }
        int width = texture?.Width ?? picture!.Width, height = texture?.Height ?? picture!.Height, channels = texture?.Format.Channels ?? picture!.Channels;
        textures.Add(new DockTexture(path, input?.Word ?? "", width, height, texture?.Format.Label ?? Path.GetExtension(path)[1..].ToUpperInvariant(),
            texture?.Levels.Count ?? 1, texture?.Bytes ?? (long)width * height * Math.Max(4, channels)));
        Size(path, width, height, texture);
        if (input is null)
            return;
        string wanted = input.Meaning.ToString().ToLowerInvariant();
        if (flag is not null && flag != wanted)
            Say(DockLevel.Error, path, $"{path} is flagged {flag}, and {word} is read as {wanted}.", $"Say at Pack that {word} means {Words(input.Meaning)}.");
        if (texture is not null && texture.Format.VkSrgb is not null && texture.Srgb != (input.Meaning == ColourMeaning.Srgb))
            Say(DockLevel.Error, path, $"The file {path} says {(texture.Srgb ? "sRGB" : "plain numbers")}, and {word} is read as {wanted}.",
                $"Say at Pack that {word} means {Words(input.Meaning)}.");
        if (channels < input.Channels)
            Say(DockLevel.Error, path, $"{path} has {channels} channel{(channels == 1 ? "" : "s")}, and {word} needs {input.Channels}.",
                "Store it in a format that holds them.");
        if (input.Meaning == ColourMeaning.Normal)
            Green(path, texture, picture, green);
    }

    private static bool IsContainer(string path) =>
        TextureContainer.Table.All.Any(c => c.Ending.Equals(Path.GetExtension(path), StringComparison.OrdinalIgnoreCase));

    private void Size(string path, int width, int height, Texture? texture)
    {
        if (Math.Max(width, height) > DockConvention.LargestSide)
            Say(DockLevel.Error, path, FormattableString.Invariant($"{path} is {width} × {height}, and {DockConvention.LargestSide} is the most."),
                "Make it smaller at Convert.");
        if (!int.IsPow2(width) || !int.IsPow2(height))
            Say(DockLevel.Error, path, FormattableString.Invariant($"{path} is {width} × {height}; sides are powers of two here."),
                "Bring it to powers of two at Convert.");
        int whole = 1 + int.Log2(Math.Max(width, height));
        if (texture is { } t && t.Levels.Count != whole)
            Say(DockLevel.Warning, path, FormattableString.Invariant($"{path} has {t.Levels.Count} of {whole} levels; it will shimmer far away."),
                "Let Convert make its levels.");
    }

    private void Green(string path, Texture? texture, Bitmap? picture, string? green)
    {
        if (green is not ("up" or "down"))
            return;
        var map = picture ?? TextureView.Decode(texture!, 0, ColourMeaning.Normal);
        if (PictureFacts.Of(map).Content.Green is { } found && !found.ToString().Equals(green, StringComparison.OrdinalIgnoreCase))
            Say(DockLevel.Error, path, $"Green of {path} runs {found.ToString().ToLowerInvariant()}, and the manifest says {green}: hollows look raised.",
                "Let Pack turn green as the target wants it.");
    }

    private void Mesh(string path, string asset)
    {
        string name = Path.GetFileNameWithoutExtension(path);
        if (!DockConvention.IsName(name))
            Misnamed(path, name);
        string? role = RoleOf(name, asset);
        if (role is null)
            Say(DockLevel.Error, path, $"{name} is neither {asset} nor one of its levels, hulls or cages.",
                $"Name it {asset}, {asset}_{DockConvention.Levels}1, {asset}_{DockConvention.Hulls} or {asset}_{DockConvention.Cages}.");
        Scene scene;
        try
        {
            string folder = Path.GetDirectoryName(path)!;
            scene = MeshFiles.Read(Path.GetFileName(path), new MemoryStream(files[path]),
                beside => files.GetValueOrDefault(Resolved(folder, beside)), 1, cancel);
        }
        catch (SourceFileException e)
        {
            Say(DockLevel.Error, path, $"{path} cannot be read: {e.What}.", "Deliver it again.");
            return;
        }
        int triangles = scene.Meshes.Sum(m => m.TriangleCount);
        meshes.Add(new DockMesh(path, role ?? "", scene.Meshes.Count, triangles));
        if (triangles == 0)
            Say(DockLevel.Error, path, $"{path} has no triangles.", "Deliver a mesh.");
        if (role == DockConvention.Hulls)
        {
            foreach (var hull in scene.Meshes.Where(m => m.TriangleCount > DockConvention.MostHullTriangles))
                Say(DockLevel.Warning, path, FormattableString.Invariant(
                    $"{hull.Name} has {hull.TriangleCount} triangles; hulls of more than {DockConvention.MostHullTriangles} are slow."), "Make it coarser.");
        }
        else if (role is "asset" or DockConvention.Levels)
        {
            foreach (var mesh in scene.Meshes.Where(m => m.Uvs is null))
                Say(DockLevel.Error, path, $"{mesh.Name} has no UVs; textures cannot lie on it.", "Lay out its UVs.");
            // Readers name what lies inside a mesh file below that.
            string file = Path.GetFileName(path);
            var inside = scene.Pictures.SelectMany(p => new[] { p.Name, $"{file}/{p.Name}" }).ToHashSet(StringComparer.Ordinal);
            foreach (var use in scene.Materials.SelectMany(m => m.Textures.Select(t => (m.Name, t.Path)))
                .Where(u => u.Path.Length > 0 && !inside.Contains(u.Path) && !files.ContainsKey(Resolved(Path.GetDirectoryName(path)!, u.Path))).Distinct())
                Say(DockLevel.Error, path, $"{use.Name} asks for {use.Path}, which is not there.", "Deliver the texture, or let another fill the input.");
        }
    }

    private static string? RoleOf(string name, string asset) => name == asset ? "asset"
        : name == $"{asset}_{DockConvention.Hulls}" ? DockConvention.Hulls
        : name == $"{asset}_{DockConvention.Cages}" ? DockConvention.Cages
        : LevelOf(name, asset) is not null ? DockConvention.Levels : null;

    private static int? LevelOf(string name, string asset) => name.StartsWith($"{asset}_{DockConvention.Levels}", StringComparison.Ordinal)
        && int.TryParse(name.AsSpan(asset.Length + 1 + DockConvention.Levels.Length), NumberStyles.None, CultureInfo.InvariantCulture, out int level)
        && level > 0 ? level : null;

    /// <summary>What only the whole delivery tells: inputs without textures, levels that are left out, hulls that did not come along.</summary>
    private void Whole(string asset)
    {
        foreach (var material in textures.Where(t => t.Input.Length > 0)
            .GroupBy(t => Path.GetFileNameWithoutExtension(t.File)[..^(t.Input.Length + 1)], StringComparer.Ordinal))
        {
            var words = material.Select(t => t.Input).ToHashSet(StringComparer.Ordinal);
            foreach (var any in DockConvention.Needed.Where(any => !any.Any(words.Contains)))
                Say(DockLevel.Warning, "", $"Material {material.Key} has no {string.Join(" or ", any)}.", $"Deliver {material.Key}_{any[0]}.");
        }
        if (meshes.Count == 0)
            return;
        if (meshes.All(m => m.Role != "asset") && asset.Length > 0)
            Say(DockLevel.Error, "", $"The delivery has meshes and none is {asset}.", $"Deliver {asset} itself.");
        int[] levels = [.. meshes.Select(m => LevelOf(Path.GetFileNameWithoutExtension(m.File), asset)).OfType<int>().Order()];
        for (int level = 1; level <= levels.LastOrDefault(); level++)
        {
            if (!levels.Contains(level))
                Say(DockLevel.Error, "", FormattableString.Invariant($"{asset}_{DockConvention.Levels}{level} is missing; levels count from 1 without a gap."),
                    "Deliver it, or number the others anew.");
        }
        if (meshes.All(m => m.Role != DockConvention.Hulls))
            Say(DockLevel.Warning, "", "No hulls came along; things bump into a box.", $"Deliver {asset}_{DockConvention.Hulls}.");
    }

    private void Misnamed(string file, string name, string what = "") =>
        Say(DockLevel.Error, file, $"{what}{name} is not written as names are here.", $"Name it {DockConvention.Corrected(name)}.");

    private void Say(DockLevel level, string file, string says, string change) => messages.Add(new DockMessage(level, file, says, change));

    private static string Words(ColourMeaning meaning) => meaning switch
    {
        ColourMeaning.Srgb => "colour",
        ColourMeaning.Normal => "normals",
        _ => "plain numbers",
    };

    /// <summary>A path as a file in a folder of the delivery writes it, from the delivery's own folder.</summary>
    private static string Resolved(string folder, string path)
    {
        var names = new List<string>(folder.Length == 0 ? [] : folder.Split('/'));
        foreach (string name in path.Split('/'))
        {
            if (name == ".." && names.Count > 0)
                names.RemoveAt(names.Count - 1);
            else if (name is not ("." or "" or ".."))
                names.Add(name);
        }
        return string.Join('/', names);
    }
}
