using System.ComponentModel;
using System.Text.Json.Serialization;
using Crumpet.Core.Checking;

namespace Crumpet.Core.Geometry;

/// <summary>Something a material can say that not every file format can hold. A new one is an entry here, and the writers that hold it.</summary>
[JsonConverter(typeof(EntryJson<MaterialTrait>)), TypeConverter(typeof(EntryText<MaterialTrait>))]
public sealed class MaterialTrait : IEntry<MaterialTrait>
{
    /// <inheritdoc/>
    public required string Word { get; init; }

    /// <summary>Name as people write it, as a sentence has it.</summary>
    public required string Label { get; init; }

    /// <summary>Whether a material says it.</summary>
    public required Func<MaterialTraits, bool> Says { get; init; }

    /// <summary>The same material as if it did not.</summary>
    public required Func<MaterialTraits, MaterialTraits> Without { get; init; }

    /// <summary>A material that did not say it, and now does.</summary>
    public required Func<MaterialTraits, MaterialTraits> With { get; init; }

    /// <summary>Holes where opacity is below a threshold.</summary>
    public static MaterialTrait CutOut { get; } = new()
    {
        Word = "cutOut",
        Label = "cut-out",
        Says = t => t.Alpha == AlphaMode.CutOut,
        Without = t => t with { Alpha = AlphaMode.Opaque },
        With = t => t with { Alpha = AlphaMode.CutOut },
    };

    /// <summary>What is behind shines through.</summary>
    public static MaterialTrait Blend { get; } = new()
    {
        Word = "blend",
        Label = "blending",
        Says = t => t.Alpha == AlphaMode.Blend,
        Without = t => t with { Alpha = AlphaMode.Opaque },
        With = t => t with { Alpha = AlphaMode.Blend },
    };

    /// <summary>The back of a face is seen.</summary>
    public static MaterialTrait TwoSided { get; } = new()
    {
        Word = "twoSided",
        Label = "two sides",
        Says = t => t.TwoSided,
        Without = t => t with { TwoSided = false },
        With = t => t with { TwoSided = true },
    };

    /// <summary>Reflections of another strength or colour.</summary>
    public static MaterialTrait Specular { get; } = new()
    {
        Word = "specular",
        Label = "specular strength and tint",
        Says = t => t.Specular != 1 || t.SpecularTint != Tint.White,
        Without = t => t with { Specular = 1, SpecularTint = Tint.White },
        With = t => t with { Specular = 0.5 },
    };

    /// <summary>Light the surface gives off.</summary>
    public static MaterialTrait Emission { get; } = new()
    {
        Word = "emission",
        Label = "emission",
        Says = t => t.Emission != Tint.Black && t.EmissionStrength > 0,
        Without = t => t with { Emission = Tint.Black, EmissionStrength = 1 },
        With = t => t with { Emission = Tint.White, EmissionStrength = 1 },
    };

    /// <summary>A clear coat over the surface.</summary>
    public static MaterialTrait ClearCoat { get; } = new()
    {
        Word = "clearCoat",
        Label = "clear coat",
        Says = t => t.ClearCoat > 0,
        Without = t => t with { ClearCoat = 0, ClearCoatRoughness = 0 },
        With = t => t with { ClearCoat = 1 },
    };

    /// <summary>Another index of refraction than that of common dielectrics.</summary>
    public static MaterialTrait Index { get; } = new()
    {
        Word = "index",
        Label = "index of refraction",
        Says = t => t.Index != MaterialTraits.UsualIndex,
        Without = t => t with { Index = MaterialTraits.UsualIndex },
        With = t => t with { Index = 1.33 },
    };

    /// <summary>Light comes through something thin.</summary>
    public static MaterialTrait Thin { get; } = new()
    {
        Word = "thin",
        Label = "thin translucency",
        Says = t => t.Through == LightThrough.Thin,
        Without = t => t with { Through = LightThrough.None },
        With = t => t with { Through = LightThrough.Thin },
    };

    /// <summary>Light goes below the surface and out again.</summary>
    public static MaterialTrait Deep { get; } = new()
    {
        Word = "deep",
        Label = "subsurface",
        Says = t => t.Through == LightThrough.Deep,
        Without = t => t with { Through = LightThrough.None },
        With = t => t with { Through = LightThrough.Deep },
    };

    /// <summary>Textures are repeated, moved or turned.</summary>
    public static MaterialTrait MovedUvs { get; } = new()
    {
        Word = "movedUvs",
        Label = "UV transform",
        Says = t => t.MovesUvs,
        Without = t => t with { RepeatU = 1, RepeatV = 1, MoveU = 0, MoveV = 0, TurnDegrees = 0 },
        With = t => t with { RepeatU = 2, RepeatV = 2 },
    };

    /// <inheritdoc/>
    public static Table<MaterialTrait> Table { get; } =
        new("trait of a material", CutOut, Blend, TwoSided, Specular, Emission, ClearCoat, Index, Thin, Deep, MovedUvs);

    /// <summary>What a material says, without what is not taken.</summary>
    /// <param name="traits">What it says.</param>
    /// <param name="taken">What may be said.</param>
    public static MaterialTraits Only(MaterialTraits traits, IReadOnlyCollection<MaterialTrait> taken) =>
        Table.All.Where(t => !taken.Contains(t) && t.Says(traits)).Aggregate(traits, (left, t) => t.Without(left));

    /// <inheritdoc/>
    public override string ToString() => Word;
}
