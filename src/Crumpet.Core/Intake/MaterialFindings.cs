namespace Crumpet.Core.Intake;

/// <summary>What is wrong with materials and vertex colours.</summary>
internal static class MaterialFindings
{
    public static IEnumerable<Finding> Of(IntakeLook look) => [.. Materials(look), .. Namesakes(look), .. Colours(look)];

    private static IEnumerable<Finding> Materials(IntakeLook look)
    {
        var triangles = look.Of(Side.Low).SelectMany(i => look.Facts.Objects[i].Materials.Select(m => (Object: i, m.Material, Count: m.Triangles, m.Spot)))
            .ToArray();
        int total = triangles.Sum(t => t.Count);
        var largest = triangles.Where(t => t.Material >= 0).GroupBy(t => t.Material).OrderByDescending(g => g.Sum(t => t.Count)).ToArray();
        if (largest.Length == 0)
            yield break;
        string main = look.Report.Materials[largest[0].Key].Name;
        if (look.Report.LowMaterials.Count > 1)
        {
            var others = largest.Skip(1).SelectMany(g => g).ToArray();
            int stray = others.Sum(t => t.Count);
            // A handful of faces is an accident; a third of them is a second sheet.
            bool isStray = stray < 0.05 * total;
            // What has no material lies on a sheet of its own.
            int sheets = look.Report.LowMaterials.Count + (triangles.Any(t => t.Material < 0) ? 1 : 0);
            string which = string.Join(", ", largest.Skip(1).Select(g => look.Report.Materials[g.Key].Name));
            yield return new Finding(
                Severity.Warn, "several-low-materials", look.Rows[others[0].Object].Name,
                $"The low side has {look.Report.LowMaterials.Count} materials ({string.Join(", ", look.Report.LowMaterials)}), so the bake is split into "
                    + $"{sheets} sheets; {which} covers {SurfaceFindings.Many(stray, "triangle")} of "
                    + $"{SurfaceFindings.Many(total, "triangle")}. Give it one material if that was not meant.", look.Report.LowMaterials.Count)
            {
                Spot = others[0].Spot,
                Mends = [new($"Give all the material {main}", isStray, new MergeMaterials(main))],
            };
        }
        var bare = triangles.Where(t => t.Material < 0).ToArray();
        if (bare.Length > 0)
        {
            int count = bare.Sum(t => t.Count);
            yield return new Finding(
                Severity.Warn, "faces-without-material", look.Rows[bare[0].Object].Name,
                $"{SurfaceFindings.Many(count, "triangle")} of {look.NamesOf([.. bare.Select(t => t.Object)])} {(count == 1 ? "has" : "have")} no material "
                    + $"while others have, and would come onto a sheet of their own; give them one.", count)
            {
                Spot = bare[0].Spot,
                Mends = [new($"Give them the material {main}", largest.Length == 1,
                    new MergeMaterials(main) { Objects = look.Sources([.. bare.Select(t => t.Object)]) })],
            };
        }
    }

    private static IEnumerable<Finding> Namesakes(IntakeLook look) =>
    [
        .. look.Facts.Namesakes.Select(n => new Finding(Severity.Warn, "material-differs", n.Name,
            $"{Different(n)}. It is one material, as {n.Said[0].File} has it; keep them apart if they are two.", n.Said.Count)
        {
            Mends = [new("Keep them apart", false, new KeepMaterialsApart(n.Name)), new("Take the first's", false, new TakeFirstMaterial(n.Name))],
        }),
        .. look.Facts.RenamedMaterials.Select(r => new Finding(Severity.Note, "material-renamed", r.NewName,
            $"{r.File} has two different materials named {r.Name}; one is read as {r.NewName}. Give them two names there.", 1)),
    ];

    private static string Different(NamesakesFact namesakes)
    {
        MaterialSaid first = namesakes.Said[0], other = namesakes.Said[1];
        string[] what =
        [
            .. first.BaseColour.SequenceEqual(other.BaseColour) ? Array.Empty<string>() : [$"colour {Colour(first)} and {Colour(other)}"],
            .. first.Roughness == other.Roughness ? Array.Empty<string>() : [Both("roughness", first.Roughness, other.Roughness)],
            .. first.Metalness == other.Metalness ? Array.Empty<string>() : [Both("metalness", first.Metalness, other.Metalness)],
            .. first.Textures.SequenceEqual(other.Textures) ? Array.Empty<string>() : [$"textures {Listed(first)} and {Listed(other)}"],
        ];
        string more = namesakes.Said.Count > 2 ? $" and {SurfaceFindings.Many(namesakes.Said.Count - 2, "other file")}" : "";
        return $"{namesakes.Name} is not the same in {first.File} and {other.File}{more}: {string.Join(", ", what)}";

        static string Both(string of, float one, float two) => FormattableString.Invariant($"{of} {one:0.####} and {two:0.####}");
        static string Colour(MaterialSaid said) => $"({string.Join(' ', said.BaseColour.Select(c => FormattableString.Invariant($"{c:0.####}")))})";
        static string Listed(MaterialSaid said) => said.Textures.Count == 0 ? "none" : string.Join(", ", said.Textures.Take(2));
    }

    private static IEnumerable<Finding> Colours(IntakeLook look)
    {
        int[] high = [.. look.Of(Side.High)];
        bool anyColoured = high.Any(i => look.Rows[i].HasColours);
        if (!anyColoured && !look.Settings.Rules.ExpectsIdColours)
            return [];
        return look.Such(
            Severity.Note, "no-id-colours", high.Where(i => !look.Rows[i].HasColours),
            (n, names) => $"{names} {(n == 1 ? "carries" : "carry")} no vertex colours "
                + $"{(anyColoured ? "while others do" : "although the kit expects them")}, so an ID map by colour leaves {(n == 1 ? "it" : "them")} blank; "
                + $"GLB, PLY and OBJ with colours after positions carry them, STL does not.");
    }
}
