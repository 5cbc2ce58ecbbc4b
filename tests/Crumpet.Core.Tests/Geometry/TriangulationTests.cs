using System.Numerics;
using Crumpet.Core.Geometry;
using FsCheck.Xunit;
using Xunit;

namespace Crumpet.Core.Tests.Geometry;

public sealed class TriangulationTests
{
    [Property(MaxTest = 200)]
    public void Triangles_cover_a_star_shaped_polygon_exactly(ushort seed, byte corners)
    {
        int count = 3 + corners % 14;
        var polygon = new Vector3[count];
        for (int i = 0; i < count; i++)
        {
            var (sin, cos) = MathF.SinCos(2 * MathF.PI * i / count);
            float radius = 0.2f + Shapes.Unit((uint)(seed * 31 + i));
            polygon[i] = new Vector3(cos, sin, 0) * radius;
        }
        var triangles = new List<int>();
        Triangulation.Cut(polygon, triangles);
        Assert.Equal(3 * (count - 2), triangles.Count);
        double sum = 0;
        for (int i = 0; i < triangles.Count; i += 3)
        {
            double area = Area(polygon[triangles[i]], polygon[triangles[i + 1]], polygon[triangles[i + 2]]);
            Assert.True(area > -1e-6, "a triangle is turned over");
            sum += area;
        }
        double whole = Enumerable.Range(0, count).Sum(i => Area(Vector3.Zero, polygon[i], polygon[(i + 1) % count]));
        Assert.Equal(whole, sum, 1e-4);
    }

    [Fact]
    public void A_flat_quad_is_cut_along_its_shorter_diagonal()
    {
        var triangles = new List<int>();
        Triangulation.Cut([new(0, 0, 0), new(4, 0, 0), new(4.5f, 1, 0), new(0.5f, 1, 0)], triangles);
        Assert.Equal([0, 1, 3, 1, 2, 3], triangles);
    }

    [Fact]
    public void A_concave_quad_is_cut_inside_itself()
    {
        var triangles = new List<int>();
        Triangulation.Cut([new(0, 0, 0), new(2, 0, 0), new(0.2f, 0.2f, 0), new(0, 2, 0)], triangles);
        Assert.Equal([0, 1, 2, 0, 2, 3], triangles);
    }

    private static double Area(Vector3 a, Vector3 b, Vector3 c) => Vector3.Cross(b - a, c - a).Z / 2;
}
