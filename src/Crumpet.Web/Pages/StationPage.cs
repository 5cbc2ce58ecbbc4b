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
        return true;
    }
}
