using System.Globalization;
using System.Numerics;
using System.Xml;
using Crumpet.Core.Imaging;

namespace Crumpet.Core.Geometry;

/// <summary>Writes materials as MaterialX: a standard surface each, with a graph of its pictures.</summary>
/// <remarks>
/// Source: MaterialX specification 1.38 and its standard library (image, place2d, normalmap, standard_surface). Occlusion has no input
/// there.
/// </remarks>
public static class MaterialXWriter
{
    private static readonly (MaterialSlot Slot, string Input)[] Inputs =
    [
        (MaterialSlot.BaseColour, "base_color"), (MaterialSlot.Roughness, "specular_roughness"), (MaterialSlot.Metalness, "metalness"),
        (MaterialSlot.Emission, "emission_color"), (MaterialSlot.Opacity, "opacity"), (MaterialSlot.Normal, "normal"),
    ];

    /// <summary>Writes a document.</summary>
    /// <param name="document">Materials with their textures, which lie beside the file.</param>
    /// <param name="stream">Receives UTF-8 text with LF line endings.</param>
    public static void Write(SceneDocument document, Stream stream)
    {
        using var xml = XmlWriter.Create(stream, new XmlWriterSettings
        {
            Indent = true,
            NewLineChars = "\n",
            Encoding = new System.Text.UTF8Encoding(false),
        });
        xml.WriteStartElement("materialx");
        xml.WriteAttributeString("version", "1.38");
        xml.WriteAttributeString("colorspace", "lin_rec709");
        var names = new UsdNames();
        foreach (var material in document.Materials)
            WriteMaterial(xml, document, material, names);
        xml.WriteEndElement();
    }

    private static void WriteMaterial(XmlWriter xml, SceneDocument document, SceneMaterial material, UsdNames names)
    {
        string own = names.Give(material.Source.Name), graph = names.Give($"{own}_pictures"), shader = names.Give($"{own}_surface");
        var bound = Inputs.Select(i => (i.Slot, i.Input, Texture: material.In(i.Slot)))
            .Where(i => i.Texture is { } t && document.Textures[t.Texture].Path is not null
                && (i.Slot != MaterialSlot.Opacity || material.Source.Traits.Alpha != AlphaMode.Opaque))
            .Select(i => (i.Slot, i.Input, Texture: i.Texture!)).ToArray();
        if (bound.Length > 0)
            WriteGraph(xml, document, material, graph, bound);
        xml.WriteStartElement("standard_surface");
        xml.WriteAttributeString("name", shader);
        xml.WriteAttributeString("type", "surfaceshader");
        var traits = material.Source.Traits;
        var c = material.Source.BaseColour;
        Value("base", "float", "1");
        Factor(MaterialSlot.BaseColour, "color3", Colour(c.X, c.Y, c.Z));
        Factor(MaterialSlot.Roughness, "float", Number(material.Source.Roughness));
        Factor(MaterialSlot.Metalness, "float", Number(material.Source.Metalness));
        if (MaterialTrait.Specular.Says(traits))
        {
            Value("specular", "float", Number(traits.Specular));
            Value("specular_color", "color3", Colour(traits.SpecularTint));
        }
        if (MaterialTrait.Index.Says(traits))
            Value("specular_IOR", "float", Number(traits.Index));
        if (MaterialTrait.ClearCoat.Says(traits))
        {
            Value("coat", "float", Number(traits.ClearCoat));
            Value("coat_roughness", "float", Number(traits.ClearCoatRoughness));
        }
        bool glows = MaterialTrait.Emission.Says(traits) || Has(MaterialSlot.Emission);
        if (glows)
            Value("emission", "float", Number(traits.EmissionStrength));
        if (glows)
            Factor(MaterialSlot.Emission, "color3", Colour(traits.Emission));
        if (traits.Through != LightThrough.None)
        {
            Value("subsurface", "float", Number(traits.ThroughShare));
            Value("subsurface_color", "color3", Colour(traits.ThroughTint));
            if (traits.Through == LightThrough.Thin)
                Value("thin_walled", "boolean", "true");
            else
                Value("subsurface_radius", "color3", Colour(traits.ThroughDepthMetres, traits.ThroughDepthMetres, traits.ThroughDepthMetres));
        }
        if (traits.Alpha != AlphaMode.Opaque)
            Factor(MaterialSlot.Opacity, "color3", Colour(c.W, c.W, c.W));
        if (Has(MaterialSlot.Normal))
            Output("normal", "vector3", MaterialSlot.Normal);
        xml.WriteEndElement();
        xml.WriteStartElement("surfacematerial");
        xml.WriteAttributeString("name", own);
        xml.WriteAttributeString("type", "material");
        xml.WriteStartElement("input");
        xml.WriteAttributeString("name", "surfaceshader");
        xml.WriteAttributeString("type", "surfaceshader");
        xml.WriteAttributeString("nodename", shader);
        xml.WriteEndElement();
        xml.WriteEndElement();

        bool Has(MaterialSlot slot) => bound.Any(b => b.Slot == slot);

        void Factor(MaterialSlot slot, string type, string value)
        {
            string input = Inputs.First(i => i.Slot == slot).Input;
            if (Has(slot))
                Output(input, type, slot);
            else
                Value(input, type, value);
        }

        void Value(string name, string type, string value)
        {
            xml.WriteStartElement("input");
            xml.WriteAttributeString("name", name);
            xml.WriteAttributeString("type", type);
            xml.WriteAttributeString("value", value);
            xml.WriteEndElement();
        }

        void Output(string name, string type, MaterialSlot slot)
        {
            xml.WriteStartElement("input");
            xml.WriteAttributeString("name", name);
            xml.WriteAttributeString("type", type);
            xml.WriteAttributeString("nodegraph", graph);
            xml.WriteAttributeString("output", $"out_{slot.Word}");
            xml.WriteEndElement();
        }
    }

    private static void WriteGraph(XmlWriter xml, SceneDocument document, SceneMaterial material, string graph,
        (MaterialSlot Slot, string Input, SlotTexture Texture)[] bound)
    {
        var traits = material.Source.Traits;
        xml.WriteStartElement("nodegraph");
        xml.WriteAttributeString("name", graph);
        if (traits.MovesUvs)
        {
            Node("texcoord", "uv", "vector2");
            xml.WriteEndElement();
            // The node divides by its scale, turns by its rotation clockwise, and takes its offset away.
            Node("place2d", "uv_moved", "vector2");
            Connect("texcoord", "vector2", "uv");
            var move = traits.UvTransform().Translation;
            Input("scale", "vector2", Pair(1 / Divisor(traits.RepeatU), 1 / Divisor(traits.RepeatV)));
            Input("rotate", "float", Number(-traits.TurnDegrees));
            Input("offset", "vector2", Pair(-move.X, -move.Y));
            Input("operationorder", "integer", "0");
            xml.WriteEndElement();
        }
        foreach (var (slot, _, texture) in bound)
            WritePicture(slot, texture);
        foreach (var (slot, _, _) in bound)
        {
            xml.WriteStartElement("output");
            xml.WriteAttributeString("name", $"out_{slot.Word}");
            xml.WriteAttributeString("type", TypeOf(slot));
            xml.WriteAttributeString("nodename", slot.Word);
            xml.WriteEndElement();
        }
        xml.WriteEndElement();

        void WritePicture(MaterialSlot slot, SlotTexture texture)
        {
            string picture = $"{slot.Word}_picture";
            bool isWhole = slot.Channels == 3;
            string type = slot == MaterialSlot.Normal ? "vector3" : isWhole ? "color3" : texture.Channel == 3 ? "color4" : "color3";
            // A whole colour is the node itself.
            Node("image", slot == MaterialSlot.BaseColour || slot == MaterialSlot.Emission ? slot.Word : picture, type);
            xml.WriteStartElement("input");
            xml.WriteAttributeString("name", "file");
            xml.WriteAttributeString("type", "filename");
            if (slot.Meaning == ColourMeaning.Srgb)
                xml.WriteAttributeString("colorspace", "srgb_texture");
            xml.WriteAttributeString("value", document.Textures[texture.Texture].Path);
            xml.WriteEndElement();
            if (traits.MovesUvs)
                Connect("texcoord", "vector2", "uv_moved");
            xml.WriteEndElement();
            if (slot == MaterialSlot.Normal)
            {
                if (document.Green == GreenDirection.Down)
                {
                    // Green that runs downwards is turned: one less it.
                    Node("multiply", "turned_scaled", "vector3");
                    Connect("in1", "vector3", picture);
                    Input("in2", "vector3", "1, -1, 1");
                    xml.WriteEndElement();
                    Node("add", "turned", "vector3");
                    Connect("in1", "vector3", "turned_scaled");
                    Input("in2", "vector3", "0, 1, 0");
                    xml.WriteEndElement();
                    picture = "turned";
                }
                Node("normalmap", slot.Word, "vector3");
                Connect("in", "vector3", picture);
                xml.WriteEndElement();
            }
            else if (!isWhole)
            {
                string channel = slot == MaterialSlot.Opacity ? $"{slot.Word}_channel" : slot.Word;
                Node("extract", channel, "float");
                Connect("in", type, picture);
                Input("index", "integer", texture.Channel.ToString(CultureInfo.InvariantCulture));
                xml.WriteEndElement();
                if (slot == MaterialSlot.Opacity)
                    WriteOpacity(channel);
            }
        }

        void WriteOpacity(string channel)
        {
            if (traits.Alpha == AlphaMode.CutOut)
            {
                Node("ifgreatereq", "opacity_cut", "float");
                Connect("value1", "float", channel);
                Input("value2", "float", Number(traits.Threshold));
                Input("in1", "float", "1");
                Input("in2", "float", "0");
                xml.WriteEndElement();
                channel = "opacity_cut";
            }
            Node("convert", MaterialSlot.Opacity.Word, "color3");
            Connect("in", "float", channel);
            xml.WriteEndElement();
        }

        void Node(string kind, string name, string type)
        {
            xml.WriteStartElement(kind);
            xml.WriteAttributeString("name", name);
            xml.WriteAttributeString("type", type);
        }

        void Input(string name, string type, string value) => Attributes(name, type, "value", value);

        void Connect(string name, string type, string node) => Attributes(name, type, "nodename", node);

        void Attributes(string name, string type, string what, string value)
        {
            xml.WriteStartElement("input");
            xml.WriteAttributeString("name", name);
            xml.WriteAttributeString("type", type);
            xml.WriteAttributeString(what, value);
            xml.WriteEndElement();
        }
    }

    private static string TypeOf(MaterialSlot slot) =>
        slot == MaterialSlot.Normal ? "vector3" : slot.Channels == 3 || slot == MaterialSlot.Opacity ? "color3" : "float";

    private static double Divisor(double value) => Math.Abs(value) < 1e-9 ? 1e-9 : value;

    private static string Number(double value) => ((float)value).ToString("R", CultureInfo.InvariantCulture);

    private static string Pair(double a, double b) => $"{Number(a)}, {Number(b)}";

    private static string Colour(double r, double g, double b) => $"{Number(r)}, {Number(g)}, {Number(b)}";

    private static string Colour(Tint tint) => Colour(tint.R, tint.G, tint.B);
}
