using System.Text.Json.Serialization;

namespace Crumpet.Core.Bake;

/// <summary>Why a texel of a bake is wrong, worst last. Where several apply the worst is kept.</summary>
public enum FaultKind : byte
{
    /// <summary>Nothing wrong.</summary>
    None,

    /// <summary>Nothing was hit, and the nearest surface stands in for it.</summary>
    Filled,

    /// <summary>The high side's normal turns within the texel: there are too few texels for the detail.</summary>
    Coarse,

    /// <summary>A hard edge of the low side runs within an island, so that two tangent frames meet without a seam.</summary>
    HardEdge,

    /// <summary>The high surface stands at more than 60° to the ray.</summary>
    Skew,

    /// <summary>Two low triangles share the texel without lying exactly on each other.</summary>
    Overlap,

    /// <summary>The ray hit in the last 2 % of its reach.</summary>
    ReachExhausted,

    /// <summary>The ray hit a surface that belongs to another part.</summary>
    Neighbour,

    /// <summary>Only surfaces seen from behind were hit.</summary>
    BackFace,

    /// <summary>Nothing was hit.</summary>
    Miss,
}

/// <summary>A ray of a texel that is wrong.</summary>
/// <param name="Low">Where it passes the low surface, metres.</param>
/// <param name="From">Where it starts, metres.</param>
/// <param name="To">Where it hit, or ends, metres.</param>
public sealed record FaultRay(float[] Low, float[] From, float[] To);

/// <summary>Texels that hang together and are wrong for the same reason.</summary>
/// <param name="Kind">Why.</param>
/// <param name="Part">Low part they belong to.</param>
/// <param name="Other">Part whose surface was hit, for <see cref="FaultKind.Neighbour"/>, or that shares the texels, for
/// <see cref="FaultKind.Overlap"/> of two parts; empty otherwise.</param>
/// <param name="Texels">How many.</param>
/// <param name="X">Left edge on the sheet, pixels from the left.</param>
/// <param name="Y">Top edge on the sheet, pixels from the top.</param>
/// <param name="Width">Pixels.</param>
/// <param name="Height">Pixels.</param>
public sealed record FaultRegion(FaultKind Kind, string Part, string Other, int Texels, int X, int Y, int Width, int Height)
{
    /// <summary>The worst texel's ray; null where two parts share texels.</summary>
    public FaultRay? Ray { get; init; }

    /// <summary>Degrees at the worst texel: to the ray for skew, of normals around their mean for coarse detail.</summary>
    public float Degrees { get; init; }

    /// <summary>How far off the low surface its rays would have to start to find their surface, metres; 0 where that would not help.</summary>
    public float NeedsOutwardMetres { get; init; }

    /// <summary>How deep under the low surface its rays find their surface, or would find it, metres; 0 where there is none.</summary>
    public float NeedsInwardMetres { get; init; }

    /// <summary>How far the surface is that stands in for what was not hit, metres.</summary>
    public float FilledFromMetres { get; init; }

    /// <summary>Texels a metre where it is, px/m.</summary>
    public float PixelsPerMetre { get; init; }

    /// <summary>What came of trying what would mend it, together with all of the part that are wrong for this reason; null where nothing was tried.</summary>
    [JsonIgnore(Condition = JsonIgnoreCondition.WhenWritingNull)]
    public FaultTrial? Trial { get; init; }
}

/// <summary>What came of a mend that was tried on the texels concerned.</summary>
/// <param name="Texels">Wrong texels it was tried on.</param>
/// <param name="Cured">How many of them it puts right.</param>
/// <param name="Around">Texels around them that are right.</param>
/// <param name="Spoiled">How many of those it makes wrong.</param>
public sealed record FaultTrial(int Texels, int Cured, int Around, int Spoiled)
{
    /// <summary>Outward reach that was tried, metres; null where it stayed.</summary>
    [JsonIgnore(Condition = JsonIgnoreCondition.WhenWritingNull)]
    public float? OutwardMetres { get; init; }

    /// <summary>Inward reach that was tried, metres; null where it stayed.</summary>
    [JsonIgnore(Condition = JsonIgnoreCondition.WhenWritingNull)]
    public float? InwardMetres { get; init; }

    /// <summary>How many of the cured ones see the high surface at more than 60° to their ray.</summary>
    public int Skewed { get; init; }

    /// <summary>Whether it puts more right than wrong.</summary>
    [JsonIgnore]
    public bool Helps => Cured - Skewed > Spoiled;

    /// <summary>Whether it also puts most of them right.</summary>
    [JsonIgnore]
    public bool HelpsMost => Helps && 2 * Cured >= Texels;

    /// <summary>What it does, such as "cures 582 of 582 texels, spoils none".</summary>
    [JsonIgnore]
    public string Words => $"cures {Cured} of {Texels} {(Texels == 1 ? "texel" : "texels")}"
        + (Skewed > 0 ? $", {Skewed} of them skewed" : "") + (Around == 0 ? "" : $", spoils {(Spoiled == 0 ? "none" : Spoiled)} of {Around} around");

    /// <summary>Several together.</summary>
    public static FaultTrial Sum(IEnumerable<FaultTrial> trials) =>
        trials.Aggregate(new FaultTrial(0, 0, 0, 0), (a, b) =>
            new(a.Texels + b.Texels, a.Cured + b.Cured, a.Around + b.Around, a.Spoiled + b.Spoiled) { Skewed = a.Skewed + b.Skewed });
}

/// <summary>A texel that is wrong, as noted while its tile was baked.</summary>
/// <param name="Texel">Its number on the sheet, row by row.</param>
/// <param name="Kind">Why.</param>
/// <param name="Sample">Its worst sample.</param>
/// <param name="Other">Part that was hit.</param>
/// <param name="Triangle">Low triangle of the sample.</param>
/// <param name="Amount">How bad: degrees, or the distance of the hit in metres.</param>
internal readonly record struct FaultTexel(int Texel, FaultKind Kind, byte Sample, ushort Other, int Triangle, float Amount);
