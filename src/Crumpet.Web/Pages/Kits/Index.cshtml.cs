using System.ComponentModel.DataAnnotations;
using Crumpet.Core.Building;
using Crumpet.Core.Intake;
using Crumpet.Core.Targets;
using Crumpet.Web.Hosting;
using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;

namespace Crumpet.Web.Pages.Kits;

/// <summary>A kit as a timetable: a row an asset, with its line.</summary>
public sealed class IndexModel(Workbench workbench, KitService kits) : PageModel, IAddressed, IShowsProblem
{
    private IReadOnlyList<(AssetView, ConvertReport)>? converted;

    /// <summary>Number of the kit, from the address.</summary>
    [BindProperty(SupportsGet = true)]
    public int Id { get; set; }

    /// <summary>Version of the kit that the page a form is on was made of.</summary>
    [BindProperty(Name = AsOfTagHelper.Field)]
    public int? AsOf { get; set; }

    /// <summary>The kit.</summary>
    public KitView View { get; private set; } = null!;

    /// <summary>Why something was not done, one sentence, or null.</summary>
    public string? Problem { get; private set; }

    /// <inheritdoc/>
    public Task<bool> ExistsAsync() => workbench.HasKitAsync(Id);

    /// <inheritdoc/>
    public Task<IActionResult> ShowAsync(string problem)
    {
        Problem = problem;
        return OnGetAsync();
    }

    /// <summary>Shows the kit.</summary>
    public async Task<IActionResult> OnGetAsync()
    {
        var view = await workbench.KitAsync(Id);
        if (view is null)
            return NotFound();
        View = view;
        converted = null;
        ViewData["Kit"] = view.Kit;
        return Page();
    }

    /// <summary>Memory that is asked for, MiB; null where none is.</summary>
    [BindProperty(Name = "budget", SupportsGet = true)]
    public string? Budget { get; set; }

    /// <summary>Assets whose textures are converted, and what Convert gave.</summary>
    public IReadOnlyList<(AssetView Asset, ConvertReport Report)> Converted => converted ??=
        [.. View.Assets.Select(a => (a, a.Report<ConvertReport>(Station.Convert)!)).Where(a => a.Item2 is not null)];

    /// <summary>What meets the memory that is asked for, or null.</summary>
    public BudgetAnswer? Answer => TextureBudget.Read(Budget) is { } mebibytes && Converted.Count > 0
        ? TextureBudget.Meet(Converted.Select(c => (c.Asset.Asset.Name, c.Report)), mebibytes) : null;

    /// <summary>Stores the textures of all assets so that they meet a memory, and converts them.</summary>
    public async Task<IActionResult> OnPostBudgetAsync()
    {
        if (await workbench.KitAsync(Id) is not { } view)
            return NotFound();
        View = view;
        if (TextureBudget.Read(Budget) is not { } mebibytes)
            return await ShowAsync(TextureBudget.Bounds);
        if (Answer is not { } answer)
            return await ShowAsync("No asset is converted yet; build first, then say what the textures may take.");
        if (answer.Plan is null)
            return await ShowAsync(answer.Refusal(mebibytes));
        foreach (var (asset, report) in Converted)
        {
            Problem = await workbench.DecideAsync(asset.Asset.Id,
                plan => plan with { Recipe = TextureBudget.Stored(plan.Recipe, report, answer, asset.Asset.Name) });
            if (Problem is not null)
                return await OnGetAsync();
            await workbench.RunAsync(asset.Asset.Id, Station.Convert);
        }
        return RedirectToPage(new { Id });
    }

    /// <summary>Takes every asset to a delivery.</summary>
    public async Task<IActionResult> OnPostBuildAllAsync()
    {
        await workbench.BuildAllAsync(Id);
        return RedirectToPage(new { Id });
    }

    /// <summary>Makes an asset of the dropped files.</summary>
    public async Task<IActionResult> OnPostAddAsync(IReadOnlyList<IFormFile> files)
    {
        var (asset, problem) = await workbench.AddAssetAsync(Id, files, HttpContext.RequestAborted);
        if (Show.WantsJson(Request))
            return new JsonResult(
                new { go = asset is null ? null : $"/assets/{asset}/intake", problem })
            {
                StatusCode = asset is null ? StatusCodes.Status422UnprocessableEntity
                : null
            };
        if (asset is { } id && problem is null)
            return Redirect($"/assets/{id}/intake");
        Problem = problem;
        return await OnGetAsync();
    }

    /// <summary>Changes what the kit's assets share.</summary>
    public async Task<IActionResult> OnPostRulesAsync(string? size, string? density, bool colours)
    {
        try
        {
            double? metres = FormNumber.ReadIfAny<IntakeRules>(nameof(IntakeRules.ExpectedSizeMetres), size),
                pixels = FormNumber.ReadIfAny<IntakeRules>(nameof(IntakeRules.PixelsPerMetre), density);
            return await ChangeAsync(r => r with { ExpectedSizeMetres = metres, PixelsPerMetre = pixels, ExpectsIdColours = colours });
        }
        catch (FormatException e)
        {
            return await ShowAsync(e.Message);
        }
    }

    /// <summary>Records how names say sides; words stand apart by spaces or commas.</summary>
    public async Task<IActionResult> OnPostNamesAsync(string? low, string? high, string? cage, string? prefixes, bool anyCase, bool findsWords)
    {
        var names = new NameRules
        {
            Low = Words(low),
            High = Words(high),
            Cage = Words(cage),
            IgnoredPrefixes = Words(prefixes),
            IgnoresCase = anyCase,
            FindsWords = findsWords,
        };
        return await ChangeAsync(r => r with { Names = names });

        static string[] Words(string? text) => (text ?? "").Split([' ', ','], StringSplitOptions.RemoveEmptyEntries | StringSplitOptions.TrimEntries);
    }

    /// <summary>Changes what the kit's assets are decided by where they say nothing else.</summary>
    /// <param name="set">Settings by their paths, as they were typed.</param>
    public async Task<IActionResult> OnPostSettingsAsync(Dictionary<string, string> set)
    {
        try
        {
            Problem = await workbench.DecideForKitAsync(Id, plan =>
            {
                var document = ChangeMerge.Node(plan);
                return PlanSettings.All.Where(s => set.TryGetValue(s.Path, out string? typed) && Said(typed) != s.In(document))
                    .Aggregate(plan, (p, s) => PlanLayers.With(p, s.Path, s.Read(set[s.Path])));
            }, AsOf);
        }
        catch (FormatException e)
        {
            Problem = e.Message;
        }
        return Problem is null ? RedirectToPage(new { Id }) : await OnGetAsync();
    }

    /// <summary>Takes a ready target for the kit.</summary>
    public async Task<IActionResult> OnPostTargetAsync(string? target)
    {
        if (ReadyTargets.Find(target) is not { } ready)
            return await ShowAsync($"There is no target of that name; the ready ones are {string.Join("; ", ReadyTargets.All.Select(t => t.Name))}.");
        Problem = await workbench.DecideForKitAsync(Id, plan => plan with { Target = ready }, AsOf);
        return Problem is null ? RedirectToPage(new { Id }) : await OnGetAsync();
    }

    private static string Said(string? typed) => string.IsNullOrWhiteSpace(typed) ? "none" : typed.Trim();

    /// <summary>Switches a mend of the whole kit on or off.</summary>
    public Task<IActionResult> OnPostSwitchAsync(int number, bool on) =>
        ChangeAsync(r => r with { Mends = [.. r.Mends.Select((m, i) => i == number ? m with { IsOn = on } : m)] });

    /// <summary>Takes a mend of the whole kit away.</summary>
    public Task<IActionResult> OnPostTakeAwayAsync([Required] int? number) => ChangeAsync(r => r with { Mends = [.. r.Mends.Where((_, i) => i != number)] });

    /// <summary>Gives an asset another name.</summary>
    public async Task<IActionResult> OnPostRenameAsync(int asset, string? name)
    {
        if (!await HasAsync(asset))
            return NotFound();
        Problem = await workbench.RenameAsync(asset, name);
        return Problem is null ? RedirectToPage(new { Id }) : await OnGetAsync();
    }

    /// <summary>Copies an asset.</summary>
    public async Task<IActionResult> OnPostCopyAsync(int asset)
    {
        if (!await HasAsync(asset))
            return NotFound();
        await kits.CopyAssetAsync(asset);
        return RedirectToPage(new { Id });
    }

    /// <summary>Joins assets to an atlas.</summary>
    /// <param name="members">Their numbers.</param>
    public async Task<IActionResult> OnPostJoinAsync(int[] members)
    {
        (int? atlas, Problem) = await kits.JoinAsync(Id, members);
        return atlas is { } id ? Redirect($"/assets/{id}/layout") : await OnGetAsync();
    }

    /// <summary>Puts an asset out of sight.</summary>
    public Task<IActionResult> OnPostArchiveAsync(int asset) => MoveAsync(asset, archived: true);

    /// <summary>Brings an asset back.</summary>
    public Task<IActionResult> OnPostRestoreAsync(int asset) => MoveAsync(asset, archived: false);

    /// <summary>Ends a run early.</summary>
    public async Task<IActionResult> OnPostCancelAsync(int run)
    {
        await workbench.CancelAsync(run, ofKit: Id);
        return RedirectToPage(new { Id });
    }

    private async Task<IActionResult> ChangeAsync(Func<IntakeRules, IntakeRules> change)
    {
        Problem = await workbench.ChangeRulesAsync(Id, change, AsOf);
        return Problem is null ? RedirectToPage(new { Id }) : await OnGetAsync();
    }

    private async Task<IActionResult> MoveAsync(int asset, bool archived)
    {
        if (!await HasAsync(asset))
            return NotFound();
        await kits.ArchiveAssetAsync(asset, archived);
        return RedirectToPage(new { Id });
    }

    private Task<bool> HasAsync(int asset) => workbench.HasAssetAsync(asset, Id);
}
