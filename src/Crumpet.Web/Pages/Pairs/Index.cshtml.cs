using Crumpet.Core.Building;
using Crumpet.Core.Pairing;
using Microsoft.AspNetCore.Mvc;

namespace Crumpet.Web.Pages.Pairs;

/// <summary>Low and high matched into a ledger.</summary>
public sealed class IndexModel(Workbench workbench) : StationPage(workbench)
{
    /// <inheritdoc/>
    public override Station Station => Station.Pairs;

    /// <summary>Records the pattern and the trays, and pairs.</summary>
    public Task<IActionResult> OnPostPairAsync(string pattern, TrayMode trays) =>
        DecideAndRunAsync(plan => plan with { NamePattern = (pattern ?? "").Trim(), Trays = trays });
}
