using System.Numerics;

namespace Crumpet.Core.Geometry;

/// <summary>A picture a GLB carries or refers to.</summary>
/// <param name="Name">Name.</param>
/// <param name="Png">Bytes to embed; null where <paramref name="CompressedUri"/> alone is given.</param>
/// <param name="CompressedUri">Relative path of the block-compressed DDS of the same picture, or null.</param>
public sealed record GlbTexture(string Name, byte[]? Png, string? CompressedUri);

/// <summary>A material of a GLB; texture numbers index <see cref="GlbDocument.Textures"/>.</summary>
/// <param name="Source">Factors that count where no texture is bound.</param>
/// <param name="BaseColour">Texture of linear-filtered sRGB base colour.</param>
/// <param name="Normal">Tangent-space normal texture, green up.</param>
/// <param name="Masks">Occlusion, roughness, metalness in R, G, B.</param>
public sealed record GlbMaterial(Material Source, int? BaseColour = null, int? Normal = null, int? Masks = null);

/// <summary>An object of a GLB.</summary>
/// <param name="Mesh">Geometry.</param>
/// <param name="Tangents">Tangent and sign per corner, or null.</param>
public sealed record GlbMesh(Mesh Mesh, Vector4[]? Tangents = null);

/// <summary>What a GLB file holds.</summary>
public sealed record GlbDocument(IReadOnlyList<GlbMesh> Meshes, IReadOnlyList<GlbMaterial> Materials, IReadOnlyList<GlbTexture> Textures);
