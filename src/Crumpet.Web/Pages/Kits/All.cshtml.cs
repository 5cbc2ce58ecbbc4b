using Crumpet.Core;
using Crumpet.Storage;
using Crumpet.Web.Hosting;
using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;

namespace Crumpet.Web.Pages.Kits;

/// <summary>All kits: made, renamed, copied, archived and brought back here.</summary>
public sealed class AllModel(Workbench workbench, KitService kits, IntakeService intake, AppOptions options) : PageModel, IShowsProblem
{
    /// <summary>Kits in use, by name.</summary>
    public IReadOnlyList<Kit> Kits { get; private set; } = [];

    /// <summary>Kits put out of sight.</summary>
    public IReadOnlyList<Kit> Archived { get; private set; } = [];

    /// <summary>What is wrong with what was typed, one sentence, or null.</summary>
    public string? Problem { get; private set; }

    /// <inheritdoc/>
    public async Task<IActionResult> ShowAsync(string problem)
    {
        Problem = problem;
        await OnGetAsync();
        return Page();
    }

    /// <summary>Shows the kits.</summary>
    public async Task OnGetAsync()
    {
        Kits = await workbench.KitsAsync();
        Archived = await workbench.KitsAsync(archived: true);
    }

    /// <summary>Makes a kit.</summary>
    public async Task<IActionResult> OnPostMakeAsync(string? name)
    {
        var (kit, problem) = await kits.AddKitAsync(name);
        return problem is null ? Redirect($"/kits/{kit}") : await ShowAsync(problem);
    }

    /// <summary>Makes a kit of a kit folder: a zip of one, or one that lies below the data folder's <c>kits</c>.</summary>
    /// <param name="zip">The zip.</param>
    /// <param name="folder">Name of the folder below <c>kits</c>.</param>
    public async Task<IActionResult> OnPostOpenAsync(IFormFile? zip, string? folder)
    {
        try
        {
            var files = zip is not null ? intake.TakeKit(zip, HttpContext.RequestAborted) : intake.TakeKit(options.DataFolder, folder);
            return Redirect($"/kits/{await kits.OpenFolderAsync(files)}");
        }
        catch (SourceFileException e)
        {
            return await ShowAsync(e.Message);
        }
    }

    /// <summary>Renames a kit.</summary>
    public async Task<IActionResult> OnPostRenameAsync(int kit, string? name)
    {
        if (!await workbench.HasKitAsync(kit))
            return NotFound();
        return await kits.RenameKitAsync(kit, name) is { } problem ? await ShowAsync(problem) : Redirect($"/kits/{kit}");
    }

    /// <summary>Copies a kit.</summary>
    public async Task<IActionResult> OnPostCopyAsync(int kit) =>
        !await workbench.HasKitAsync(kit) ? NotFound() : Redirect($"/kits/{await kits.CopyKitAsync(kit)}");

    /// <summary>Puts a kit out of sight.</summary>
    public Task<IActionResult> OnPostArchiveAsync(int kit) => MoveAsync(kit, archived: true);

    /// <summary>Brings a kit back.</summary>
    public Task<IActionResult> OnPostRestoreAsync(int kit) => MoveAsync(kit, archived: false);

    private async Task<IActionResult> MoveAsync(int kit, bool archived)
    {
        if (!await workbench.HasKitAsync(kit))
            return NotFound();
        await kits.ArchiveKitAsync(kit, archived);
        return Redirect("/kits");
    }
}
