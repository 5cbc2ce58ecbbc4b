using System.ComponentModel.DataAnnotations;
using Crumpet.Web.Hosting;
using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;

namespace Crumpet.Web.Pages.History;

/// <summary>All decisions of an asset; any of them can be gone back to.</summary>
public sealed class IndexModel(Workbench workbench) : PageModel, IAddressed
{
    /// <summary>Number of the asset, from the address.</summary>
    [BindProperty(SupportsGet = true)]
    public int Id { get; set; }

    /// <summary>Page of the list, from 1.</summary>
    [BindProperty(Name = "leaf", SupportsGet = true)]
    public int? PageNumber { get; set; }

    /// <summary>The asset.</summary>
    public AssetView View { get; private set; } = null!;

    /// <inheritdoc/>
    public Task<bool> ExistsAsync() => workbench.HasAssetAsync(Id);

    /// <summary>Shows the history.</summary>
    public async Task<IActionResult> OnGetAsync()
    {
        if (await workbench.AssetAsync(Id) is not { } view)
            return NotFound();
        View = view;
        ViewData["Kit"] = view.Asset.Kit;
        return Page();
    }

    /// <summary>Takes decisions back or repeats them.</summary>
    /// <param name="number">Last decision that shall hold.</param>
    /// <param name="back">Page of this application to go on with; this one if there is none.</param>
    public async Task<IActionResult> OnPostAsync([Required] int? number, string? back)
    {
        await workbench.GoToAsync(Id, number!.Value);
        return Url.IsLocalUrl(back) && back.All(c => c is > ' ' and <= '~') ? LocalRedirect(back) : RedirectToPage(new { Id });
    }
}
