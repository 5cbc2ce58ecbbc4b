using Crumpet.Core.Tracing;
using Crumpet.Demo;
using Xunit;

namespace Crumpet.Core.Tests.Tracing;

public sealed class RayBundleTests
{
    [Theory]
    [InlineData(4_000)]
    [InlineData(120_000)]
    public void Every_ray_of_a_bundle_hits_what_it_hits_alone(int triangles)
    {
        var mesh = Pebble.High("pebble", triangles);
        using var bvh = Bvh.Build(mesh.Positions, mesh.Corners);
        foreach (var rays in new[] { RaySets.Hemisphere(mesh.Positions, mesh.Corners, 20_000), RaySets.Cage(mesh.Positions, mesh.Corners, 20_000) })
        {
            var hits = new Hit[rays.Length];
            RayBundles.Closest(bvh, rays, hits, 2);
            for (int i = 0; i < rays.Length; i++)
            {
                bvh.Closest(rays[i], out var alone);
                Assert.Equal(alone, hits[i]);
            }
        }
        Assert.Throws<ArgumentException>(() => RayBundles.Closest(bvh, new Ray[2], new Hit[1], 1));
    }
}
