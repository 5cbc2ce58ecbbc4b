using Crumpet.Core.Building;
using Crumpet.Core.Imaging;
using Microsoft.AspNetCore.Mvc;

namespace Crumpet.Web.Pages.Convert;

/// <summary>Textures beside the pictures they were made from.</summary>
public sealed class IndexModel(Workbench workbench) : StationPage(workbench)
{
    /// <inheritdoc/>
    public override Station Station => Station.Convert;

    /// <summary>Records each output's format and converts.</summary>
    public Task<IActionResult> OnPostConvertAsync(Dictionary<string, TextureFormat> formats) => DecideAndRunAsync(plan => plan with
    {
        Recipe = plan.Recipe with
        {
            Outputs = [.. plan.Recipe.Outputs.Select(o => formats.TryGetValue(o.Name, out var format) ? o with { Format = format }
            : o)]
        },
    });
}
