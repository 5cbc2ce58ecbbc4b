using Crumpet.Core.Geometry;
using Crumpet.Core.Layout;
using Xunit;

namespace Crumpet.Core.Tests.Layout;

public sealed class LayoutTests
{
    [Fact]
    public void A_square_metre_on_half_the_tiles_side_has_half_its_pixels_a_metre()
    {
        var result = Run(new LayoutSettings { PaddingPixels = 0 }, 2048, Shapes.Plane("p", uvTo: 0.5f));
        var report = result.Report;
        Assert.Equal((1, 0, 0, 0), (report.Islands, report.FlippedTriangles, report.OutsideTriangles, report.OverlapTexels));
        Assert.Equal(0.25, report.RoomUsed, 1e-6);
        Assert.Equal(0.25, report.Covered, 1e-6);
        Assert.Equal(1024, report.MedianDensity, 1e-3);
        Assert.DoesNotContain(result.Findings, f => f.Severity < Severity.Note);
    }

    [Fact]
    public void Uneven_density_is_said_and_outside_triangles_are_counted()
    {
        var result = Run(new LayoutSettings(), 1024, Shapes.Plane("a", uvTo: 0.2f), Shapes.Plane("b", uvFrom: 0.9f, uvTo: 0.3f),
            Shapes.Plane("c", uvFrom: 0.8f, uvTo: 1.4f));
        Assert.Equal(2, result.Report.OutsideTriangles);
        Assert.Contains("uneven-density", result.Findings.Select(f => f.Code));
        Assert.Contains("outside-tile", result.Findings.Select(f => f.Code));
    }

    [Fact]
    public void The_demo_is_even_and_has_an_island_a_face()
    {
        var result = Run(new LayoutSettings(), 2048, [.. Demo.LouvreScreen.Low().Meshes]);
        Assert.True(result.Report.Islands > 200);
        Assert.InRange(result.Report.GreatestDensity / result.Report.LeastDensity, 1, 1.01);
        Assert.Equal((0, 0, 0), (result.Report.FlippedTriangles, result.Report.OutsideTriangles, result.Report.OverlapTexels));
        Assert.DoesNotContain(result.Findings, f => f.Severity < Severity.Note);
    }

    private static LayoutResult Run(LayoutSettings settings, int size, params Mesh[] meshes) =>
        LayoutStation.Run(new LayoutInput([.. meshes.Select(m => new LayoutObject(m, m.Name))], settings, size) { Threads = 2 });
}
