using System.Numerics;
using Crumpet.Core.Imaging;

namespace Crumpet.Core.Geometry;

/// <summary>Reads the preview surfaces that meshes are bound to, with their textures.</summary>
/// <remarks>Source: the published specification of UsdPreviewSurface, its texture, primvar and transform nodes.</remarks>
/// <param name="root">The composed scene.</param>
/// <param name="picture">What a picture is called, by its path.</param>
internal sealed class UsdMaterials(UsdPrim root, Func<string, string> picture)
{
    private const int LongestChain = 16;
    private readonly Dictionary<string, int> byPath = new(StringComparer.Ordinal);
    private readonly List<Material> all = [];

    /// <summary>Materials that were found, in the order they were asked for.</summary>
    public IReadOnlyList<Material> All => all;

    /// <summary>Path of the material a prim is bound to itself, or null.</summary>
    public static string? BindingOf(UsdPrim prim)
    {
        foreach (string name in (ReadOnlySpan<string>)["material:binding:preview", "material:binding", "material:binding:full"])
        {
            if (prim.Properties.TryGetValue(name, out var property) && property.Targets is [var target, ..])
                return target.Path;
        }
        return null;
    }

    /// <summary>Number of the material at a path; -1 where there is none.</summary>
    /// <param name="path">Its path, or null.</param>
    /// <param name="mesh">The mesh it is on, which has the UV sets that textures name.</param>
    public int Find(string? path, UsdPrim mesh)
    {
        if (path is null)
            return -1;
        if (byPath.TryGetValue(path, out int known))
            return known;
        if (root.At(path) is not { Type: "Material" } prim)
            return byPath[path] = -1;
        var material = Read(prim, mesh);
        // Exporters write a material anew below every mesh.
        int same = all.FindIndex(m => m.Name == material.Name && m.SaysTheSameAs(material));
        if (same < 0)
            all.Add(material);
        return byPath[path] = same < 0 ? all.Count - 1 : same;
    }

    private Material Read(UsdPrim prim, UsdPrim mesh)
    {
        string name = prim.Metadata.GetValueOrDefault("displayName")?.Word is { Length: > 0 } shown ? shown : prim.Name;
        if (SurfaceOf(prim) is not { } surface)
            return Material.Plain with { Name = name };
        var uses = new List<TextureUse>();
        // One number is a grey.
        double[] colour = Slot("diffuseColor", TextureKind.BaseColour) ?? [0.18];
        if (colour.Length < 3)
            colour = [colour[0], colour[0], colour[0]];
        double roughness = Slot("roughness", TextureKind.Roughness)?[0] ?? 0.5, metalness = Slot("metallic", TextureKind.Metalness)?[0] ?? 0,
            opacity = Slot("opacity", TextureKind.Opacity)?[0] ?? 1;
        Slot("normal", TextureKind.Normal);
        Slot("occlusion", TextureKind.Occlusion);
        Slot("emissiveColor", TextureKind.Emission);
        Slot("displacement", TextureKind.Height);
        return new Material(name, new Vector4((float)colour[0], (float)colour[1], (float)colour[2], (float)opacity), (float)roughness, (float)metalness)
        { Textures = uses, Traits = Traits(opacity < 1 || uses.Any(u => u.Slot == TextureKind.Opacity)) };

        // A threshold makes holes; without one what is not opaque blends.
        MaterialTraits Traits(bool isSeenThrough)
        {
            double threshold = Number("opacityThreshold", 0);
            return MaterialTraits.Plain with
            {
                Alpha = threshold > 0 ? AlphaMode.CutOut : isSeenThrough ? AlphaMode.Blend : AlphaMode.Opaque,
                Threshold = threshold > 0 ? Math.Min(threshold, 1) : MaterialTraits.Plain.Threshold,
                Emission = surface.Value("inputs:emissiveColor")?.Numbers is { Length: 3 } e ? Tint.Of(new Vector3((float)e[0], (float)e[1], (float)e[2]))
                    : Tint.Black,
                ClearCoat = Math.Clamp(Number("clearcoat", 0), 0, 1),
                ClearCoatRoughness = Math.Clamp(Number("clearcoatRoughness", 0), 0, 1),
                Index = Math.Clamp(Number("ior", MaterialTraits.UsualIndex), 1, 4),
            };
        }

        double Number(string input, double otherwise) =>
            surface.Value("inputs:" + input)?.Numbers is [var given, ..] && double.IsFinite(given) ? given : otherwise;

        // The value of an input; where a texture is connected it counts, times one.
        double[]? Slot(string input, TextureKind kind)
        {
            if (!surface.Properties.TryGetValue("inputs:" + input, out var property))
                return null;
            if (property.Targets is not [var target, ..])
                return property.Given?.Numbers is { Length: > 0 } given ? given : null;
            var (source, output) = Source(target.Path);
            if (source?.Value("info:id")?.Word != "UsdUVTexture")
                return source?.Value(output)?.Numbers is { Length: > 0 } connected ? connected : null;
            if (TextureOf(source, kind, mesh) is { } use)
                uses.Add(use);
            return [1, 1, 1];
        }
    }

    /// <summary>The preview surface a material's output comes from.</summary>
    private UsdPrim? SurfaceOf(UsdPrim material)
    {
        foreach (var (name, property) in material.Properties)
        {
            if (name.StartsWith("outputs:", StringComparison.Ordinal) && name.EndsWith("surface", StringComparison.Ordinal)
                && property.Targets is [var target, ..] && Source(target.Path).Prim is { } found && found.Value("info:id")?.Word == "UsdPreviewSurface")
                return found;
        }
        return material.Children.FirstOrDefault(c => c.Value("info:id")?.Word == "UsdPreviewSurface");
    }

    /// <summary>The shader a connection comes from, through the inputs of materials and node graphs.</summary>
    private (UsdPrim? Prim, string Output) Source(string path)
    {
        for (int step = 0; step < LongestChain; step++)
        {
            int dot = path.LastIndexOf('.');
            string output = dot < 0 ? "" : path[(dot + 1)..];
            var prim = root.At(dot < 0 ? path : path[..dot]);
            if (prim is null || prim.Type == "Shader" || !prim.Properties.TryGetValue(output, out var property) || property.Targets is not [var next, ..])
                return (prim, output);
            path = next.Path;
        }
        return (null, "");
    }

    private TextureUse? TextureOf(UsdPrim texture, TextureKind kind, UsdPrim mesh)
    {
        string? file = Input(texture, "file", out _)?.Word;
        if (string.IsNullOrEmpty(file))
            return null;
        var transform = Matrix3x2.Identity;
        int set = 0;
        Input(texture, "st", out var coordinates);
        if (coordinates?.Value("info:id")?.Word == "UsdTransform2d")
        {
            double[] scale = Pair(coordinates, "scale", 1), move = Pair(coordinates, "translation", 0);
            float turn = (float)((Input(coordinates, "rotation", out _)?.Number ?? 0) * Math.PI / 180);
            transform = Matrix3x2.CreateScale((float)scale[0], (float)scale[1]) * Matrix3x2.CreateRotation(turn)
                * Matrix3x2.CreateTranslation((float)move[0], (float)move[1]);
            Input(coordinates, "in", out coordinates);
        }
        if (coordinates is not null && Input(coordinates, "varname", out _)?.Word is { } name)
            set = Math.Max(0, UsdMeshBuilder.UvNames(mesh).IndexOf(name));
        return new TextureUse(kind, picture(file)) { UvSet = set, UvTransform = transform };
    }

    private double[] Pair(UsdPrim prim, string input, double otherwise) =>
        Input(prim, input, out _)?.Numbers is { Length: 2 } given ? given : [otherwise, otherwise];

    /// <summary>The value of an input, or of what it is connected to.</summary>
    /// <param name="prim">The shader.</param>
    /// <param name="name">Name of the input.</param>
    /// <param name="source">The shader it is connected to, or null.</param>
    private UsdValue? Input(UsdPrim prim, string name, out UsdPrim? source)
    {
        source = null;
        if (!prim.Properties.TryGetValue("inputs:" + name, out var property))
            return null;
        if (property.Targets is not [var target, ..])
            return property.Given;
        (source, string output) = Source(target.Path);
        return source?.Value(output) ?? property.Given;
    }
}
