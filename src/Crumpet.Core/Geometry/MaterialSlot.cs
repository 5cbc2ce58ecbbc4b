using System.ComponentModel;
using System.Text.Json.Serialization;
using Crumpet.Core.Checking;
using Crumpet.Core.Imaging;

namespace Crumpet.Core.Geometry;

/// <summary>Where a material takes a texture, or a channel of one. A new one is an entry here, and the writers that hold it.</summary>
[JsonConverter(typeof(EntryJson<MaterialSlot>)), TypeConverter(typeof(EntryText<MaterialSlot>))]
public sealed class MaterialSlot : IEntry<MaterialSlot>
{
    /// <inheritdoc/>
    public required string Word { get; init; }

    /// <summary>Name as people write it.</summary>
    public required string Label { get; init; }

    /// <summary>What the numbers mean.</summary>
    public ColourMeaning Meaning { get; init; } = ColourMeaning.Linear;

    /// <summary>Channels it takes: 1 or 3.</summary>
    public int Channels { get; init; } = 1;

    /// <summary>What textures are called that hold it.</summary>
    public TextureKind Kind { get; init; }

    /// <summary>Colour of the surface.</summary>
    public static MaterialSlot BaseColour { get; } = new()
    {
        Word = "baseColour",
        Label = "base colour",
        Meaning = ColourMeaning.Srgb,
        Channels = 3,
        Kind = TextureKind.BaseColour,
    };

    /// <summary>Opacity.</summary>
    public static MaterialSlot Opacity { get; } = new() { Word = "opacity", Label = "opacity", Kind = TextureKind.Opacity };

    /// <summary>Normals in tangent space.</summary>
    public static MaterialSlot Normal { get; } = new()
    {
        Word = "normal",
        Label = "normal",
        Meaning = ColourMeaning.Normal,
        Channels = 3,
        Kind = TextureKind.Normal,
    };

    /// <summary>Ambient occlusion.</summary>
    public static MaterialSlot Occlusion { get; } = new() { Word = "occlusion", Label = "occlusion", Kind = TextureKind.Occlusion };

    /// <summary>Roughness.</summary>
    public static MaterialSlot Roughness { get; } = new() { Word = "roughness", Label = "roughness", Kind = TextureKind.Roughness };

    /// <summary>Metalness.</summary>
    public static MaterialSlot Metalness { get; } = new() { Word = "metalness", Label = "metalness", Kind = TextureKind.Metalness };

    /// <summary>Light the surface gives off.</summary>
    public static MaterialSlot Emission { get; } = new()
    {
        Word = "emission",
        Label = "emission",
        Meaning = ColourMeaning.Srgb,
        Channels = 3,
        Kind = TextureKind.Emission,
    };

    /// <summary>Height of the surface.</summary>
    public static MaterialSlot Height { get; } = new() { Word = "height", Label = "height", Kind = TextureKind.Height };

    /// <inheritdoc/>
    public static Table<MaterialSlot> Table { get; } =
        new("slot of a material", BaseColour, Opacity, Normal, Occlusion, Roughness, Metalness, Emission, Height);

    /// <inheritdoc/>
    public override string ToString() => Word;
}
