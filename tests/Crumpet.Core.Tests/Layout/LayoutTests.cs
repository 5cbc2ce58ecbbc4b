using Crumpet.Core.Layout;
using Xunit;

namespace Crumpet.Core.Tests.Layout;

public sealed class LayoutTests
{
    [Fact]
    public void A_square_metre_on_half_the_tiles_side_has_half_its_pixels_a_metre()
    {
        var (report, findings) = LayoutStation.Run([Shapes.Plane("p", uvTo: 0.5f)], 2048);
        Assert.Equal((1, 0.25, 0, 0), (report.Islands, report.RoomUsed, report.FlippedTriangles, report.OutsideTriangles));
        Assert.Equal(1024, report.MedianDensity, 1e-6);
        Assert.Empty(findings);
    }

    [Fact]
    public void Uneven_density_is_said_and_outside_triangles_are_counted()
    {
        var (report, findings) = LayoutStation.Run([Shapes.Plane("a", uvTo: 0.2f), Shapes.Plane("b", uvFrom: 0.9f, uvTo: 0.3f), Shapes.Plane("c", uvFrom: 0.8f, uvTo: 1.4f)], 1024);
        Assert.Equal(2, report.OutsideTriangles);
        Assert.Equal(["uneven-density"], findings.Select(f => f.Code));
    }

    [Fact]
    public void The_demo_is_even_and_has_an_island_a_face()
    {
        var low = Demo.LouvreScreen.Low();
        var (report, findings) = LayoutStation.Run(low.Meshes, 2048);
        Assert.True(report.Islands > 200);
        Assert.InRange(report.GreatestDensity / report.LeastDensity, 1, 1.01);
        Assert.Equal((0, 0), (report.FlippedTriangles, report.OutsideTriangles));
        Assert.Empty(findings);
    }
}
