using System.Numerics;
using Crumpet.Core.Geometry;
using Crumpet.Core.Layout;
using Xunit;

namespace Crumpet.Core.Tests.Layout;

/// <summary>What the artist does by hand: edges picked, pins set.</summary>
public sealed class ByHandTests
{
    private static readonly LayoutSettings Anew = new()
    {
        Uvs = UvSource.Unwrap,
        Pack = true,
        PixelsPerMetre = 40,
        Unwrap = new UnwrapSettings { ConeDegrees = 180, StretchLimit = 3 }
    };

    [Fact]
    public void An_edge_loop_runs_around_a_tube_and_closes()
    {
        var tube = Surfaces.Tube(16);
        var picks = new EdgePicks(tube);
        // On the third ring of points, at height 1.
        int edge = picks.Nearest(Ring(tube, 1.0f));
        var loop = picks.Pick(edge, null, EdgeReach.Loop, null);
        Assert.Equal(16, loop.Edges.Count);
        Assert.Equal(32, loop.HalfEdges.Count);
        Assert.All(loop.Edges, e => Assert.Equal((1.0f, 1.0f), (Height(tube, e).A, Height(tube, e).B), new NearPair()));
        Assert.Equal(16 * 2 * Math.Sin(Math.PI / 16), loop.Metres, 1e-4);
        Assert.Single(picks.Pick(edge, null, EdgeReach.Edge, null).Edges);
    }

    [Fact]
    public void A_loop_along_a_crease_stays_on_creases_and_ends_where_they_turn()
    {
        var picks = new EdgePicks(Shapes.Cube("cube"));
        int edge = picks.Nearest(new Vector3(0, 0.5f, 0.5f));
        var loop = picks.Pick(edge, null, EdgeReach.Loop, null);
        var only = Assert.Single(loop.Edges);
        Assert.Equal((0.5f, 0.5f, 1f), (only.Ay, only.Az, MathF.Abs(only.Bx - only.Ax)));
    }

    [Theory]
    [InlineData(0, 0, 4, 0, 1.0)]
    [InlineData(0, 0, 4, 4, 1.41421356)]
    [InlineData(1, 0, 3, 2, 0.70710678)]
    public void The_shortest_path_over_a_grid_has_its_length_in_closed_form(int fromX, int fromY, int toX, int toY, double metres)
    {
        var grid = Surfaces.Grid(4, 4, (u, v) => new Vector3(u, v, 0));
        var picks = new EdgePicks(grid);
        Vector3 from = new(fromX / 4f, fromY / 4f, 0), to = new(toX / 4f, toY / 4f, 0);
        var path = picks.Pick(picks.Nearest(to), to, EdgeReach.Path, from);
        Assert.Equal(metres, path.Metres, 1e-5);
        Assert.Equal(to, path.End);
    }

    [Fact]
    public void A_picked_loop_that_is_cut_parts_kept_islands_and_sewing_joins_them_again()
    {
        var tube = Laid(Surfaces.Tube(16) with { Name = "tube" });
        Assert.Equal(1, Run(new LayoutSettings(), tube).Report.Islands);
        var picks = new EdgePicks(tube);
        var loop = picks.Pick(picks.Nearest(Ring(tube, 1.0f)), null, EdgeReach.Loop, null);
        var cut = Run(Anew with { Uvs = UvSource.Keep, Seams = loop.Edges }, tube);
        Assert.Equal(2, cut.Report.Islands);
        Assert.Equal((0, 0), (cut.Report.OverlapTexels, cut.Report.FlippedTriangles));
        var parted = tube with { UvSets = [cut.Uvs[0]] };
        Assert.Equal(2, Run(new LayoutSettings(), parted).Report.Islands);
        var sewn = Run(Anew with { Uvs = UvSource.Keep, Seams = [.. loop.Edges.Select(e => e with { IsCut = false })] }, parted);
        Assert.Equal(1, sewn.Report.Islands);
        Assert.InRange(sewn.Report.AngleStretch.Worst, 1, 1.01);
    }

    [Fact]
    public void Pins_hold_vertices_to_the_texel_and_nothing_turns_over()
    {
        var dome = Surfaces.Hemisphere(16, 6) with { Name = "dome" };
        var unwrapped = Run(Anew, dome);
        Assert.Equal(1, unwrapped.Report.Islands);
        var rim = Enumerable.Range(0, dome.Corners.Length).Where(c => MathF.Abs(dome.PositionAt(c).Y) < 1e-4f).DistinctBy(c => dome.PositionAt(c)).Take(9)
            .Where((_, i) => i % 4 == 0).ToArray();
        (float U, float V)[] places = [(0.2f, 0.3f), (0.6f, 0.25f), (0.5f, 0.6f)];
        UvPin[] pins = [.. rim.Select((c, i) => new UvPin("dome", dome.PositionAt(c).X, dome.PositionAt(c).Y, dome.PositionAt(c).Z, places[i].U, places[i].V))];
        var pinned = Run(Anew with { Pins = pins }, dome);
        for (int i = 0; i < rim.Length; i++)
            Assert.True(Vector2.Distance(new Vector2(places[i].U, places[i].V), pinned.Uvs[0][rim[i]]) < 2e-6f);
        Assert.Equal((0, 0, true), (pinned.Report.FlippedTriangles, pinned.Report.OverlapTexels, pinned.Report.Each[0].IsLocked));
        Assert.DoesNotContain(pinned.Findings, f => f.Code == "pins-out-of-reach");
    }

    [Fact]
    public void Two_pins_place_an_island_without_stretching_it()
    {
        var flat = Surfaces.Grid(6, 4, (u, v) => new Vector3(1.5f * u, v, 0)) with { Name = "flat" };
        UvPin[] pins = [new("flat", 0, 0, 0, 0.1f, 0.9f), new("flat", 1.5f, 0, 0, 0.1f, 0.6f)];
        var result = Run(Anew with { Pins = pins }, flat);
        Assert.InRange(result.Report.AngleStretch.Worst, 1, 1.0001);
        Assert.Equal(0.3 * 512 / 1.5, result.Report.MedianDensity, 1e-2);
        int corner = Enumerable.Range(0, flat.Corners.Length).First(c => flat.PositionAt(c) == new Vector3(0, 1, 0));
        Assert.True(Vector2.Distance(result.Uvs[0][corner], new Vector2(0.3f, 0.9f)) < 1e-5f);
    }

    [Fact]
    public void One_pin_and_pins_that_would_turn_triangles_over_are_said()
    {
        var flat = Surfaces.Grid(6, 4, (u, v) => new Vector3(1.5f * u, v, 0)) with { Name = "flat" };
        UvPin one = new("flat", 0, 0, 0, 0.1f, 0.1f);
        Assert.Contains(Run(Anew with { Pins = [one] }, flat).Findings, f => f is { Code: "single-pin", Severity: Severity.Note });
        UvPin[] crossed = [one, new("flat", 1.5f, 0, 0, 0.7f, 0.1f), new("flat", 0, 1, 0, 0.7f, 0.5f), new("flat", 1.5f, 1, 0, 0.1f, 0.5f)];
        var result = Run(Anew with { Pins = crossed }, flat);
        Assert.Contains(result.Findings, f => f is { Code: "pins-out-of-reach", Place: "flat" });
        Assert.Equal((0, 0), (result.Report.FlippedTriangles, result.Report.OverlapTexels));
    }

    [Fact]
    public void A_mirrored_half_is_stacked_mirrored()
    {
        var left = Surfaces.Grid(5, 4, (u, v) => new Vector3(u, v, 0.3f * u * u + 0.1f * v)) with { Name = "left" };
        var right = left with
        {
            Name = "right",
            Positions = Array.ConvertAll(left.Positions, p => p with { X = -p.X }),
            Corners = [.. Enumerable.Range(0, left.TriangleCount)
                .SelectMany(t => (int[])[left.Corners[3 * t], left.Corners[3 * t + 2], left.Corners[3 * t + 1]])],
        };
        var result = Run(Anew with { StackEqual = true }, left, right);
        Assert.Equal((2, 1), (result.Report.Islands, result.Report.StackedIslands));
        Assert.Equal(right.TriangleCount, result.Report.FlippedTriangles);
        for (int t = 0; t < left.TriangleCount; t++)
            Assert.True(Vector2.Distance(result.Uvs[0][3 * t + 1] + Vector2.UnitX, result.Uvs[1][3 * t + 2]) < 1e-5f);
    }

    private static Mesh Laid(Mesh mesh) => mesh with { UvSets = [Run(Anew, mesh).Uvs[0]] };

    private static LayoutResult Run(LayoutSettings settings, params Mesh[] meshes) =>
        LayoutStation.Run(new LayoutInput([.. meshes.Select(m => new LayoutObject(m, m.Name))], settings, 512) { Threads = 2 });

    /// <summary>The middle of an edge of the tube's ring of points at some height.</summary>
    private static Vector3 Ring(Mesh tube, float height)
    {
        int corner = Enumerable.Range(0, tube.Corners.Length)
            .First(c => Axis(tube.PositionAt(c)) == height && Axis(tube.PositionAt(Topology.Next(c))) == height);
        return (tube.PositionAt(corner) + tube.PositionAt(Topology.Next(corner))) / 2;
    }

    private static (float A, float B) Height(Mesh tube, SeamEdge e) => (Axis(new Vector3(e.Ax, e.Ay, e.Az)), Axis(new Vector3(e.Bx, e.By, e.Bz)));

    private static float Axis(Vector3 p) => p.Y;

    private sealed class NearPair : IEqualityComparer<(float A, float B)>
    {
        public bool Equals((float A, float B) x, (float A, float B) y) => MathF.Abs(x.A - y.A) < 1e-5f && MathF.Abs(x.B - y.B) < 1e-5f;

        public int GetHashCode((float A, float B) pair) => 0;
    }
}
