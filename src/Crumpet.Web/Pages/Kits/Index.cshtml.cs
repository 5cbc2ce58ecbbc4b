using Crumpet.Core.Intake;
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
        if (await workbench.KitAsync(Id) is null)
            return NotFound();
        var (asset, problem) = await workbench.AddAssetAsync(Id, files);
        if (Show.WantsJson(Request))
            return new JsonResult(new { go = asset is null ? null : $"/assets/{asset}/intake", problem });
        if (asset is { } id && problem is null)
            return Redirect($"/assets/{id}/intake");
        Problem = problem;
        return await OnGetAsync();
    }

    /// <summary>Changes what the kit's assets share.</summary>
    public async Task<IActionResult> OnPostRulesAsync(string? size, string? density, int largest, bool square, bool colours)
    {
        double? metres, pixels;
        try
        {
            metres = string.IsNullOrWhiteSpace(size) ? null : FormNumber.Read(size, "The size of assets, in metres,", 0.001, 100000);
            pixels = string.IsNullOrWhiteSpace(density) ? null : FormNumber.Read(density, "The density", 0.001, 1e7);
        }
        catch (FormatException e)
        {
            Problem = e.Message;
            return await OnGetAsync();
        }
        await workbench.ChangeRulesAsync(Id, r => r with { ExpectedSizeMetres = metres, PixelsPerMetre = pixels, LargestTexture = Math.Clamp(largest, 64, 16384), SquareTextures = square, ExpectsIdColours = colours });
        return RedirectToPage(new { Id });
    }

    /// <summary>Records how names say sides; words stand apart by spaces or commas.</summary>
    public async Task<IActionResult> OnPostNamesAsync(string? low, string? high, string? cage, string? prefixes, bool anyCase)
    {
        var names = new NameRules { Low = Words(low), High = Words(high), Cage = Words(cage), IgnoredPrefixes = Words(prefixes), IgnoresCase = anyCase };
        Problem = names.Problem();
        if (Problem is not null)
            return await OnGetAsync();
        await workbench.ChangeRulesAsync(Id, r => r with { Names = names });
        return RedirectToPage(new { Id });

        static string[] Words(string? text) => (text ?? "").Split([' ', ','], StringSplitOptions.RemoveEmptyEntries | StringSplitOptions.TrimEntries);
    }

    /// <summary>Switches a mend of the whole kit on or off.</summary>
    public async Task<IActionResult> OnPostSwitchAsync(int number, bool on)
    {
        await workbench.ChangeRulesAsync(Id, r => r with { Mends = [.. r.Mends.Select((m, i) => i == number ? m with { IsOn = on } : m)] });
        return RedirectToPage(new { Id });
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

    /// <summary>Joins assets to an atlas.</summary>
    /// <param name="members">Their numbers.</param>
    public async Task<IActionResult> OnPostJoinAsync(int[] members)
    {
        if (await workbench.KitAsync(Id) is null)
            return NotFound();
        (int? atlas, Problem) = await kits.JoinAsync(Id, members);
        return atlas is { } id ? Redirect($"/assets/{id}/layout") : await OnGetAsync();
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
