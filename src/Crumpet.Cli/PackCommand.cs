using System.CommandLine;
using System.Text.Json;
using Crumpet.Core;
using Crumpet.Core.Bake;
using Crumpet.Core.Building;
using Crumpet.Core.Checking;
using Crumpet.Core.Imaging;
using Crumpet.Core.Intake;
using Crumpet.Core.Pack;

namespace Crumpet.Cli;

/// <summary><c>crumpet pack</c>: puts channels of maps together by a recipe.</summary>
internal static class PackCommand
{
    private const string BuiltIn = "default";

    public static Command Make()
    {
        var maps = new Option<DirectoryInfo>("--maps") { Required = true, Description = "Folder with <sheet>_<map> files: .png, .tga, .exr or .tif." };
        var recipe = new Option<FileInfo>("--recipe") { Required = true, Description = "Recipe as JSON; default for the built-in one." };
        var target = new Option<DirectoryInfo>("--out") { Required = true, Description = "Folder for <sheet>_<output>.png." };
        var command = new Command("pack", "Put channels of maps together into the outputs of a recipe.") { maps, recipe, target };
        command.SetAction(parsed => Run(parsed, parsed.GetRequiredValue(maps), parsed.GetRequiredValue(recipe), parsed.GetRequiredValue(target)));
        return command;
    }

    private static int Run(ParseResult parsed, DirectoryInfo folder, FileInfo recipeFile, DirectoryInfo target)
    {
        if (!folder.Exists)
            throw new SourceFileException(folder.Name, "", $"there is no folder {folder.FullName}", "Check the path");
        bool isBuiltIn = recipeFile.Name == BuiltIn && !recipeFile.Exists;
        var recipe = isBuiltIn ? Recipe.Default : ReadRecipe(recipeFile);
        var sheets = Sheets(folder);
        string[] known = [.. BakeMaps.All.Select(m => m.Name).Concat(sheets.Values.SelectMany(s => s.Keys)).Distinct(StringComparer.Ordinal)];
        foreach (string map in recipe.Outputs.SelectMany(o => o.Channels).Select(c => c.Map).OfType<string>().Where(m => !known.Contains(m)))
        {
            string what = $"there is no map '{FieldRules.Quoted(map)}', neither among those that are baked nor in {folder.Name}";
            throw new SourceFileException(recipeFile.Name, "", what, NearestWord.Hint(map, known));
        }
        var made = new List<(string Name, byte[] Bytes)>();
        var findings = new List<Finding>();
        foreach (var (sheet, maps) in sheets)
        {
            foreach (var output in recipe.Outputs)
            {
                string[] asked = [.. output.Channels.Select(c => c.Map).OfType<string>().Distinct()];
                // A picture of nothing but what stands in is no picture of the sheet.
                if (asked.Length > 0 && !asked.Any(maps.ContainsKey))
                {
                    string why = $"{output.Name} of {sheet} is not made: none of the maps it is fed by, {string.Join(", ", asked)}, is in {folder.Name}.";
                    findings.Add(new Finding(Severity.Warn, "output-empty", output.Name, why) { SpoilsMaps = !isBuiltIn });
                    continue;
                }
                findings.AddRange(PackFindings.Of(new Recipe([output]), maps.Keys.ToHashSet(StringComparer.Ordinal))
                    .Select(f => f with { Sentence = $"{sheet}: {f.Sentence}", SpoilsMaps = !isBuiltIn }).DistinctBy(f => f.Sentence));
                try
                {
                    made.Add(($"{sheet}_{output.Name}.png", ImageFile.WritePng(ChannelPacker.Pack(output, maps, maps.Values.Max(m => m.Width)))));
                }
                catch (ArgumentException e)
                {
                    throw new SourceFileException(recipeFile.Name, $"sheet {sheet}", e.Message.TrimEnd('.'), "Correct the recipe or the map", e);
                }
            }
        }
        var files = made.Select(m => Output.Write(target, m.Name, m.Bytes)).ToArray();
        return Output.Print(parsed, new { files, findings }, files, findings);
    }

    /// <summary>The maps of a folder by sheet and name, as any bake writes them.</summary>
    private static SortedDictionary<string, Dictionary<string, Bitmap>> Sheets(DirectoryInfo folder)
    {
        var sheets = new SortedDictionary<string, Dictionary<string, Bitmap>>(StringComparer.Ordinal);
        var from = new Dictionary<(string, string), string>();
        foreach (var file in folder.EnumerateFiles().Where(f => MeshFiles.IsPicture(f.Name)).OrderBy(f => f.Name, StringComparer.Ordinal))
        {
            if (BakeMaps.InFile(Path.GetFileNameWithoutExtension(file.Name)) is not { } named)
                continue;
            if (!from.TryAdd(named, file.Name))
                throw new SourceFileException(file.Name, "", $"it and {from[named]} are both {named.Map} of {named.Sheet}",
                    "Take one of them out of the folder");
            if (!sheets.TryGetValue(named.Sheet, out var own))
                sheets.Add(named.Sheet, own = new Dictionary<string, Bitmap>(StringComparer.Ordinal));
            var picture = ImageFile.Read(Output.ReadFile(file), file.Name);
            // Floating point holds units; what is shown of it fills the channels.
            own.Add(named.Map, picture is Bitmap32 && BakeMaps.Find(named.Map) is { } map ? MapFiles.Shown(map, picture, ScaleOf(folder, named.Sheet, map))
                : picture);
        }
        return sheets.Count > 0 ? sheets
            : throw new SourceFileException(folder.Name, "", "the folder has no picture named <sheet>_<map>", "Bake into it first");
    }

    private static MapScale? ScaleOf(DirectoryInfo folder, string sheet, BakeMap map)
    {
        var file = new FileInfo(Path.Combine(folder.FullName, MapFiles.ScalesOf(sheet)));
        if (!file.Exists)
            return null;
        try
        {
            return JsonSerializer.Deserialize<MapScale[]>(Output.ReadFile(file), BuildJson.Options)!.FirstOrDefault(s => s.Map == map);
        }
        catch (JsonException e)
        {
            throw new SourceFileException(file.Name, e.Path ?? "", "it cannot be read as the scales of maps", "Bake again", e);
        }
    }

    private static Recipe ReadRecipe(FileInfo file) => RecipeFile.Read(Output.ReadFile(file), file.Name);
}
