using Crumpet.Core.Building;
using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;

namespace Crumpet.Web.Pages;

/// <summary>What every station's page has in common: it loads its asset, shows it, and can start and cancel runs.</summary>
/// <param name="workbench">What pages ask for and do.</param>
public abstract class StationPage(Workbench workbench) : PageModel
{
    /// <summary>Number of the asset, from the address.</summary>
    [BindProperty(SupportsGet = true)]
    public int Id { get; set; }

    /// <summary>The asset.</summary>
    public AssetView View { get; private set; } = null!;

    /// <summary>The station this page is for.</summary>
    public abstract Station Station { get; }

    /// <summary>What is wrong with what was typed, one sentence, or null.</summary>
    public string? Problem { get; protected set; }

    /// <summary>What pages ask for and do.</summary>
    protected Workbench Workbench { get; } = workbench;

    /// <summary>Shows the station, or only what a finished run changes.</summary>
    public async Task<IActionResult> OnGetAsync() => await LoadAsync() ? Page() : NotFound();

    /// <summary>Runs the line up to this station.</summary>
    public async Task<IActionResult> OnPostRunAsync()
    {
        await Workbench.RunAsync(Id, Station);
        return RedirectToPage(new { Id });
    }

    /// <summary>Records the mend a finding proposes.</summary>
    /// <param name="mend">The mend as a line.</param>
    public async Task<IActionResult> OnPostMendAsync(string? mend)
    {
        Problem = BuildJson.ReadMend(mend ?? "") is { } read ? await Workbench.MendAsync(Id, [read]) : "That mend cannot be read; reload the page and press it again.";
        if (Problem is not null)
            return await OnGetAsync();
        // What a mend of a fault is worth shows when it is baked again.
        if (Station == Station.Bake)
            await Workbench.RunAsync(Id, Station);
        return Again();
    }

    /// <summary>Records the first mend of every finding that has a safe one.</summary>
    public async Task<IActionResult> OnPostMendSafeAsync()
    {
        if (!await LoadAsync())
            return NotFound();
        Problem = await Workbench.MendAsync(Id, [.. View.SafeMends(Station).Select(o => o.Mend)]);
        return Problem is null ? Again() : Page();
    }

    /// <summary>Back to the page as it was looked at.</summary>
    protected IActionResult Again() => Redirect(Request.Path + QueryString.Create(Request.Query.Where(q => q.Key != "handler")));

    /// <summary>Ends a run early.</summary>
    /// <param name="run">The run.</param>
    public async Task<IActionResult> OnPostCancelAsync(int run)
    {
        await Workbench.CancelAsync(run);
        return RedirectToPage(new { Id });
    }

    /// <summary>Records a decision and runs up to this station; shows the page again with the reason where it cannot be.</summary>
    protected async Task<IActionResult> DecideAndRunAsync(Func<AssetPlan, AssetPlan> change)
    {
        Problem = ModelState.IsValid ? await Workbench.DecideAsync(Id, change) : "One of the numbers is no number; correct it.";
        if (Problem is null)
            return await OnPostRunAsync();
        return await LoadAsync() ? Page() : NotFound();
    }

    /// <summary>Records a decision, runs up to this station and shows the page as it was looked at; with the reason where it cannot be.</summary>
    /// <param name="change">The decision; throws a <see cref="FormatException"/> with one sentence where what was typed is no good.</param>
    protected async Task<IActionResult> ChangeAsync(Func<AssetPlan, AssetPlan> change)
    {
        try
        {
            Problem = ModelState.IsValid ? await Workbench.DecideAsync(Id, change) : "One of the choices is none; reload the page.";
        }
        catch (FormatException e)
        {
            Problem = e.Message;
        }
        if (Problem is not null)
            return await LoadAsync() ? Page() : NotFound();
        await Workbench.RunAsync(Id, Station);
        return Again();
    }

    /// <summary>A number that may be left out.</summary>
    /// <param name="text">What was typed.</param>
    /// <param name="what">What it is for, as a sentence begins with it.</param>
    /// <param name="least">Least value.</param>
    /// <param name="most">Greatest value.</param>
    protected static float? Number(string? text, string what, double least, double most) => string.IsNullOrWhiteSpace(text) ? null : (float)FormNumber.Read(text, what, least, most);

    /// <summary>Loads the asset.</summary>
    /// <returns>Whether there is one.</returns>
    protected async Task<bool> LoadAsync()
    {
        var view = await Workbench.AssetAsync(Id);
        if (view is null)
            return false;
        View = view;
        ViewData["Asset"] = view;
        ViewData["Station"] = Station;
        await LoadMoreAsync();
        return true;
    }

    /// <summary>Loads what a station shows beside its asset.</summary>
    protected virtual Task LoadMoreAsync() => Task.CompletedTask;
}
