using Crumpet.Core.Building;
using Microsoft.AspNetCore.Mvc;

namespace Crumpet.Web.Pages.Layout;

/// <summary>UV islands on the tile.</summary>
public sealed class IndexModel(Workbench workbench) : StationPage(workbench)
{
    /// <inheritdoc/>
    public override Station Station => Station.Layout;

    /// <summary>Records the sheet's size and measures.</summary>
    public Task<IActionResult> OnPostMeasureAsync(int size) => DecideAndRunAsync(plan => plan with { Bake = plan.Bake with { Size = size } });
}
