using Crumpet.Core.Checking;

namespace Crumpet.Core.Layout;

/// <summary>How surfaces are cut and laid flat.</summary>
public sealed record UnwrapSettings
{
    /// <summary>Whether hard edges become seams.</summary>
    public bool CutHardEdges { get; init; } = true;

    /// <summary>Whether edges between materials become seams.</summary>
    public bool CutMaterials { get; init; } = true;

    /// <summary>Edges bent more than this become seams, degrees; 180 cuts none.</summary>
    [Within("The angle of seams", 1, 180, Unit = "°")]
    public float CutAngleDegrees { get; init; } = 75;

    /// <summary>A chart that is curved both ways turns at most this far from where it looks, degrees.</summary>
    [Within("The cone of charts", 5, 180, Unit = "°")]
    public float ConeDegrees { get; init; } = 100;

    /// <summary>How much 95 % of a chart may be lengthened or shortened at most, as a factor.</summary>
    [Within("The stretch limit", 1.005, 10, Unit = "%", Times = 100, Offset = 1)]
    public float StretchLimit { get; init; } = 1.25f;

    /// <summary>Whether grids and strips of quads become rectangles where the stretch limit allows.</summary>
    public bool Straighten { get; init; } = true;

    /// <summary>Whether seams are drawn to where they are little seen: into grooves and corners.</summary>
    public bool HideSeams { get; init; } = true;
}
