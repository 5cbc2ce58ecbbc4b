namespace Crumpet.Core.Intake;

/// <summary>What an object is for.</summary>
public enum Side
{
    /// <summary>Not told by its name or its file's name.</summary>
    Unknown,

    /// <summary>What the engine draws; maps are baked onto it.</summary>
    Low,

    /// <summary>What is baked from.</summary>
    High,

    /// <summary>The shell rays start from.</summary>
    Cage,

    /// <summary>A collision hull.</summary>
    Hull,

    /// <summary>A coarser stage of the low side for the distance; its level is in the name.</summary>
    Lod,

    /// <summary>Ignored.</summary>
    Aside,
}

/// <summary>Words for sides.</summary>
public static class Sides
{
    /// <summary>The pattern a kit starts with.</summary>
    public const string DefaultPattern = "{part}_{side}{_detail*}";

    /// <summary>Side one of Crumpet's own words stands for, case ignored; kits may have others.</summary>
    public static Side OfWord(string word) => word.ToLowerInvariant() switch
    {
        "low" => Side.Low,
        "high" => Side.High,
        "cage" => Side.Cage,
        "hull" => Side.Hull,
        "aside" => Side.Aside,
        ['l', 'o', 'd', >= '1' and <= '5'] => Side.Lod,
        _ => Side.Unknown,
    };

    /// <summary>The word that stands for a side, as names and pages show it.</summary>
    public static string Word(Side side) => side == Side.Unknown ? "unknown" : side.ToString().ToLowerInvariant();
}
