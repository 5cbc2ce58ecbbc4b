using Crumpet.Core.Geometry;
using Crumpet.Core.Pairing;

namespace Crumpet.Core.Baking;

/// <summary>A named piece of the asset with its low objects and the high objects baked onto them.</summary>
/// <param name="Name">Name of the part.</param>
/// <param name="Low">Low objects; all have UVs.</param>
/// <param name="High">High objects.</param>
public sealed record BakePart(string Name, IReadOnlyList<Mesh> Low, IReadOnlyList<Mesh> High)
{
    /// <summary>How far outside the low surface its rays start, metres; null as in the settings.</summary>
    public float? OutwardReachMetres { get; init; }

    /// <summary>How far inside the low surface its rays end, metres; null as in the settings.</summary>
    public float? InwardReachMetres { get; init; }

    /// <summary>Where rays of each low object come from; null for smooth directions and the reaches.</summary>
    public IReadOnlyList<LowRays>? Rays { get; init; }

    /// <summary>Whether rays end where the high side was measured to end, so that a hit near their end is no fault.</summary>
    public bool EndsAreFitted { get; init; }

    /// <summary>What blocks its light; null as in the settings.</summary>
    public Occluders? Sees { get; init; }
}

/// <summary>Parts that are baked together and see each other.</summary>
/// <param name="Parts">Indices into <see cref="BakeInput.Parts"/>.</param>
public sealed record BakeTray(IReadOnlyList<int> Parts);

/// <summary>Everything a bake of one sheet needs.</summary>
/// <param name="Sheet">Name of the sheet.</param>
/// <param name="Parts">Parts with geometry.</param>
/// <param name="Trays">Every part is on exactly one.</param>
/// <param name="Material">Only low triangles of this material belong to the sheet; null for all.</param>
public sealed record BakeInput(string Sheet, IReadOnlyList<BakePart> Parts, IReadOnlyList<BakeTray> Trays, int? Material = null);
