using System.Numerics;
using Crumpet.Core.Geometry;
using Crumpet.Core.Imaging;
using Crumpet.Core.Tracing;

namespace Crumpet.Core.Bake;

/// <summary>What the materials and textures of the high side say at a place on it.</summary>
internal sealed class HighTextures(IReadOnlyList<BakeMaterial> materials)
{
    private static readonly BakeMaterial Plain = new(Material.Plain, new Dictionary<TextureKind, BakeTexture>());

    /// <summary>Whether any material has a picture in a slot.</summary>
    public bool Any(TextureKind slot) => materials.Any(m => m.Textures.ContainsKey(slot));

    /// <summary>The material of a triangle of an object.</summary>
    public BakeMaterial Of(Mesh mesh, int triangle)
    {
        int number = mesh.TriangleMaterials[triangle];
        return number >= 0 && number < materials.Count ? materials[number] : Plain;
    }

    /// <summary>Linear colour with alpha.</summary>
    public Vector4 Colour(Mesh mesh, int triangle, in Hit hit)
    {
        var material = Of(mesh, triangle);
        return material.Source.BaseColour * Texel(material, TextureKind.BaseColour, mesh, triangle, hit, isSrgb: true, Vector4.One);
    }

    /// <summary>Alpha: of the opacity picture, or of the colour's.</summary>
    public float Opacity(Mesh mesh, int triangle, in Hit hit)
    {
        var material = Of(mesh, triangle);
        return material.Textures.ContainsKey(TextureKind.Opacity)
            ? material.Source.BaseColour.W * Texel(material, TextureKind.Opacity, mesh, triangle, hit, isSrgb: false, Vector4.One).X
            : Colour(mesh, triangle, hit).W;
    }

    /// <summary>Roughness, 0 to 1. A picture with colours holds it in green.</summary>
    /// <remarks>Source: glTF 2.0, section 3.9.2.</remarks>
    public float Roughness(Mesh mesh, int triangle, in Hit hit)
    {
        var material = Of(mesh, triangle);
        return material.Source.Roughness * Texel(material, TextureKind.Roughness, mesh, triangle, hit, isSrgb: false, Vector4.One).Y;
    }

    /// <summary>Metalness, 0 to 1. A picture shared with roughness holds it in blue.</summary>
    public float Metalness(Mesh mesh, int triangle, in Hit hit)
    {
        var material = Of(mesh, triangle);
        // A glTF material has one picture for both, which its reader notes as roughness.
        var slot = material.Textures.ContainsKey(TextureKind.Metalness) ? TextureKind.Metalness : TextureKind.Roughness;
        bool isShared = slot == TextureKind.Roughness && material.Textures.TryGetValue(slot, out var shared) && shared.Picture.Channels >= 3;
        if (slot == TextureKind.Roughness && !isShared)
            return material.Source.Metalness;
        return material.Source.Metalness * Texel(material, slot, mesh, triangle, hit, isSrgb: false, Vector4.One).Z;
    }

    /// <summary>Linear light given off.</summary>
    public Vector3 Emission(Mesh mesh, int triangle, in Hit hit)
    {
        var light = Texel(Of(mesh, triangle), TextureKind.Emission, mesh, triangle, hit, isSrgb: true, Vector4.Zero);
        return new Vector3(light.X, light.Y, light.Z);
    }

    private static Vector4 Texel(BakeMaterial material, TextureKind slot, Mesh mesh, int triangle, in Hit hit, bool isSrgb, Vector4 otherwise)
    {
        return material.Textures.TryGetValue(slot, out var texture) && texture.UvSet < mesh.UvSets.Count ? Texel(texture, mesh, triangle, hit, isSrgb)
            : otherwise;
    }

    /// <summary>What a picture shows at a hit; its UV set is one the object has.</summary>
    public static Vector4 Texel(BakeTexture texture, Mesh mesh, int triangle, in Hit hit, bool isSrgb)
    {
        var uvs = mesh.UvSets[texture.UvSet];
        var uv = (1 - hit.U - hit.V) * uvs[3 * triangle] + hit.U * uvs[3 * triangle + 1] + hit.V * uvs[3 * triangle + 2];
        return Bilinear(texture.Picture, Vector2.Transform(uv, texture.UvTransform), isSrgb);
    }

    /// <summary>A picture between its texels, repeated beyond its edges; colours in linear light.</summary>
    private static Vector4 Bilinear(Bitmap picture, Vector2 uv, bool isSrgb)
    {
        float x = uv.X * picture.Width - 0.5f, y = (1 - uv.Y) * picture.Height - 0.5f;
        if (!float.IsFinite(x) || !float.IsFinite(y))
            return Vector4.One;
        float left = MathF.Floor(x), top = MathF.Floor(y), across = x - left, down = y - top;
        int x0 = Wrapped(left, picture.Width), x1 = (x0 + 1) % picture.Width, y0 = Wrapped(top, picture.Height), y1 = (y0 + 1) % picture.Height;
        return Vector4.Lerp(
            Vector4.Lerp(Read(picture, x0, y0, isSrgb), Read(picture, x1, y0, isSrgb), across),
            Vector4.Lerp(Read(picture, x0, y1, isSrgb), Read(picture, x1, y1, isSrgb), across), down);
    }

    private static int Wrapped(float place, int count) => (int)(place - count * MathF.Floor(place / count)) % count;

    private static Vector4 Read(Bitmap picture, int x, int y, bool isSrgb)
    {
        bool isGrey = picture.Channels < 3;
        float red = Light(picture, x, y, 0, isSrgb);
        float alpha = picture.Channels is 2 or 4 ? picture.Unit(x, y, picture.Channels - 1) : 1;
        return isGrey ? new Vector4(red, red, red, alpha) : new Vector4(red, Light(picture, x, y, 1, isSrgb), Light(picture, x, y, 2, isSrgb), alpha);
    }

    private static float Light(Bitmap picture, int x, int y, int channel, bool isSrgb) => !isSrgb || picture.Bits == 32
        ? picture.Unit(x, y, channel)
        : picture is Bitmap8 narrow ? Srgb.ToLinear(narrow.Pixels[(y * picture.Width + x) * picture.Channels + channel])
            : Srgb.ToLinear(picture.Unit(x, y, channel));
}
