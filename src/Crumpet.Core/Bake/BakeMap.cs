using System.ComponentModel;
using System.Numerics;
using System.Text.Json.Serialization;
using Crumpet.Core.Checking;
using Crumpet.Core.Imaging;

namespace Crumpet.Core.Bake;

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
internal enum MapValues
{
    /// <summary>Unit vectors.</summary>
    Vector,

    /// <summary>0 to 1.</summary>
    Share,

    /// <summary>1/m around 0.</summary>
    Curvature,

    /// <summary>Metres around 0.</summary>
    Offset,

    /// <summary>Metres from 0.</summary>
    Length,

    /// <summary>Metres within bounds.</summary>
    Position,

    /// <summary>Linear colour.</summary>
    Colour,

    /// <summary>Numbers of labels.</summary>
    Label,
}

/// <summary>What a map needs beside the place a ray meets; each is prepared, and reaches keys, only where a map asks.</summary>
[Flags]
internal enum MapNeeds
{
    /// <summary>Nothing.</summary>
    None = 0,

    /// <summary>Rays over the hemisphere outside.</summary>
    Light = 1,

    /// <summary>Rays through the solid.</summary>
    Thickness = 2,

    /// <summary>Curvature of the high side.</summary>
    Curvature = 4,

    /// <summary>Labels of what has one colour.</summary>
    Labels = 8,

    /// <summary>Vertex colours.</summary>
    VertexColours = 16,

    /// <summary>Materials with their textures, but for normal ones.</summary>
    Materials = 32,

    /// <summary>Normal textures of the high side.</summary>
    NormalTextures = 64,
}

/// <summary>A map the bake can make: all that is known of it. The maps there are stand in BakeMaps.cs.</summary>
[JsonConverter(typeof(EntryJson<BakeMap>)), TypeConverter(typeof(EntryText<BakeMap>))]
public sealed partial class BakeMap : IEntry<BakeMap>
{
    /// <summary>What stands for it in kits, recipes, file names and commands alike: small letters with underscores.</summary>
    public required string Word { get; init; }

    /// <inheritdoc/>
    public string? FormerWord { get; init; }

    /// <summary>The same, where it names a file or a channel's feed.</summary>
    public string Name => Word;

    /// <summary>Name in sentences.</summary>
    public required string Label { get; init; }

    /// <summary>What its picture shows, without a full stop.</summary>
    public required string Shows { get; init; }

    /// <summary>What its numbers are.</summary>
    internal MapValues Values { get; init; }

    /// <summary>What it needs.</summary>
    internal MapNeeds Needs { get; init; }

    /// <summary>What one sample says, in the first of three numbers or in all; a texel keeps the mean.</summary>
    internal Func<SurfaceSample, Vector3> Sample { get; init; } = static _ => Vector3.Zero;

    /// <summary>What is made of the mean before it is shown; null where that is shown itself.</summary>
    internal Func<float, float>? Shown { get; init; }

    /// <summary>The value where nothing was baked.</summary>
    internal float[] Background { get; init; } = [0];

    /// <summary>Whether samples that met nothing count as 0 with these settings, instead of not counting.</summary>
    internal Func<BakeSettings, bool> CountsMisses { get; init; } = static _ => false;

    /// <summary>What a texture is that came along and stands for it; null where none does.</summary>
    internal TextureKind? Texture { get; init; }

    /// <summary>Whether half of full scale is 0, and values go below.</summary>
    internal bool IsSigned { get; init; }

    /// <summary>Whether it is made of few random rays, which leave noise.</summary>
    internal bool IsNoisy { get; init; }

    /// <summary>Whether its vectors lie in tangent space, where green has a direction.</summary>
    public bool IsTangent { get; init; }

    /// <summary>Whether it is written with 16 bits where nothing else is chosen: 8 would show as steps.</summary>
    public bool IsWide { get; init; }

    /// <summary>What it can be made from where there is no high side; often nothing.</summary>
    public IReadOnlyList<MadeOf> MadeFrom { get; init; } = [];

    /// <summary>Channels of the picture.</summary>
    public int Channels => Values is MapValues.Vector or MapValues.Position or MapValues.Colour or MapValues.Label ? 3 : 1;

    /// <summary>Values kept for a texel: a label's number is one, its colour three.</summary>
    internal int Kept => Values == MapValues.Label ? 1 : Channels;

    /// <summary>What the picture's numbers mean.</summary>
    public ColourMeaning Meaning => Values switch
    {
        MapValues.Vector => ColourMeaning.Normal,
        MapValues.Colour or MapValues.Label => ColourMeaning.Srgb,
        _ => ColourMeaning.Linear,
    };

    /// <summary>The rays it is made of beside those onto the surface; maps of the same share them.</summary>
    internal MapNeeds RayKind => Needs & (MapNeeds.Light | MapNeeds.Thickness);

    internal bool Asks(MapNeeds need) => (Needs & need) != 0;

    /// <inheritdoc/>
    public override string ToString() => Word;
}
