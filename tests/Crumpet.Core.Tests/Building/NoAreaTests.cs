using System.Numerics;
using Crumpet.Core.Bake;
using Crumpet.Core.Building;
using Crumpet.Core.Geometry;
using Crumpet.Core.Layout;
using Xunit;

namespace Crumpet.Core.Tests.Building;

/// <summary>Triangles without area take no part in layout, measures and baking, wherever they are and whatever UVs they have.</summary>
public sealed class NoAreaTests
{
    public static TheoryData<LayoutSettings> Layouts => new(
        new LayoutSettings(),
        new LayoutSettings { Pack = true, Rotation = PackRotation.Quarter, PaddingPixels = 2 },
        new LayoutSettings { Uvs = UvSource.Unwrap, Pack = true, Rotation = PackRotation.Quarter, PaddingPixels = 2 });

    [Theory]
    [MemberData(nameof(Layouts))]
    public void A_layout_is_that_of_the_mesh_without_them(LayoutSettings settings)
    {
        var clean = Shapes.Sphere("ball", 12, 6);
        var dirty = With(clean, 40, seed: 7);
        var expected = Run(settings, clean);
        var found = Run(settings, dirty);
        int[] solid = [.. Enumerable.Range(0, dirty.TriangleCount).Where(t => !MeshFlaws.IsEmpty(dirty, t))];
        Assert.Equal(clean.TriangleCount, solid.Length);
        Assert.Equal(expected.Uvs[0], solid.SelectMany(t => found.Uvs[0].AsSpan(3 * t, 3).ToArray()));
        Assert.Equal(expected.Report with { TrianglesWithoutArea = 40, Sheets = [], Each = [] }, found.Report with { Sheets = [], Each = [] }, new Alike());
        Assert.Contains(found.Findings, f => f is { Code: "no-area", Count: 40 });
        foreach (int t in Enumerable.Range(0, dirty.TriangleCount).Except(solid))
        {
            // No texel is theirs, and they lie within the island they belong to.
            Vector2 a = found.Uvs[0][3 * t], b = found.Uvs[0][3 * t + 1] - a, c = found.Uvs[0][3 * t + 2] - a;
            Assert.InRange(MathF.Abs(b.X * c.Y - b.Y * c.X), 0, 1e-5f);
            var own = solid.Where(s => found.TriangleIslands[0][s] == found.TriangleIslands[0][t])
                .SelectMany(s => found.Uvs[0].AsSpan(3 * s, 3).ToArray()).ToArray();
            Assert.All(found.Uvs[0].AsSpan(3 * t, 3).ToArray(), uv => Assert.InRange(uv.X, own.Min(u => u.X) - 1e-6f, own.Max(u => u.X) + 1e-6f));
        }
    }

    [Fact]
    public void A_mesh_of_nothing_else_is_laid_out_and_baked_to_findings()
    {
        var nothing = With(Shapes.Plane("p_low"), 14, seed: 3);
        nothing = MeshRepair.Keep(nothing, t => MeshFlaws.IsEmpty(nothing, t), out _);
        Assert.Equal(0, Run(new LayoutSettings { Uvs = UvSource.Unwrap, Pack = true }, nothing).Report.Islands);
        var asset = new JobAsset("p", nothing, Shapes.Grid("p_high", 4));
        var plan = new AssetPlan { Bake = new BakeSettings { Size = 64, OcclusionRays = 4 } };
        asset.Run(plan);
        Assert.Contains(asset.Build(plan).ResultOf(Station.Intake)!.Findings, f => f.Count == 14);
    }

    [Theory]
    [InlineData(1)]
    [InlineData(2)]
    [InlineData(3)]
    public void A_bake_is_that_of_the_mesh_without_them(int seed)
    {
        Mesh low = Shapes.Sphere("ball_low", 12, 6), high = Shapes.Sphere("ball_high", 48, 24);
        var plan = new AssetPlan
        {
            Bake = new BakeSettings
            {
                Size = 64,
                Samples = 1,
                Maps = [BakeMap.Normal, BakeMap.Height, BakeMap.Occlusion, BakeMap.Curvature, BakeMap.Thickness],
                OcclusionRays = 8,
                ThicknessRays = 8,
                OutwardReachMetres = 0.1f,
                InwardReachMetres = 0.1f,
            },
        };
        JobAsset clean = new("ball", low, high), dirty = new("ball", With(low, 14, seed), With(high, 30, seed));
        clean.Run(plan, Station.Bake);
        dirty.Run(plan, Station.Bake);
        Assert.Equal(clean.Hashes(plan, Station.Bake), dirty.Hashes(plan, Station.Bake));
        dirty.Run(plan);
    }

    /// <summary>A mesh with triangles among its own that repeat a corner, lie on an edge, or are a point; with UVs that have area.</summary>
    private static Mesh With(Mesh mesh, int count, int seed)
    {
        var random = new Random(seed);
        var positions = mesh.Positions.ToList();
        int[] at = [.. Enumerable.Range(0, count).Select(_ => random.Next(mesh.TriangleCount + 1)).Order()];
        List<int> corners = [];
        List<Vector3> normals = [];
        List<Vector2> uvs = [];
        for (int t = 0, next = 0; t <= mesh.TriangleCount; t++)
        {
            for (; next < count && at[next] == t; next++)
                Add(random.Next(mesh.TriangleCount), next % 3);
            for (int c = 3 * t; t < mesh.TriangleCount && c < 3 * t + 3; c++)
            {
                corners.Add(mesh.Corners[c]);
                normals.Add(mesh.Normals![c]);
                uvs.Add(mesh.Uvs![c]);
            }
        }
        return mesh with
        {
            Positions = [.. positions],
            Corners = [.. corners],
            Normals = [.. normals],
            UvSets = [[.. uvs]],
            TriangleMaterials = new int[corners.Count / 3],
            TrianglePolygons = null,
            PolygonCount = corners.Count / 3,
        };

        void Add(int triangle, int kind)
        {
            int a = mesh.Corners[3 * triangle], b = mesh.Corners[3 * triangle + 1], between = positions.Count;
            if (kind == 0)
                positions.Add((positions[a] + positions[b]) / 2);
            corners.AddRange(kind == 0 ? [a, between, b] : kind == 1 ? [a, b, a] : [a, a, a]);
            for (int k = 0; k < 3; k++)
            {
                normals.Add(mesh.Normals![3 * triangle]);
                uvs.Add(new Vector2(random.NextSingle(), random.NextSingle()));
            }
        }
    }

    private static LayoutResult Run(LayoutSettings settings, Mesh mesh) =>
        LayoutStation.Run(new LayoutInput([new LayoutObject(mesh, mesh.Name)], settings, 64) { Threads = 2 });

    private sealed class Alike : IEqualityComparer<LayoutReport>
    {
        public bool Equals(LayoutReport? x, LayoutReport? y) => Text(x!) == Text(y!);

        public int GetHashCode(LayoutReport obj) => 0;

        private static string Text(LayoutReport report) => System.Text.Json.JsonSerializer.Serialize(report, BuildJson.Options);
    }
}
