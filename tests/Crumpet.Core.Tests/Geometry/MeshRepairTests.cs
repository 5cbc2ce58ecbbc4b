using System.Numerics;
using Crumpet.Core.Geometry;
using FsCheck.Xunit;
using Xunit;

namespace Crumpet.Core.Tests.Geometry;

public sealed class MeshRepairTests
{
    private const float Tolerance = 1e-5f;

    [Fact]
    public void A_closed_shape_without_flaws_has_none()
    {
        var flaws = MeshFlaws.Find(Shapes.Sphere("ball", 24, 12), Tolerance);
        Assert.Equal((1, 0, 0, 0, 0, 0), (flaws.Shells, flaws.Borders.Count, flaws.Crowded.Count, flaws.Mixed.Count, flaws.InsideOut.Count,
            flaws.Unwelded.Count));
        Assert.Equal((0, 0, 0, false), (flaws.Empty.Count, flaws.Doubled.Count, flaws.AgainstNormals.Count, flaws.IsFacetted));
        var cube = MeshFlaws.Find(Shapes.Cube("box"), Tolerance);
        Assert.Equal((12, 12), (cube.Hard.Count, cube.HardWithoutSeam.Count + Seams(Shapes.Cube("box"))));
    }

    [Fact]
    public void Edges_agree_with_a_count_by_hand()
    {
        // Three fins on one edge, a flipped neighbour, and a lone triangle.
        var mesh = Shapes.Soup("fins", new(0, 0, 0), new(1, 0, 0), new(0, 1, 0), new(0, 0, 0), new(1, 0, 0), new(0, -1, 0), new(0, 0, 0), new(1, 0, 0),
            new(0, 0, 1), new(5, 0, 0), new(6, 0, 0), new(5, 1, 0), new(5, 0, 0), new(6, 0, 0), new(5, -1, 0));
        var flaws = MeshFlaws.Find(mesh, Tolerance);
        Assert.Equal((1, 1, 2, 10), (flaws.Crowded.Count, flaws.Mixed.Count, flaws.Shells, flaws.Borders.Count));
    }

    [Property(MaxTest = 40)]
    public void Turned_triangles_are_found_and_turned_back(int seed)
    {
        var ball = Shapes.Sphere("ball", 14, 9);
        uint s = (uint)seed;
        var wrong = Turned(ball, t => Shapes.Unit(s + (uint)t) < 0.4f);
        var mended = MeshRepair.FaceOutward(wrong, out int turned);
        Assert.Equal(Enumerable.Range(0, ball.TriangleCount).Count(t => Shapes.Unit(s + (uint)t) < 0.4f), turned);
        Assert.Equal(ball.Corners, mended.Corners);
        Assert.Equal(ball.Uvs!, mended.Uvs!);
        Assert.Equal(ball.Normals!, mended.Normals!);
        Assert.Equal(turned == 0, ReferenceEquals(mended, wrong));
    }

    [Fact]
    public void A_ball_that_is_inside_out_is_turned_and_a_cavity_is_not()
    {
        var ball = Shapes.Sphere("ball", 16, 10) with { Normals = null };
        var insideOut = Turned(ball, _ => true);
        Assert.Equal(ball.TriangleCount, MeshFlaws.Find(insideOut, Tolerance).InsideOut.Count);
        Assert.Equal(ball.Corners, MeshRepair.FaceOutward(insideOut, out _).Corners);
        // A hollow ball: the inner wall rightly looks inwards.
        var (positions, corners) = Mesh.Join([ball, insideOut with { Positions = Array.ConvertAll(insideOut.Positions, p => p * 0.8f) }]);
        var hollow = new Mesh { Name = "hollow", Positions = positions, Corners = corners, TriangleMaterials = new int[corners.Length / 3] };
        Assert.Equal(0, MeshFlaws.Find(hollow, Tolerance).InsideOut.Count);
        Assert.Equal(hollow.Corners, MeshRepair.FaceOutward(hollow, out int turned).Corners);
        Assert.Equal(0, turned);
    }

    [Property(MaxTest = 30)]
    public void Torn_points_are_found_and_welded(int seed)
    {
        var grid = Shapes.Grid("cloth", 6);
        // Every corner gets a point of its own, moved by a hair.
        var torn = grid with
        {
            Positions = [.. grid.Corners.Select((c, i) => grid.Positions[c] + new Vector3(Shapes.Unit((uint)(seed + 3 * i)) - 0.5f,
                Shapes.Unit((uint)(seed + 3 * i + 1)) - 0.5f, 0) * 8e-6f)],
            Corners = [.. Enumerable.Range(0, grid.Corners.Length)],
        };
        Assert.True(MeshFlaws.Find(torn, 1.2e-5f).Unwelded.Count > 0);
        var welded = MeshRepair.Weld(torn, 1.2e-5f, out int moved);
        Assert.Equal(grid.Positions.Length, welded.Positions.Length);
        Assert.Equal(torn.Positions.Length - grid.Positions.Length, moved);
        Assert.Equal((0, 24), (MeshFlaws.Find(welded, 1.2e-5f).Unwelded.Count, MeshFlaws.Find(welded, 1.2e-5f).Borders.Count));
    }

    [Fact]
    public void Points_farther_apart_than_the_tolerance_stay_apart()
    {
        var mesh = Shapes.Soup("two", new(0, 0, 0), new(1, 0, 0), new(0, 1, 0), new(0.002f, 0, 0), new(1, 0, 1), new(0, 1, 1));
        MeshRepair.Weld(mesh, 0.0019f, out int none);
        MeshRepair.Weld(mesh, 0.0021f, out int one);
        Assert.Equal((0, 1), (none, one));
    }

    [Fact]
    public void Empty_and_doubled_triangles_go_and_everything_else_stays()
    {
        var plane = Shapes.Plane("p");
        int[] corners = [.. plane.Corners, 0, 1, 1, 2, 1, 0];
        var wrong = plane with
        {
            Corners = corners,
            Normals = [.. Enumerable.Repeat(Vector3.UnitY, 12)],
            UvSets = [[.. plane.Uvs!, .. new Vector2[6]]],
            TriangleMaterials = [3, 4, 5, 6]
        };
        var flaws = MeshFlaws.Find(wrong, Tolerance);
        Assert.Equal((1, 1), (flaws.Empty.Count, flaws.Doubled.Count));
        var mended = MeshRepair.DropDoubled(MeshRepair.DropEmpty(wrong, out int empty), out int doubled);
        Assert.Equal((1, 1), (empty, doubled));
        Assert.Equal(plane.Corners, mended.Corners);
        Assert.Equal(plane.Uvs!, mended.Uvs!);
        Assert.Equal([3, 4], mended.TriangleMaterials);
    }

    [Fact]
    public void Smoothing_by_angle_keeps_the_edges_of_a_box_and_rounds_a_ball()
    {
        var cube = MeshRepair.SmoothByAngle(Shapes.Cube("box") with { Normals = null }, 60);
        Assert.Equal(Shapes.Cube("box").Normals!.Select(Round), cube.Normals!.Select(Round));
        var ball = Shapes.Sphere("ball", 32, 16);
        var facetted = Shapes.WithFlatNormals(ball);
        Assert.True(MeshFlaws.Find(facetted, Tolerance).IsFacetted);
        var smooth = MeshRepair.SmoothByAngle(facetted, 40);
        Assert.False(MeshFlaws.Find(smooth, Tolerance).IsFacetted);
        for (int c = 0; c < ball.Corners.Length; c++)
            Assert.True(Vector3.Distance(smooth.Normals![c], ball.Normals![c]) < 0.03f);

        static Vector3 Round(Vector3 v) => Vector3.Round(v * 1000) / 1000;
    }

    [Fact]
    public void Hard_edges_without_seam_are_softened_or_cut()
    {
        // A fold along x = 0 whose UVs run on.
        var fold = new Mesh
        {
            Name = "fold_low",
            Positions = [new(-1, 0, 0), new(0, 0.8f, 0), new(1, 0, 0), new(-1, 0, 1), new(0, 0.8f, 1), new(1, 0, 1)],
            Corners = [0, 3, 4, 0, 4, 1, 1, 4, 5, 1, 5, 2],
            UvSets = [[new(0.1f, 0.1f), new(0.1f, 0.5f), new(0.5f, 0.5f), new(0.1f, 0.1f), new(0.5f, 0.5f), new(0.5f, 0.1f), new(0.5f, 0.1f), new(0.5f, 0.5f),
                new(0.9f, 0.5f), new(0.5f, 0.1f), new(0.9f, 0.5f), new(0.9f, 0.1f)]],
            TriangleMaterials = new int[4],
        };
        fold = Shapes.WithFlatNormals(fold) with { UvSets = fold.UvSets };
        Assert.Equal(1, MeshFlaws.Find(fold, Tolerance).HardWithoutSeam.Count);
        var soft = MeshRepair.Soften(fold, out int softened);
        Assert.Equal((1, 0, 0), (softened, MeshFlaws.Find(soft, Tolerance).HardWithoutSeam.Count, MeshFlaws.Find(soft, Tolerance).Hard.Count));
        Assert.True(Vector3.Distance(soft.Normals![2], Vector3.UnitY) < 1e-5f);
        var cut = MeshRepair.CutHardEdges(fold, 0.02f, out int cuts);
        Assert.Equal((1, 0, 1), (cuts, MeshFlaws.Find(cut, Tolerance).HardWithoutSeam.Count, MeshFlaws.Find(cut, Tolerance).Hard.Count));
        float left = new[] { 0, 1, 2, 3, 4, 5 }.Max(c => cut.Uvs![c].X), right = new[] { 6, 7, 8, 9, 10, 11 }.Min(c => cut.Uvs![c].X);
        Assert.Equal(0.02f, right - left, 1e-4f);
    }

    [Fact]
    public void Concave_and_warped_polygons_are_told_from_good_ones()
    {
        Assert.Equal((1, 0), Polygons("v 0 0 0\nv 4 0 0\nv 4 4 0\nv 2 1 0\nv 0 4 0\nf 1 2 3 4 5\n"));
        Assert.Equal((0, 1), Polygons("v 0 0 0\nv 1 0 0\nv 1 1 0.4\nv 0 1 0\nf 1 2 3 4\n"));
        Assert.Equal((0, 0), Polygons("v 0 0 0\nv 1 0 0\nv 1 1 0\nv 0 1 0\nf 1 2 3 4\nf 1 2 3\n"));

        static (int, int) Polygons(string text)
        {
            var flaws = MeshFlaws.Find(ObjReader.Read(new MemoryStream(System.Text.Encoding.ASCII.GetBytes(text)), "x.obj", _ => []).Meshes[0], Tolerance);
            return (flaws.Concave.Count, flaws.Warped.Count);
        }
    }

    private static Mesh Turned(Mesh mesh, Func<int, bool> which)
    {
        return mesh with { Corners = Of(mesh.Corners), Normals = mesh.Normals is null ? null : Of(mesh.Normals), UvSets = [.. mesh.UvSets.Select(Of)] };

        T[] Of<T>(T[] perCorner)
        {
            var turned = (T[])perCorner.Clone();
            for (int t = 0; t < mesh.TriangleCount; t++)
            {
                if (which(t))
                    (turned[3 * t + 1], turned[3 * t + 2]) = (turned[3 * t + 2], turned[3 * t + 1]);
            }
            return turned;
        }
    }

    private static int Seams(Mesh mesh)
    {
        var topology = Topology.Of(mesh);
        return Enumerable.Range(0, mesh.Corners.Length)
            .Count(c => topology.Across[c] > c && MeshFlaws.IsHard(topology, c) && !MeshFlaws.RunsOn(topology, mesh.Uvs!, c));
    }
}
