using System.ComponentModel.DataAnnotations;
using Crumpet.Core.Building;
using Crumpet.Core.Intake;
using Microsoft.AspNetCore.Mvc;

namespace Crumpet.Web.Pages.Intake;

/// <summary>Files in, objects and textures listed, findings said and mended.</summary>
public sealed class IndexModel(Workbench workbench) : StationPage(workbench)
{
    /// <inheritdoc/>
    public override Station Station => Station.Intake;

    /// <summary>What the ledger lists: objects, textures or files.</summary>
    [BindProperty(SupportsGet = true)]
    public string? Show { get; set; }

    /// <summary>Whether a mend can be a rule of the kit.</summary>
    public bool CanShare(int number) => IntakeMendKinds.ForKit(View.Plan.Mends[number]) is not null;

    /// <summary>Adds files, newer ones in place of older ones of the same name.</summary>
    public async Task<IActionResult> OnPostAddAsync(IReadOnlyList<IFormFile> files)
    {
        if (!await LoadAsync())
            return NotFound();
        Problem = files.Count > 0 ? await Workbench.AddFilesAsync(Id, files, HttpContext.RequestAborted)
            : "No file arrived; drop OBJ, glTF, GLB, PLY or STL meshes, their textures, or a zip of them.";
        if (Web.Show.WantsJson(Request))
            return new JsonResult(new { go = $"/assets/{Id}/intake", problem = Problem });
        return Problem is null ? Again() : await OnGetAsync();
    }

    /// <summary>Leaves a file out.</summary>
    public async Task<IActionResult> OnPostLeaveOutAsync(string name)
    {
        await Workbench.LeaveOutAsync(Id, name);
        return Again();
    }

    /// <summary>Records a mend that was put together by hand.</summary>
    public async Task<IActionResult> OnPostByHandAsync(HandMend hand)
    {
        if (!await LoadAsync())
            return NotFound();
        var mends = hand.Read(View.Plan.Bake.Size, out string? problem);
        Problem = problem ?? await Workbench.MendAsync(Id, mends);
        return Problem is null ? Again() : await OnGetAsync();
    }

    /// <summary>Switches a mend on or off.</summary>
    public async Task<IActionResult> OnPostSwitchAsync([Required] int? number, bool on)
    {
        Problem = await Workbench.SwitchMendAsync(Id, number!.Value, on, AsOf);
        return Problem is null ? Again() : await OnGetAsync();
    }

    /// <summary>Takes a mend away.</summary>
    public async Task<IActionResult> OnPostTakeAwayAsync([Required] int? number)
    {
        Problem = await Workbench.RemoveMendAsync(Id, number!.Value, AsOf);
        return Problem is null ? Again() : await OnGetAsync();
    }

    /// <summary>Makes a mend a rule for every file of the kit.</summary>
    public async Task<IActionResult> OnPostForKitAsync([Required] int? number)
    {
        Problem = await Workbench.ShareMendAsync(Id, number!.Value);
        return Problem is null ? Again() : await OnGetAsync();
    }
}
