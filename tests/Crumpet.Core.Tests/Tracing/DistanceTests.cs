using System.Numerics;
using Crumpet.Core.Geometry;
using Crumpet.Core.Tracing;
using Xunit;

namespace Crumpet.Core.Tests.Tracing;

public sealed class DistanceTests
{
    [Fact]
    public void Hulls_with_known_gaps_are_measured()
    {
        Vector3[] low = [new(0, 0, 0), new(1, 0, 0), new(0, 0, 1)], above = [new(0.2f, 0.3f, 0.2f), new(5, 2, 0), new(0, 2, 5)];
        var gap = HullDistance.Between(low, above);
        Assert.Equal(0.3f, gap.Distance, 1e-6f);
        Assert.Equal(new Vector3(0.2f, 0, 0.2f), gap.One);
        Assert.Equal(above[0], gap.Two);
        // Two edges that cross at right angles.
        Assert.Equal(0.25f, HullDistance.Between([new(-1, 0, 0), new(1, 0, 0)], [new(0, 0.25f, -1), new(0, 0.25f, 1)]).Distance, 1e-6f);
        Assert.Equal(0, HullDistance.Between(low, [new(0.2f, -1, 0.2f), new(0.2f, 1, 0.2f), new(0.3f, 1, 0.2f)]).Distance);
        // Wholly inside.
        Vector3[] prism = [new(0, 0, 0), new(1, 0, 0), new(0, 0, 1), new(0, 1, 0), new(1, 1, 0), new(0, 1, 1)];
        Assert.Equal(0, HullDistance.Between(prism, [new(0.2f, 0.4f, 0.2f), new(0.21f, 0.4f, 0.2f), new(0.2f, 0.41f, 0.2f)]).Distance);
    }

    [Fact]
    public void Random_hulls_are_as_far_apart_as_a_plane_between_them_proves()
    {
        var random = new Random(7);
        int apart = 0;
        for (int round = 0; round < 700; round++)
        {
            var one = Points(random, 6, Vector3.Zero);
            var two = Points(random, 3, new Vector3(random.NextSingle() * 2, random.NextSingle(), random.NextSingle()));
            var gap = HullDistance.Between(one, two);
            Assert.Equal(gap.Distance, Vector3.Distance(gap.One, gap.Two), 1e-5f);
            // The places are on their hulls, so the hulls are no farther apart than they are.
            Assert.InRange(Projected(one, [gap.One]), 0, 8e-3);
            Assert.InRange(Projected(two, [gap.Two]), 0, 8e-3);
            if (gap.Distance == 0)
                continue;
            // No point of either is beyond the plane through its place, so they are no nearer.
            var normal = Vector3.Normalize(gap.One - gap.Two);
            Assert.True(one.Min(v => Vector3.Dot(normal, v)) - two.Max(v => Vector3.Dot(normal, v)) >= gap.Distance - 1e-5f - 1e-6f / gap.Distance,
                $"round {round}");
            apart++;
        }
        Assert.InRange(apart, 175, 680);
    }

    [Fact]
    public void Far_from_the_origin_a_tenth_of_a_millimetre_still_counts()
    {
        var far = new Vector3(120, -40, 300);
        Vector3[] one = [far, far + Vector3.UnitX * 0.01f, far + Vector3.UnitZ * 0.01f], two = [.. one.Select(p => p + Vector3.UnitY * 0.0031f)];
        Assert.Equal(0.0031f, HullDistance.Between(one, two).Distance, 4e-5f);
    }

    [Fact]
    public void The_nearest_place_and_the_least_distance_are_those_of_trying_everything()
    {
        var random = new Random(3);
        for (int round = 0; round < 20; round++)
        {
            Mesh one = Soup(random, 60, Vector3.Zero), two = Soup(random, 80, new Vector3(random.NextSingle() * 4, 0.5f, 0));
            SurfaceTree a = SurfaceTree.Build([one]), b = SurfaceTree.Build([two]);
            var p = new Vector3(random.NextSingle(), random.NextSingle(), random.NextSingle()) * 3;
            float nearest = Enumerable.Range(0, 60)
                .Min(t => Vector3.Distance(p, SurfaceTree.ClosestOnTriangle(p, a.Corner(t, 0), a.Corner(t, 1), a.Corner(t, 2))));
            Assert.Equal(nearest, a.Nearest(p, 100).Distance, 1e-5f);
            Assert.Equal(-1, a.Nearest(p, nearest * 0.99f).Triangle);
            float least = float.PositiveInfinity;
            for (int i = 0; i < 60; i++)
                for (int j = 0; j < 80; j++)
                    least = MathF.Min(least, HullDistance.Between([a.Corner(i, 0), a.Corner(i, 1), a.Corner(i, 2)],
                        [b.Corner(j, 0), b.Corner(j, 1), b.Corner(j, 2)]).Distance);
            var measure = new Triangles(a, b);
            Assert.Equal(least, a.Boxes.LeastDistance(b.Boxes, 100, ref measure, out _, out _), 1e-6f);
            var found = new List<int>();
            a.Boxes.Around(p, nearest * 1.01f, found);
            Assert.NotEmpty(found);
        }
    }

    [Fact]
    public void A_hierarchy_of_equal_boxes_is_built_and_searched()
    {
        var boxes = Enumerable.Repeat(new Bounds(Vector3.Zero, Vector3.One), 5000).ToArray();
        var tree = BoxTree.Build(boxes);
        var found = new List<int>();
        tree.Around(new Vector3(2, 0, 0), 1, found);
        Assert.Equal(5000, found.Distinct().Count());
        Assert.True(BoxTree.Build([]).Bounds.IsEmpty);
    }

    private readonly struct Triangles(SurfaceTree a, SurfaceTree b) : IPairDistance
    {
        public float Distance(int one, int two, float limit) =>
            HullDistance.Between([a.Corner(one, 0), a.Corner(one, 1), a.Corner(one, 2)], [b.Corner(two, 0), b.Corner(two, 1), b.Corner(two, 2)],
                limit).Distance;
    }

    private static Vector3[] Points(Random random, int count, Vector3 offset) =>
        [.. Enumerable.Range(0, count).Select(_ => offset + new Vector3(random.NextSingle(), random.NextSingle(), random.NextSingle()))];

    private static Mesh Soup(Random random, int triangles, Vector3 offset)
    {
        var positions = Enumerable.Range(0, triangles).SelectMany(_ => Points(random, 3, offset + Points(random, 1, Vector3.Zero)[0] * 2).Select(p => p * 0.3f))
            .ToArray();
        return new Mesh { Name = "soup", Positions = positions, Corners = [.. Enumerable.Range(0, 3 * triangles)], TriangleMaterials = new int[triangles] };
    }

    /// <summary>Frank and Wolfe's method on both hulls at once: slow, simple and independent.</summary>
    private static double Projected(Vector3[] one, Vector3[] two)
    {
        double[] p = [one.Average(v => (double)v.X), one.Average(v => (double)v.Y), one.Average(v => (double)v.Z)],
            q = [two.Average(v => (double)v.X), two.Average(v => (double)v.Y), two.Average(v => (double)v.Z)];
        for (int step = 0; step < 4000; step++)
        {
            double[] d = [p[0] - q[0], p[1] - q[1], p[2] - q[2]];
            var a = one.MinBy(v => v.X * d[0] + v.Y * d[1] + v.Z * d[2]);
            var b = two.MaxBy(v => v.X * d[0] + v.Y * d[1] + v.Z * d[2]);
            double[] e = [a.X - b.X - d[0], a.Y - b.Y - d[1], a.Z - b.Z - d[2]];
            double length = e[0] * e[0] + e[1] * e[1] + e[2] * e[2];
            if (length < 1e-18)
                break;
            double t = Math.Clamp(-(e[0] * d[0] + e[1] * d[1] + e[2] * d[2]) / length, 0, 1);
            for (int i = 0; i < 3; i++)
            {
                p[i] += t * (a[i] - p[i]);
                q[i] += t * (b[i] - q[i]);
            }
        }
        return Math.Sqrt(Math.Pow(p[0] - q[0], 2) + Math.Pow(p[1] - q[1], 2) + Math.Pow(p[2] - q[2], 2));
    }
}
