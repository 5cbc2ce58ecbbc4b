namespace Crumpet.Core.Layout;

/// <summary>How surfaces are cut and laid flat.</summary>
public sealed record UnwrapSettings
{
    /// <summary>Whether hard edges become seams.</summary>
    public bool CutHardEdges { get; init; } = true;

    /// <summary>Whether edges between materials become seams.</summary>
    public bool CutMaterials { get; init; } = true;

    /// <summary>Edges bent more than this become seams, degrees; 180 cuts none.</summary>
    public float CutAngleDegrees { get; init; } = 75;

    /// <summary>A chart that is curved both ways turns at most this far from where it looks, degrees.</summary>
    public float ConeDegrees { get; init; } = 100;

    /// <summary>How much 95 % of a chart may be lengthened or shortened at most, as a factor.</summary>
    public float StretchLimit { get; init; } = 1.25f;

    /// <summary>Whether grids and strips of quads become rectangles where the stretch limit allows.</summary>
    public bool Straighten { get; init; } = true;

    /// <summary>Whether seams are drawn to where they are little seen: into grooves and corners.</summary>
    public bool HideSeams { get; init; } = true;

    /// <summary>What is wrong with these settings, one sentence, or null.</summary>
    public string? Problem() => this switch
    {
        { CutAngleDegrees: not (>= 1 and <= 180) } => "The angle of seams must be 1° to 180°.",
        { ConeDegrees: not (>= 5 and <= 180) } => "The cone of charts must be 5° to 180°.",
        { StretchLimit: not (>= 1.005f and <= 10) } => "The stretch limit must be 0.5 % to 900 %.",
        _ => null,
    };
}
