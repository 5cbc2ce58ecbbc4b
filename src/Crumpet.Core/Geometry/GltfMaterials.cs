using System.Numerics;
using System.Text.Json;

namespace Crumpet.Core.Geometry;

/// <summary>Writes materials, textures and images of a glTF file.</summary>
/// <remarks>Source: Khronos glTF 2.0 specification; KHR_texture_transform, KHR_texture_basisu.</remarks>
internal static class GltfMaterials
{
    private const string Supercompressed = "KHR_texture_basisu", Transform = "KHR_texture_transform";

    /// <summary>The channels that what shares a picture is read from.</summary>
    public static IReadOnlyDictionary<MaterialSlot, int> Channels { get; } =
        new Dictionary<MaterialSlot, int> { [MaterialSlot.Occlusion] = 0, [MaterialSlot.Roughness] = 1, [MaterialSlot.Metalness] = 2 };

    /// <summary>What the file says it uses, and what it cannot be read without.</summary>
    public static (IReadOnlyList<string> Used, IReadOnlyList<string> Required) ExtensionsOf(SceneDocument document)
    {
        var used = new SortedSet<string>(StringComparer.Ordinal);
        var required = new SortedSet<string>(StringComparer.Ordinal);
        foreach (var material in document.Materials)
        {
            used.UnionWith(GltfTraits.Extensions(material.Source.Traits).Select(e => e.Name));
            if (material.Source.Traits.MovesUvs && material.Textures.Count > 0)
                used.Add(Transform);
        }
        if (document.Textures.Any(IsBasis))
        {
            used.Add(Supercompressed);
            required.Add(Supercompressed);
        }
        return ([.. used], [.. required]);
    }

    /// <summary>Writes the materials; nothing where there are none.</summary>
    public static void WriteMaterials(Utf8JsonWriter json, IReadOnlyList<SceneMaterial> materials)
    {
        if (materials.Count == 0)
            return;
        json.WriteStartArray("materials");
        foreach (var material in materials)
            WriteMaterial(json, material);
        json.WriteEndArray();
    }

    /// <summary>Writes textures and images; embedded ones go into the buffer.</summary>
    public static void WriteTextures(Utf8JsonWriter json, IReadOnlyList<SceneTexture> textures, GltfBuffer buffer)
    {
        if (textures.Count == 0)
            return;
        int images = 0;
        json.WriteStartArray("textures");
        foreach (var texture in textures)
        {
            json.WriteStartObject();
            json.WriteString("name", texture.Name);
            if (IsBasis(texture))
            {
                json.WriteStartObject("extensions");
                json.WriteStartObject(Supercompressed);
                json.WriteNumber("source", images++);
                json.WriteEndObject();
                json.WriteEndObject();
            }
            else
            {
                json.WriteNumber("source", images++);
            }
            json.WriteEndObject();
        }
        json.WriteEndArray();
        json.WriteStartArray("images");
        foreach (var texture in textures)
        {
            json.WriteStartObject();
            json.WriteString("name", texture.Name);
            if (texture.Embedded is not null)
                json.WriteNumber("bufferView", buffer.AddView(texture.Embedded));
            else
                json.WriteString("uri", Uri(texture.Path!));
            json.WriteString("mimeType", MediaType(EndingOf(texture)));
            json.WriteEndObject();
        }
        json.WriteEndArray();
    }

    /// <summary>A path as an address: what addresses cannot hold is escaped.</summary>
    public static string Uri(string path) => System.Uri.EscapeDataString(path).Replace("%2F", "/", StringComparison.Ordinal);

    /// <summary>Pictures that glTF takes as they are.</summary>
    public static string MediaType(string ending) => ending switch { ".png" => "image/png", ".jpg" => "image/jpeg", _ => "image/ktx2" };

    private static string EndingOf(SceneTexture texture) => texture.Embedded is not null ? texture.Ending : Path.GetExtension(texture.Path!);

    private static bool IsBasis(SceneTexture texture) => EndingOf(texture) == ".ktx2";

    private static void WriteMaterial(Utf8JsonWriter json, SceneMaterial material)
    {
        var source = material.Source;
        var traits = source.Traits;
        var colour = material.In(MaterialSlot.BaseColour);
        var (roughness, metalness) = RoughnessAndMetalness(material);
        json.WriteStartObject();
        json.WriteString("name", source.Name);
        json.WriteStartObject("pbrMetallicRoughness");
        var c = colour is null ? source.BaseColour : Vector4.One;
        GltfTraits.Numbers(json, "baseColorFactor", [c.X, c.Y, c.Z, c.W]);
        json.WriteNumber("metallicFactor", metalness is null ? source.Metalness : 1);
        json.WriteNumber("roughnessFactor", roughness is null ? source.Roughness : 1);
        Texture("baseColorTexture", colour);
        Texture("metallicRoughnessTexture", roughness ?? metalness);
        json.WriteEndObject();
        Texture("normalTexture", material.In(MaterialSlot.Normal));
        Texture("occlusionTexture", Rightly(material, MaterialSlot.Occlusion));
        var emission = material.In(MaterialSlot.Emission);
        Texture("emissiveTexture", emission);
        GltfTraits.WriteCore(json, traits, emission is not null);
        var extensions = GltfTraits.Extensions(traits).ToArray();
        if (extensions.Length > 0)
        {
            json.WriteStartObject("extensions");
            foreach (var (name, write) in extensions)
            {
                json.WriteStartObject(name);
                write(json, traits);
                json.WriteEndObject();
            }
            json.WriteEndObject();
        }
        json.WriteEndObject();

        void Texture(string slot, SlotTexture? texture)
        {
            if (texture is null)
                return;
            json.WriteStartObject(slot);
            json.WriteNumber("index", texture.Texture);
            if (traits.MovesUvs)
                WriteTransform(json, traits);
            json.WriteEndObject();
        }
    }

    /// <summary>Roughness in green and metalness in blue, of one texture; what lies elsewhere cannot be said.</summary>
    private static (SlotTexture? Roughness, SlotTexture? Metalness) RoughnessAndMetalness(SceneMaterial material)
    {
        var (roughness, metalness) = (Rightly(material, MaterialSlot.Roughness), Rightly(material, MaterialSlot.Metalness));
        return (roughness, roughness is null || metalness?.Texture == roughness.Texture ? metalness : null);
    }

    private static SlotTexture? Rightly(SceneMaterial material, MaterialSlot slot) =>
        material.In(slot) is { } texture && texture.Channel == Channels[slot] ? texture : null;

    // v runs downwards in glTF.
    private static void WriteTransform(Utf8JsonWriter json, MaterialTraits traits)
    {
        var flip = Matrix3x2.CreateScale(1, -1) * Matrix3x2.CreateTranslation(0, 1);
        var offset = (flip * traits.UvTransform() * flip).Translation;
        json.WriteStartObject("extensions");
        json.WriteStartObject(Transform);
        GltfTraits.Numbers(json, "offset", [offset.X, offset.Y]);
        json.WriteNumber("rotation", traits.TurnDegrees * Math.PI / 180);
        GltfTraits.Numbers(json, "scale", [traits.RepeatU, traits.RepeatV]);
        json.WriteEndObject();
        json.WriteEndObject();
    }
}
