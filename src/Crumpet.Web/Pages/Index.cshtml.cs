using Crumpet.Storage;
using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;

namespace Crumpet.Web.Pages;

/// <summary>All kits; a single one opens at once.</summary>
public sealed class IndexModel(Workbench workbench) : PageModel
{
    /// <summary>Kits by name.</summary>
    public IReadOnlyList<Kit> Kits { get; private set; } = [];

    /// <summary>Shows the kits.</summary>
    public async Task<IActionResult> OnGetAsync()
    {
        Kits = await workbench.KitsAsync();
        return Kits.Count == 1 ? Redirect($"/kits/{Kits[0].Id}") : Page();
    }

    /// <summary>Makes a kit.</summary>
    public async Task<IActionResult> OnPostAsync(string name) => Redirect($"/kits/{await workbench.AddKitAsync(name)}");
}
