namespace Crumpet.Core.Baking;

/// <summary>A map the bake can make.</summary>
public enum BakeMap
{
    /// <summary>Tangent-space normal, RGB.</summary>
    Normal,

    /// <summary>Ambient occlusion, grey; white is open.</summary>
    Occlusion,

    /// <summary>Object-space normal, RGB.</summary>
    ObjectNormal,

    /// <summary>Mean open direction in tangent space, RGB.</summary>
    BentNormal,

    /// <summary>Signed curvature, grey; half is flat, white convex.</summary>
    Curvature,

    /// <summary>Convex part of curvature, grey; black is flat.</summary>
    Convex,

    /// <summary>Concave part of curvature, grey; black is flat.</summary>
    Concave,

    /// <summary>Mean way through the solid, grey; white is the range.</summary>
    Thickness,

    /// <summary>Signed distance from the low to the high surface, grey; half is none.</summary>
    Height,

    /// <summary>Place on the high surface within the asset's bounds, RGB.</summary>
    Position,

    /// <summary>A flat colour for each material, vertex colour, part or shell.</summary>
    Id,

    /// <summary>Vertex colours of the high side, RGB.</summary>
    VertexColour,

    /// <summary>Colour of the high side's materials and textures, RGB.</summary>
    Colour,

    /// <summary>Roughness of the high side's materials and textures, grey.</summary>
    Roughness,

    /// <summary>Metalness of the high side's materials and textures, grey.</summary>
    Metalness,

    /// <summary>Light the high side's textures give off, RGB.</summary>
    Emission,

    /// <summary>Opacity from the high side's alpha, or from where there is any high surface, grey.</summary>
    Opacity,
}

/// <summary>How a map is written.</summary>
public enum MapFile
{
    /// <summary>PNG, 8 bits a channel.</summary>
    Png8,

    /// <summary>PNG, 16 bits a channel.</summary>
    Png16,

    /// <summary>TGA, 8 bits a channel.</summary>
    Tga,

    /// <summary>EXR, 32-bit floating point, in the map's own units: metres, 1/m, vectors, linear colour.</summary>
    Exr,
}

/// <summary>What the numbers of a map are.</summary>
internal enum MapKind
{
    /// <summary>Unit vectors.</summary>
    Vector,

    /// <summary>0 to 1.</summary>
    Share,

    /// <summary>1/m around 0.</summary>
    Bend,

    /// <summary>Metres around 0.</summary>
    Offset,

    /// <summary>Metres from 0.</summary>
    Length,

    /// <summary>Metres within bounds.</summary>
    Place,

    /// <summary>Linear colour.</summary>
    Tint,

    /// <summary>Numbers of labels.</summary>
    Label,
}

/// <summary>Facts of the maps.</summary>
public static class BakeMaps
{
    /// <summary>All maps.</summary>
    public static IReadOnlyList<BakeMap> All { get; } = Enum.GetValues<BakeMap>();

    /// <summary>Name in recipes, file names and commands.</summary>
    public static string Name(this BakeMap map) => map switch
    {
        BakeMap.Occlusion => "ao",
        BakeMap.ObjectNormal => "object_normal",
        BakeMap.BentNormal => "bent_normal",
        BakeMap.VertexColour => "vertex_colour",
        _ => map.ToString().ToLowerInvariant(),
    };

    /// <summary>Name in sentences.</summary>
    public static string Words(this BakeMap map) => map == BakeMap.Occlusion ? "ambient occlusion" : map == BakeMap.Id ? "ID" : map.Name().Replace('_', ' ');

    /// <summary>The map of this name, or null.</summary>
    public static BakeMap? Find(string name) => All.Where(m => m.Name() == name).Select(m => (BakeMap?)m).FirstOrDefault();

    /// <summary>
    /// Sheet and map of a file that is named <c>sheet_map</c>, also where the map's own name has an underscore; a name that no map has is
    /// taken from after the last one. Null for what is no map: fault pictures, pictures that only show one, and names without an underscore.
    /// </summary>
    /// <param name="stem">Name of the file without its ending.</param>
    public static (string Sheet, string Map)? InFile(string stem)
    {
        string? known = All.Select(Name).Where(n => stem.EndsWith("_" + n, StringComparison.Ordinal)).MaxBy(n => n.Length);
        int cut = known is null ? stem.LastIndexOf('_') : stem.Length - known.Length - 1;
        return cut <= 0 || stem[(cut + 1)..] is "faults" or "shown" ? null : (stem[..cut], stem[(cut + 1)..]);
    }

    /// <summary>Channels of the picture.</summary>
    public static int Channels(this BakeMap map) => map.Kind() is MapKind.Vector or MapKind.Place or MapKind.Tint or MapKind.Label ? 3 : 1;

    /// <summary>Values kept for a texel: a label's number is one, its colour three.</summary>
    internal static int Kept(this BakeMap map) => map.Kind() == MapKind.Label ? 1 : map.Channels();

    /// <summary>What the picture's numbers mean.</summary>
    public static Imaging.ColourMeaning Meaning(this BakeMap map) => map.Kind() switch
    {
        MapKind.Vector => Imaging.ColourMeaning.Normal,
        MapKind.Tint or MapKind.Label => Imaging.ColourMeaning.Srgb,
        _ => Imaging.ColourMeaning.Linear,
    };

    /// <summary>Whether its vectors lie in tangent space, where green has a direction.</summary>
    public static bool IsTangent(this BakeMap map) => map is BakeMap.Normal or BakeMap.BentNormal;

    internal static MapKind Kind(this BakeMap map) => map switch
    {
        BakeMap.Normal or BakeMap.ObjectNormal or BakeMap.BentNormal => MapKind.Vector,
        BakeMap.Curvature or BakeMap.Convex or BakeMap.Concave => MapKind.Bend,
        BakeMap.Height => MapKind.Offset,
        BakeMap.Thickness => MapKind.Length,
        BakeMap.Position => MapKind.Place,
        BakeMap.Id => MapKind.Label,
        BakeMap.VertexColour or BakeMap.Colour or BakeMap.Emission => MapKind.Tint,
        _ => MapKind.Share,
    };
}
