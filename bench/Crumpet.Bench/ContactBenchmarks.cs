using System.Numerics;
using BenchmarkDotNet.Attributes;
using Crumpet.Core.Geometry;
using Crumpet.Core.Pairs;
using Crumpet.Core.Tracing;

namespace Crumpet.Bench;

/// <summary>
/// Contacts among 200 parts of 10,000 triangles each side that nearly touch, beside building the ray hierarchy of the same high
/// triangles: work that every bake of them does anyway.
/// </summary>
[ShortRunJob]
public class ContactBenchmarks
{
    private const int Across = 6, Parts = 200, Around = 100, Down = 51;

    private ContactPart[] parts = [];
    private Vector3[] positions = [];
    private int[] corners = [];

    /// <summary>Dented balls 8 mm apart.</summary>
    [GlobalSetup]
    public void Setup()
    {
        parts = [.. Enumerable.Range(0, Parts).Select(i =>
        {
            var ball = Ball(new Vector3(i % Across, i / Across % Across, i / (Across * Across)) * 0.208f);
            return new ContactPart([ball], [ball], 0.012f, 0.02f);
        })];
        (positions, corners) = Mesh.Join([.. parts.Select(p => p.High[0])]);
    }

    /// <summary>The yardstick.</summary>
    [Benchmark(Baseline = true)]
    public int BuildOneRayHierarchy()
    {
        using var bvh = Bvh.Build(positions, corners, Environment.ProcessorCount);
        return bvh.NodeCount;
    }

    /// <summary>All contacts.</summary>
    [Benchmark]
    public int FindContacts() => ContactFinder.Find(parts, Environment.ProcessorCount).Count;

    private static Mesh Ball(Vector3 centre)
    {
        var points = new List<Vector3>();
        for (int j = 0; j < Down; j++)
        {
            float t = MathF.PI * j / (Down - 1);
            for (int i = 0; i < Around; i++)
            {
                float p = 2 * MathF.PI * i / Around, r = 0.1f * (1 + 0.03f * MathF.Sin(5 * p) * MathF.Sin(4 * t));
                points.Add(centre + r * new Vector3(MathF.Sin(t) * MathF.Cos(p), MathF.Cos(t), -MathF.Sin(t) * MathF.Sin(p)));
            }
        }
        int[] triangles = [.. Enumerable.Range(0, (Down - 1) * Around).SelectMany(k =>
        {
            int a = k, b = k / Around * Around + (k + 1) % Around;
            return (int[])[a, a + Around, b + Around, a, b + Around, b];
        })];
        return new Mesh { Name = "ball", Positions = [.. points], Corners = triangles, TriangleMaterials = new int[triangles.Length / 3] };
    }
}
