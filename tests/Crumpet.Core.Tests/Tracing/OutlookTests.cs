using System.Numerics;
using Crumpet.Core.Geometry;
using Crumpet.Core.Imaging;
using Crumpet.Core.Tests.Layout;
using Crumpet.Core.Tracing;
using Xunit;

namespace Crumpet.Core.Tests.Tracing;

/// <summary>Rays of one place cast over what was found to be ahead of it, against rays over the whole.</summary>
public sealed class OutlookTests
{
    private const float Slack = 1e-6f;

    [Theory]
    [InlineData(1u, 1e30f, 500)]
    [InlineData(2u, 0.3f, 100)]
    [InlineData(3u, 0.02f, 5)]
    public void Rays_meet_what_they_meet_without_it(uint seed, float range, int least)
    {
        // Triangles strewn about, of which every place has some before and some behind it.
        var positions = Enumerable.Range(0, 12_000).Select(i =>
        {
            var centre = Vector(seed * 7919 + (uint)(i / 3)) * (1 + i / 3 % 2);
            return centre + Vector(seed * 104_729 + (uint)i) * 0.05f;
        }).ToArray();
        using var bvh = Bvh.Build(positions, [.. Enumerable.Range(0, positions.Length)]);
        var places = Enumerable.Range(0, 400).Select(i => (Vector((uint)i + 17), Vector3.Normalize(Vector((uint)i + 9001))));
        Assert.InRange(Compare(bvh, places, range), least, 6000);
    }

    [Fact]
    public void From_a_surface_of_waves_they_meet_the_waves_and_from_a_ball_nothing()
    {
        var waves = Surfaces.Grid(40, 40, (u, v) => new Vector3(u, 0.1f * MathF.Sin(20 * u) * MathF.Cos(20 * v), v));
        using var bvh = Bvh.Build(waves.Positions, waves.Corners);
        Assert.InRange(Compare(bvh, Places(waves), 1e30f), waves.TriangleCount, 12 * waves.TriangleCount);
        var ball = Shapes.Sphere("ball", 48, 24);
        using var round = Bvh.Build(ball.Positions, ball.Corners);
        Assert.Equal(0, Compare(round, Places(ball), 1e30f));
        // Of a ball nothing is over a plane that touches it, which is known before any ray is cast.
        round.Look(new Vector3(0, 1.001f, 0), Vector3.UnitY, Slack, 1e30f, out var outlook);
        Assert.Equal(0, outlook.Count);
    }

    private static IEnumerable<(Vector3, Vector3)> Places(Mesh mesh) => Enumerable.Range(0, mesh.TriangleCount).Select(t =>
    {
        Vector3 a = mesh.PositionAt(3 * t), b = mesh.PositionAt(3 * t + 1), c = mesh.PositionAt(3 * t + 2);
        var normal = Vector3.Normalize(Vector3.Cross(b - a, c - a));
        return ((a + b + c) / 3 + normal * (2 * Slack), normal);
    });

    private static int Compare(Bvh bvh, IEnumerable<(Vector3 Point, Vector3 Up)> places, float range)
    {
        int met = 0;
        foreach (var (point, up) in places)
        {
            bvh.Look(point, up, Slack, range, out var outlook);
            Assert.InRange(outlook.Count, 0, Outlook.Most);
            var hemisphere = new Hemisphere(up);
            for (uint i = 0; i < 16; i++)
            {
                var ray = new Ray(point, hemisphere.Direction(SobolSequence.Point(i, 5)), 0, range);
                bool wanted = bvh.Any(ray);
                Assert.Equal(wanted, bvh.Any(ray, in outlook));
                met += wanted ? 1 : 0;
            }
        }
        return met;
    }

    private static Vector3 Vector(uint seed) =>
        new Vector3(Shapes.Unit(3 * seed), Shapes.Unit(3 * seed + 1), Shapes.Unit(3 * seed + 2)) * 2 - Vector3.One;
}
