using System.Numerics;
using System.Text.Json.Serialization;
using Crumpet.Core.Checking;

namespace Crumpet.Core.Geometry;

/// <summary>What opacity does.</summary>
public enum AlphaMode
{
    /// <summary>Nothing: the surface hides what is behind it.</summary>
    Opaque,

    /// <summary>Texels below a threshold are holes.</summary>
    CutOut,

    /// <summary>What is behind shines through.</summary>
    Blend,
}

/// <summary>How light comes through a surface.</summary>
public enum LightThrough
{
    /// <summary>It does not.</summary>
    None,

    /// <summary>Through something thin, such as a leaf or paper.</summary>
    Thin,

    /// <summary>Below the surface and out again, such as wax or skin.</summary>
    Deep,
}

/// <summary>A linear colour.</summary>
/// <param name="R">Red, 0 to 1.</param>
/// <param name="G">Green, 0 to 1.</param>
/// <param name="B">Blue, 0 to 1.</param>
public sealed record Tint(
    [property: Within("The red of a colour", 0, 1)] double R, [property: Within("The green of a colour", 0, 1)] double G,
    [property: Within("The blue of a colour", 0, 1)] double B)
{
    /// <summary>White.</summary>
    public static Tint White { get; } = new(1, 1, 1);

    /// <summary>Black.</summary>
    public static Tint Black { get; } = new(0, 0, 0);

    /// <summary>The colour as numbers.</summary>
    [JsonIgnore]
    public double[] Numbers => [R, G, B];

    /// <summary>A colour of three numbers, brought into 0 to 1.</summary>
    public static Tint Of(Vector3 colour) => new(Unit(colour.X), Unit(colour.Y), Unit(colour.Z));

    private static double Unit(float value) => float.IsFinite(value) ? Math.Clamp(value, 0, 1) : 0;
}

/// <summary>What a material says of its surface beside colour, roughness and metalness.</summary>
public sealed record MaterialTraits
{
    /// <summary>A material that says nothing special.</summary>
    public static MaterialTraits Plain { get; } = new();

    /// <summary>What opacity does.</summary>
    [Called("Opacity")]
    public AlphaMode Alpha { get; init; }

    /// <summary>Opacity below which a cut-out surface has holes.</summary>
    [Within("The threshold of opacity", 0, 1)]
    public double Threshold { get; init; } = 0.5;

    /// <summary>Whether the back of a face is seen too.</summary>
    [Called("Two-sided")]
    public bool TwoSided { get; init; }

    /// <summary>Strength of reflections of what is no metal.</summary>
    [Within("The strength of reflections", 0, 1)]
    public double Specular { get; init; } = 1;

    /// <summary>Colour of these reflections.</summary>
    public Tint SpecularTint { get; init; } = Tint.White;

    /// <summary>Colour of light the surface gives off.</summary>
    public Tint Emission { get; init; } = Tint.Black;

    /// <summary>By how much that colour is multiplied.</summary>
    [Within("The strength of emission", 0, 100000)]
    public double EmissionStrength { get; init; } = 1;

    /// <summary>Strength of a clear coat.</summary>
    [Within("The clear coat", 0, 1)]
    public double ClearCoat { get; init; }

    /// <summary>Roughness of the coat.</summary>
    [Within("The roughness of the coat", 0, 1)]
    public double ClearCoatRoughness { get; init; }

    /// <summary>Index of refraction.</summary>
    [Within("The index of refraction", 1, 4)]
    public double Index { get; init; } = UsualIndex;

    /// <summary>How light comes through.</summary>
    [Called("Light through it")]
    public LightThrough Through { get; init; }

    /// <summary>How much of it.</summary>
    [Within("The share of light that comes through", 0, 1)]
    public double ThroughShare { get; init; } = 0.5;

    /// <summary>Colour it takes on the way.</summary>
    public Tint ThroughTint { get; init; } = Tint.White;

    /// <summary>How far it goes below the surface, metres.</summary>
    [Within("The depth light comes from", 1e-5, 10, Unit = "mm", Times = 1000)]
    public double ThroughDepthMetres { get; init; } = 0.005;

    /// <summary>How often textures repeat along u.</summary>
    [Within("The repetition along u", -1000, 1000)]
    public double RepeatU { get; init; } = 1;

    /// <summary>How often textures repeat along v.</summary>
    [Within("The repetition along v", -1000, 1000)]
    public double RepeatV { get; init; } = 1;

    /// <summary>How far textures are moved along u.</summary>
    [Within("The move along u", -1000, 1000)]
    public double MoveU { get; init; }

    /// <summary>How far textures are moved along v, upwards.</summary>
    [Within("The move along v", -1000, 1000)]
    public double MoveV { get; init; }

    /// <summary>How far textures are turned, counter-clockwise.</summary>
    [Within("The turn of textures", -360, 360, Unit = "°")]
    public double TurnDegrees { get; init; }

    /// <summary>Index of refraction of common dielectrics: they reflect 4 %.</summary>
    internal const double UsualIndex = 1.5;

    /// <summary>Whether UVs are moved before textures are looked up.</summary>
    internal bool MovesUvs => (RepeatU, RepeatV, MoveU, MoveV, TurnDegrees) != (1, 1, 0, 0, 0);

    /// <summary>How UVs are moved before textures are looked up: repeated, then turned, then moved.</summary>
    internal Matrix3x2 UvTransform() => Matrix3x2.CreateScale((float)RepeatU, (float)RepeatV)
        * Matrix3x2.CreateRotation((float)(TurnDegrees * Math.PI / 180)) * Matrix3x2.CreateTranslation((float)MoveU, (float)MoveV);
}
