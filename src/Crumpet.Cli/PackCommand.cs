using System.CommandLine;
using System.Text.Json;
using Crumpet.Core;
using Crumpet.Core.Bake;
using Crumpet.Core.Building;
using Crumpet.Core.Imaging;
using Crumpet.Core.Pack;

namespace Crumpet.Cli;

/// <summary><c>crumpet pack</c>: puts channels of maps together by a recipe.</summary>
internal static class PackCommand
{
    public static Command Make()
    {
        var maps = new Option<DirectoryInfo>("--maps") { Required = true, Description = "Folder with <sheet>_<map>.png." };
        var recipe = new Option<FileInfo>("--recipe") { Required = true, Description = "Recipe as JSON; 'default' for the built-in one." };
        var target = new Option<DirectoryInfo>("--out") { Required = true, Description = "Folder for <sheet>_<output>.png." };
        var command = new Command("pack", "Put channels of maps together into the outputs of a recipe.") { maps, recipe, target };
        command.SetAction(parsed => Run(parsed, parsed.GetRequiredValue(maps), parsed.GetRequiredValue(recipe), parsed.GetRequiredValue(target)));
        return command;
    }

    private static int Run(ParseResult parsed, DirectoryInfo folder, FileInfo recipeFile, DirectoryInfo target)
    {
        if (!folder.Exists)
            throw new SourceFileException(folder.Name, "", $"there is no folder {folder.FullName}", "Check the path");
        var recipe = ReadRecipe(recipeFile);
        var sheets = new Dictionary<string, Dictionary<string, Bitmap>>(StringComparer.Ordinal);
        foreach (var file in folder.EnumerateFiles("*.png").OrderBy(f => f.Name, StringComparer.Ordinal))
        {
            if (BakeMaps.InFile(Path.GetFileNameWithoutExtension(file.Name)) is not { } named)
                continue;
            if (!sheets.TryGetValue(named.Sheet, out var own))
                sheets.Add(named.Sheet, own = new Dictionary<string, Bitmap>(StringComparer.Ordinal));
            own.Add(named.Map, ImageFile.Read(Output.ReadFile(file), file.Name));
        }
        if (sheets.Count == 0)
            throw new SourceFileException(folder.Name, "", "the folder has no picture named <sheet>_<map>.png", "Bake into it first");
        var made = new List<(string Name, byte[] Bytes)>();
        foreach (var (sheet, maps) in sheets)
        {
            foreach (var output in recipe.Outputs)
            {
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
        return Output.Print(parsed, new { files }, files, []);
    }

    private static Recipe ReadRecipe(FileInfo file)
    {
        if (file.Name == "default" && !file.Exists)
            return Recipe.Default;
        Recipe recipe;
        try
        {
            recipe = JsonSerializer.Deserialize<Recipe>(Output.ReadFile(file), BuildJson.Options)!;
        }
        catch (JsonException e)
        {
            throw new SourceFileException(file.Name, e.Path ?? "", "it cannot be read as a recipe", "Correct the JSON; docs/pack.md shows one", e);
        }
        return recipe?.Problem() is { } problem ? throw new SourceFileException(file.Name, "", problem.TrimEnd('.'), "Correct the recipe") : recipe!;
    }
}
