using System.Globalization;
using System.Numerics;
using Crumpet.Core.Geometry;
using Crumpet.Core.Imaging;

namespace Crumpet.Core.Intake;

/// <summary>What is wrong with textures and the paths that lead to them.</summary>
internal static class TextureFindings
{
    public static IEnumerable<Finding> Of(IntakeLook look)
    {
        foreach (var f in Paths(look))
            yield return f;
        for (int i = 0; i < look.Report.Textures.Count; i++)
        {
            foreach (var f in Sizes(look, look.Report.Textures[i]).Concat(Contents(look.Report.Textures[i], look.Facts.Textures[i], look.Report.Links)))
                yield return f;
        }
    }

    private static IEnumerable<Finding> Paths(IntakeLook look)
    {
        var pictures = look.Settings.Files.Where(MeshFiles.IsPicture).ToArray();
        foreach (var path in look.Report.Links.Where(l => l.File is null && l.Path.Length > 0).GroupBy(l => l.Path))
        {
            string materials = string.Join(", ", path.Select(l => l.Material).Distinct());
            var named = look.Report.Materials.Index().Where(m => m.Item.Name == path.First().Material).Select(m => m.Index).ToHashSet();
            string file = look.Rows.FirstOrDefault(r => r.MaterialNumbers.Any(named.Contains))?.File ?? "";
            var candidates = SourcePaths.Candidates(file, path.Key, pictures);
            string why = candidates is [{ Fit: PathFit.OtherCase } other, ..] ? $"{other.File} is here, with other capitals"
                : SourcePaths.IsAbsolute(path.Key) ? "which is a place on another machine"
                : candidates.Count > 0 ? $"a folder that is not here, while {candidates[0].File} is"
                : "which did not arrive";
            string remedy = candidates.Count > 0 ? $"take {candidates[0].File} for it" : $"drop {Path.GetFileName(path.Key.Replace('\\', '/'))} here";
            yield return new Finding(Severity.Warn, "texture-missing", path.Key, $"{materials} looks for {path.Key}, {why}; {remedy}.", path.Count())
            {
                Mends = [.. candidates.Take(2).Select((c, i) =>
                    new MendOffer($"Take {c.File}", i == 0 && c.Fit != PathFit.OtherEnding, new UseTexture(path.Key, c.File)))],
            };
        }
    }

    private static IEnumerable<Finding> Sizes(IntakeLook look, TextureReport t)
    {
        int limit = look.Settings.Limits.LargestSide;
        int width = NearestPower(t.Width), height = NearestPower(t.Height), side = Math.Min(limit, Math.Max(width, height));
        if (Math.Max(t.Width, t.Height) > limit)
        {
            double scale = (double)limit / Math.Max(t.Width, t.Height);
            int w = NearestPower((int)(t.Width * scale)), h = NearestPower((int)(t.Height * scale));
            yield return Resize(Severity.Warn, "texture-too-large", t, $"{t.File} is {Size(t)}, and the target takes {limit} px at most; make it smaller.", w,
                h, true);
        }
        else if (look.Settings.Limits.PowerOfTwo && (t.Width != width || t.Height != height))
        {
            yield return Resize(Severity.Warn, "texture-not-power-of-two", t,
                $"{t.File} is {Size(t)}; sides that are no power of two get no mips and no block compression in many engines. {width} × {height} px is "
                + $"nearest.", width, height, false);
        }
        else if (look.Settings.Limits.Square && t.Width != t.Height)
        {
            yield return Resize(Severity.Warn, "texture-not-square", t,
                $"{t.File} is {Size(t)}, and the target wants squares; {side} × {side} px keeps all its detail.", side, side, true);
        }
    }

    private static Finding Resize(Severity severity, string code, TextureReport t, string sentence, int width, int height, bool isSafe) =>
        new(severity, code, t.File, sentence, 1)
        {
            Mends = [new($"Resize to {width} × {height} px", isSafe, new ResizeTexture(width, height) { File = t.File })],
        };

    private static string Size(TextureReport t) => $"{t.Width} × {t.Height} px";

    /// <summary>The power of two nearest by ratio.</summary>
    internal static int NearestPower(int value)
    {
        int below = 1 << BitOperations.Log2((uint)Math.Max(1, value));
        return (double)value / below > Math.Sqrt(2) ? 2 * below : below;
    }

    private static IEnumerable<Finding> Contents(TextureReport t, PictureFacts seen, IReadOnlyList<TextureLink> links)
    {
        var content = seen.Content;
        if (content.Alpha is { IsAllWhite: true })
        {
            yield return new Finding(Severity.Note, "alpha-unused", t.File,
                $"The alpha of {t.File} is white all over; dropping it saves a quarter of its memory.", 1)
            {
                Mends = [new("Drop the alpha", true, new DropAlpha { File = t.File })],
            };
        }
        bool inNormalSlot = links.Any(l => l.File == t.File && l.Slot == TextureKind.Normal);
        if (t.Kind == TextureKind.Normal && (content.IsGrey || t.Channels < 3))
        {
            yield return new Finding(Severity.Warn, "normal-is-height", t.File,
                $"{t.File} {(inNormalSlot ? "is used as a normal map" : "is named a normal map")} but is grey, as bump and height maps are; make "
                + $"normals of it.", 1)
            {
                Mends = [new("Make it a normal map", false, new MakeNormals(4, 3, true) { File = t.File })],
            };
            yield break;
        }
        if (t.Kind != TextureKind.Normal)
            yield break;
        if (content.UnitShare < 0.9)
        {
            yield return new Finding(Severity.Warn, "normal-not-unit", t.File,
                string.Create(CultureInfo.InvariantCulture,
                    $"{100 - 100 * content.UnitShare:0} % of the normals in {t.File} are not of unit length, as after scaling "
                        + $"or painting; bring them back to it."),
                1)
            {
                Mends = [new("Make them of unit length", true, new UnitLength { File = t.File })],
            };
        }
        if (t is { Format: "JPEG", MendedFile: null })
        {
            yield return new Finding(Severity.Warn, "normal-as-jpeg", t.File,
                $"{t.File} is a normal map stored as JPEG, whose blocks show in the light; ask for it as PNG or TIFF. Until then its normals can be brought "
                + $"to unit length.", 1)
            {
                Mends = [new("Make them of unit length", false, new UnitLength { File = t.File })],
            };
        }
    }
}
