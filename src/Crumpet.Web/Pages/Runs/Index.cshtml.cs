using Crumpet.Storage;
using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;

namespace Crumpet.Web.Pages.Runs;

/// <summary>What runs, waits and ran, with logs.</summary>
public sealed class IndexModel(Workbench workbench) : PageModel
{
    private const int Most = 60;

    /// <summary>Runs, newest first.</summary>
    public IReadOnlyList<Run> Runs { get; private set; } = [];

    /// <summary>Shows the runs.</summary>
    public async Task OnGetAsync() => Runs = await workbench.RunsAsync(Most);

    /// <summary>Queues a run that ended once more.</summary>
    public async Task<IActionResult> OnPostRepeatAsync(int run)
    {
        await workbench.RepeatAsync(run);
        return RedirectToPage();
    }

    /// <summary>Ends a run early.</summary>
    public async Task<IActionResult> OnPostCancelAsync(int run)
    {
        await workbench.CancelAsync(run);
        return RedirectToPage();
    }
}
