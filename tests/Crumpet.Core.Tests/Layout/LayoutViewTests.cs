using System.Buffers.Binary;
using System.Numerics;
using System.Text.Json;
using Crumpet.Core.Geometry;
using Crumpet.Core.Layout;
using Xunit;

namespace Crumpet.Core.Tests.Layout;

/// <summary>The islands' file is read back as the browser reads it.</summary>
public sealed class LayoutViewTests
{
    private static readonly LayoutSettings Anew = new() { Uvs = UvSource.Unwrap, Pack = true, PaddingPixels = 4 };

    [Fact]
    public void The_view_holds_every_triangle_with_its_island_density_and_borders()
    {
        Mesh[] meshes = [Shapes.Cube("cube"), Surfaces.Tube(12) with { Name = "tube" }];
        var (input, result) = Run(Anew with { SlackPercent = 20 }, meshes);
        byte[] bytes = LayoutView.Write(input, result);
        Assert.Equal("CPU1"u8.ToArray(), bytes[..4]);
        int length = BinaryPrimitives.ReadInt32LittleEndian(bytes.AsSpan(4)), start = 8 + length;
        using var header = JsonDocument.Parse(bytes.AsMemory(8, length));
        var root = header.RootElement;
        int triangles = root.GetProperty("triangles").GetInt32();
        Assert.Equal(meshes.Sum(m => m.TriangleCount), triangles);
        Assert.Equal(["cube", "tube"], root.GetProperty("objects").EnumerateArray().Select(o => o.GetProperty("part").GetString()));
        Assert.Equal(result.Report.Islands, root.GetProperty("islands").GetArrayLength());
        int uvAt = start + root.GetProperty("uv").GetInt32(), islandAt = start + root.GetProperty("island").GetInt32(),
            densityAt = start + root.GetProperty("density").GetInt32(), flagsAt = start + root.GetProperty("flags").GetInt32();
        Assert.All((int[])[uvAt, islandAt, densityAt, flagsAt], at => Assert.Equal(0, at % 4));
        int cube = meshes[0].TriangleCount;
        for (int t = 0; t < triangles; t++)
        {
            int own = t < cube ? t : t - cube, on = t < cube ? 0 : 1;
            for (int k = 0; k < 3; k++)
            {
                var uv = new Vector2(BinaryPrimitives.ReadSingleLittleEndian(bytes.AsSpan(uvAt + 24 * t + 8 * k)),
                    BinaryPrimitives.ReadSingleLittleEndian(bytes.AsSpan(uvAt + 24 * t + 8 * k + 4)));
                Assert.Equal(result.Uvs[on][3 * own + k], uv);
            }
            int island = BinaryPrimitives.ReadInt32LittleEndian(bytes.AsSpan(islandAt + 4 * t));
            Assert.Equal(result.TriangleIslands[on][own], island);
            Assert.Equal(result.Report.Each[island].Density, BinaryPrimitives.ReadSingleLittleEndian(bytes.AsSpan(densityAt + 4 * t)),
                0.02 * result.Report.Each[island].Density);
            // A face of the cube is an island of two triangles: all but its diagonal are borders.
            if (on == 0)
                Assert.Equal(2, BitOperations.PopCount((uint)bytes[flagsAt + t] & 28));
        }
    }

    [Fact]
    public void What_is_wrong_with_a_layout_is_said_with_what_mends_it()
    {
        var overlapping = Run(new LayoutSettings(), Shapes.Plane("a"), Shapes.Plane("b", uvFrom: 0.25f)).Result;
        Assert.Contains(overlapping.Findings, f => f is { Code: "overlapping-uvs", Severity: Severity.Warn, Count: > 0 });
        Assert.Equal((0, -1), (overlapping.Report.PaddingPixels, overlapping.Report.PaddingMip));
        var inside = Run(new LayoutSettings(), Shapes.Plane("a"), Shapes.Plane("b", uvFrom: 0.4f, uvTo: 0.6f)).Result;
        Assert.Equal((1, 0), (inside.Report.OverlappingPairs, inside.Report.PaddingPixels));
        var plane = Shapes.Plane("turned");
        var turned = Run(new LayoutSettings(), plane with { UvSets = [Array.ConvertAll(plane.Uvs!, u => new Vector2(1 - u.X, u.Y))] }).Result;
        Assert.Contains(turned.Findings, f => f is { Code: "mirrored-uvs", Count: 2 });
        var stretched = Run(new LayoutSettings(), plane with { UvSets = [Array.ConvertAll(plane.Uvs!, u => new Vector2(u.X, u.Y / 9))] }).Result;
        Assert.Contains(stretched.Findings, f => f is { Code: "stretched-island", Place: "turned" });
        var near = Run(new LayoutSettings(), Shapes.Plane("a", uvFrom: 0.1f, uvTo: 0.5f), Shapes.Plane("b", uvFrom: 0.5f, uvTo: 0.9f)).Result;
        Assert.Contains(near.Findings, f => f.Code == "little-padding");
        Assert.Equal(-1, near.Report.PaddingMip);
        var tight = Run(Anew with { PixelsPerMetre = 1e5 }, Shapes.Cube("c")).Result;
        Assert.Contains(tight.Findings, f => f.Code == "density-not-reached" && f.Sentence.Contains("px/m or less", StringComparison.Ordinal));
        var alone = Run(Anew with { SlackPercent = 10 }, Shapes.Cube("c")).Result;
        Assert.Null(alone.Report.Slack);
        Assert.Contains(alone.Findings, f => f.Code == "slack-without-use");
    }

    private static (LayoutInput Input, LayoutResult Result) Run(LayoutSettings settings, params Mesh[] meshes)
    {
        var input = new LayoutInput([.. meshes.Select(m => new LayoutObject(m, m.Name))], settings, 256) { Threads = 2 };
        return (input, LayoutStation.Run(input));
    }
}
