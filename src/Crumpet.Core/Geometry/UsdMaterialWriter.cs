using Crumpet.Core.Imaging;

namespace Crumpet.Core.Geometry;

/// <summary>Writes materials as preview surfaces.</summary>
/// <remarks>Source: the published specification of UsdPreviewSurface, its texture, primvar and transform nodes.</remarks>
internal static class UsdMaterialWriter
{
    // What a slot is called, and the type of its value; roughness, metalness, occlusion and the like take one channel.
    private static readonly (MaterialSlot Slot, string Input, string Type)[] Inputs =
    [
        (MaterialSlot.BaseColour, "diffuseColor", "color3f"), (MaterialSlot.Opacity, "opacity", "float"), (MaterialSlot.Normal, "normal", "normal3f"),
        (MaterialSlot.Occlusion, "occlusion", "float"), (MaterialSlot.Roughness, "roughness", "float"), (MaterialSlot.Metalness, "metallic", "float"),
        (MaterialSlot.Emission, "emissiveColor", "color3f"), (MaterialSlot.Height, "displacement", "float"),
    ];

    /// <summary>Paths of materials in a scope.</summary>
    public static IReadOnlyList<string> PathsOf(IReadOnlyList<SceneMaterial> materials, string scope)
    {
        var names = new UsdNames();
        return [.. materials.Select(m => $"{scope}/{names.Give(m.Source.Name)}")];
    }

    /// <summary>Writes a scope of materials.</summary>
    /// <param name="usd">Receives them.</param>
    /// <param name="document">The document.</param>
    /// <param name="scope">Name of the scope.</param>
    /// <param name="paths">Their paths.</param>
    public static void Write(UsdLines usd, SceneDocument document, string scope, IReadOnlyList<string> paths)
    {
        if (document.Materials.Count == 0)
            return;
        usd.Open("def Scope", scope);
        for (int m = 0; m < document.Materials.Count; m++)
            WriteMaterial(usd, document, document.Materials[m], paths[m]);
        usd.Close();
    }

    private static void WriteMaterial(UsdLines usd, SceneDocument document, SceneMaterial material, string path)
    {
        var source = material.Source;
        var traits = source.Traits;
        usd.Open("def Material", path[(path.LastIndexOf('/') + 1)..], $"displayName = {UsdLines.Quoted(source.Name)}");
        usd.Line($"token outputs:surface.connect = <{path}/surface.outputs:surface>");
        // A picture that is read as colour and as numbers is two nodes.
        var nodes = new List<(int Texture, ColourMeaning Meaning, string Name)>();
        var names = new UsdNames();
        string surface = names.Give("surface"), reader = names.Give("uv"), moved = names.Give("uv_moved");
        usd.Open("def Shader", surface);
        usd.Line("uniform token info:id = \"UsdPreviewSurface\"");
        var c = source.BaseColour;
        foreach (var (slot, input, type) in Inputs)
        {
            if (slot == MaterialSlot.Opacity && traits.Alpha == AlphaMode.Opaque)
                continue;
            if (material.In(slot) is { } texture)
            {
                string output = slot.Channels == 3 ? "rgb" : "rgba"[texture.Channel].ToString();
                usd.Line($"{type} inputs:{input}.connect = <{path}/{NodeOf(slot, texture)}.outputs:{output}>");
            }
            else if (Value(slot) is { } value)
            {
                usd.Line($"{type} inputs:{input} = {value}");
            }
        }
        if (traits.Alpha == AlphaMode.CutOut)
            usd.Line($"float inputs:opacityThreshold = {UsdLines.Number(traits.Threshold)}");
        if (MaterialTrait.ClearCoat.Says(traits))
        {
            usd.Line($"float inputs:clearcoat = {UsdLines.Number(traits.ClearCoat)}");
            usd.Line($"float inputs:clearcoatRoughness = {UsdLines.Number(traits.ClearCoatRoughness)}");
        }
        if (MaterialTrait.Index.Says(traits))
            usd.Line($"float inputs:ior = {UsdLines.Number(traits.Index)}");
        usd.Line("token outputs:surface");
        usd.Close();
        if (nodes.Count > 0)
            WriteCoordinates();
        foreach (var node in nodes)
            WriteTexture(node);
        usd.Close();

        string NodeOf(MaterialSlot slot, SlotTexture texture)
        {
            var meaning = slot.Meaning;
            // Opacity lies in the alpha of colours, which has no transfer.
            if (slot == MaterialSlot.Opacity && material.In(MaterialSlot.BaseColour)?.Texture == texture.Texture && texture.Channel == 3)
                meaning = ColourMeaning.Srgb;
            var known = nodes.FirstOrDefault(n => n.Texture == texture.Texture && n.Meaning == meaning);
            if (known.Name is not null)
                return known.Name;
            nodes.Add((texture.Texture, meaning, names.Give($"picture_{document.Textures[texture.Texture].Name}")));
            return nodes[^1].Name;
        }

        string? Value(MaterialSlot slot) =>
            slot == MaterialSlot.BaseColour ? $"({UsdLines.Number(c.X)}, {UsdLines.Number(c.Y)}, {UsdLines.Number(c.Z)})"
            : slot == MaterialSlot.Opacity ? UsdLines.Number(c.W)
            : slot == MaterialSlot.Roughness ? UsdLines.Number(source.Roughness)
            : slot == MaterialSlot.Metalness ? UsdLines.Number(source.Metalness)
            : slot == MaterialSlot.Emission && MaterialTrait.Emission.Says(traits)
                ? UsdLines.Colour(traits.Emission with
                {
                    R = traits.Emission.R * traits.EmissionStrength,
                    G = traits.Emission.G * traits.EmissionStrength,
                    B = traits.Emission.B * traits.EmissionStrength,
                })
            : null;

        void WriteCoordinates()
        {
            usd.Open("def Shader", reader);
            usd.Line("uniform token info:id = \"UsdPrimvarReader_float2\"");
            usd.Line($"string inputs:varname = \"{UsdWriter.UvName(0)}\"");
            usd.Line("float2 outputs:result");
            usd.Close();
            if (!traits.MovesUvs)
                return;
            usd.Open("def Shader", moved);
            usd.Line("uniform token info:id = \"UsdTransform2d\"");
            usd.Line($"float2 inputs:in.connect = <{path}/{reader}.outputs:result>");
            usd.Line($"float inputs:rotation = {UsdLines.Number(traits.TurnDegrees)}");
            usd.Line($"float2 inputs:scale = ({UsdLines.Number(traits.RepeatU)}, {UsdLines.Number(traits.RepeatV)})");
            usd.Line($"float2 inputs:translation = ({UsdLines.Number(traits.MoveU)}, {UsdLines.Number(traits.MoveV)})");
            usd.Line("float2 outputs:result");
            usd.Close();
        }

        void WriteTexture((int Texture, ColourMeaning Meaning, string Name) node)
        {
            usd.Open("def Shader", node.Name);
            usd.Line("uniform token info:id = \"UsdUVTexture\"");
            usd.Line($"asset inputs:file = @{document.Textures[node.Texture].Path}@");
            usd.Line($"float2 inputs:st.connect = <{path}/{(traits.MovesUvs ? moved : reader)}.outputs:result>");
            usd.Line("token inputs:wrapS = \"repeat\"");
            usd.Line("token inputs:wrapT = \"repeat\"");
            usd.Line($"token inputs:sourceColorSpace = \"{(node.Meaning == ColourMeaning.Srgb ? "sRGB" : "raw")}\"");
            if (node.Meaning == ColourMeaning.Normal)
            {
                // Green that runs downwards is turned as it is read.
                bool isDown = document.Green == GreenDirection.Down;
                usd.Line($"float4 inputs:scale = (2, {(isDown ? -2 : 2)}, 2, 1)");
                usd.Line($"float4 inputs:bias = (-1, {(isDown ? 1 : -1)}, -1, 0)");
            }
            foreach (string output in (ReadOnlySpan<string>)["float3 outputs:rgb", "float outputs:r", "float outputs:g", "float outputs:b", "float outputs:a"])
                usd.Line(output);
            usd.Close();
        }
    }
}
