using Crumpet.Core.Baking;
using Crumpet.Core.Building;
using Crumpet.Core.Pairing;
using Microsoft.AspNetCore.Mvc;

namespace Crumpet.Web.Pages.Bake;

/// <summary>Maps in 2D and on the mesh in 3D.</summary>
public sealed class IndexModel(Workbench workbench) : StationPage(workbench)
{
    /// <inheritdoc/>
    public override Station Station => Station.Bake;

    /// <summary>Records the settings and bakes. Reaches are in millimetres.</summary>
    public Task<IActionResult> OnPostBakeAsync(int size, int samples, float outward, float inward, int rays, Occluders occluders, int padding, int bits, GreenDirection green, BakeMap[] maps) =>
        DecideAndRunAsync(plan => plan with
        {
            Bake = plan.Bake with
            {
                Size = size,
                Samples = samples,
                OutwardReachMetres = outward / 1000,
                InwardReachMetres = inward / 1000,
                OcclusionRays = rays,
                Occluders = occluders,
                PaddingPixels = padding,
                Bits = bits,
                Green = green,
                Maps = [.. maps.Distinct().Order()],
            },
        });
}
