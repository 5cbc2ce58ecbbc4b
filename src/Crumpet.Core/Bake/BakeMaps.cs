using System.Numerics;
using Crumpet.Core.Checking;
using Crumpet.Core.Imaging;

namespace Crumpet.Core.Bake;

/// <content>The maps there are. A new one is an entry here, and its place in the table at the end.</content>
public sealed partial class BakeMap
{
    /// <summary>Tangent-space normal.</summary>
    public static BakeMap Normal { get; } = new()
    {
        Word = "normal",
        Label = "normal",
        Texture = TextureKind.Normal,
        Shows = "the high side's normal in tangent space, RGB",
        Values = MapValues.Vector,
        Needs = MapNeeds.NormalTextures,
        Background = [0, 0, 1],
        IsTangent = true,
        MadeFrom = [MadeOf.Height],
        Sample = s => s.InTangentSpace(s.DetailedNormal),
    };

    /// <summary>Ambient occlusion.</summary>
    public static BakeMap Occlusion { get; } = new()
    {
        Word = "ao",
        FormerWord = "occlusion",
        Label = "ambient occlusion",
        Texture = TextureKind.Occlusion,
        Shows = "how open the surface is, grey; white is open",
        Values = MapValues.Share,
        Needs = MapNeeds.Light,
        Background = [1],
        IsNoisy = true,
        MadeFrom = [MadeOf.Height, MadeOf.Normal],
        Sample = s => new(s.Openness, 0, 0),
    };

    /// <summary>Object-space normal.</summary>
    public static BakeMap ObjectNormal { get; } = new()
    {
        Word = "object_normal",
        FormerWord = "objectNormal",
        Label = "object normal",
        Shows = "the high side's normal in object space, RGB",
        Values = MapValues.Vector,
        Needs = MapNeeds.NormalTextures,
        Background = [0, 0, 1],
        Sample = s => s.DetailedNormal,
    };

    /// <summary>Mean open direction.</summary>
    public static BakeMap BentNormal { get; } = new()
    {
        Word = "bent_normal",
        FormerWord = "bentNormal",
        Label = "bent normal",
        Shows = "the mean open direction in tangent space, RGB",
        Values = MapValues.Vector,
        Needs = MapNeeds.Light,
        Background = [0, 0, 1],
        IsTangent = true,
        Sample = s => s.InTangentSpace(s.OpenDirection),
    };

    /// <summary>Signed curvature.</summary>
    public static BakeMap Curvature { get; } = new()
    {
        Word = "curvature",
        Label = "curvature",
        Shows = "mean curvature, grey; half is flat, white convex",
        Values = MapValues.Curvature,
        Needs = MapNeeds.Curvature,
        IsSigned = true,
        MadeFrom = [MadeOf.Height, MadeOf.Normal],
        Sample = s => new(s.Curvature, 0, 0),
    };

    /// <summary>Convex part of curvature.</summary>
    public static BakeMap Convex { get; } = new()
    {
        Word = "convex",
        Label = "convex",
        Shows = "the convex part of curvature, grey; black is flat",
        Values = MapValues.Curvature,
        Needs = MapNeeds.Curvature,
        Sample = s => new(s.Curvature, 0, 0),
        Shown = v => MathF.Max(0, v),
    };

    /// <summary>Concave part of curvature.</summary>
    public static BakeMap Concave { get; } = new()
    {
        Word = "concave",
        Label = "concave",
        Shows = "the concave part of curvature, grey; black is flat",
        Values = MapValues.Curvature,
        Needs = MapNeeds.Curvature,
        Sample = s => new(s.Curvature, 0, 0),
        Shown = v => MathF.Max(0, -v),
    };

    /// <summary>Mean way through the solid.</summary>
    public static BakeMap Thickness { get; } = new()
    {
        Word = "thickness",
        Label = "thickness",
        Shows = "the mean way through the solid, grey; white is the range",
        Values = MapValues.Length,
        Needs = MapNeeds.Thickness,
        IsNoisy = true,
        Sample = s => new(s.Thickness, 0, 0),
    };

    /// <summary>Distance from the low to the high surface.</summary>
    public static BakeMap Height { get; } = new()
    {
        Word = "height",
        Label = "height",
        Texture = TextureKind.Height,
        Shows = "the signed distance from the low to the high surface, grey; half is none",
        Values = MapValues.Offset,
        IsSigned = true,
        IsWide = true,
        Sample = s => new(s.Height, 0, 0),
    };

    /// <summary>Place on the high surface.</summary>
    public static BakeMap Position { get; } = new()
    {
        Word = "position",
        Label = "position",
        Shows = "the place on the high surface within the asset's bounds, RGB",
        Values = MapValues.Position,
        Background = [0, 0, 0],
        IsWide = true,
        Sample = s => s.Point,
    };

    /// <summary>A flat colour for each thing of a kind.</summary>
    public static BakeMap Id { get; } = new()
    {
        Word = "id",
        Label = "ID",
        Texture = TextureKind.Id,
        Shows = "a flat colour for each material, vertex colour, part or shell, with a legend",
        Values = MapValues.Label,
        Needs = MapNeeds.Labels,
        Background = [-1],
        Sample = s => new(s.Label, 0, 0),
    };

    /// <summary>Vertex colours of the high side.</summary>
    public static BakeMap VertexColour { get; } = new()
    {
        Word = "vertex_colour",
        FormerWord = "vertexColour",
        Label = "vertex colour",
        Shows = "vertex colours of the high side, RGB",
        Values = MapValues.Colour,
        Needs = MapNeeds.VertexColours,
        Background = [0.5f, 0.5f, 0.5f],
        Sample = s => s.VertexColour,
    };

    /// <summary>Colour of the high side.</summary>
    public static BakeMap Colour { get; } = new()
    {
        Word = "colour",
        Label = "colour",
        Texture = TextureKind.BaseColour,
        Shows = "colour of the high side's materials and textures, RGB",
        Values = MapValues.Colour,
        Needs = MapNeeds.Materials,
        Background = [0.5f, 0.5f, 0.5f],
        Sample = s => s.BaseColour,
    };

    /// <summary>Roughness of the high side.</summary>
    public static BakeMap Roughness { get; } = new()
    {
        Word = "roughness",
        Label = "roughness",
        Texture = TextureKind.Roughness,
        Shows = "roughness of the high side's materials and textures, grey",
        Values = MapValues.Share,
        Needs = MapNeeds.Materials,
        Background = [1],
        Sample = s => new(s.Roughness, 0, 0),
    };

    /// <summary>Metalness of the high side.</summary>
    public static BakeMap Metalness { get; } = new()
    {
        Word = "metalness",
        Label = "metalness",
        Texture = TextureKind.Metalness,
        Shows = "metalness of the high side's materials and textures, grey",
        Values = MapValues.Share,
        Needs = MapNeeds.Materials,
        Sample = s => new(s.Metalness, 0, 0),
    };

    /// <summary>Light the high side gives off.</summary>
    public static BakeMap Emission { get; } = new()
    {
        Word = "emission",
        Label = "emission",
        Texture = TextureKind.Emission,
        Shows = "light the high side's textures give off, RGB",
        Values = MapValues.Colour,
        Needs = MapNeeds.Materials,
        Background = [0, 0, 0],
        Sample = s => s.Emission,
    };

    /// <summary>Opacity.</summary>
    public static BakeMap Opacity { get; } = new()
    {
        Word = "opacity",
        Label = "opacity",
        Texture = TextureKind.Opacity,
        Shows = "opacity from the high side's alpha, or from where there is any high surface, grey",
        Values = MapValues.Share,
        Needs = MapNeeds.Materials,
        CountsMisses = b => b.OpacityBy == OpacitySource.Misses,
        Sample = s => new(s.Opacity, 0, 0),
    };

    /// <inheritdoc/>
    public static Table<BakeMap> Table { get; } = new(
        "baked map", Normal, Occlusion, ObjectNormal, BentNormal, Curvature, Convex, Concave, Thickness, Height, Position, Id, VertexColour, Colour, Roughness,
            Metalness, Emission, Opacity);
}

/// <summary>Looks for maps.</summary>
public static class BakeMaps
{
    /// <summary>All maps.</summary>
    public static IReadOnlyList<BakeMap> All => BakeMap.Table.All;

    /// <summary>The map of this name, or null.</summary>
    public static BakeMap? Find(string name) => All.FirstOrDefault(m => m.Name == name);

    /// <summary>
    /// Sheet and map of a file that is named <c>sheet_map</c>, also where the map's own name has an underscore; a name that no map has is
    /// taken from after the last one. Null for what is no map: fault pictures, pictures that only show one, and names without an underscore.
    /// </summary>
    /// <param name="stem">Name of the file without its ending.</param>
    public static (string Sheet, string Map)? InFile(string stem)
    {
        string? known = All.Select(m => m.Name).Where(n => stem.EndsWith("_" + n, StringComparison.Ordinal)).MaxBy(n => n.Length);
        int cut = known is null ? stem.LastIndexOf('_') : stem.Length - known.Length - 1;
        return cut <= 0 || stem[(cut + 1)..] is "faults" or "shown" ? null : (stem[..cut], stem[(cut + 1)..]);
    }
}
