using Crumpet.Core;
using Crumpet.Core.Building;
using Crumpet.Core.Checking;
using Crumpet.Core.Geometry;
using Crumpet.Core.Targets;
using Crumpet.Storage;
using Crumpet.Web.Hosting;
using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;

namespace Crumpet.Web.Pages.Kits;

/// <summary>What a kit's engine wants: looked at, changed, taken away as a file and taken in from one, with the versions deliveries were made for.</summary>
public sealed class TargetModel(Workbench workbench) : PageModel, IAddressed, IShowsProblem
{
    private const int LongestFile = 1 << 20;
    private const string Prefix = "target.";

    /// <summary>Number of the kit, from the address.</summary>
    [BindProperty(SupportsGet = true)]
    public int Id { get; set; }

    /// <summary>Version of the kit that the page a form is on was made of.</summary>
    [BindProperty(Name = AsOfTagHelper.Field)]
    public int? AsOf { get; set; }

    /// <summary>The kit.</summary>
    public KitView View { get; private set; } = null!;

    /// <summary>Why something was not done, one sentence, or null.</summary>
    public string? Problem { get; private set; }

    /// <summary>Targets that deliveries were made for, newest version first.</summary>
    public IReadOnlyList<Target> Delivered { get; private set; } = [];

    /// <summary>Settings of a target with one value each.</summary>
    public static IEnumerable<PlanSetting> Settings => PlanSettings.All.Where(s => s.Path.StartsWith(Prefix, StringComparison.Ordinal));

    /// <inheritdoc/>
    public Task<bool> ExistsAsync() => workbench.HasKitAsync(Id);

    /// <inheritdoc/>
    public Task<IActionResult> ShowAsync(string problem)
    {
        Problem = problem;
        return OnGetAsync();
    }

    /// <summary>Shows the target.</summary>
    public async Task<IActionResult> OnGetAsync()
    {
        if (await workbench.KitAsync(Id) is not { } view)
            return NotFound();
        View = view;
        Delivered = [.. (await workbench.DeliveredTargetsAsync(Id)).OrderByDescending(t => t.Version)];
        ViewData["Kit"] = view.Kit;
        return Page();
    }

    /// <summary>The target as a file.</summary>
    /// <param name="name">Of one that a delivery was made for: its name; otherwise null.</param>
    /// <param name="version">Its version.</param>
    public async Task<IActionResult> OnGetFileAsync(string? name, int? version)
    {
        if (await workbench.KitAsync(Id) is not { } view)
            return NotFound();
        var target = name is null ? view.Kit.Plan().Target
            : (await workbench.DeliveredTargetsAsync(Id)).FirstOrDefault(t => t.Name == name && t.Version == version);
        return target is null ? NotFound() : File(TargetFile.Write(target), "application/json", TargetFile.NameOf(target));
    }

    /// <summary>Takes a target in from a file.</summary>
    public async Task<IActionResult> OnPostImportAsync(IFormFile? file)
    {
        if (file is null || file.Length > LongestFile)
            return await ShowAsync(file is null ? "No file was chosen; choose a target's." : $"{SafeName.Of(file.FileName)} is too large to be a target.");
        using var bytes = new MemoryStream();
        await file.CopyToAsync(bytes);
        try
        {
            var target = TargetFile.Read(bytes.ToArray(), SafeName.Of(file.FileName));
            return await ChangeAsync(_ => target);
        }
        catch (SourceFileException e)
        {
            return await ShowAsync(e.Message);
        }
    }

    /// <summary>Begins anew with a ready target.</summary>
    public async Task<IActionResult> OnPostReadyAsync(string? ready) => ReadyTargets.Find(ready) is { } found ? await ChangeAsync(_ => found)
        : await ShowAsync($"There is no target of that name; the ready ones are {string.Join("; ", ReadyTargets.All.Select(t => t.Name))}.");

    /// <summary>Takes a version that a delivery was made for.</summary>
    public async Task<IActionResult> OnPostVersionAsync(string? name, int version) =>
        (await workbench.DeliveredTargetsAsync(Id)).FirstOrDefault(t => t.Name == name && t.Version == version) is { } found ? await ChangeAsync(_ => found)
            : await ShowAsync("No delivery of this kit was made for that version; reload the page.");

    /// <summary>Records settings.</summary>
    public async Task<IActionResult> OnPostSettingsAsync([FromForm(Name = "set")] Dictionary<string, string?> set)
    {
        try
        {
            Problem = await workbench.DecideForKitAsync(Id, plan =>
            {
                var document = PlanLayers.Document(plan);
                return Settings.Where(s => set.TryGetValue(s.Path, out string? typed) && (typed ?? "").Trim() != s.In(document))
                    .Aggregate(plan, (p, s) => PlanLayers.With(p, s.Path, s.Read(set[s.Path])));
            }, AsOf);
        }
        catch (FormatException e)
        {
            Problem = e.Message;
        }
        return Problem is null ? RedirectToPage(new { Id }) : await OnGetAsync();
    }

    /// <summary>Changes an input of a model, or adds one.</summary>
    /// <param name="model">Name of the model.</param>
    /// <param name="was">Name of the input; null for a new one.</param>
    /// <param name="form">What was typed.</param>
    public Task<IActionResult> OnPostInputAsync(string? model, string? was, [FromForm(Name = "form")] InputForm form) => ModelAsync(model, m =>
    {
        var input = form.Read();
        return m with { Inputs = was is null ? [.. m.Inputs, input] : [.. m.Inputs.Select(i => i.Name == was ? input : i)] };
    });

    /// <summary>Takes an input out of a model.</summary>
    public Task<IActionResult> OnPostRemoveAsync(string? model, string? was) =>
        ModelAsync(model, m => m with { Inputs = [.. m.Inputs.Where(i => i.Name != was)] });

    /// <summary>Says what materials of a model can say.</summary>
    public Task<IActionResult> OnPostTakesAsync(string? model, string[]? takes) =>
        ModelAsync(model, m => m with { Takes = [.. MaterialTrait.Table.All.Where(t => takes?.Contains(t.Word) == true)] });

    /// <summary>Adds a ready model.</summary>
    public Task<IActionResult> OnPostAddModelAsync(string? ready) => ChangeAsync(target =>
        ReadyTargets.Models.FirstOrDefault(m => m.Name == ready) is { } found
            ? target with { Models = [.. target.Models.Where(m => m.Name != found.Name), found] }
            : throw new FormatException($"There is no ready model of that name; there are {string.Join(", ", ReadyTargets.Models.Select(m => m.Name))}."));

    /// <summary>Takes a model out.</summary>
    public Task<IActionResult> OnPostRemoveModelAsync(string? model) =>
        ChangeAsync(target => target with { Models = [.. target.Models.Where(m => m.Name != model)] });

    private Task<IActionResult> ModelAsync(string? name, Func<MaterialModel, MaterialModel> change) => ChangeAsync(target =>
        target.Models.Any(m => m.Name == name) ? target with { Models = [.. target.Models.Select(m => m.Name == name ? change(m) : m)] }
            : throw new FormatException($"The target has no model {FieldRules.Quoted(name ?? "")} any more; reload the page."));

    private async Task<IActionResult> ChangeAsync(Func<Target, Target> change)
    {
        try
        {
            Problem = await workbench.DecideForKitAsync(Id, plan => plan with { Target = change(plan.Target) }, AsOf);
        }
        catch (FormatException e)
        {
            Problem = e.Message;
        }
        return Problem is null ? RedirectToPage(new { Id }) : await OnGetAsync();
    }
}
