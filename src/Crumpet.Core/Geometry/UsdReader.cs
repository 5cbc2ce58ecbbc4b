using System.Numerics;
using Crumpet.Core.Imaging;

namespace Crumpet.Core.Geometry;

/// <summary>
/// Reads scenes of Universal Scene Description: meshes in world space with their UV sets, colours, subsets and preview materials, over
/// references, variants and sublayers. What changes over time is read at its first time, skinned meshes and blend shapes at rest.
/// </summary>
/// <remarks>Source: the published schemas UsdGeom, UsdShade and UsdPreviewSurface.</remarks>
public sealed class UsdReader
{
    private const float MetresAUnit = 0.01f;
    private const int MostGroups = 32;

    // Quarter turn from Z up to Y up.
    private static readonly Matrix4x4 FromZUp = new(1, 0, 0, 0, 0, 0, -1, 0, 0, 1, 0, 0, 0, 0, 0, 1);
    private readonly string fileName;
    private readonly UsdStage stage;
    private readonly UsdMaterials materials;
    private readonly CancellationToken cancel;
    private readonly List<Finding> notes = [];
    private readonly List<Mesh> meshes = [];
    private readonly List<Stray> strays = [];
    private readonly Matrix4x4 place, back;
    private bool namesAreParents;

    private UsdReader(string fileName, UsdStage stage, Func<string, string> picture, CancellationToken cancel)
    {
        this.fileName = fileName;
        this.stage = stage;
        this.cancel = cancel;
        materials = new UsdMaterials(stage.Root, picture);
        double unit = stage.Root.Metadata.GetValueOrDefault("metersPerUnit")?.Number ?? MetresAUnit;
        if (!(unit > 0) || !double.IsFinite(unit))
            unit = MetresAUnit;
        place = (stage.Root.Metadata.GetValueOrDefault("upAxis")?.Word == "Z" ? FromZUp : Matrix4x4.Identity) * Matrix4x4.CreateScale((float)unit);
        Matrix4x4.Invert(place, out back);
    }

    /// <summary>Reads a layer in its text form, and those it refers to.</summary>
    /// <param name="bytes">The file.</param>
    /// <param name="fileName">Name for messages.</param>
    /// <param name="beside">Bytes of a file by its path as the layer writes it, or null.</param>
    /// <param name="cancel">Ends the reading early.</param>
    /// <exception cref="SourceFileException">It is no such layer, a mesh does not fit together, or there is no triangle.</exception>
    public static Scene Read(byte[] bytes, string fileName, Func<string, byte[]?> beside, CancellationToken cancel = default) =>
        Read(bytes, fileName, Path.GetFileName(fileName), beside, path => path, cancel);

    /// <summary>Reads a package: its first layer, with layers and pictures that lie in it.</summary>
    /// <param name="files">Files in it by their paths, in order.</param>
    /// <param name="fileName">Name for messages.</param>
    /// <param name="cancel">Ends the reading early.</param>
    /// <exception cref="SourceFileException">As for a layer; or the package does not begin with one.</exception>
    public static Scene ReadPackage(IReadOnlyList<(string Path, byte[] Bytes)> files, string fileName, CancellationToken cancel = default)
    {
        if (files.Count == 0)
            throw new SourceFileException(fileName, "", "the package is empty", "Export it again");
        var byPath = new Dictionary<string, byte[]>(StringComparer.Ordinal);
        foreach (var (path, bytes) in files)
            byPath.TryAdd(path, bytes);
        var pictures = new Dictionary<string, InnerPicture>(StringComparer.Ordinal);
        var taken = new HashSet<string>(StringComparer.OrdinalIgnoreCase);
        foreach (var (path, bytes) in files.Where(f => IsPicture(f.Path)))
        {
            string free = Path.GetFileName(path);
            for (int i = 2; !taken.Add(free); i++)
                free = $"{Path.GetFileNameWithoutExtension(path)}_{i}{Path.GetExtension(path)}";
            pictures.TryAdd(path, new InnerPicture(free, bytes));
        }
        var scene = Read(files[0].Bytes, fileName, files[0].Path, byPath.GetValueOrDefault,
            path => pictures.TryGetValue(path, out var inner) ? $"{Path.GetFileName(fileName)}/{inner.Name}" : path, cancel);
        return scene with { Pictures = [.. pictures.Values], Layers = [] };
    }

    /// <summary>Paths of the files a layer names: other layers and pictures.</summary>
    /// <param name="bytes">The layer; one in another form names none.</param>
    public static IReadOnlyList<string> LayersOf(byte[] bytes)
    {
        var found = new SortedSet<string>(StringComparer.Ordinal);
        if (!UsdText.Is(bytes))
            return [];
        for (int at = 0, start; (start = bytes.AsSpan(at).IndexOf((byte)'@')) >= 0;)
        {
            start += at + 1;
            int length = bytes.AsSpan(start).IndexOfAny((byte)'@', (byte)'\n');
            if (length > 0 && bytes[start + length] == '@')
                found.Add(System.Text.Encoding.UTF8.GetString(bytes, start, length));
            at = length < 0 ? bytes.Length : start + length + 1;
        }
        return [.. found];
    }

    private static bool IsPicture(string path) =>
        Path.GetExtension(path).ToLowerInvariant() is ".png" or ".jpg" or ".jpeg" or ".webp" or ".exr" or ".hdr" or ".tga" or ".tif" or ".tiff";

    private static Scene Read(byte[] bytes, string fileName, string path, Func<string, byte[]?> beside, Func<string, string> picture, CancellationToken cancel)
    {
        var stage = UsdStage.Open(bytes, fileName, path, beside, cancel);
        return new UsdReader(fileName, stage, picture, cancel).ReadScene();
    }

    private Scene ReadScene()
    {
        var parents = new List<UsdPrim>();
        namesAreParents = EachMeshIsAlone(stage.Root, false, parents) && parents.Count > 0
            && parents.Select(p => p.Name).Distinct(StringComparer.Ordinal).Count() == parents.Count;
        foreach (var prim in stage.Root.Children)
            Visit(prim, stage.Root, new State(Matrix4x4.Identity, null, false, []));
        foreach (string layer in stage.Missing)
            notes.Add(new Finding(Severity.Warn, "layer-missing", fileName,
                $"{fileName} refers to {layer}, which is not here; add it, or nothing of it is read."));
        if (meshes.Count == 0)
            throw stage.Missing.Count > 0
                ? new SourceFileException(fileName, "", $"there is no triangle in it; it refers to {stage.Missing.First()}, which is not here",
                    "Add the layers it refers to")
                : new SourceFileException(fileName, "", "there is no triangle in it", "Export the mesh again with its faces");
        return new Scene(fileName, meshes, materials.All, notes) { Strays = strays, Layers = [.. stage.Read] };
    }

    /// <summary>Whether every mesh is the only prim below a transform of its own, which then is what artists named.</summary>
    private static bool EachMeshIsAlone(UsdPrim prim, bool isBelowRoot, List<UsdPrim> parents)
    {
        foreach (var child in prim.Children)
        {
            if (child.Type == "Mesh")
            {
                if (!isBelowRoot || prim.Type != "Xform" || prim.Children.Count(c => c.Type is "Mesh" or "Xform") > 1)
                    return false;
                parents.Add(prim);
            }
            else if (!EachMeshIsAlone(child, prim.Name.Length > 0, parents))
            {
                return false;
            }
        }
        return true;
    }

    private void Visit(UsdPrim prim, UsdPrim parent, State above)
    {
        cancel.ThrowIfCancellationRequested();
        var state = above with
        {
            World = UsdTransform.Of(prim, out bool isFresh) * (isFresh ? Matrix4x4.Identity : above.World),
            Material = UsdMaterials.BindingOf(prim) ?? above.Material,
            IsHidden = above.IsHidden || prim.Value("visibility")?.Word == "invisible" || prim.Value("purpose")?.Word is "proxy" or "guide",
        };
        switch (prim.Type)
        {
            case "Mesh":
                AddMesh(prim, parent, state);
                return;
            case "Material" or "Shader" or "NodeGraph" or "GeomSubset":
                return;
            case "Camera":
                strays.Add(new Stray(NameOf(prim), "camera"));
                break;
            case "PointInstancer":
                notes.Add(new Finding(Severity.Warn, "copies-left-out", NameOf(prim),
                    $"{NameOf(prim)} in {fileName} places copies by a point instancer, which is not read; export the copies as objects of their own."));
                return;
            case "Cube" or "Sphere" or "Cylinder" or "Cone" or "Capsule" or "Plane" or "NurbsPatch" or "BasisCurves" or "NurbsCurves" or "Points"
                or "HermiteCurves":
                notes.Add(new Finding(Severity.Note, "shape-left-out", NameOf(prim),
                    $"{NameOf(prim)} in {fileName} is a {prim.Type} and no mesh; it is left out. Turn it into a mesh and export again if it is needed."));
                break;
            case "Xform" or "" when prim.Children.Count == 0:
                strays.Add(new Stray(NameOf(prim), "empty"));
                break;
            default:
                if (prim.Type.EndsWith("Light", StringComparison.Ordinal))
                    strays.Add(new Stray(NameOf(prim), "light"));
                break;
        }
        // One prim that holds all is the file's, and no group.
        bool isGroup = prim.Type is "Xform" or "" or "Scope" && !(parent == stage.Root && stage.Root.Children.Count(c => c.Type != "Material") == 1);
        if (isGroup && state.Groups.Count < MostGroups && !(namesAreParents && prim.Children.Any(c => c.Type == "Mesh")))
            state = state with { Groups = [.. state.Groups, NameOf(prim)] };
        foreach (var child in prim.Children)
            Visit(child, prim, state);
    }

    private void AddMesh(UsdPrim prim, UsdPrim parent, State state)
    {
        string name = NameOf(namesAreParents ? parent : prim);
        var world = state.World * place;
        if (!Matrix4x4.Invert(world, out _))
            throw new SourceFileException(fileName, $"object {name}", "its transform flattens it to nothing",
                "Give it a scale other than zero and export again");
        var builder = new UsdMeshBuilder(prim, fileName, name, world, cancel);
        int whole = materials.Find(state.Material, prim);
        var subsets = prim.Children.Where(c => c.Type == "GeomSubset" && UsdMaterials.BindingOf(c) is not null)
            .Select(c => (c.Value("indices")?.Numbers ?? [], materials.Find(UsdMaterials.BindingOf(c), prim)));
        if (builder.Build(whole, [.. subsets]) is not { } mesh)
            return;
        meshes.Add(mesh with { Placement = back * world, IsHidden = state.IsHidden, Groups = state.Groups });
        if (prim.Value("subdivisionScheme")?.Word is var scheme and not "none" && mesh.Normals is null)
            notes.Add(new Finding(Severity.Note, "control-mesh", name,
                $"{name} in {fileName} is a subdivision surface ({scheme ?? "catmullClark"}); its control mesh is read as it is. Subdivide it and export again "
                + "if it should be smooth."));
        if (prim.Properties.ContainsKey("primvars:skel:jointIndices") || prim.Properties.ContainsKey("skel:blendShapes"))
            notes.Add(new Finding(Severity.Note, "rest-pose", name, $"{name} in {fileName} is skinned or has blend shapes; its rest pose is used."));
    }

    private static string NameOf(UsdPrim prim) => prim.Metadata.GetValueOrDefault("displayName")?.Word is { Length: > 0 } shown ? shown : prim.Name;

    /// <summary>What a prim has from those above it.</summary>
    private sealed record State(Matrix4x4 World, string? Material, bool IsHidden, IReadOnlyList<string> Groups);
}
