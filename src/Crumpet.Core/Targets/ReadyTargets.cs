using Crumpet.Core.Geometry;
using Crumpet.Core.Imaging;

namespace Crumpet.Core.Targets;

/// <summary>The ready targets a kit can begin with. A new one is an entry here.</summary>
public static class ReadyTargets
{
    private static readonly MaterialInput Colour = new("base colour", "colour", ColourMeaning.Srgb)
    {
        Channels = 3,
        Needed = true,
        Fills = [new(MaterialSlot.BaseColour), new(MaterialSlot.Opacity, PictureChannel.A)],
    };

    private static readonly MaterialInput Normal = new("normal", "normal", ColourMeaning.Normal)
    {
        Channels = 2,
        Needed = true,
        Fills = [new(MaterialSlot.Normal)],
    };

    private static readonly MaterialInput Emission = new("emission", "emission", ColourMeaning.Srgb)
    {
        Channels = 3,
        OpenedBy = [MaterialTrait.Emission],
        Fills = [new(MaterialSlot.Emission)],
    };

    /// <summary>A surface whose occlusion, roughness and metalness share a picture.</summary>
    public static MaterialModel PackedModel { get; } = new("packed surface",
    [
        Colour,
        Normal,
        new("occlusion, roughness, metalness", "masks", ColourMeaning.Linear)
        {
            Also = ["orm"],
            Channels = 3,
            Needed = true,
            Fills = [new(MaterialSlot.Occlusion), new(MaterialSlot.Roughness, PictureChannel.G), new(MaterialSlot.Metalness, PictureChannel.B)],
        },
        Emission,
    ])
    { Takes = MaterialTrait.Table.All };

    /// <summary>A surface with a picture for everything.</summary>
    public static MaterialModel SingleModel { get; } = new("surface of single maps",
    [
        Colour with { Fills = [new(MaterialSlot.BaseColour)] },
        Normal,
        new("roughness", "roughness", ColourMeaning.Linear) { Needed = true, Fills = [new(MaterialSlot.Roughness)] },
        new("metalness", "metalness", ColourMeaning.Linear) { Fills = [new(MaterialSlot.Metalness)] },
        new("occlusion", "ao", ColourMeaning.Linear) { Fills = [new(MaterialSlot.Occlusion)] },
        new("height", "height", ColourMeaning.Linear) { Fills = [new(MaterialSlot.Height)] },
        new("opacity", "opacity", ColourMeaning.Linear) { OpenedBy = [MaterialTrait.CutOut, MaterialTrait.Blend], Fills = [new(MaterialSlot.Opacity)] },
        Emission,
    ])
    { Takes = MaterialTrait.Table.All };

    /// <summary>Models a target can be given.</summary>
    public static IReadOnlyList<MaterialModel> Models { get; } = [PackedModel, SingleModel];

    /// <summary>All of them; the first is what a kit begins with.</summary>
    public static IReadOnlyList<Target> All { get; } =
    [
        new(),
        new()
        {
            Name = "USD scene",
            Mesh = MeshFormat.Usdz,
            Embedded = TextureFile.Png,
            Textures = null,
            Models = [PackedModel, SingleModel],
        },
        new()
        {
            Name = "Loose files, Y up",
            Mesh = MeshFormat.Gltf,
            Embedded = null,
            Textures = TextureFile.Png,
            MeshFolder = "meshes",
            MaterialFolder = "materials",
            MaterialX = true,
            SettingsName = "{asset}_settings",
        },
        new()
        {
            Name = "Loose files, Z up",
            Up = UpAxis.Z,
            UnitMetres = 0.01,
            Green = GreenDirection.Down,
            Mesh = MeshFormat.Obj,
            Embedded = null,
            Textures = TextureFile.Dds,
            LargestTexture = 4096,
            MeshFolder = "meshes",
            MaterialFolder = "materials",
            SettingsName = "{asset}_settings",
            Models = [PackedModel, SingleModel],
        },
    ];

    /// <summary>The target of this name, or null.</summary>
    public static Target? Find(string? name) => All.FirstOrDefault(t => t.Name == name);
}
