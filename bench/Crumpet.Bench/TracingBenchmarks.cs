using System.Numerics;
using BenchmarkDotNet.Attributes;
using Crumpet.Core.Geometry;
using Crumpet.Core.Tracing;
using Crumpet.Demo;

namespace Crumpet.Bench;

/// <summary>Building the hierarchy and casting rays on the demo's high side. bench/rays sets the rays beside the yardstick.</summary>
[ShortRunJob]
public class TracingBenchmarks
{
    private Vector3[] positions = [];
    private int[] corners = [];
    private Ray[] rays = [];
    private Bvh bvh = null!;

    /// <summary>Prepares triangles and rays.</summary>
    [GlobalSetup]
    public void Prepare()
    {
        (positions, corners) = Mesh.Join(LouvreScreen.High().Meshes);
        rays = RaySets.Hemisphere(positions, corners, 200_000);
        bvh = Bvh.Build(positions, corners);
    }

    /// <summary>Frees the hierarchy.</summary>
    [GlobalCleanup]
    public void Free() => bvh.Dispose();

    /// <summary>Builds the hierarchy on two threads.</summary>
    [Benchmark]
    public void Build() => Bvh.Build(positions, corners, 2).Dispose();

    /// <summary>Casts 200 000 hemisphere rays on one thread.</summary>
    [Benchmark]
    public int Cast()
    {
        int hits = 0;
        foreach (ref var ray in rays.AsSpan())
            if (bvh.Closest(ray, out _))
                hits++;
        return hits;
    }
}
