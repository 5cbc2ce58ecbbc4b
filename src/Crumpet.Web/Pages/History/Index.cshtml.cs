using System.ComponentModel.DataAnnotations;
using Crumpet.Storage;
using Crumpet.Web.Hosting;
using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;

namespace Crumpet.Web.Pages.History;

/// <summary>All decisions of an asset; any of them can be gone back to.</summary>
public sealed class IndexModel(Workbench workbench) : PageModel, IAddressed, IShowsProblem
{
    /// <summary>Number of the asset, from the address.</summary>
    [BindProperty(SupportsGet = true)]
    public int Id { get; set; }

    /// <summary>Page of the list, from 1.</summary>
    [BindProperty(Name = "leaf", SupportsGet = true)]
    public int? PageNumber { get; set; }

    /// <summary>The asset.</summary>
    public AssetView View { get; private set; } = null!;

    /// <summary>All decisions, the first one first.</summary>
    public IReadOnlyList<Decision> Decisions { get; private set; } = [];

    /// <summary>Why something was not done, one sentence, or null.</summary>
    public string? Problem { get; private set; }

    /// <inheritdoc/>
    public Task<bool> ExistsAsync() => workbench.HasAssetAsync(Id);

    /// <inheritdoc/>
    public Task<IActionResult> ShowAsync(string problem)
    {
        Problem = problem;
        return OnGetAsync();
    }

    /// <summary>Shows the history.</summary>
    public async Task<IActionResult> OnGetAsync()
    {
        if (await workbench.AssetAsync(Id) is not { } view)
            return NotFound();
        View = view;
        Decisions = await workbench.DecisionsAsync(Id);
        ViewData["Kit"] = view.Asset.Kit;
        ViewData["Asset"] = view;
        return Page();
    }

    /// <summary>Takes decisions back or repeats them.</summary>
    /// <param name="number">Last decision that shall hold.</param>
    /// <param name="asOf">Version of what was decided that this was pressed on.</param>
    /// <param name="back">Page of this application to go on with; this one if there is none.</param>
    public async Task<IActionResult> OnPostAsync([Required] int? number, int? asOf, string? back)
    {
        Problem = await workbench.GoToAsync(Id, number!.Value, asOf);
        if (Problem is not null)
            return await OnGetAsync();
        return Url.IsLocalUrl(back) && back.All(c => c is > ' ' and <= '~') ? LocalRedirect(back) : RedirectToPage(new { Id });
    }
}
