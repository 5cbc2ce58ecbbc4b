using Crumpet.Core.Baking;
using Crumpet.Core.Channels;
using Crumpet.Core.Geometry;
using Crumpet.Core.Imaging;
using Crumpet.Core.Layout;

namespace Crumpet.Core.Building;

/// <summary>A sheet of the low side.</summary>
/// <param name="Name">Name its maps begin with.</param>
/// <param name="ShownMaterial">Number of the material the stage finds it by; null where it covers all.</param>
/// <param name="Source">What the source says where no texture is.</param>
internal sealed record LaidSheet(string Name, int? ShownMaterial, Material Source);

/// <summary>The low side as Layout left it: with its UVs, and with the number of its sheet as the material of each triangle.</summary>
/// <param name="Numbers">Number of each object in the scene.</param>
/// <param name="Meshes">The objects.</param>
/// <param name="Sheets">Sheets.</param>
internal sealed record LaidLow(IReadOnlyList<int> Numbers, IReadOnlyList<Mesh> Meshes, IReadOnlyList<LaidSheet> Sheets)
{
    private bool ShowsSheets { get; init; }

    /// <summary>Takes in what Layout gave.</summary>
    public static LaidLow Of(string asset, Scene scene, IReadOnlyList<int> numbers, LayoutResult result, SheetRule rule)
    {
        Mesh[] meshes = [.. numbers.Select((n, k) => scene.Meshes[n] with
        {
            UvSets = [result.Uvs[k], .. scene.Meshes[n].UvSets.Skip(1)],
            TriangleMaterials = result.TriangleSheets[k],
        })];
        return From(asset, scene, numbers, meshes, result.Report, rule);
    }

    /// <summary>The same from what was stored.</summary>
    public static LaidLow From(string asset, Scene scene, IReadOnlyList<int> numbers, IReadOnlyList<Mesh> meshes, LayoutReport report, SheetRule rule)
    {
        bool together = rule == SheetRule.Together && report.Sheets.Count > 1;
        var sheets = new LaidSheet[report.Sheets.Count];
        for (int i = 0; i < sheets.Length; i++)
        {
            int main = MainMaterial(scene, numbers, meshes, sheets.Length > 1 ? i : null);
            var source = main < 0 ? Material.Plain : scene.Materials[main];
            string own = main < 0 ? (sheets.Length == 1 ? asset : "no_material") : SafeName(source.Name);
            sheets[i] = together
                ? new LaidSheet($"sheet_{i + 1}", i, source)
                : new LaidSheet(rule == SheetRule.Together && Materials(scene, numbers, meshes, null).Count > 1 ? asset : own, sheets.Length > 1 ? report.Sheets[i].Material ?? -1 : null, source);
        }
        return new LaidLow(numbers, meshes, sheets) { ShowsSheets = together };
    }

    /// <summary>The objects for the stage: with the source's materials, or with sheets for materials where each holds several.</summary>
    public IEnumerable<Mesh> Shown(Scene scene) => ShowsSheets ? Meshes : Meshes.Select((m, k) => m with { TriangleMaterials = scene.Meshes[Numbers[k]].TriangleMaterials });

    /// <summary>The materials <see cref="Shown"/> numbers.</summary>
    public IReadOnlyList<Material> ShownMaterials(Scene scene) => ShowsSheets ? [.. Sheets.Select(s => s.Source with { Name = s.Name })] : scene.Materials;

    /// <summary>What the materials of a sheet say without textures: one value, or a picture where they differ.</summary>
    /// <param name="scene">The asset.</param>
    /// <param name="sheet">Name of the sheet.</param>
    /// <param name="size">Side of the sheet, pixels.</param>
    /// <param name="padding">How far islands grow into empty room, pixels.</param>
    /// <param name="threads">Threads to use.</param>
    /// <param name="cancel">Ends the work early.</param>
    public Dictionary<string, Bitmap> MaterialMaps(Scene scene, string sheet, int size, int padding, int threads, CancellationToken cancel)
    {
        int number = Sheets.Select(s => s.Name).ToList().IndexOf(sheet);
        var used = Materials(scene, Numbers, Meshes, Sheets.Count > 1 ? number : null);
        if (used.Count <= 1)
            return ChannelPacker.MaterialMaps(Sheets[number].Source);
        var values = used.ToDictionary(m => m, m => ChannelPacker.MaterialMaps(m < 0 ? Material.Plain : scene.Materials[m]));
        var owner = new int[size * size];
        Array.Fill(owner, -2);
        var covered = new bool[owner.Length];
        var corners = new double[6];
        for (int k = 0; k < Meshes.Count; k++)
        {
            cancel.ThrowIfCancellationRequested();
            for (int t = 0; t < Meshes[k].TriangleCount; t++)
            {
                if (Sheets.Count > 1 && Meshes[k].TriangleMaterials[t] != number)
                    continue;
                for (int c = 0; c < 3; c++)
                    (corners[2 * c], corners[2 * c + 1]) = (Meshes[k].Uvs![3 * t + c].X, Meshes[k].Uvs![3 * t + c].Y);
                int material = scene.Meshes[Numbers[k]].TriangleMaterials[t];
                // Rows of pictures run down, the sheet's run up.
                CoverageRaster.ForEachTexel(corners, size, at =>
                {
                    int texel = (size - 1 - at / size) * size + at % size;
                    (owner[texel], covered[texel]) = (material, true);
                });
            }
        }
        SheetPadding.Apply(SheetPadding.Sources(covered, size, padding, threads, cancel), owner, 1, threads, cancel);
        int main = MainMaterial(scene, Numbers, Meshes, Sheets.Count > 1 ? number : null);
        return values[main].ToDictionary(p => p.Key, p => (Bitmap)Picture(p.Key));

        Bitmap8 Picture(string map)
        {
            var one = (Bitmap8)values[main][map];
            var picture = new Bitmap8(size, size, one.Channels);
            for (int at = 0; at < owner.Length; at++)
                ((Bitmap8)values[owner[at] == -2 ? main : owner[at]][map]).Pixels.CopyTo(picture.Pixels, at * one.Channels);
            return picture;
        }
    }

    /// <summary>Materials of a sheet's triangles, or of all, ascending.</summary>
    private static SortedSet<int> Materials(Scene scene, IReadOnlyList<int> numbers, IReadOnlyList<Mesh> meshes, int? sheet)
    {
        var used = new SortedSet<int>();
        for (int k = 0; k < meshes.Count; k++)
        {
            int[] materials = scene.Meshes[numbers[k]].TriangleMaterials;
            for (int t = 0; t < materials.Length; t++)
            {
                if (sheet is null || meshes[k].TriangleMaterials[t] == sheet)
                    used.Add(materials[t]);
            }
        }
        return used;
    }

    /// <summary>The material of most of a sheet's triangles that have one; -1 where none has.</summary>
    private static int MainMaterial(Scene scene, IReadOnlyList<int> numbers, IReadOnlyList<Mesh> meshes, int? sheet)
    {
        var counts = new SortedDictionary<int, int>();
        for (int k = 0; k < meshes.Count; k++)
        {
            int[] materials = scene.Meshes[numbers[k]].TriangleMaterials;
            for (int t = 0; t < materials.Length; t++)
            {
                if (materials[t] >= 0 && (sheet is null || meshes[k].TriangleMaterials[t] == sheet))
                    counts[materials[t]] = counts.GetValueOrDefault(materials[t]) + 1;
            }
        }
        return counts.Count == 0 ? -1 : counts.MaxBy(c => c.Value).Key;
    }

    private static string SafeName(string material) => new([.. material.Select(c => char.IsLetterOrDigit(c) || c is '-' or '.' ? c : '_')]);
}
