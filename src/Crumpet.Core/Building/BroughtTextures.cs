using Crumpet.Core.Bake;
using Crumpet.Core.Checking;
using Crumpet.Core.Geometry;
using Crumpet.Core.Imaging;
using Crumpet.Core.Intake;
using Crumpet.Core.Jobs;
using Crumpet.Core.Pack;

namespace Crumpet.Core.Building;

/// <summary>A texture that came along and feeds channels.</summary>
/// <param name="Texture">What is known of it.</param>
/// <param name="Content">Its bytes, as mends left them.</param>
/// <param name="Ending">Ending of its file.</param>
/// <param name="Channel">Number of the one channel that is meant; null for all of them.</param>
/// <param name="Invert">Whether full and empty are exchanged: it tells the opposite of what it feeds.</param>
internal sealed record BroughtTexture(TextureReport Texture, StoredFile Content, string Ending, int? Channel = null, bool Invert = false)
{
    /// <summary>What the material multiplies it with, in linear light, a number a channel; null where it leaves it as it is.</summary>
    public IReadOnlyList<float>? Factor { get; init; }

    /// <summary>Channels that can be chosen from.</summary>
    public int Channels => Channel is null ? Texture.IsGrey && Texture.Channels < 3 ? 1 : Texture.Channels : 1;
}

/// <summary>
/// Textures that came along, by the names channels are fed by: what their kind is called among maps, and their own file names without
/// folder and ending.
/// </summary>
public static class BroughtTextures
{
    /// <summary>Those of a sheet.</summary>
    /// <param name="graph">The graph, taken in.</param>
    /// <param name="sheet">The sheet.</param>
    internal static IReadOnlyDictionary<string, BroughtTexture> Of(AssetGraph graph, LaidSheet sheet)
    {
        var found = new SortedDictionary<string, BroughtTexture>(StringComparer.Ordinal);
        // What a material names goes before what only lies beside it; the main material's before those of others.
        var loose = Loose(graph, sheet).Select(t => (Texture: t, Slot: TextureKind.Unknown, Material: (MaterialReport?)null));
        foreach (var (texture, slot, material) in Linked(graph, sheet).Concat(loose))
        {
            if (BakeExpansion.PictureOf(graph, texture.File) is not { } picture)
                continue;
            var kinds = TextureKinds.InChannels(texture).ToArray();
            if (slot == TextureKind.Occlusion && kinds.All(k => k.Kind != slot))
                kinds = [.. kinds, (slot, 0)];
            foreach (var (kind, channel) in kinds)
            {
                if (BakeMap.Table.All.FirstOrDefault(m => m.Texture == kind) is not { } map)
                    continue;
                int? only = kinds.Length > 1 || map.Channels == 1 ? channel : null;
                bool isOpposite = kind == TextureKind.Roughness && TextureKinds.IsGloss(texture.File);
                found.TryAdd(map.Name, new BroughtTexture(texture, picture.File, picture.Ending, only, isOpposite)
                {
                    Factor = FactorOf(material, kind)
                });
            }
            if (texture is { Kind: TextureKind.BaseColour, HasOpacity: true })
                found.TryAdd(BakeMap.Opacity.Name, new BroughtTexture(texture, picture.File, picture.Ending, texture.Channels - 1));
            found.TryAdd(FeedName(texture.File), new BroughtTexture(texture, picture.File, picture.Ending));
        }
        return found;
    }

    /// <summary>Name by which a file feeds channels whatever it holds; names are told apart by commas where they are typed.</summary>
    public static string FeedName(string file)
    {
        string name = Path.GetFileNameWithoutExtension(file).Replace(',', '_').Trim();
        return name.Length <= FieldRules.LongestName ? name : name[..FieldRules.LongestName];
    }

    /// <summary>Sheets of textures without a mesh: a set of textures each, told by what their names have in common.</summary>
    internal static IReadOnlyList<LaidSheet> Sets(AssetGraph graph)
    {
        string[] sets = SetNames(graph);
        var names = new SheetNames(graph.Input);
        return [.. sets.Select(set => new LaidSheet(
            sets.Length == 1 ? graph.Input.Asset : names.Give(set.Length > 0 ? LayoutExpansion.SafeName(set) : graph.Input.Asset), null, null, -1, [])
        {
            Stem = set
        })];
    }

    /// <summary>What textures of a set have in common in their names. A mask or the like by itself makes no set where others are.</summary>
    private static string[] SetNames(AssetGraph graph)
    {
        var sets = graph.Intake!.Textures.GroupBy(t => TextureKinds.SetOf(t.File), StringComparer.Ordinal).OrderBy(s => s.Key, StringComparer.Ordinal)
            .ToArray();
        string[] whole = [.. sets.Where(s => s.Any(t => t.Kind is TextureKind.BaseColour or TextureKind.Normal)
            || s.Count(t => t.Kind != TextureKind.Unknown) > 1).Select(s => s.Key)];
        return whole.Length > 0 ? whole : [.. sets.Take(1).Select(s => s.Key)];
    }

    private static float[]? FactorOf(MaterialReport? material, TextureKind kind)
    {
        var plain = Material.Plain;
        var (factor, unsaid) = kind switch
        {
            _ when material is null => ([], []),
            TextureKind.BaseColour => (material.BaseColour[..3], [plain.BaseColour.X, plain.BaseColour.Y, plain.BaseColour.Z]),
            TextureKind.Roughness => ([material.Roughness], [plain.Roughness]),
            TextureKind.Metalness => ([material.Metalness], [plain.Metalness]),
            _ => ((float[])[], (float[])[]),
        };
        // Less than a code of 8 bits is nothing, and what a file does not say is not meant.
        return factor.Any(f => MathF.Abs(f - 1) > 1f / 255) && !factor.SequenceEqual(unsaid) ? factor : null;
    }

    private static IEnumerable<(TextureReport Texture, TextureKind Slot, MaterialReport? Material)> Linked(AssetGraph graph, LaidSheet sheet)
    {
        var textures = graph.Intake!.Textures.ToDictionary(t => t.File, StringComparer.Ordinal);
        return sheet.Materials.Where(m => m >= 0).OrderByDescending(m => m == sheet.MainMaterial).Select(m => graph.Intake.Materials[m])
            .SelectMany(m => m.Pictures.Where(p => p.File is not null && textures.ContainsKey(p.File))
                .Select(p => (textures[p.File!], p.Slot, (MaterialReport?)m)));
    }

    /// <summary>Textures no material names. Of several sheets each takes those that have its name, or its material's, in theirs.</summary>
    private static IEnumerable<TextureReport> Loose(AssetGraph graph, LaidSheet sheet)
    {
        var loose = graph.Intake!.Textures.Where(t => t.UsedBy.Count == 0).OrderBy(t => t.File, StringComparer.Ordinal);
        if (sheet.Stem is { } set && SetNames(graph) is { Length: > 1 } sets)
            return loose.Where(t => TextureKinds.SetOf(t.File) is var own && (own == set || !sets.Contains(own)));
        return graph.Sheets.Count == 1 ? loose : loose.Where(t => SheetOf(graph, t.File) == sheet);
    }

    private static LaidSheet? SheetOf(AssetGraph graph, string file)
    {
        string set = TextureKinds.SetOf(file);
        return graph.Sheets.SelectMany(s => NamesOf(graph, s).Select(name => (Sheet: s, Name: TextureKinds.SetOf(name))))
            .Where(n => n.Name.Length > 0 && $"_{set}_".Contains($"_{n.Name}_", StringComparison.OrdinalIgnoreCase))
            .OrderByDescending(n => n.Name.Length).Select(n => n.Sheet).FirstOrDefault();
    }

    private static IEnumerable<string> NamesOf(AssetGraph graph, LaidSheet sheet) =>
        sheet.Materials.Where(m => m >= 0).Select(m => graph.Intake!.Materials[m].Name).Prepend(sheet.Name);
}
