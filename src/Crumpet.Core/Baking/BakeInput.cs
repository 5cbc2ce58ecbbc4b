using Crumpet.Core.Geometry;

namespace Crumpet.Core.Baking;

/// <summary>A named piece of the asset with its low objects and the high objects baked onto them.</summary>
/// <param name="Name">Name of the part.</param>
/// <param name="Low">Low objects; all have UVs.</param>
/// <param name="High">High objects.</param>
public sealed record BakePart(string Name, IReadOnlyList<Mesh> Low, IReadOnlyList<Mesh> High);

/// <summary>Parts that are baked together and see each other.</summary>
/// <param name="Parts">Indices into <see cref="BakeInput.Parts"/>.</param>
public sealed record BakeTray(IReadOnlyList<int> Parts);

/// <summary>Everything a bake of one sheet needs.</summary>
/// <param name="Sheet">Name of the sheet.</param>
/// <param name="Parts">Parts with geometry.</param>
/// <param name="Trays">Every part is on exactly one.</param>
/// <param name="Material">Only low triangles of this material belong to the sheet; null for all.</param>
public sealed record BakeInput(string Sheet, IReadOnlyList<BakePart> Parts, IReadOnlyList<BakeTray> Trays, int? Material = null);
