using System.Text.Json;
using Crumpet.Core;
using Crumpet.Core.Bake;
using Crumpet.Core.Building;
using Crumpet.Core.Checking;
using Crumpet.Core.Imaging;
using Crumpet.Core.Pack;
using Crumpet.Storage;
using Crumpet.Web.Pictures;
using Microsoft.AspNetCore.Mvc;

namespace Crumpet.Web.Pages.Pack;

/// <summary>Outputs with what feeds their channels, and what can be said otherwise.</summary>
public sealed class IndexModel(Workbench workbench, PackPreview preview) : StationPage(workbench)
{
    private const long LongestRecipe = 1 << 20;

    /// <inheritdoc/>
    public override Station Station => Station.Pack;

    /// <summary>The sheet that is looked at, from the address.</summary>
    [BindProperty(SupportsGet = true)]
    public string? Sheet { get; set; }

    /// <summary>What is shown beside the board, from the address: the picture, or the asset lit with it.</summary>
    [BindProperty(SupportsGet = true, Name = "show")]
    public string? Shows { get; set; }

    /// <summary>Whether the asset is shown, lit with what was packed.</summary>
    public bool IsLit => Shows == "asset";

    /// <summary>What is there and what comes out.</summary>
    public Board Board => field ??= new Board(View, View.Feeds(), Sheet, Shows);

    /// <summary>The kit's recipes, its usual one first, with how many assets follow each.</summary>
    public async Task<IReadOnlyList<(string Name, int Users)>> RecipesAsync()
    {
        var kit = View.Asset.Kit!.Plan();
        var users = await Workbench.RecipeUsersAsync(View.Asset.KitId);
        return [.. kit.Recipes.Select(r => r.Name).Prepend(kit.Recipe.Name).Distinct().Select(n => (n, users.Count(u => u.Recipe == n)))];
    }

    /// <summary>Names of maps that can be fed: those that are there first.</summary>
    public IEnumerable<string> MapNames => (Board.Shown?.Feeds ?? []).Select(f => f.Name).Concat(BakeMaps.All.Select(m => m.Name)).Distinct();

    /// <summary>What the recipe comes to for one sheet.</summary>
    public RecipeCost Cost => RecipeCost.Of(View.Plan.Recipe, View.Plan.Target, Board.Shown?.Width ?? View.Plan.Bake.Size, Board.Shown?.Height ?? View.Plan.Bake.Size);

    /// <summary>Records what an output's form says, and packs.</summary>
    public Task<IActionResult> OnPostOutputAsync(string? was, OutputForm form) => OutputAsync(was, form.Read);

    /// <summary>Joins a channel with a map's channel, or lets it have its fixed value; a channel more where it is the one after the last.</summary>
    /// <param name="was">Name of the output; one of its own is made where there is none.</param>
    /// <param name="channel">Number of the channel, from 0.</param>
    /// <param name="feed">The map's channel and its name, or <see cref="Board.Fixed"/>; nothing where it stays.</param>
    public Task<IActionResult> OnPostJoinAsync(string? was, int channel, string? feed) => RecipeAsync(recipe =>
    {
        if (string.IsNullOrEmpty(feed))
            return recipe;
        if (string.IsNullOrEmpty(was))
            return recipe.Added([RecipeOutput.Of(ReadJoin(feed) is ({ } own, var letter) ? Feed.Of(own, letter) : new Feed([]))]);
        var (map, of) = ReadJoin(feed);
        return Changed(recipe, was, output => output.Joined(channel, map, of));
    });

    /// <summary>An output as it is typed, worked small, for the map viewer.</summary>
    /// <param name="was">Name of the output.</param>
    /// <param name="form">What is typed.</param>
    /// <param name="channel">Number of the channel that is being changed; null for none.</param>
    /// <param name="cancel">Ends the work early.</param>
    public async Task<IActionResult> OnPostLiveAsync(string? was, OutputForm form, int? channel, CancellationToken cancel)
    {
        if (!await LoadAsync())
            return NotFound();
        if (Board.Shown is not { } sheet)
            return Json(new { problem = "There is no sheet yet; run the stations before this one." });
        try
        {
            var output = View.Plan.Recipe.Outputs.FirstOrDefault(o => o.Name == was) ?? throw Gone(was);
            var typed = form.Read(output) with { On = true };
            return (View.Plan.Recipe with { Outputs = [typed] }).Problem() is { } problem ? Json(new { problem })
                : Json(await preview.WorkAsync(typed, sheet, channel, cancel));
        }
        catch (Exception e) when (e is FormatException or SourceFileException or FileNotFoundException)
        {
            return Json(new { problem = e.Message });
        }
    }

    /// <summary>What is there and has no picture of its own, such as what a material says, worked small for the map viewer.</summary>
    /// <param name="feed">Its name.</param>
    /// <param name="cancel">Ends the work early.</param>
    public async Task<IActionResult> OnGetLookAsync(string? feed, CancellationToken cancel)
    {
        if (!await LoadAsync() || Board.Shown is not { } sheet || sheet.Feeds.FirstOrDefault(f => f.Name == feed) is not { } known)
            return NotFound();
        try
        {
            return Json(await preview.WorkAsync(RecipeOutput.Of(known), sheet, null, cancel));
        }
        catch (Exception e) when (e is SourceFileException or FileNotFoundException)
        {
            return Json(new { problem = e.Message });
        }
    }

    private ContentResult Json(object answer) => Content(JsonSerializer.Serialize(answer, BuildJson.Options), "application/json");

    private static (string? Map, FeedChannel Of) ReadJoin(string feed)
    {
        if (feed == Board.Fixed)
            return (null, FeedChannel.R);
        int cut = feed.IndexOf(' ', StringComparison.Ordinal);
        return cut >= 0 && Enum.TryParse<FeedChannel>(feed[..cut], out var channel) && Enum.IsDefined(channel) ? (feed[(cut + 1)..], channel)
            : throw new FormatException($"'{FieldRules.Quoted(feed)}' names no channel of a map; choose one of the list.");
    }

    /// <summary>Gives an output a channel more, a fixed value at first.</summary>
    public Task<IActionResult> OnPostWidenAsync(string? was) => OutputAsync(was, output => output.Widened());

    /// <summary>Takes an output's last channel away.</summary>
    public Task<IActionResult> OnPostNarrowAsync(string? was) => OutputAsync(was, output => output.Narrowed());

    /// <summary>Adds a copy of an output.</summary>
    public Task<IActionResult> OnPostCopyAsync(string? was) => RecipeAsync(recipe => recipe.Added(recipe.Outputs.Where(o => o.Name == was)));

    /// <summary>Takes an output away.</summary>
    public Task<IActionResult> OnPostRemoveAsync(string? was) => RecipeAsync(recipe => recipe.Without(was ?? ""));

    /// <summary>Adds outputs as they are usually arranged.</summary>
    /// <param name="arrangement">How.</param>
    /// <param name="maps">Maps, where it makes a picture of each.</param>
    /// <param name="picture">File format.</param>
    /// <param name="bits">Bits a channel.</param>
    public async Task<IActionResult> OnPostAddAsync(Arrangement? arrangement, List<string>? maps, PictureFormat? picture, int? bits)
    {
        if (!await LoadAsync())
            return NotFound();
        var there = (Board.Shown?.Feeds ?? []).ToDictionary(f => f.Name, f => (PackFeed)f, StringComparer.Ordinal);
        return await RecipeAsync(recipe => arrangement is null
            ? throw new FormatException($"There is no such arrangement; there are {string.Join(", ", Arrangement.Table.All.Select(a => a.Word))}.")
            : recipe.Added(arrangement.Outputs([.. (maps ?? []).Select(m => there.GetValueOrDefault(m)).OfType<PackFeed>()])
                .Select(o => o with { Picture = picture ?? o.Picture, Bits = bits ?? o.Bits })));
    }

    /// <summary>Gives the recipe another name.</summary>
    public Task<IActionResult> OnPostNameAsync(string? name) => RecipeAsync(recipe => recipe with { Name = (name ?? "").Trim() });

    /// <summary>Lets the asset follow one of the kit's recipes.</summary>
    public async Task<IActionResult> OnPostUseAsync(string? name)
    {
        if (string.IsNullOrEmpty(name))
            return Again();
        try
        {
            Problem = await Workbench.UseRecipeAsync(Id, name, AsOf);
        }
        catch (FormatException e)
        {
            Problem = e.Message;
        }
        return Problem is null ? await OnPostRunAsync() : await ShowAsync(Problem);
    }

    /// <summary>Makes the recipe one of the kit's.</summary>
    public async Task<IActionResult> OnPostKeepAsync() =>
        await Workbench.KeepRecipeAsync(Id) is { } problem ? await ShowAsync(problem) : Again();

    /// <summary>Takes a recipe out of the kit.</summary>
    public async Task<IActionResult> OnPostDropAsync(string? name) =>
        await Workbench.DropRecipeAsync(Id, name) is { } problem ? await ShowAsync(problem) : Again();

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

    private Task<IActionResult> OutputAsync(string? was, Func<RecipeOutput, RecipeOutput> change) => RecipeAsync(recipe => Changed(recipe, was, change));

    private static Recipe Changed(Recipe recipe, string? was, Func<RecipeOutput, RecipeOutput> change) =>
        recipe.Outputs.FirstOrDefault(o => o.Name == was) is { } output ? recipe.With(output.Name, change(output)) : throw Gone(was);

    private static FormatException Gone(string? name) =>
        new($"There is no output {FieldRules.Quoted(name ?? "")} any more; reload the page.");
}
