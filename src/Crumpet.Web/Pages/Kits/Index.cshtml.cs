using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;

namespace Crumpet.Web.Pages.Kits;

/// <summary>A kit as a timetable: a row an asset, with its line.</summary>
public sealed class IndexModel(Workbench workbench, KitDesk kits) : PageModel
{
    /// <summary>Number of the kit, from the address.</summary>
    [BindProperty(SupportsGet = true)]
    public int Id { get; set; }

    /// <summary>The kit.</summary>
    public KitView View { get; private set; } = null!;

    /// <summary>Why something was not done, one sentence, or null.</summary>
    public string? Problem { get; private set; }

    /// <summary>Shows the kit.</summary>
    public async Task<IActionResult> OnGetAsync()
    {
        var view = await workbench.KitAsync(Id);
        if (view is null)
            return NotFound();
        View = view;
        return Page();
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
        if (files.Count > 0 && await workbench.KitAsync(Id) is not null)
            return Redirect($"/assets/{await workbench.AddAssetAsync(Id, files)}/intake");
        Problem = "No file arrived; drop OBJ, glTF or GLB meshes.";
        return await OnGetAsync();
    }

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

    /// <summary>Puts an asset out of sight.</summary>
    public Task<IActionResult> OnPostArchiveAsync(int asset) => MoveAsync(asset, archived: true);

    /// <summary>Brings an asset back.</summary>
    public Task<IActionResult> OnPostRestoreAsync(int asset) => MoveAsync(asset, archived: false);

    /// <summary>Ends a run early.</summary>
    public async Task<IActionResult> OnPostCancelAsync(int run)
    {
        await workbench.CancelAsync(run);
        return RedirectToPage(new { Id });
    }

    private async Task<IActionResult> MoveAsync(int asset, bool archived)
    {
        if (!await HasAsync(asset))
            return NotFound();
        await kits.ArchiveAssetAsync(asset, archived);
        return RedirectToPage(new { Id });
    }

    private async Task<bool> HasAsync(int asset) => (await workbench.AssetAsync(asset))?.Asset.KitId == Id;
}
