using Crumpet.Core.Building;
using Crumpet.Web.Hosting;
using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;

namespace Crumpet.Web.Pages;

/// <summary>What every station's page has in common: it loads its asset, shows it, and can start and cancel runs.</summary>
/// <param name="workbench">What pages ask for and do.</param>
public abstract class StationPage(Workbench workbench) : PageModel, IAddressed, IShowsProblem
{
    private IReadOnlyList<OwnSetting>? own;

    /// <summary>Number of the asset, from the address.</summary>
    [BindProperty(SupportsGet = true)]
    public int Id { get; set; }

    /// <summary>Page of the ledger, from 1.</summary>
    [BindProperty(Name = "leaf", SupportsGet = true)]
    public int? PageNumber { get; set; }

    /// <summary>Version of what was decided that the page a form is on was made of.</summary>
    [BindProperty(Name = AsOfTagHelper.Field)]
    public int? AsOf { get; set; }

    /// <summary>What can be done all the same where somebody else decided the same meanwhile, or null.</summary>
    public ChangeOffer? Offer => Workbench.Offer;

    /// <summary>What the page is to go to, from the address.</summary>
    [BindProperty(SupportsGet = true)]
    public string? Place { get; set; }

    /// <summary>The asset.</summary>
    public AssetView View { get; private set; } = null!;

    /// <summary>Settings the asset says otherwise than its kit.</summary>
    public IReadOnlyList<OwnSetting> Own => own ??= View.OwnSettings();

    /// <summary>The station this page is for.</summary>
    public abstract Station Station { get; }

    /// <summary>What is wrong with what was typed, one sentence, or null.</summary>
    public string? Problem { get; protected set; }

    /// <summary>What pages ask for and do.</summary>
    protected Workbench Workbench { get; } = workbench;

    /// <inheritdoc/>
    public Task<bool> ExistsAsync() => Workbench.HasAssetAsync(Id);

    /// <inheritdoc/>
    public async Task<IActionResult> ShowAsync(string problem)
    {
        Problem = problem;
        return await LoadAsync() ? Page() : NotFound();
    }

    /// <summary>Shows the station, or only what a finished run changes.</summary>
    public async Task<IActionResult> OnGetAsync() => await LoadAsync() ? Page() : NotFound();

    /// <summary>Runs the line up to this station.</summary>
    public async Task<IActionResult> OnPostRunAsync()
    {
        await Workbench.RunAsync(Id, Station);
        return Redirect($"/assets/{Id}/{Station.Word}");
    }

    /// <summary>Ends the station's run and keeps the finest draft it gave.</summary>
    public async Task<IActionResult> OnPostKeepDraftAsync()
    {
        if (!await LoadAsync())
            return NotFound();
        if (View.DraftOf(Station) is not { } draft)
            Problem = "There is no draft to keep yet; wait a moment, or cancel the run.";
        else
        {
            if (View.Run is { } run)
                await Workbench.CancelAsync(run.Id, ofAsset: Id);
            Problem = await Workbench.DecideAsync(Id, plan => plan.Drafted(Station, draft.Draft));
        }
        return Problem is null ? await OnPostRunAsync() : Page();
    }

    /// <summary>Records the mend a finding proposes.</summary>
    /// <param name="mend">The mend as a line.</param>
    public async Task<IActionResult> OnPostMendAsync(string? mend)
    {
        try
        {
            Problem = await Workbench.MendAsync(Id, [BuildJson.ReadMend(mend)]);
        }
        catch (FormatException e)
        {
            Problem = e.Message;
        }
        if (Problem is not null)
            return await OnGetAsync();
        // What a mend of a fault, an output or an input is worth shows when it is made again.
        if (Station == Station.Bake || Station == Station.Pack || Station == Station.Bind)
            await Workbench.RunAsync(Id, Station);
        return Again();
    }

    /// <summary>Makes a change that was offered again.</summary>
    /// <param name="patch">The change.</param>
    public async Task<IActionResult> OnPostDecideAgainAsync(string? patch)
    {
        try
        {
            Problem = await Workbench.DecideAgainAsync(Id, patch);
        }
        catch (FormatException e)
        {
            Problem = e.Message;
        }
        return Problem is null ? Again() : await OnGetAsync();
    }

    /// <summary>Lets a setting be as the kit says.</summary>
    /// <param name="path">The setting.</param>
    public async Task<IActionResult> OnPostAsKitAsync(string? path)
    {
        Problem = await Workbench.AsTheKitSaysAsync(Id, path);
        return Problem is null ? Again() : await OnGetAsync();
    }

    /// <summary>Makes a setting the kit's.</summary>
    /// <param name="path">The setting.</param>
    public async Task<IActionResult> OnPostKitsOwnAsync(string? path)
    {
        Problem = await Workbench.ForTheKitAsync(Id, path);
        return Problem is null ? Again() : await OnGetAsync();
    }

    /// <summary>Records the first mend of every finding that has a safe one.</summary>
    public async Task<IActionResult> OnPostMendSafeAsync()
    {
        if (!await LoadAsync())
            return NotFound();
        Problem = await Workbench.MendAsync(Id, [.. View.SafeMends(Station).Select(o => o.Mend)]);
        return Problem is null ? Again() : Page();
    }

    /// <summary>Which rows of a list are shown: those of the page asked for, or those around what the page is to go to.</summary>
    /// <param name="rows">The list.</param>
    /// <param name="placeOf">What a row is about.</param>
    /// <param name="thing">One of them; its plural ends in s.</param>
    /// <param name="query">What the address says beside the page.</param>
    public PagedRows Rows<T>(IReadOnlyList<T> rows, Func<T, string> placeOf, string thing, string query)
    {
        int row = -1;
        for (int i = 0; i < rows.Count && row < 0 && Place is not null && PageNumber is null; i++)
            row = placeOf(rows[i]) == Place ? i : -1;
        return PagedRows.At(rows.Count, PageNumber, row, thing, query);
    }

    /// <summary>Back to the page as it was looked at.</summary>
    protected IActionResult Again() => Redirect(Request.Path + QueryString.Create(Request.Query.Where(q => q.Key != "handler")));

    /// <summary>Ends a run early.</summary>
    /// <param name="run">The run.</param>
    public async Task<IActionResult> OnPostCancelAsync(int run)
    {
        await Workbench.CancelAsync(run, ofAsset: Id);
        return Redirect($"/assets/{Id}/{Station.Word}");
    }

    /// <summary>Records a decision and runs up to this station; shows the page again with the reason where it cannot be.</summary>
    protected async Task<IActionResult> DecideAndRunAsync(Func<AssetPlan, AssetPlan> change)
    {
        Problem = await Workbench.DecideAsync(Id, change, AsOf);
        if (Problem is null)
            return await OnPostRunAsync();
        return await LoadAsync() ? Page() : NotFound();
    }

    /// <summary>Records a decision, runs up to this station and shows the page as it was looked at; with the reason where it cannot be.</summary>
    /// <param name="change">The decision; throws a <see cref="FormatException"/> with one sentence where what was typed is no good.</param>
    protected async Task<IActionResult> ChangeAsync(Func<AssetPlan, AssetPlan> change)
    {
        try
        {
            Problem = await Workbench.DecideAsync(Id, change, AsOf);
        }
        catch (FormatException e)
        {
            Problem = e.Message;
        }
        if (Problem is not null)
            return await LoadAsync() ? Page() : NotFound();
        await Workbench.RunAsync(Id, Station);
        return Again();
    }

    /// <summary>Loads the asset.</summary>
    /// <returns>Whether there is one.</returns>
    protected async Task<bool> LoadAsync()
    {
        var view = await Workbench.AssetAsync(Id);
        if (view is null)
            return false;
        View = view;
        ViewData["Asset"] = view;
        ViewData["Station"] = Station;
        await LoadMoreAsync();
        return true;
    }

    /// <summary>Loads what a station shows beside its asset.</summary>
    protected virtual Task LoadMoreAsync() => Task.CompletedTask;
}
