using System.CommandLine;
using Crumpet.Core;
using Crumpet.Core.Bake;
using Crumpet.Core.Building;
using Crumpet.Core.Checking;
using Crumpet.Core.Imaging;
using Crumpet.Core.Intake;
using Crumpet.Core.Pack;
using Crumpet.Storage;

namespace Crumpet.Cli;

/// <summary><c>crumpet pack</c>: puts channels of maps together by a recipe.</summary>
internal static class PackCommand
{
    private const string BuiltIn = "default";

    public static Command Make()
    {
        var maps = MapsOption();
        var recipe = new Option<FileInfo>("--recipe") { Required = true, Description = "Recipe as JSON; default for the built-in one." };
        var target = new Option<DirectoryInfo>("--out") { Required = true, Description = "Folder for the outputs, named as the recipe says." };
        var size = new Option<int?>("--size") { Description = "Side of the sheets, pixels; without it that of an asset's largest map." };
        var command = new Command("pack", "Put channels of maps together into the outputs of a recipe.") { maps, recipe, target, size };
        command.SetAction(parsed => Run(parsed, parsed.GetRequiredValue(maps), parsed.GetRequiredValue(recipe), parsed.GetRequiredValue(target),
            parsed.GetValue(size)));
        return command;
    }

    /// <summary><c>crumpet recipe</c>: what is about recipes alone.</summary>
    public static Command MakeRecipe()
    {
        var file = new Argument<FileInfo>("file") { Description = "Recipe as JSON; default for the built-in one." };
        var maps = new Option<DirectoryInfo?>("--maps") { Description = "Folder with <asset>_<map> files to check it against." };
        var check = new Command("check", "Say what is wrong with a recipe, and what of the maps it asks for is there.") { file, maps };
        check.SetAction(parsed => Check(parsed, parsed.GetRequiredValue(file), parsed.GetValue(maps)));
        return new Command("recipe", "Check recipes.") { check };
    }

    private static Option<DirectoryInfo> MapsOption() => new("--maps")
    {
        Required = true,
        Description = $"Folder with <asset>_<map> files: {string.Join(", ", MeshFiles.PictureEndings)}.",
    };

    private static int Run(ParseResult parsed, DirectoryInfo folder, FileInfo recipeFile, DirectoryInfo target, int? side)
    {
        if (side is < 1 or > ImageFile.LargestSide)
            throw new SourceFileException("--size", "", $"it is {side} px", $"Give it from 1 to {ImageFile.LargestSide} px");
        var (recipe, isBuiltIn) = ReadRecipe(recipeFile);
        var assets = MapFolder.Read(folder);
        string[] known = [.. BakeMaps.All.Select(m => m.Name).Concat(assets.Values.SelectMany(s => s.Files.Keys)).Distinct(StringComparer.Ordinal)];
        // Of several one may stand in for another; where none of them can ever be, it is mistyped.
        foreach (var asked in Asked(recipe).Where(names => names.Count > 0 && !names.Any(known.Contains)))
        {
            string what = $"there is no map '{FieldRules.Quoted(asked[0])}', neither among those that are baked nor in {folder.Name}";
            throw new SourceFileException(recipeFile.Name, "", what, NearestWord.Hint(asked[0], known));
        }
        CheckNames(recipe, assets.Keys, recipeFile.Name);
        var files = new List<string>();
        // All of them or none: an error in the last asset leaves no part of a set.
        using var batch = new FileBatch(target.FullName);
        var outputs = new List<object>();
        var findings = new List<Finding>();
        foreach (var (asset, maps) in assets)
        {
            var sheet = maps.Sheet(side);
            foreach (var output in recipe.Made())
            {
                string[] asked = [.. output.Maps()];
                // A picture of nothing but what stands in is no picture of the asset.
                if (asked.Length > 0 && !asked.Any(maps.Files.ContainsKey))
                {
                    string why = $"{output.Name} of {asset} is not made: none of the maps it is fed by, {string.Join(", ", asked)}, is in {folder.Name}.";
                    findings.Add(new Finding(Severity.Warn, "output-empty", output.Name, why) { SpoilsMaps = !isBuiltIn });
                    continue;
                }
                var (width, height) = OutputSize.Of(output.Size)!.Value.For(sheet.Width, sheet.Height);
                var packed = ChannelPacker.Pack(output, maps.Sources(), width, height, Environment.ProcessorCount);
                findings.AddRange(PackFindings.Of(output, packed.Channels, PackContext.None).Select(f => f with
                {
                    Sentence = $"{asset}: {f.Sentence}",
                    SpoilsMaps = !isBuiltIn && PackFindings.IsSpoilt(f)
                }));
                string file = NameOf(output, asset) + output.Picture.Ending;
                files.Add(batch.Add(file, output.Picture.Write(packed.Picture, output.Bits)));
                outputs.Add(new { asset, output = output.Name, file, width, height, output.Bits, packed.Channels });
            }
        }
        batch.Commit();
        return Output.Print(parsed, new { files, outputs, findings }, [.. files], findings);
    }

    private static int Check(ParseResult parsed, FileInfo recipeFile, DirectoryInfo? folder)
    {
        var (recipe, _) = ReadRecipe(recipeFile);
        var assets = folder is null ? [] : MapFolder.Read(folder);
        CheckNames(recipe, assets.Keys, recipeFile.Name);
        var findings = new List<Finding>();
        var lines = new List<string>();
        foreach (var output in recipe.Made())
        {
            lines.Add($"{output.Name}  {output.Channels.Count} channels  {output.Picture.Label} {output.Bits} bit  {output.Size}  "
                + string.Join(", ", output.Maps()));
        }
        foreach (var (asset, maps) in assets)
            findings.AddRange(PackFindings.Absent(recipe, maps.Files.Keys).Select(f => f with { Sentence = $"{asset}: {f.Sentence}", SpoilsMaps = true }));
        return Output.Print(parsed, new { recipe.Name, outputs = recipe.Made().Select(o => new { o.Name, maps = o.Maps() }), findings }, [.. lines], findings);
    }

    private static IEnumerable<IReadOnlyList<string>> Asked(Recipe recipe) => recipe.Made().SelectMany(o => o.Channels)
        .SelectMany(c => new[] { c.From, c.Mix?.From ?? [], c.Mix?.By ?? [] }).Concat(recipe.Made().Select(o => o.Normals?.Detail ?? []));

    private static string NameOf(RecipeOutput output, string asset) =>
        SheetNames.Texture(output.File ?? Core.Bind.Binder.DefaultPattern, asset, asset, output.Name);

    private static void CheckNames(Recipe recipe, IEnumerable<string> assets, string file)
    {
        var names = assets.DefaultIfEmpty("asset").SelectMany(a => recipe.Made().Select(o => (o.Name, File: NameOf(o, a) + o.Picture.Ending)));
        if (names.GroupBy(n => n.File, StringComparer.OrdinalIgnoreCase).FirstOrDefault(g => g.Count() > 1) is { } twice)
            throw new SourceFileException(file, "", $"{string.Join(" and ", twice.Select(t => t.Name).Distinct())} would have the same file, {twice.Key}",
                "Give their file names {map} and {asset}");
    }

    private static (Recipe Recipe, bool IsBuiltIn) ReadRecipe(FileInfo file) => file.Name == BuiltIn && !file.Exists
        ? (Recipe.Default, true) : (RecipeFile.Read(Output.ReadFile(file), file.Name), false);
}
