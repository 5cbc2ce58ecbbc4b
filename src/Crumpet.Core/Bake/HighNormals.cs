using System.Numerics;
using Crumpet.Core.Geometry;
using Crumpet.Core.Imaging;
using Crumpet.Core.Tracing;

namespace Crumpet.Core.Bake;

/// <summary>Normals of the high side with what its own normal textures add.</summary>
/// <param name="textures">Materials and their pictures.</param>
/// <param name="use">What becomes of normal textures.</param>
/// <param name="tangents">Tangents that are known already; takes new ones.</param>
internal sealed class HighNormals(HighTextures textures, HighNormalUse use, Dictionary<Mesh, Vector4[]> tangents)
{
    private readonly bool isUsed = use != HighNormalUse.LeftOut && textures.Any(TextureKind.Normal);

    /// <summary>Works out the tangents of objects that have a normal texture.</summary>
    public void Prepare(IEnumerable<HighObject> objects, CancellationToken cancel)
    {
        if (!isUsed)
            return;
        foreach (var o in objects)
        {
            cancel.ThrowIfCancellationRequested();
            if (!tangents.ContainsKey(o.Mesh) && Enumerable.Range(0, o.Mesh.TriangleCount).Any(t => NormalTextureOf(o.Mesh, t) is not null))
                tangents.Add(o.Mesh, TangentsOf(o.Mesh));
        }
    }

    /// <summary>Unit normal at a hit.</summary>
    /// <param name="surface">What was hit.</param>
    /// <param name="mesh">The object.</param>
    /// <param name="triangle">Triangle of the object.</param>
    /// <param name="hit">Where.</param>
    /// <param name="smooth">Unit normal of the surface there.</param>
    /// <remarks>
    /// The texture is read as shaders read it: by the interpolated frame, not normalised. Source: M. S. Mikkelsen, "Simulation of wrinkled
    /// surfaces revisited", 2008.
    /// </remarks>
    public Vector3 At(HighSurface surface, Mesh mesh, int triangle, in Hit hit, Vector3 smooth)
    {
        if (!isUsed || !tangents.TryGetValue(mesh, out var frames) || NormalTextureOf(mesh, triangle) is not { } texture)
            return smooth;
        var blended = (1 - hit.U - hit.V) * frames[3 * triangle] + hit.U * frames[3 * triangle + 1] + hit.V * frames[3 * triangle + 2];
        var normal = surface.BlendedNormalAt(hit);
        var tangent = new Vector3(blended.X, blended.Y, blended.Z);
        var bitangent = frames[3 * triangle].W * Vector3.Cross(normal, tangent);
        var texel = 2 * HighTextures.Texel(texture, mesh, triangle, hit, isSrgb: false) - Vector4.One;
        var bent = texel.X * tangent + (use == HighNormalUse.GreenUp ? texel.Y : -texel.Y) * bitangent + texel.Z * normal;
        return bent.LengthSquared() > 0 ? Vector3.Normalize(bent) : smooth;
    }

    /// <summary>The normal texture on a triangle, or null. A grey picture is none.</summary>
    private BakeTexture? NormalTextureOf(Mesh mesh, int triangle) =>
        textures.Of(mesh, triangle).Textures.TryGetValue(TextureKind.Normal, out var texture) && texture.UvSet < mesh.UvSets.Count
            && texture.Picture.Channels >= 3 ? texture : null;

    private Vector4[] TangentsOf(Mesh mesh)
    {
        var positions = new Vector3[mesh.Corners.Length];
        var uvs = new Vector2[positions.Length];
        for (int corner = 0; corner < positions.Length; corner++)
        {
            positions[corner] = mesh.PositionAt(corner);
            uvs[corner] = NormalTextureOf(mesh, corner / 3) is { } texture ? Vector2.Transform(mesh.UvSets[texture.UvSet][corner], texture.UvTransform)
                : Vector2.Zero;
        }
        return TangentSpace.PerCorner(positions, mesh.NormalsOrSmooth(), uvs);
    }
}
