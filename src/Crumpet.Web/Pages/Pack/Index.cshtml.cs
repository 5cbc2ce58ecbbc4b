using Crumpet.Core;
using Crumpet.Core.Bake;
using Crumpet.Core.Building;
using Crumpet.Core.Checking;
using Crumpet.Core.Pack;
using Microsoft.AspNetCore.Mvc;

namespace Crumpet.Web.Pages.Pack;

/// <summary>Outputs with what feeds their channels, and what can be said otherwise.</summary>
public sealed class IndexModel(Workbench workbench) : StationPage(workbench)
{
    private const long LongestRecipe = 1 << 20;

    /// <inheritdoc/>
    public override Station Station => Station.Pack;

    /// <summary>Names of maps that can be fed: those that are baked first.</summary>
    public IEnumerable<string> MapNames => View.Plan.Bake.Maps.Select(m => m.Name).Concat(BakeMaps.All.Select(m => m.Name)).Distinct();

    /// <summary>What the recipe comes to for one sheet.</summary>
    public RecipeCost Cost => RecipeCost.Of(View.Plan.Recipe, View.Plan.Bake.Size);

    /// <summary>Records what an output's form says, and packs.</summary>
    public Task<IActionResult> OnPostOutputAsync(string? was, OutputForm form) => RecipeAsync(recipe =>
        recipe.Outputs.FirstOrDefault(o => o.Name == was) is { } output ? recipe.With(output.Name, form.Read(output)) : throw Gone(was));

    /// <summary>Gives an output a channel more, a fixed value at first.</summary>
    public Task<IActionResult> OnPostWidenAsync(string? was) => RecipeAsync(recipe =>
        recipe.Outputs.FirstOrDefault(o => o.Name == was) is { } output ? recipe.With(output.Name, output with
        {
            Channels = [.. output.Channels, new Feed([], Else: 1)],
        }) : throw Gone(was));

    /// <summary>Takes an output's last channel away.</summary>
    public Task<IActionResult> OnPostNarrowAsync(string? was) => RecipeAsync(recipe =>
        recipe.Outputs.FirstOrDefault(o => o.Name == was) is { } output ? recipe.With(output.Name, output with
        {
            Channels = [.. output.Channels.SkipLast(1)],
            Alpha = AlphaUse.Data,
        }) : throw Gone(was));

    /// <summary>Adds a copy of an output.</summary>
    public Task<IActionResult> OnPostCopyAsync(string? was) => RecipeAsync(recipe => recipe.Added(recipe.Outputs.Where(o => o.Name == was)));

    /// <summary>Takes an output away.</summary>
    public Task<IActionResult> OnPostRemoveAsync(string? was) => RecipeAsync(recipe => recipe.Without(was ?? ""));

    /// <summary>Adds outputs as they are usually arranged.</summary>
    public Task<IActionResult> OnPostAddAsync(Arrangement? arrangement, List<string>? maps) => RecipeAsync(recipe => arrangement is null
        ? throw new FormatException($"There is no such arrangement; there are {string.Join(", ", Arrangement.Table.All.Select(a => a.Word))}.")
        : recipe.Added(arrangement.Outputs([.. (maps ?? []).Where(m => BakeMaps.Find(m) is not null)])));

    /// <summary>Gives the recipe another name.</summary>
    public Task<IActionResult> OnPostNameAsync(string? name) => RecipeAsync(recipe => recipe with { Name = (name ?? "").Trim() });

    /// <summary>The recipe as a file.</summary>
    public async Task<IActionResult> OnGetFileAsync()
    {
        if (!await LoadAsync())
            return NotFound();
        var recipe = View.Plan.Recipe;
        string name = string.Concat(recipe.Name.Select(c => Path.GetInvalidFileNameChars().Contains(c) ? '_' : c));
        return File(RecipeFile.Write(recipe), "application/json", $"{name}.recipe.json");
    }

    /// <summary>Takes over a recipe from a file.</summary>
    public async Task<IActionResult> OnPostImportAsync(IFormFile? file)
    {
        if (file is null || file.Length > LongestRecipe)
            return await ShowAsync(file is null ? "No file was chosen; choose a recipe's." : $"{SafeName.Of(file.FileName)} is too large to be a recipe.");
        using var bytes = new MemoryStream();
        await file.CopyToAsync(bytes);
        try
        {
            var recipe = RecipeFile.Read(bytes.ToArray(), SafeName.Of(file.FileName));
            return await RecipeAsync(_ => recipe);
        }
        catch (SourceFileException e)
        {
            return await ShowAsync(e.Message);
        }
    }

    private Task<IActionResult> RecipeAsync(Func<Recipe, Recipe> change) => ChangeAsync(plan => plan with { Recipe = change(plan.Recipe) });

    private static FormatException Gone(string? name) =>
        new($"There is no output {FieldRules.Quoted(name ?? "")} any more; reload the page.");
}
