using Crumpet.Core.Pairing;

namespace Crumpet.Core.Baking;

/// <summary>Which way the green channel of a tangent-space normal map points.</summary>
public enum GreenDirection
{
    /// <summary>Green grows with texture v, upwards.</summary>
    Up,

    /// <summary>Green grows downwards.</summary>
    Down,
}

/// <summary>A map the bake can make.</summary>
public enum BakeMap
{
    /// <summary>Tangent-space normal, RGB.</summary>
    Normal,

    /// <summary>Ambient occlusion, grey; white is open.</summary>
    Occlusion,
}

/// <summary>What a bake is asked to do.</summary>
public sealed record BakeSettings
{
    /// <summary>Version of this record's meaning; part of every bake's key.</summary>
    public int Version { get; init; } = 1;

    /// <summary>Maps to make.</summary>
    public IReadOnlyList<BakeMap> Maps { get; init; } = [BakeMap.Normal, BakeMap.Occlusion];

    /// <summary>Side of the sheet, pixels.</summary>
    public int Size { get; init; } = 2048;

    /// <summary>Side of the grid of samples in a texel: 1, 2, 4 or 8.</summary>
    public int Samples { get; init; } = 2;

    /// <summary>How far outside the low surface a ray starts, metres.</summary>
    public float OutwardReachMetres { get; init; } = 0.012f;

    /// <summary>How far inside the low surface a ray ends, metres.</summary>
    public float InwardReachMetres { get; init; } = 0.02f;

    /// <summary>Direction of the normal map's green channel.</summary>
    public GreenDirection Green { get; init; } = GreenDirection.Up;

    /// <summary>Bits a channel of the result: 8 or 16.</summary>
    public int Bits { get; init; } = 8;

    /// <summary>Whether 8-bit results are dithered with blue noise.</summary>
    public bool Dither { get; init; } = true;

    /// <summary>How far islands are grown into empty room, pixels.</summary>
    public int PaddingPixels { get; init; } = 16;

    /// <summary>Occlusion rays a texel, 1 to 4096.</summary>
    public int OcclusionRays { get; init; } = 64;

    /// <summary>What blocks the light of ambient occlusion.</summary>
    public Occluders Occluders { get; init; } = Occluders.Tray;

    /// <summary>How far away something still occludes, metres; 0 for any distance.</summary>
    public float OcclusionRangeMetres { get; init; }

    /// <summary>Over how much of the range's end occlusion fades, metres; 0 for a hard end.</summary>
    public float OcclusionFalloffMetres { get; init; }

    /// <summary>What is wrong with these settings, one sentence, or null when they can be used.</summary>
    public string? Problem() => this switch
    {
        { Maps.Count: 0 } => "Choose at least one map to bake.",
        { Size: < 16 or > 8192 } => $"The sheet's size is {Size} px; it must be 16 to 8192.",
        { Samples: not (1 or 2 or 4 or 8) } => $"Samples is {Samples}; it must be 1, 2, 4 or 8.",
        { Bits: not (8 or 16) } => $"Bits is {Bits}; it must be 8 or 16.",
        { PaddingPixels: < 0 or > 256 } => $"Padding is {PaddingPixels} px; it must be 0 to 256.",
        { OcclusionRays: < 1 or > 4096 } => $"Occlusion rays is {OcclusionRays}; it must be 1 to 4096.",
        _ when !Usable(OutwardReachMetres) || !Usable(InwardReachMetres) || !Usable(OcclusionRangeMetres) || !Usable(OcclusionFalloffMetres)
            => "Reaches and ranges must be 0 m or more.",
        _ when OutwardReachMetres + InwardReachMetres <= 0 => "Outward and inward reach are both 0 m, so no ray could hit anything.",
        _ => null,
    };

    private static bool Usable(float metres) => float.IsFinite(metres) && metres is >= 0 and <= 1e6f;
}
