using Crumpet.Core.Building;

namespace Crumpet.Web.Pages.Deliver;

/// <summary>The package and all earlier ones.</summary>
public sealed class IndexModel(Workbench workbench) : StationPage(workbench)
{
    /// <inheritdoc/>
    public override Station Station => Station.Deliver;
}
