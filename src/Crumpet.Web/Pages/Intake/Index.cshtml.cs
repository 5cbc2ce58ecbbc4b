using Crumpet.Core.Building;
using Microsoft.AspNetCore.Mvc;

namespace Crumpet.Web.Pages.Intake;

/// <summary>Files in, objects listed, findings said.</summary>
public sealed class IndexModel(Workbench workbench) : StationPage(workbench)
{
    /// <inheritdoc/>
    public override Station Station => Station.Intake;

    /// <summary>Adds files, newer ones in place of older ones of the same name.</summary>
    public async Task<IActionResult> OnPostAddAsync(IReadOnlyList<IFormFile> files)
    {
        if (files.Count > 0 && await LoadAsync())
        {
            await Workbench.AddFilesAsync(Id, files);
            return RedirectToPage(new { Id });
        }
        Problem = "No file arrived; drop OBJ, glTF or GLB meshes.";
        return await OnGetAsync();
    }

    /// <summary>Leaves a file out.</summary>
    public async Task<IActionResult> OnPostLeaveOutAsync(string name)
    {
        await Workbench.LeaveOutAsync(Id, name);
        return RedirectToPage(new { Id });
    }
}
