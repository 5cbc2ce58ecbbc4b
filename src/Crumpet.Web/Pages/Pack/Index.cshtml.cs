using Crumpet.Core.Building;

namespace Crumpet.Web.Pages.Pack;

/// <summary>Outputs with what feeds their channels.</summary>
public sealed class IndexModel(Workbench workbench) : StationPage(workbench)
{
    /// <inheritdoc/>
    public override Station Station => Station.Pack;
}
