using System.Numerics;
using Crumpet.Core.Imaging;

namespace Crumpet.Core.Geometry;

/// <summary>
/// One object: triangles over indexed positions, with everything else per corner.
/// Metres, right-handed, Y up; counter-clockwise triangles face outward; texture v runs upwards from the bottom edge.
/// </summary>
public sealed record Mesh
{
    /// <summary>The object's name as its source file has it.</summary>
    public required string Name { get; init; }

    /// <summary>Positions in metres.</summary>
    public required Vector3[] Positions { get; init; }

    /// <summary>Index into <see cref="Positions"/> for each corner, three corners a triangle.</summary>
    public required int[] Corners { get; init; }

    /// <summary>Unit normal per corner, or null where the source has none.</summary>
    public Vector3[]? Normals { get; init; }

    /// <summary>UV sets, each with one coordinate per corner.</summary>
    public IReadOnlyList<Vector2[]> UvSets { get; init; } = [];

    /// <summary>Linear colour per corner, or null.</summary>
    public Vector4[]? Colours { get; init; }

    /// <summary>Index into <see cref="Scene.Materials"/> per triangle; -1 for none.</summary>
    public required int[] TriangleMaterials { get; init; }

    /// <summary>Faces as the source had them, before triangulation.</summary>
    public int PolygonCount { get; init; }

    /// <summary>Number of the source's face for each triangle, ascending; null where every face is a triangle.</summary>
    public int[]? TrianglePolygons { get; init; }

    /// <summary>The transform the source had on the object. Positions and normals already have it; engines see it until it is applied.</summary>
    public Matrix4x4 Placement { get; init; } = Matrix4x4.Identity;

    /// <summary>Names of what the source hangs the object below, the topmost first; empty where it hangs below nothing.</summary>
    public IReadOnlyList<string> Groups { get; init; } = [];

    /// <summary>Whether the source hides the object.</summary>
    public bool IsHidden { get; init; }

    /// <summary>Number of triangles.</summary>
    public int TriangleCount => Corners.Length / 3;

    /// <summary>First UV set, or null.</summary>
    public Vector2[]? Uvs => UvSets.Count > 0 ? UvSets[0] : null;

    /// <summary>Position of corner <paramref name="corner"/>.</summary>
    public Vector3 PositionAt(int corner) => Positions[Corners[corner]];

    /// <summary>Normals of the source, or angle-weighted smooth normals where it has none.</summary>
    public Vector3[] NormalsOrSmooth() => Normals ?? SmoothNormals.PerCorner(this);

    /// <summary>The same with its triangles' corners in the other order, so that what faced outward faces inward; normals stay.</summary>
    public Mesh TurnedOver() => this with
    {
        Corners = TurnedOver(Corners),
        Normals = Normals is null ? null : TurnedOver(Normals),
        UvSets = [.. UvSets.Select(TurnedOver)],
        Colours = Colours is null ? null : TurnedOver(Colours),
    };

    /// <summary>Values per corner, with the second and third of each triangle exchanged.</summary>
    public static T[] TurnedOver<T>(T[] perCorner)
    {
        var turned = (T[])perCorner.Clone();
        for (int i = 0; i + 2 < turned.Length; i += 3)
            (turned[i + 1], turned[i + 2]) = (turned[i + 2], turned[i + 1]);
        return turned;
    }

    /// <summary>The triangles of several objects over one list of positions, in the order of the objects.</summary>
    public static (Vector3[] Positions, int[] Corners) Join(IReadOnlyList<Mesh> meshes)
    {
        var positions = new Vector3[meshes.Sum(m => m.Positions.Length)];
        var corners = new int[meshes.Sum(m => m.Corners.Length)];
        int position = 0, corner = 0;
        foreach (var mesh in meshes)
        {
            mesh.Positions.CopyTo(positions, position);
            foreach (int index in mesh.Corners)
                corners[corner++] = position + index;
            position += mesh.Positions.Length;
        }
        return (positions, corners);
    }

    /// <summary>Smallest and largest position of the corners that are used.</summary>
    public Bounds Bounds()
    {
        var bounds = Geometry.Bounds.Empty;
        foreach (int index in Corners)
            bounds = bounds.Including(Positions[index]);
        return bounds;
    }
}

/// <summary>A material as the source file describes it. Colours are linear.</summary>
/// <param name="Name">Name.</param>
/// <param name="BaseColour">Linear RGBA, 0 to 1.</param>
/// <param name="Roughness">0 to 1.</param>
/// <param name="Metalness">0 to 1.</param>
public sealed record Material(string Name, Vector4 BaseColour, float Roughness, float Metalness)
{
    /// <summary>Pictures the source puts into the material's slots, by the paths it wrote.</summary>
    public IReadOnlyList<TextureUse> Textures { get; init; } = [];

    /// <summary>What it says of its surface beside that.</summary>
    public MaterialTraits Traits { get; init; } = MaterialTraits.Plain;

    /// <summary>Whether another material says the same.</summary>
    public bool SaysTheSameAs(Material other) =>
        (Name, BaseColour, Roughness, Metalness, Traits) == (other.Name, other.BaseColour, other.Roughness, other.Metalness, other.Traits)
            && Textures.Count == other.Textures.Count
            && Textures.Zip(other.Textures).All(t => t.First.SaysTheSameAs(t.Second));

    /// <summary>What stands in where a source has no material.</summary>
    public static Material Plain { get; } = new("plain", new Vector4(0.6f, 0.6f, 0.6f, 1), 0.6f, 0);
}

/// <summary>A picture a material asks for.</summary>
/// <param name="Slot">What it is for.</param>
/// <param name="Path">Path as the source wrote it, or the name of a picture inside the file; empty where it has none.</param>
public sealed record TextureUse(TextureKind Slot, string Path)
{
    /// <summary>What tells a picture inside the file from another of its name: a hash of its content; empty for files of their own.</summary>
    public string Content { get; init; } = "";

    /// <summary>UV set it is laid out by.</summary>
    public int UvSet { get; init; }

    /// <summary>Whether another use says the same; pictures inside two files are the same where their content is.</summary>
    public bool SaysTheSameAs(TextureUse other) => this == (Content.Length > 0 && Content == other.Content ? other with { Path = Path } : other);

    /// <summary>How the material moves UVs before it looks the picture up.</summary>
    public Matrix3x2 UvTransform { get; init; } = Matrix3x2.Identity;
}

/// <summary>A picture that lies inside a mesh file.</summary>
/// <param name="Name">Its name there, with an ending; no two of a file have the same.</param>
/// <param name="Bytes">The picture's file.</param>
public sealed record InnerPicture(string Name, ReadOnlyMemory<byte> Bytes);

/// <summary>Something in a mesh file that is no mesh.</summary>
/// <param name="Name">Its name.</param>
/// <param name="Kind">camera, light or empty.</param>
public sealed record Stray(string Name, string Kind);

/// <summary>What one mesh file holds.</summary>
/// <param name="FileName">File it was read from.</param>
/// <param name="Meshes">Objects, in the order of the file.</param>
/// <param name="Materials">Materials, in the order of the file.</param>
/// <param name="Notes">What the reader noticed and the artist should know.</param>
public sealed record Scene(string FileName, IReadOnlyList<Mesh> Meshes, IReadOnlyList<Material> Materials, IReadOnlyList<Finding> Notes)
{
    /// <summary>Pictures inside the file; materials name them by their names.</summary>
    public IReadOnlyList<InnerPicture> Pictures { get; init; } = [];

    /// <summary>Paths of the other files that are part of this one, as it writes them.</summary>
    public IReadOnlyList<string> Layers { get; init; } = [];

    /// <summary>Cameras, lights and empties beside the meshes.</summary>
    public IReadOnlyList<Stray> Strays { get; init; } = [];
}

/// <summary>An axis-aligned box in metres.</summary>
/// <param name="Min">Smallest corner.</param>
/// <param name="Max">Largest corner.</param>
public readonly record struct Bounds(Vector3 Min, Vector3 Max)
{
    /// <summary>A box that holds nothing.</summary>
    public static Bounds Empty { get; } = new(new Vector3(float.PositiveInfinity), new Vector3(float.NegativeInfinity));

    /// <summary>Whether nothing is inside.</summary>
    public bool IsEmpty => Min.X > Max.X;

    /// <summary>Extent along each axis, metres.</summary>
    public Vector3 Size => IsEmpty ? Vector3.Zero : Max - Min;

    /// <summary>Middle.</summary>
    public Vector3 Centre => (Min + Max) * 0.5f;

    /// <summary>This box grown to hold <paramref name="point"/>.</summary>
    public Bounds Including(Vector3 point) => new(Vector3.Min(Min, point), Vector3.Max(Max, point));

    /// <summary>This box grown to hold <paramref name="other"/>.</summary>
    public Bounds Including(Bounds other) => new(Vector3.Min(Min, other.Min), Vector3.Max(Max, other.Max));
}
