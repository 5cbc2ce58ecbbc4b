using System.Numerics;
using Crumpet.Core.Imaging;

namespace Crumpet.Core.Geometry;

/// <summary>A picture that materials of a mesh file take.</summary>
/// <param name="Name">Name without an ending.</param>
public sealed record SceneTexture(string Name)
{
    /// <summary>Bytes to put into the file; null where it refers to a file beside it.</summary>
    public byte[]? Embedded { get; init; }

    /// <summary>Ending of the embedded file, with the point.</summary>
    public string Ending { get; init; } = ".png";

    /// <summary>Path of the file beside it, as the mesh file sees it; null where there is none it may refer to.</summary>
    public string? Path { get; init; }
}

/// <summary>A texture in a material's slot.</summary>
/// <param name="Slot">The slot.</param>
/// <param name="Texture">Number of the texture in <see cref="SceneDocument.Textures"/>.</param>
/// <param name="Channel">Channel of the picture that a slot of one channel takes, from 0.</param>
public sealed record SlotTexture(MaterialSlot Slot, int Texture, int Channel = 0);

/// <summary>A material with its textures.</summary>
/// <param name="Source">Name, factors and traits; factors count where no texture is bound.</param>
/// <param name="Textures">What its slots take.</param>
public sealed record SceneMaterial(Material Source, IReadOnlyList<SlotTexture> Textures)
{
    /// <summary>A material without textures.</summary>
    /// <param name="source">Name, factors and traits.</param>
    public SceneMaterial(Material source)
        : this(source, [])
    {
    }

    /// <summary>What a slot takes, or null.</summary>
    public SlotTexture? In(MaterialSlot slot) => Textures.FirstOrDefault(t => t.Slot == slot);
}

/// <summary>An object of a mesh file.</summary>
/// <param name="Mesh">Geometry.</param>
/// <param name="Tangents">Tangent and sign per corner, or null.</param>
public sealed record SceneObject(Mesh Mesh, Vector4[]? Tangents = null);

/// <summary>What a mesh file holds; triangle materials of its objects index its materials.</summary>
/// <param name="Objects">Objects, in metres, right-handed, Y up.</param>
/// <param name="Materials">Materials.</param>
/// <param name="Textures">Textures materials take.</param>
public sealed record SceneDocument(IReadOnlyList<SceneObject> Objects, IReadOnlyList<SceneMaterial> Materials, IReadOnlyList<SceneTexture> Textures)
{
    /// <summary>Axes and unit that the file is to have.</summary>
    public MeshSpace Space { get; init; } = MeshSpace.Own;

    /// <summary>Direction of green in the pictures of normals.</summary>
    public GreenDirection Green { get; init; }

    /// <summary>A scene as it is, without textures.</summary>
    public static SceneDocument Of(Scene scene) =>
        new([.. scene.Meshes.Select(m => new SceneObject(m))], [.. scene.Materials.Select(m => new SceneMaterial(m))], []);
}
