using System.Numerics;
using Crumpet.Core.Tracing;
using FsCheck.Xunit;
using Xunit;

namespace Crumpet.Core.Tests.Tracing;

public sealed class BvhTests
{
    [Property(MaxTest = 60)]
    public void The_nearest_hit_is_that_of_trying_every_triangle(ushort seed)
    {
        var (positions, corners) = Soup(seed, 120);
        using var bvh = Bvh.Build(positions, corners);
        for (uint i = 0; i < 60; i++)
        {
            var ray = RandomRay((uint)(seed * 997) + i);
            bool found = bvh.Closest(ray, out var hit);
            double nearest = BruteForce(positions, corners, ray, out double margin);
            // Closer to an edge than single precision tells, either answer is right.
            if (margin < 1e-4)
                continue;
            if (double.IsInfinity(nearest))
                Assert.False(found);
            else
                Assert.Equal(nearest, hit.Distance, 1e-4 * (1 + nearest));
            Assert.Equal(found, bvh.Any(ray));
        }
    }

    [Theory]
    [InlineData(float.NaN)]
    [InlineData(float.PositiveInfinity)]
    [InlineData(float.MaxValue)]
    [InlineData(1e300)]
    [InlineData(1e19)]
    [InlineData(1e13)]
    public void Triangles_that_cannot_be_met_are_left_out_and_the_others_are_met(double odd)
    {
        var sphere = Shapes.Sphere("s", 24, 12);
        var positions = sphere.Positions.ToList();
        var corners = sphere.Corners.ToList();
        // Before, between and after the others.
        for (int i = 0; i < 300; i++)
        {
            positions.Add(new Vector3((float)odd, i, -(float)odd));
            corners.InsertRange(i % 3 == 0 ? 0 : corners.Count, [positions.Count - 1, i % 20, 3]);
        }
        using var bvh = Bvh.Build([.. positions], [.. corners], 2);
        for (uint i = 0; i < 400; i++)
        {
            var ray = RandomRay(i) with { Origin = Vector3.Zero, Far = 10 };
            Assert.True(bvh.Closest(ray, out var hit));
            Assert.InRange(hit.Distance * ray.Direction.Length(), 0.9f, 1.001f);
            Assert.DoesNotContain(corners[3 * hit.Triangle], Enumerable.Range(sphere.Positions.Length, 300));
        }
    }

    [Fact]
    public void Splits_that_peel_off_one_triangle_at_a_time_end()
    {
        // Each a tenth of the one before, and thousands of them in one place.
        var positions = new List<Vector3>();
        for (int i = 0; i < 20_000; i++)
        {
            float at = i < 1000 ? MathF.Pow(10, 11 - 0.045f * i) : 1;
            positions.AddRange([new Vector3(at, 0, 0), new Vector3(at * 1.0001f, at * 1e-4f, 0), new Vector3(at, 0, at * 1e-4f)]);
        }
        using var bvh = Bvh.Build([.. positions], [.. Enumerable.Range(0, positions.Count)], 2);
        Assert.InRange(bvh.Levels, 2, 60);
        Assert.True(bvh.Closest(new Ray(new Vector3(1.00003f, -1, 0.00003f), Vector3.UnitY, 0, 2), out _));
    }

    [Theory]
    [InlineData(float.NaN, 1)]
    [InlineData(1, float.NaN)]
    [InlineData(float.PositiveInfinity, 1)]
    [InlineData(1, float.PositiveInfinity)]
    [InlineData(float.MaxValue, float.MaxValue)]
    [InlineData(0, 0)]
    public void Rays_that_are_no_rays_meet_nothing(float origin, float direction)
    {
        var (positions, corners) = Soup(7, 60);
        using var bvh = Bvh.Build(positions, corners);
        using var none = Bvh.Build([], []);
        foreach (var tree in new[] { bvh, none })
        {
            foreach (float far in (float[])[1, float.NaN, float.PositiveInfinity])
            {
                var ray = new Ray(new Vector3(origin), new Vector3(direction), 0, far);
                Assert.False(tree.Closest(ray, out var hit));
                Assert.False(tree.Any(ray));
                Assert.False(tree.ClosestFacing(ray, out _, out bool met));
                Assert.Equal((Hit.None, false), (hit, met));
            }
        }
    }

    [Fact]
    public void Corners_of_no_position_are_refused()
    {
        foreach (int corner in (int[])[-1, 3, int.MaxValue, int.MinValue])
            Assert.Throws<ArgumentException>(() => Bvh.Build([Vector3.Zero, Vector3.UnitX, Vector3.UnitY], [0, 1, corner]));
    }

    [Fact]
    public void A_closed_mesh_never_leaks_even_through_its_edges_and_vertices()
    {
        var sphere = Shapes.Sphere("s", 40, 20);
        using var bvh = Bvh.Build(sphere.Positions, sphere.Corners);
        var targets = sphere.Positions.ToList();
        for (int t = 0; t < sphere.TriangleCount; t++)
            for (int k = 1; k < 8; k++)
                targets.Add(Vector3.Lerp(sphere.PositionAt(3 * t), sphere.PositionAt(3 * t + 1), k / 8f));
        foreach (var target in targets)
            Assert.True(bvh.Closest(new Ray(new Vector3(0.013f, -0.021f, 0.007f), target, 0, 10), out _), $"a ray to {target} leaks");
    }

    [Fact]
    public void Facing_hits_pass_by_back_faces_and_say_so()
    {
        var near = Shapes.Plane("near", height: 1);
        var far = Shapes.Plane("far");
        Vector3[] positions = [.. near.Positions, .. far.Positions];
        int[] corners = [.. near.Corners.Reverse(), .. far.Corners.Select(c => c + 4)];
        using var bvh = Bvh.Build(positions, corners);
        var down = new Ray(new Vector3(0.1f, 2, 0.2f), -Vector3.UnitY, 0, 5);
        Assert.True(bvh.ClosestFacing(down, out var hit, out bool back));
        Assert.Equal(2, hit.Distance, 5);
        Assert.True(back);
        Assert.False(bvh.ClosestFacing(down with { Far = 1.5f }, out _, out back));
        Assert.True(back);
    }

    [Fact]
    public void Axis_parallel_rays_hit_what_lies_in_their_plane()
    {
        var plane = Shapes.Plane("p");
        using var bvh = Bvh.Build(plane.Positions, plane.Corners);
        foreach (var at in (Vector3[])[new(0, 1, 0), new(0.5f, 1, 0), new(-0.25f, 1, 0.25f)])
            Assert.True(bvh.Any(new Ray(at, -Vector3.UnitY, 0, 2)));
        Assert.False(bvh.Any(new Ray(new Vector3(0.51f, 1, 0), -Vector3.UnitY, 0, 2)));
    }

    [Fact]
    public void Barycentric_weights_rebuild_the_point()
    {
        var (positions, corners) = Soup(5, 300);
        using var bvh = Bvh.Build(positions, corners);
        for (uint i = 0; i < 500; i++)
        {
            var ray = RandomRay(i);
            if (!bvh.Closest(ray, out var hit))
                continue;
            Vector3 a = positions[corners[3 * hit.Triangle]], b = positions[corners[3 * hit.Triangle + 1]], c = positions[corners[3 * hit.Triangle + 2]];
            var byWeights = a + hit.U * (b - a) + hit.V * (c - a);
            Assert.True(Vector3.Distance(byWeights, ray.Origin + hit.Distance * ray.Direction) < 1e-4f);
        }
    }

    [Fact]
    public void The_same_rays_hit_the_same_triangles_whatever_built_the_tree()
    {
        var (positions, corners) = Soup(11, 40000);
        using var one = Bvh.Build(positions, corners, 1);
        using var two = Bvh.Build(positions, corners, 2);
        Assert.Equal((one.NodeCount, one.LeafCount), (two.NodeCount, two.LeafCount));
        for (uint i = 0; i < 3000; i++)
        {
            one.Closest(RandomRay(i), out var a);
            two.Closest(RandomRay(i), out var b);
            Assert.Equal(a, b);
        }
    }

    [Fact]
    public void No_triangles_and_equal_triangles_are_fine()
    {
        using var none = Bvh.Build([], []);
        Assert.False(none.Any(RandomRay(1)));
        int[] same = [.. Enumerable.Repeat((int[])[0, 1, 2], 100).SelectMany(c => c)];
        using var stacked = Bvh.Build([Vector3.Zero, Vector3.UnitX, Vector3.UnitZ], same);
        Assert.True(stacked.Closest(new Ray(new Vector3(0.2f, 1, 0.2f), -Vector3.UnitY, 0, 2), out var hit));
        Assert.Equal(0, hit.Triangle);
    }

    [Fact]
    public void Building_can_be_cancelled()
    {
        var (positions, corners) = Soup(3, 1000);
        Assert.Throws<OperationCanceledException>(() => Bvh.Build(positions, corners, 1, new CancellationToken(true)));
    }

    private static (Vector3[] Positions, int[] Corners) Soup(uint seed, int triangles)
    {
        var positions = new Vector3[3 * triangles];
        for (uint i = 0; i < triangles; i++)
        {
            var at = RandomVector(seed * 7919 + 40 * i);
            for (uint c = 0; c < 3; c++)
                positions[3 * i + c] = at + 0.3f * RandomVector(seed * 7919 + 40 * i + 3 * c + 3);
        }
        return (positions, [.. Enumerable.Range(0, 3 * triangles)]);
    }

    private static Ray RandomRay(uint seed) =>
        new(RandomVector(9 * seed + 100000) * 2, Vector3.Normalize(RandomVector(9 * seed + 100003) + new Vector3(1e-3f)), 0, 10);

    private static Vector3 RandomVector(uint seed) => new Vector3(Shapes.Unit(seed), Shapes.Unit(seed + 1), Shapes.Unit(seed + 2)) * 2 - Vector3.One;

    /// <summary>Möller and Trumbore's test in double precision, triangle by triangle.</summary>
    private static double BruteForce(Vector3[] positions, int[] corners, Ray ray, out double margin)
    {
        double nearest = double.PositiveInfinity;
        margin = double.PositiveInfinity;
        for (int t = 0; t < corners.Length; t += 3)
        {
            Vector3 a = positions[corners[t]], e1 = positions[corners[t + 1]] - a, e2 = positions[corners[t + 2]] - a;
            var p = Cross(ray.Direction, e2);
            double det = Dot(e1, p);
            if (Math.Abs(det) < 1e-12)
                continue;
            var s = ray.Origin - a;
            double u = Dot(s, p) / det;
            var q = Cross(s, e1);
            double v = Dot(ray.Direction, q) / det, distance = Dot(e2, q) / det;
            if (distance >= ray.Near)
                margin = Math.Min(margin, Math.Min(Math.Abs(u), Math.Min(Math.Abs(v), Math.Abs(1 - u - v))));
            if (u >= 0 && v >= 0 && u + v <= 1 && distance >= ray.Near && distance <= ray.Far)
                nearest = Math.Min(nearest, distance);
        }
        return nearest;
    }

    private static (double X, double Y, double Z) Cross(Vector3 a, Vector3 b) =>
        ((double)a.Y * b.Z - (double)a.Z * b.Y, (double)a.Z * b.X - (double)a.X * b.Z, (double)a.X * b.Y - (double)a.Y * b.X);

    private static double Dot(Vector3 a, (double X, double Y, double Z) b) => a.X * b.X + a.Y * b.Y + a.Z * b.Z;
}
