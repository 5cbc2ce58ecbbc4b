using System.Numerics;
using System.Text.Json;

namespace Crumpet.Core.Geometry;

/// <summary>What glTF materials say beside colour, roughness and metalness.</summary>
/// <remarks>
/// Source: Khronos glTF 2.0 specification; KHR_materials_emissive_strength, KHR_materials_specular, KHR_materials_clearcoat, KHR_materials_ior,
/// KHR_materials_transmission, KHR_materials_volume.
/// </remarks>
internal static class GltfTraits
{
    private const string Strength = "KHR_materials_emissive_strength", Specular = "KHR_materials_specular", ClearCoat = "KHR_materials_clearcoat",
        Index = "KHR_materials_ior", Transmission = "KHR_materials_transmission", Volume = "KHR_materials_volume";

    /// <summary>Reads what a material says; numbers that cannot be are brought into what can.</summary>
    public static MaterialTraits Read(JsonElement material)
    {
        var plain = MaterialTraits.Plain;
        var extensions = material.Inner("extensions");
        var emission = material.Numbers("emissiveFactor", 3) is { } e ? Tint.Of(new Vector3(e)) : Tint.Black;
        // A texture of emission without a factor gives off nothing.
        var volume = extensions?.Inner(Volume);
        bool isDeep = volume?.Float("thicknessFactor", 0) > 0;
        return plain with
        {
            Alpha = material.Text("alphaMode") switch { "MASK" => AlphaMode.CutOut, "BLEND" => AlphaMode.Blend, _ => AlphaMode.Opaque },
            Threshold = Unit(material.Float("alphaCutoff", 0.5f)),
            TwoSided = material.Inner("doubleSided") is { ValueKind: JsonValueKind.True },
            Emission = emission,
            EmissionStrength = Math.Clamp(extensions?.Inner(Strength)?.Float("emissiveStrength", 1) ?? 1, 0, 100000),
            Specular = Unit(extensions?.Inner(Specular)?.Float("specularFactor", 1) ?? 1),
            SpecularTint = extensions?.Inner(Specular)?.Numbers("specularColorFactor", 3) is { } tint ? Tint.Of(new Vector3(tint)) : Tint.White,
            ClearCoat = Unit(extensions?.Inner(ClearCoat)?.Float("clearcoatFactor", 0) ?? 0),
            ClearCoatRoughness = Unit(extensions?.Inner(ClearCoat)?.Float("clearcoatRoughnessFactor", 0) ?? 0),
            Index = Math.Clamp(extensions?.Inner(Index)?.Float("ior", (float)plain.Index) ?? plain.Index, 1, 4),
            Through = !(extensions?.Inner(Transmission)?.Float("transmissionFactor", 0) > 0) ? LightThrough.None
                : isDeep ? LightThrough.Deep : LightThrough.Thin,
            ThroughShare = Unit(extensions?.Inner(Transmission)?.Float("transmissionFactor", 0.5f) ?? 0.5),
            ThroughTint = volume?.Numbers("attenuationColor", 3) is { } through ? Tint.Of(new Vector3(through)) : Tint.White,
            ThroughDepthMetres = Math.Clamp(volume?.Float("attenuationDistance", (float)plain.ThroughDepthMetres) ?? plain.ThroughDepthMetres, 1e-5, 10),
        };
    }

    /// <summary>Writes what stands in the material itself.</summary>
    public static void WriteCore(Utf8JsonWriter json, MaterialTraits traits, bool hasEmissionTexture)
    {
        if (traits.Alpha != AlphaMode.Opaque)
            json.WriteString("alphaMode", traits.Alpha == AlphaMode.CutOut ? "MASK" : "BLEND");
        if (traits.Alpha == AlphaMode.CutOut)
            json.WriteNumber("alphaCutoff", traits.Threshold);
        if (traits.TwoSided)
            json.WriteBoolean("doubleSided", true);
        if (MaterialTrait.Emission.Says(traits))
            Numbers(json, "emissiveFactor", traits.Emission.Numbers);
        else if (hasEmissionTexture)
            Numbers(json, "emissiveFactor", Tint.White.Numbers);
    }

    /// <summary>The extensions a material needs, each with what writes it.</summary>
    public static IEnumerable<(string Name, Action<Utf8JsonWriter, MaterialTraits> Write)> Extensions(MaterialTraits traits)
    {
        if (traits.EmissionStrength != 1)
            yield return (Strength, (json, t) => json.WriteNumber("emissiveStrength", t.EmissionStrength));
        if (MaterialTrait.Specular.Says(traits))
            yield return (Specular, WriteSpecular);
        if (MaterialTrait.ClearCoat.Says(traits))
            yield return (ClearCoat, WriteClearCoat);
        if (MaterialTrait.Index.Says(traits))
            yield return (Index, (json, t) => json.WriteNumber("ior", t.Index));
        if (traits.Through == LightThrough.None)
            yield break;
        yield return (Transmission, (json, t) => json.WriteNumber("transmissionFactor", t.ThroughShare));
        if (traits.Through == LightThrough.Deep || traits.ThroughTint != Tint.White)
            yield return (Volume, WriteVolume);
    }

    private static void WriteSpecular(Utf8JsonWriter json, MaterialTraits traits)
    {
        json.WriteNumber("specularFactor", traits.Specular);
        Numbers(json, "specularColorFactor", traits.SpecularTint.Numbers);
    }

    private static void WriteClearCoat(Utf8JsonWriter json, MaterialTraits traits)
    {
        json.WriteNumber("clearcoatFactor", traits.ClearCoat);
        json.WriteNumber("clearcoatRoughnessFactor", traits.ClearCoatRoughness);
    }

    // Without a thickness it is a thin wall, and only its colour counts.
    private static void WriteVolume(Utf8JsonWriter json, MaterialTraits traits)
    {
        json.WriteNumber("thicknessFactor", traits.Through == LightThrough.Deep ? traits.ThroughDepthMetres : 0);
        json.WriteNumber("attenuationDistance", traits.ThroughDepthMetres);
        Numbers(json, "attenuationColor", traits.ThroughTint.Numbers);
    }

    /// <summary>Writes a list of numbers.</summary>
    public static void Numbers(Utf8JsonWriter json, string name, IEnumerable<double> values)
    {
        json.WriteStartArray(name);
        foreach (double value in values)
            json.WriteNumberValue(value);
        json.WriteEndArray();
    }

    private static double Unit(double value) => double.IsFinite(value) ? Math.Clamp(value, 0, 1) : 0;
}
