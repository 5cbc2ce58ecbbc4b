using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;

namespace Crumpet.Web.Pages;

/// <summary>The front door: leads to the only kit there is, or to all of them.</summary>
public sealed class IndexModel(Workbench workbench) : PageModel
{
    /// <summary>Leads on.</summary>
    public async Task<IActionResult> OnGetAsync()
    {
        var kits = await workbench.KitsAsync();
        return Redirect(kits.Count == 1 ? $"/kits/{kits[0].Id}" : "/kits");
    }
}
