using Crumpet.Core.Building;
using Microsoft.AspNetCore.Mvc;

namespace Crumpet.Web.Pages.Bind;

/// <summary>Slots and the asset lit with its textures.</summary>
public sealed class IndexModel(Workbench workbench) : StationPage(workbench)
{
    /// <inheritdoc/>
    public override Station Station => Station.Bind;

    /// <summary>Records the pattern and binds.</summary>
    public Task<IActionResult> OnPostBindAsync(string pattern) => DecideAndRunAsync(plan => plan with { BindPattern = (pattern ?? "").Trim() });
}
