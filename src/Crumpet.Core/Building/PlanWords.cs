using System.Globalization;
using System.Text.Json;
using Crumpet.Core.Bake;
using Crumpet.Core.Imaging;
using Crumpet.Core.Pack;
using Crumpet.Core.Pairs;
using Crumpet.Core.Targets;

namespace Crumpet.Core.Building;

/// <summary>Says in words how two plans differ: what a history is made of.</summary>
public static class PlanWords
{
    private const int MostMends = 3;

    /// <summary>One phrase a difference, such as "Outward reach set to 12 mm"; nothing for equal plans.</summary>
    public static IReadOnlyList<string> Changes(AssetPlan before, AssetPlan after)
    {
        var said = new List<string>();
        Say(before.NamePattern, after.NamePattern, v => $"Names read as {v}");
        Mends(before.Mends, after.Mends, said);
        Say(before.Trays, after.Trays, v =>
            v switch { TrayMode.One => "All parts put on one tray", TrayMode.Parts => "Each part put on its own tray", _ => "Trays planned by contact" });
        PairWords.Changes(before.Pairs, after.Pairs, said);
        LayoutWords.Changes(before.Layout, after.Layout, said);
        BakeSettings from = before.Bake, to = after.Bake;
        Say(string.Join(", ", from.Maps.Select(m => m.Label)), string.Join(", ", to.Maps.Select(m => m.Label)), v => v.Length > 0 ? $"Maps set to {v}"
            : "No map chosen");
        Say(from.Size, to.Size, v => $"Sheet size set to {v} px");
        foreach (string sheet in from.SheetSizes.Keys.Union(to.SheetSizes.Keys).Order(StringComparer.Ordinal))
            Say(SizeOf(from, sheet), SizeOf(to, sheet), v => v is null ? $"Sheet {sheet} made as large as the others" : $"Size of sheet {sheet} set to {v} px");
        Say(from.Draft, to.Draft, v => v == 0 ? "Draft baked in full" : $"Draft at 1/{1 << v} of the size kept");
        Say(from.Samples, to.Samples, v => $"Samples a texel set to {v} × {v}");
        Say(from.Filter, to.Filter, v => v == SampleFilter.Tent ? "Samples spread over a tent of two texels" : "Samples spread over the texel alone");
        Say(from.OutwardReachMetres, to.OutwardReachMetres, v => v is { } metres ? $"Outward reach set to {Lengths.Millimetres(metres)}"
            : "Outward reach fitted");
        Say(from.InwardReachMetres, to.InwardReachMetres, v => v is { } metres ? $"Inward reach set to {Lengths.Millimetres(metres)}" : "Inward reach fitted");
        Say(from.FillsMisses, to.FillsMisses, v => v ? "Missed texels filled from the nearest surface" : "Missed texels left empty");
        TargetChanges(before.Target, after.Target, said);
        Say(from.HighNormals, to.HighNormals, v => v switch
        {
            HighNormalUse.GreenUp => "Normal textures of the high side baked in, green up",
            HighNormalUse.GreenDown => "Normal textures of the high side baked in, green down",
            _ => "Normal textures of the high side left out",
        });
        Say(from.Bits, to.Bits, v => $"Bits a channel set to {v}");
        foreach (var map in BakeMaps.All)
            Say(FileOf(from, map), FileOf(to, map), v => $"{Capital(map.Label)} written as {FileWords(v ?? to.FileOf(map))}");
        Say(from.Dither, to.Dither, v => v ? "Dithering turned on" : "Dithering turned off");
        Say(from.PaddingPixels, to.PaddingPixels, v => v == BakeSettings.WholeSheet ? "Padding set to the whole sheet" : $"Padding set to {v} px");
        Say(from.CoverageAlpha, to.CoverageAlpha, v => v ? "Coverage kept as alpha" : "Coverage no longer kept as alpha");
        Say(from.OcclusionRays, to.OcclusionRays, v => $"Occlusion rays set to {v}");
        Say(from.Occluders, to.Occluders, v =>
            $"Occluded by {(v == Occluders.Asset ? "the whole asset" : v == Occluders.Tray ? "the tray" : "the part alone")}");
        Say(from.OcclusionRangeMetres, to.OcclusionRangeMetres, v => v is not { } metres ? "Occlusion range fitted"
            : metres > 0 ? $"Occlusion range set to {Lengths.Millimetres(metres)}" : "Occlusion range set to no limit");
        Say(from.OcclusionFalloffMetres, to.OcclusionFalloffMetres, v => $"Occlusion falloff set to {Lengths.Millimetres(v)}");
        Say(from.GroundOccludes, to.GroundOccludes, v => v ? "Ground occludes" : "Ground no longer occludes");
        Say(from.BackFacesOcclude, to.BackFacesOcclude, v => v ? "Both sides occlude" : "Only outsides occlude");
        Say(from.Denoise, to.Denoise, v => v ? "Noise smoothed" : "Noise left as it is");
        Say(from.ThicknessRays, to.ThicknessRays, v => $"Thickness rays set to {v}");
        Say(from.ThicknessRangeMetres, to.ThicknessRangeMetres, v => v is { } metres ? $"White thickness set to {Lengths.Millimetres(metres)}"
            : "White thickness fitted");
        Say(from.CurvatureRadiusMetres, to.CurvatureRadiusMetres, v => v is not { } metres ? "Radius of curvature fitted"
            : metres > 0 ? $"Curvature smoothed over {Lengths.Millimetres(metres)}" : "Curvature no longer smoothed");
        Say(from.CurvatureFullRadiusMetres, to.CurvatureFullRadiusMetres, v => v is { } metres
            ? $"White curvature set to a radius of {Lengths.Millimetres(metres)}" : "White curvature fitted");
        Say(from.HeightRangeMetres, to.HeightRangeMetres, v => v > 0 ? $"White height set to {Lengths.Millimetres(v)}"
            : "White height set to the greatest there is");
        Say(from.IdBy, to.IdBy, v => $"IDs by {(v == IdSource.Colour ? "vertex colour" : v.ToString().ToLowerInvariant())}");
        Say(from.OpacityBy, to.OpacityBy, v => v == OpacitySource.Alpha ? "Opacity from the high side's alpha" : "Opacity from where rays miss");
        said.AddRange(to.Made.Except(from.Made).Select(m => $"{Capital(m.To.Label)} made from {m.File}"));
        said.AddRange(from.Made.Except(to.Made).Select(m => $"{Capital(m.To.Label)} no longer made from {m.File}"));
        Outputs(before.Recipe, after.Recipe, after.Target, said);
        said.AddRange(after.Recipes.Where(r => before.Recipes.All(b => b.Name != r.Name)).Select(r => $"Recipe {r.Name} kept for the kit"));
        said.AddRange(before.Recipes.Where(r => after.Recipes.All(b => b.Name != r.Name)).Select(r => $"Recipe {r.Name} taken out of the kit"));
        Say(before.BindPattern, after.BindPattern, v => $"Outputs named {v}");
        foreach (string material in before.Materials.Keys.Union(after.Materials.Keys).Order(StringComparer.Ordinal))
            MaterialWords.Changes(material, before.Materials.GetValueOrDefault(material), after.Materials.GetValueOrDefault(material), said);
        // What nobody found words for is a decision all the same.
        if (said.Count == 0 && JsonDelta.Between(JsonSerializer.SerializeToNode(before, BuildJson.Options),
            JsonSerializer.SerializeToNode(after, BuildJson.Options)) is { } change)
            said.Add($"{Capital(string.Join(", ", JsonDelta.Names(change).Select(InWords).Distinct()))} changed");
        return said;

        void Say<T>(T was, T now, Func<T, string> words)
        {
            if (!EqualityComparer<T>.Default.Equals(was, now))
                said.Add(words(now));
        }
    }

    private static void Mends(IReadOnlyList<Mend> before, IReadOnlyList<Mend> after, List<string> said)
    {
        // Whether a mend is on is told apart from what it is.
        var was = before.Select(m => BuildJson.OfMend(m with { IsOn = true })).ToList();
        var now = after.Select(m => BuildJson.OfMend(m with { IsOn = true })).ToList();
        int added = 0;
        for (int i = 0; i < after.Count; i++)
        {
            int old = was.IndexOf(now[i]);
            if (old < 0 && ++added <= MostMends)
                said.Add(after[i].Words());
            else if (old >= 0 && before[old].IsOn != after[i].IsOn)
                said.Add($"Mend '{after[i].Words()}' switched {(after[i].IsOn ? "on" : "off")}");
        }
        if (added > MostMends)
            said.Add($"{added - MostMends} more mends");
        for (int i = 0; i < before.Count; i++)
        {
            if (!now.Contains(was[i]))
                said.Add($"Mend '{before[i].Words()}' taken away");
        }
        if (said.Count == 0 && !was.SequenceEqual(now))
            said.Add("Mends put in another order");
    }

    private static void TargetChanges(Target before, Target after, List<string> said)
    {
        if (before.Name != after.Name)
            said.Add($"Target set to {after.Name}");
        else if (before.Green != after.Green)
            said.Add($"Green turned {after.Green.ToString().ToLowerInvariant()}");
        if ((before.Up, before.UnitMetres, before.Handedness) != (after.Up, after.UnitMetres, after.Handedness))
            said.Add($"Target's axes set to {after.InWords()}");
        if (before.Limits != after.Limits)
            said.Add($"Textures held to {after.LargestTexture} "
                + $"px{(after.SquareTextures ? ", square" : "")}{(after.PowerOfTwoTextures ? ", powers of two" : "")}");
        if ((before.MeshFolder, before.TextureFolder) != (after.MeshFolder, after.TextureFolder))
            said.Add($"Meshes put into '{after.MeshFolder}', textures into '{after.TextureFolder}'");
        if ((before.Mesh, before.Embedded, before.Textures, before.MaterialX) != (after.Mesh, after.Embedded, after.Textures, after.MaterialX))
            said.Add($"Target's files set to {after.InWords()}");
        if (!before.Models.SequenceEqual(after.Models))
            said.Add($"Material models set to {string.Join(", ", after.Models.Select(m => m.Name))}");
    }

    private static void Outputs(Recipe before, Recipe after, Target target, List<string> said)
    {
        if (before.Name != after.Name)
            said.Add($"Recipe named {after.Name}");
        foreach (var now in after.Outputs)
        {
            var was = before.Outputs.FirstOrDefault(o => o.Name == now.Name);
            if (was is null)
                said.Add($"Output {now.Name} added");
            else if (was.StoredAs(target) != now.StoredAs(target))
                said.Add($"Format of {now.Name} set to {now.StoredAs(target).Label}");
            if (was is null || was == now)
                continue;
            if (was.On != now.On)
                said.Add($"Output {now.Name} switched {(now.On ? "on" : "off")}");
            if (!was.Channels.SequenceEqual(now.Channels) || was.Normals != now.Normals)
                said.Add($"Channels of {now.Name} changed");
            if ((was.Picture, was.Bits, was.Size) != (now.Picture, now.Bits, now.Size))
                said.Add($"{now.Name} made as {now.Picture.Label} of {now.Bits} bits, "
                    + $"{(OutputSize.Of(now.Size) is { Divisor: 0 } ? $"{now.Size} px" : $"size {now.Size}")}");
            if ((was.Meaning, was.Alpha, was.Dither) != (now.Meaning, now.Alpha, now.Dither))
                said.Add($"What {now.Name} means, its alpha or its dither changed");
            if (was.Level != now.Level)
                said.Add($"{now.Name} compressed at {now.Level.ToString().ToLowerInvariant()}");
            if (was.Mips != now.Mips)
                said.Add(now.Mips == MipFilter.None ? $"{now.Name} without mips" : $"Mips of {now.Name} by {now.Mips.ToString().ToLowerInvariant()}");
            if (was.Largest != now.Largest)
                said.Add(now.Largest is { } largest ? $"Texture of {now.Name} held to {largest} px" : $"Texture of {now.Name} at its picture's size");
            if (was.Sides != now.Sides)
            {
                string how = now.Sides switch
                {
                    SideRule.PowersDown => "brought down to powers of two",
                    SideRule.PowersUp => "brought up to powers of two",
                    _ => "as its picture has them",
                };
                said.Add($"Sides of {now.Name}'s texture {how}");
            }
            if (was.File != now.File)
                said.Add($"Files of {now.Name} named {now.File ?? "as the kit says"}");
        }
        said.AddRange(before.Outputs.Where(o => after.Outputs.All(n => n.Name != o.Name)).Select(o => $"Output {o.Name} left out"));
    }

    private static int? SizeOf(BakeSettings settings, string sheet) => settings.SheetSizes.TryGetValue(sheet, out int size) ? size : null;

    private static MapFile? FileOf(BakeSettings settings, BakeMap map) => settings.Files.TryGetValue(map, out var file) ? file : null;

    private static string FileWords(MapFile file) =>
        file switch { MapFile.Png8 => "8-bit PNG", MapFile.Png16 => "16-bit PNG", MapFile.Tga => "TGA", _ => "EXR" };

    /// <summary>A field's name as words: <c>paddingPixels</c> as "padding pixels".</summary>
    public static string InWords(string field) => string.Concat(field.Select(c => char.IsUpper(c) ? $" {char.ToLowerInvariant(c)}" : $"{c}"));

    private static string Capital(string words) => char.ToUpperInvariant(words[0]) + words[1..];

}
