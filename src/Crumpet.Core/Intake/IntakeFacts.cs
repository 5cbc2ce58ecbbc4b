using Crumpet.Core.Geometry;

namespace Crumpet.Core.Intake;

/// <summary>A flaw of an object's build or UVs.</summary>
internal enum FlawKind
{
    Empty,
    Doubled,
    Borders,
    Crowded,
    Mixed,
    InsideOut,
    AgainstNormals,
    HardWithoutSeam,
    Unwelded,
    Concave,
    Warped,
    UvOutside,
    UvMirrored,
    UvEmpty,
}

/// <summary>So many of one flaw, and where the first one is.</summary>
internal sealed record FlawFact(FlawKind Kind, int Count, Spot Spot);

/// <summary>Triangles of an object with one material, -1 for none, and where the first one is.</summary>
internal sealed record MaterialFact(int Material, int Triangles, Spot Spot);

/// <summary>What was measured of one object beside its report.</summary>
/// <param name="Flaws">Flaws it has.</param>
/// <param name="IsFacetted">Whether it is flat shaded although the surface bends gently.</param>
/// <param name="Placement">Its transform, sixteen numbers row by row; null for none.</param>
/// <param name="Materials">Materials of its triangles by first use, where it is a low one.</param>
internal sealed record ObjectFacts(IReadOnlyList<FlawFact> Flaws, bool IsFacetted, float[]? Placement, IReadOnlyList<MaterialFact> Materials);

/// <summary>Texels of a sheet that several triangles cover.</summary>
/// <param name="Object">Object whose triangle came first.</param>
/// <param name="Texels">How many, at 1024 px.</param>
/// <param name="IsCut">Whether there are more: not all was looked at.</param>
/// <param name="Spot">Where the first one is.</param>
internal sealed record OverlapFact(int Object, int Texels, bool IsCut, Spot Spot);

/// <summary>A mend that would have led an object too far away.</summary>
/// <param name="Mend">Its place among the kit's mends and, after them, the asset's.</param>
/// <param name="Name">The first such object.</param>
/// <param name="ReachMetres">How far from the origin it would reach.</param>
internal sealed record RefusedFact(int Mend, string Name, float ReachMetres);

/// <summary>Objects of a file that lie too far away.</summary>
/// <param name="File">The file.</param>
/// <param name="Names">Their names in the source.</param>
/// <param name="Farthest">Name of the farthest.</param>
/// <param name="ReachMetres">How far from the origin that one reaches.</param>
internal sealed record FarFact(string File, IReadOnlyList<string> Names, string Farthest, float ReachMetres);

/// <summary>A file that cannot be read, and what its reader says about it.</summary>
internal sealed record UnreadFact(string File, string Message);

/// <summary>What intake measured and findings are drawn from, beside its report. It holds no sentence of theirs.</summary>
internal sealed record IntakeFacts
{
    /// <summary>One an object of the report.</summary>
    public required IReadOnlyList<ObjectFacts> Objects { get; init; }

    /// <summary>One a texture of the report.</summary>
    public required IReadOnlyList<PictureFacts> Textures { get; init; }

    public required IReadOnlyList<OverlapFact> Overlaps { get; init; }

    public required IReadOnlyList<IntakeStray> Strays { get; init; }

    public required IReadOnlyList<RefusedFact> Refused { get; init; }

    public required IReadOnlyList<FarFact> Far { get; init; }

    /// <summary>How many objects there were within reach, before what is too many was left out.</summary>
    public required int Near { get; init; }

    public required IReadOnlyList<NamesakesFact> Namesakes { get; init; }

    public required IReadOnlyList<RenamedMaterialFact> RenamedMaterials { get; init; }

    public required IReadOnlyList<UnreadFact> Unread { get; init; }

    /// <summary>What readers say about what they read.</summary>
    public required IReadOnlyList<Finding> Notes { get; init; }
}
