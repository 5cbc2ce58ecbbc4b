using System.Globalization;
using System.Numerics;
using System.Text;
using Crumpet.Core.Imaging;

namespace Crumpet.Core.Geometry;

/// <summary>Writes Wavefront OBJ and its material library.</summary>
public static class ObjWriter
{
    /// <summary>Writes objects with shared, deduplicated texture coordinates and normals. Numbers round-trip as 32-bit floats.</summary>
    /// <param name="scene">What to write.</param>
    /// <param name="stream">Receives ASCII text with LF line endings.</param>
    /// <param name="libraryName">File name of the material library, or null for none.</param>
    public static void Write(Scene scene, Stream stream, string? libraryName)
    {
        using var text = new StreamWriter(stream, new UTF8Encoding(false), 1 << 16, leaveOpen: true) { NewLine = "\n" };
        if (libraryName is not null)
            text.WriteLine($"mtllib {libraryName}");
        int positionBase = 1, uvBase = 1, normalBase = 1;
        foreach (var mesh in scene.Meshes)
        {
            text.WriteLine($"o {mesh.Name}");
            var colours = PositionColours(mesh);
            for (int i = 0; i < mesh.Positions.Length; i++)
            {
                var p = mesh.Positions[i];
                text.Write(string.Create(CultureInfo.InvariantCulture, $"v {p.X:R} {p.Y:R} {p.Z:R}"));
                text.WriteLine(colours is null ? ""
                    : string.Create(CultureInfo.InvariantCulture, $" {colours[i].X:0.######} {colours[i].Y:0.######} {colours[i].Z:0.######}"));
            }
            var uvIndex = Distinct(mesh.Uvs, uv => text.WriteLine(string.Create(CultureInfo.InvariantCulture, $"vt {uv.X:R} {uv.Y:R}")), out int uvCount);
            var normalIndex = Distinct(mesh.Normals, n => text.WriteLine(string.Create(CultureInfo.InvariantCulture, $"vn {n.X:R} {n.Y:R} {n.Z:R}")),
                out int normalCount);
            int material = -1;
            for (int triangle = 0; triangle < mesh.TriangleCount; triangle++)
            {
                if (mesh.TriangleMaterials[triangle] != material && mesh.TriangleMaterials[triangle] >= 0)
                    text.WriteLine($"usemtl {scene.Materials[material = mesh.TriangleMaterials[triangle]].Name}");
                text.Write('f');
                for (int corner = 3 * triangle; corner < 3 * triangle + 3; corner++)
                {
                    text.Write(' ');
                    text.Write(positionBase + mesh.Corners[corner]);
                    if (uvIndex is null && normalIndex is null)
                        continue;
                    text.Write('/');
                    if (uvIndex is not null)
                        text.Write(uvBase + uvIndex[corner]);
                    if (normalIndex is not null)
                    {
                        text.Write('/');
                        text.Write(normalBase + normalIndex[corner]);
                    }
                }
                text.WriteLine();
            }
            positionBase += mesh.Positions.Length;
            uvBase += uvCount;
            normalBase += normalCount;
        }
    }

    /// <summary>Writes a document's objects where they are in the world, in its space; the format knows no pivots, groups or instances.</summary>
    /// <param name="document">What to write.</param>
    /// <param name="stream">Receives ASCII text with LF line endings.</param>
    /// <param name="libraryName">File name of the material library, or null for none.</param>
    public static void Write(SceneDocument document, Stream stream, string? libraryName) => Write(InTheWorld(document), stream, libraryName);

    /// <summary>A document's objects where they are in the world, in its space, with normals.</summary>
    internal static Scene InTheWorld(SceneDocument document) => new("",
        [.. SceneTree.InTheWorld(document).Select(o => o.Mesh with { Normals = o.Mesh.NormalsOrSmooth() })], [.. document.Materials.Select(m => m.Source)], []);

    /// <summary>Picked colours for positions, as the common addition to the format has them: where corners differ, that of the first.</summary>
    private static Vector3[]? PositionColours(Mesh mesh)
    {
        if (mesh.Colours is not { } source)
            return null;
        var colours = new Vector3[mesh.Positions.Length];
        Array.Fill(colours, Vector3.One);
        for (int c = source.Length - 1; c >= 0; c--)
            colours[mesh.Corners[c]] = new Vector3(Imaging.Srgb.FromLinear(source[c].X), Imaging.Srgb.FromLinear(source[c].Y),
                Imaging.Srgb.FromLinear(source[c].Z));
        return colours;
    }

    /// <summary>Writes the material library; colours go out as sRGB, as <see cref="MtlReader"/> reads them.</summary>
    /// <param name="materials">Materials.</param>
    /// <param name="stream">Receives ASCII text.</param>
    public static void WriteLibrary(IReadOnlyList<Material> materials, Stream stream)
    {
        using var text = new StreamWriter(stream, new UTF8Encoding(false), leaveOpen: true) { NewLine = "\n" };
        foreach (var material in materials)
        {
            WriteFactors(text, material);
            foreach (var use in material.Textures.Where(t => t.Path.Length > 0))
                text.WriteLine($"{Statement(use.Slot)} {use.Path}");
        }
    }

    /// <summary>Writes the material library of a document, with the textures beside it.</summary>
    /// <param name="document">Materials and textures.</param>
    /// <param name="stream">Receives ASCII text.</param>
    public static void WriteLibrary(SceneDocument document, Stream stream)
    {
        using var text = new StreamWriter(stream, new UTF8Encoding(false), leaveOpen: true) { NewLine = "\n" };
        foreach (var material in document.Materials)
        {
            var traits = material.Source.Traits;
            WriteFactors(text, material.Source);
            foreach (var texture in material.Textures)
            {
                if (document.Textures[texture.Texture].Path is not { } path || (texture.Slot == MaterialSlot.Opacity && traits.Alpha == AlphaMode.Opaque))
                    continue;
                // The one channel that is meant, and how the picture is moved, stand before its path.
                string channel = texture.Slot.Channels == 1 ? $" -imfchan {"rgbm"[texture.Channel]}" : "";
                string moved = !traits.MovesUvs ? "" : string.Create(CultureInfo.InvariantCulture,
                    $" -s {traits.RepeatU:0.######} {traits.RepeatV:0.######} 1 -o {traits.MoveU:0.######} {traits.MoveV:0.######} 0");
                text.WriteLine($"{Statement(texture.Slot.Kind)}{channel}{moved} {path}");
            }
        }
    }

    private static void WriteFactors(StreamWriter text, Material material)
    {
        var c = material.BaseColour;
        var traits = material.Traits;
        text.WriteLine($"newmtl {material.Name}");
        text.WriteLine(string.Create(CultureInfo.InvariantCulture,
            $"Kd {Imaging.Srgb.FromLinear(c.X):0.######} {Imaging.Srgb.FromLinear(c.Y):0.######} {Imaging.Srgb.FromLinear(c.Z):0.######}"));
        text.WriteLine(string.Create(CultureInfo.InvariantCulture,
            $"d {c.W:0.######}\nPr {material.Roughness:0.######}\nPm {material.Metalness:0.######}"));
        if (MaterialTrait.Emission.Says(traits))
            text.WriteLine($"Ke {string.Join(' ', traits.Emission.Numbers.Select(v => Factor(v * traits.EmissionStrength)))}");
        if (MaterialTrait.Index.Says(traits))
            text.WriteLine($"Ni {Factor(traits.Index)}");
        if (MaterialTrait.ClearCoat.Says(traits))
            text.WriteLine($"Pc {Factor(traits.ClearCoat)}\nPcr {Factor(traits.ClearCoatRoughness)}");
    }

    private static string Factor(double value) => value.ToString("0.######", CultureInfo.InvariantCulture);

    private static string Statement(TextureKind slot) => slot switch
    {
        TextureKind.BaseColour => "map_Kd",
        TextureKind.Normal => "norm",
        TextureKind.Height => "map_Bump",
        TextureKind.Roughness => "map_Pr",
        TextureKind.Metalness => "map_Pm",
        TextureKind.Occlusion => "map_ao",
        TextureKind.Opacity => "map_d",
        TextureKind.Emission => "map_Ke",
        _ => "map_Ks",
    };

    private static int[]? Distinct<T>(T[]? values, Action<T> write, out int count) where T : struct
    {
        count = 0;
        if (values is null)
            return null;
        var seen = new Dictionary<T, int>();
        var indices = new int[values.Length];
        for (int i = 0; i < values.Length; i++)
        {
            if (!seen.TryGetValue(values[i], out int index))
            {
                seen.Add(values[i], index = count++);
                write(values[i]);
            }
            indices[i] = index;
        }
        return indices;
    }
}
