using Crumpet.Storage;
using Crumpet.Web.Hosting;
using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;

namespace Crumpet.Web.Pages.Room;

/// <summary>What is kept, for whom, and how much of it can go.</summary>
public sealed class IndexModel(StoreRoom room, KitService kits, Workbench workbench, AppOptions options) : PageModel, IShowsProblem
{
    /// <summary>What is kept.</summary>
    public RoomReport Report { get; private set; } = new(0, 0, []);

    /// <summary>Room there is before results go by themselves, bytes.</summary>
    public long LimitBytes => options.LimitBytes;

    /// <summary>Room that is free on the disk, bytes.</summary>
    public long FreeBytes { get; private set; }

    /// <inheritdoc/>
    public string? Problem { get; private set; }

    /// <inheritdoc/>
    public async Task<IActionResult> ShowAsync(string problem)
    {
        Problem = problem;
        await OnGetAsync();
        return Page();
    }

    /// <summary>Shows what is kept.</summary>
    public async Task OnGetAsync()
    {
        Report = await Task.Run(room.Report);
        FreeBytes = new DriveInfo(options.DataFolder).AvailableFreeSpace;
    }

    /// <summary>Clears all results that nothing needs now or could go back to.</summary>
    public async Task<IActionResult> OnPostClearAsync()
    {
        await Task.Run(() => room.Clear(0, HttpContext.RequestAborted));
        return RedirectToPage();
    }

    /// <summary>Deletes an archived kit for good.</summary>
    /// <param name="kit">The kit.</param>
    public async Task<IActionResult> OnPostDeleteAsync(int kit)
    {
        if (!await workbench.HasKitAsync(kit))
            return NotFound();
        return await kits.DeleteKitAsync(kit) is { } problem ? await ShowAsync(problem) : RedirectToPage();
    }
}
