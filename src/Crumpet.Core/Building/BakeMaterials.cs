using Crumpet.Core.Baking;
using Crumpet.Core.Geometry;
using Crumpet.Core.Imaging;
using Crumpet.Core.Intake;

namespace Crumpet.Core.Building;

/// <summary>Gives the bake the materials of what arrived, with those of their pictures that were found.</summary>
internal static class BakeMaterials
{
    /// <summary>One for each material of the scene. Pictures are read once, and only where a map shows them and a high side's material uses them.</summary>
    /// <param name="scene">What arrived.</param>
    /// <param name="report">What intake learned.</param>
    /// <param name="settings">Maps to make.</param>
    /// <param name="contentOf">Hash of a picture's content as mends left it, by the name of its file; null where it is not there.</param>
    /// <param name="read">Reads a picture by the name of its file and the hash of its content.</param>
    public static IReadOnlyList<BakeMaterial> Of(Scene scene, IntakeReport report, BakeSettings settings, Func<string, string?> contentOf, Func<string, string, Bitmap> read)
    {
        bool areShown = settings.Maps.Any(m => m is BakeMap.Colour or BakeMap.Roughness or BakeMap.Metalness or BakeMap.Emission or BakeMap.Opacity);
        bool areFelt = settings.HighNormals != HighNormalUse.LeftOut && settings.Maps.Any(m => m is BakeMap.Normal or BakeMap.ObjectNormal);
        var used = Enumerable.Range(0, scene.Meshes.Count).Where(i => report.Objects[i].Side == Side.High).SelectMany(i => scene.Meshes[i].TriangleMaterials.Distinct()).ToHashSet();
        var pictures = new Dictionary<string, Bitmap>(StringComparer.Ordinal);
        return [.. scene.Materials.Select((material, number) => new BakeMaterial(material, used.Contains(number) ? Textures(material) : new Dictionary<TextureSlot, BakeTexture>()))];

        Dictionary<TextureSlot, BakeTexture> Textures(Material material)
        {
            var found = new Dictionary<TextureSlot, BakeTexture>();
            foreach (var use in material.Textures.Where(t => t.Slot == TextureSlot.Normal ? areFelt : areShown))
            {
                string? file = report.Links.FirstOrDefault(l => l.Material == material.Name && l.Slot == use.Slot && l.Path == use.Path)?.File;
                if (file is null || contentOf(file) is not { } content)
                    continue;
                if (!pictures.TryGetValue(file, out var picture))
                    pictures.Add(file, picture = read(file, content));
                found.TryAdd(use.Slot, new BakeTexture(picture, content, use.UvSet, use.UvTransform));
            }
            return found;
        }
    }
}
