using System.Text.Json.Serialization;
using Crumpet.Core.Checking;

namespace Crumpet.Core.Layout;

/// <summary>What hard edges are to seams.</summary>
public enum HardEdgeRule
{
    /// <summary>Every hard edge is a seam.</summary>
    Cut,

    /// <summary>A seam costs nothing there, so that seams run along hard edges where there is to be one; no more are cut for them.</summary>
    Free,

    /// <summary>They are as any other edge.</summary>
    Ignore,
}

/// <summary>What rules for hard edges are called, and what they mean for the bake.</summary>
public static class HardEdgeRules
{
    /// <summary>The rules in words that follow "cut at hard edges", each with its word in commands and a sentence on what it means.</summary>
    public static IReadOnlyList<(HardEdgeRule Rule, string Word, string Words, string Meaning)> All { get; } =
    [
        (HardEdgeRule.Cut, "cut", "always",
            "Shading and map break at the same edge: nothing bleeds across in a tangent-space bake. Most islands."),
        (HardEdgeRule.Free, "free", "where free",
            "Seams keep to hard edges, but not every hard edge is one: where an island goes on across it, a normal map can show a line a texel wide."),
        (HardEdgeRule.Ignore, "ignore", "never",
            "Seams mind only stretch and sight; bake hard edges averaged, or as object-space normals."),
    ];
}

/// <summary>How surfaces are cut and laid flat.</summary>
public sealed record UnwrapSettings
{
    /// <summary>Whether hard edges become seams.</summary>
    public bool CutHardEdges { get; init; } = true;

    /// <summary>Whether seams run along hard edges rather than elsewhere, where not all of them are cut.</summary>
    public bool PreferHardEdges { get; init; } = true;

    /// <summary>What hard edges are to seams.</summary>
    [JsonIgnore]
    public HardEdgeRule HardEdges
    {
        get => CutHardEdges ? HardEdgeRule.Cut : PreferHardEdges ? HardEdgeRule.Free : HardEdgeRule.Ignore;
        init => (CutHardEdges, PreferHardEdges) = (value == HardEdgeRule.Cut, value != HardEdgeRule.Ignore);
    }

    /// <summary>Whether edges between materials become seams.</summary>
    public bool CutMaterials { get; init; } = true;

    /// <summary>Edges bent more than this are cut whatever it costs, degrees; 180 cuts none.</summary>
    [Within("The angle of seams", 1, 180, Unit = "°")]
    public float CutAngleDegrees { get; init; } = 180;

    /// <summary>A chart that is curved both ways turns at most this far from where it looks, degrees.</summary>
    [Within("The cone of charts", 5, 180, Unit = "°")]
    public float ConeDegrees { get; init; } = 100;

    /// <summary>How much 95 % of a chart may be lengthened or shortened at most, as a factor.</summary>
    [Within("The stretch limit", 1.005, 10, Unit = "%", Times = 100, Offset = 1)]
    public float StretchLimit { get; init; } = 1.25f;

    /// <summary>Stretch limits between which one dial leads from little stretch to few seams.</summary>
    public const float LeastOnDial = 1.02f, MostOnDial = 1.8f;

    /// <summary>Whether grids and strips of quads become rectangles where the stretch limit allows.</summary>
    public bool Straighten { get; init; } = true;

    /// <summary>Whether seams are drawn to where they are little seen: into grooves and corners.</summary>
    public bool HideSeams { get; init; } = true;

    /// <summary>Whether large islands are cut where the sheet fills so much better that all are sharper for it.</summary>
    public bool CutForRoom { get; init; } = true;
}
