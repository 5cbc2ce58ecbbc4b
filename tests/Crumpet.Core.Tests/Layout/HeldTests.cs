using System.Numerics;
using Crumpet.Core.Building;
using Crumpet.Core.Geometry;
using Crumpet.Core.Intake;
using Crumpet.Core.Layout;
using Xunit;

namespace Crumpet.Core.Tests.Layout;

/// <summary>What was laid stays where it lies while little changes, and all is laid anew when much does.</summary>
public sealed class HeldTests
{
    private static readonly LayoutSettings Anew = new()
    {
        Uvs = UvSource.Unwrap,
        Pack = true,
        PaddingPixels = 2,
        Rotation = PackRotation.Quarter,
        Unwrap = new() { CutForRoom = false },
    };

    // The same for all that begin with it.
    private static readonly Lazy<LayoutResult> First = new(() => Run(Lumps(), Anew));

    /// <summary>Eight lumps and a small one, of which one may be scaled.</summary>
    private static LayoutObject[] Lumps(float scale = 1, float small = 0.3f) =>
        [.. Enumerable.Range(0, 9).Select(i => new LayoutObject(Scaled(Surfaces.Lumpy(i) with { Name = $"lump_{i}" }, i == 8 ? small * scale : 1),
            $"lump_{i}"))];

    private static Mesh Scaled(Mesh mesh, float scale) => mesh with { Positions = Array.ConvertAll(mesh.Positions, p => scale * p) };

    private static LayoutResult Run(LayoutObject[] objects, LayoutSettings settings, int threads = 1) =>
        LayoutStation.Run(new LayoutInput(objects, settings, 256) { Threads = threads });

    [Fact]
    public void A_part_scaled_by_a_little_is_fitted_in_and_no_other_moves()
    {
        var first = First.Value;
        Assert.Equal(first.Report.Islands, first.Places.Count);
        var held = Anew with { Held = first.Places };
        var again = Run(Lumps(1.004f), held);
        for (int i = 0; i < 8; i++)
            Assert.Equal(first.Uvs[i], again.Uvs[i], (a, b) => Vector2.Distance(a, b) < 1e-6f);
        Assert.NotEqual(first.Uvs[8], again.Uvs[8]);
        Assert.Equal((0, 0), (again.Report.OverlapTexels, again.Report.OutsideTriangles));
        Assert.InRange(again.Report.PaddingPixels, 2, 64);
        Assert.InRange(again.Report.DensitySpread, 0, 0.006);
        int fitted = again.Report.Islands - again.Report.HeldIslands;
        Assert.InRange(fitted, 1, again.Report.Islands / 4);
        Assert.Equal(fitted, Assert.Single(again.Findings, f => f.Code == "fitted-in").Count);
        // Held once more, what was held and what was fitted in stay.
        var third = Run(Lumps(1.004f), Anew with { Held = again.Places });
        Assert.Equal(third.Report.Islands, third.Report.HeldIslands);
        Assert.DoesNotContain(third.Findings, f => f.Code == "fitted-in");
        Assert.All(Enumerable.Range(0, 9), i => Assert.Equal(again.Uvs[i], third.Uvs[i], (a, b) => Vector2.Distance(a, b) < 1e-6f));
        Assert.Equal(again.Uvs, Run(Lumps(1.004f), held, 4).Uvs);
    }

    [Fact]
    public void Copies_and_mirror_images_stay_too_when_the_one_they_were_cut_like_is_scaled()
    {
        // Bent sheets that lie as they are flattened; turned, moved, mirrored, and with triangles in another order.
        static Mesh Bent(int number, float scale)
        {
            var sheet = Surfaces.Grid(7, 4, (u, v) => new Vector3(2 * u, 0.4f * MathF.Sin(4 * u) + 0.2f * u * v, 0.5f * v * (1 + u)));
            var (sin, cos) = MathF.SinCos(0.9f * number);
            float mirror = number % 2 == 1 ? -1 : 1;
            int first = 6 * number;
            int[] corners = [.. sheet.Corners[first..], .. sheet.Corners[..first]];
            if (mirror < 0)
                corners = [.. Enumerable.Range(0, sheet.TriangleCount).SelectMany(t => new[] { corners[3 * t], corners[3 * t + 2], corners[3 * t + 1] })];
            return sheet with
            {
                Name = $"sheet_{number}",
                Corners = corners,
                Positions = Array.ConvertAll(sheet.Positions, p => scale * new Vector3(mirror * (cos * p.X - sin * p.Z), p.Y, sin * p.X + cos * p.Z)
                    + new Vector3(5 * number, 0, 0)),
            };
        }
        static LayoutObject[] Row(float scale) => [.. Enumerable.Range(0, 8)
            .Select(i => new LayoutObject(Bent(i, i == 0 ? scale : 1), $"sheet_{i}"))];
        var first = Run(Row(1), Anew);
        var again = Run(Row(0.996f), Anew with { Held = first.Places });
        Assert.Equal(first.Report.Islands - 1, again.Report.HeldIslands);
        Assert.Equal(0, again.Report.OverlapTexels);
        for (int i = 1; i < 8; i++)
            Assert.Equal(first.Uvs[i], again.Uvs[i], (a, b) => Vector2.Distance(a, b) < 1e-5f);
    }

    [Fact]
    public void A_new_island_takes_a_room_in_which_there_is_not_a_cell_to_spare()
    {
        // Nine equal squares fill the sheet; one comes back by another name.
        static LayoutObject[] Squares(string last) => [.. Enumerable.Range(0, 9).Select(i => i < 8 ? $"square_{i}" : last)
            .Select((name, i) => new LayoutObject(Surfaces.Grid(2, 2, (u, v) => new Vector3(u + 2 * i, 0, v)) with { Name = name }, name))];
        var first = Run(Squares("square_8"), Anew);
        Assert.Equal(9, first.Report.Islands);
        var again = Run(Squares("brought"), Anew with { Held = first.Places });
        Assert.Equal(8, again.Report.HeldIslands);
        Assert.Equal((0, 0), (again.Report.OverlapTexels, again.Report.OutsideTriangles));
        Assert.Equal(first.Report.Covered, again.Report.Covered, 0.001);
        for (int i = 0; i < 8; i++)
            Assert.Equal(first.Uvs[i], again.Uvs[i], (a, b) => Vector2.Distance(a, b) < 1e-6f);
    }

    [Fact]
    public void Where_much_changes_or_the_new_finds_no_room_all_is_laid_anew()
    {
        var held = Anew with { Held = First.Value.Places };
        // Half is gone.
        Assert.Equal(0, Run(Lumps()[..4], held).Report.HeldIslands);
        // A part that is far larger than the room it had.
        var grown = Run(Lumps(small: 0.95f), held);
        Assert.Equal(0, grown.Report.HeldIslands);
        Assert.Equal(Run(Lumps(small: 0.95f), Anew).Uvs, grown.Uvs);
        // In other units nothing is the same.
        Assert.Equal(0, Run([.. Lumps().Select(o => o with { Mesh = Scaled(o.Mesh, 0.01f) })], held).Report.HeldIslands);
    }

    [Fact]
    public void UVs_that_came_are_held_as_they_were_packed()
    {
        var packed = First.Value;
        LayoutObject[] With(LayoutObject[] objects) => [.. objects.Select((o, i) => o with { Mesh = o.Mesh with { UvSets = [packed.Uvs[i]] } })];
        var keeps = Anew with { Uvs = UvSource.Keep, Rotation = PackRotation.Free };
        var first = Run(With(Lumps()), keeps);
        var again = Run(With(Lumps(1.004f)), keeps with { Held = first.Places });
        Assert.True(again.Report.HeldIslands > 0);
        Assert.All(Enumerable.Range(0, 8), i => Assert.Equal(first.Uvs[i], again.Uvs[i], (a, b) => Vector2.Distance(a, b) < 1e-6f));
        Assert.Equal(0, again.Report.OverlapTexels);
    }

    [Fact]
    public void A_plan_holds_islands_when_surfaces_change_and_lets_go_when_the_rules_do()
    {
        var places = First.Value.Places;
        var plan = new AssetPlan { Layout = Anew };
        var mended = (plan with { Mends = [new WeldPoints(0.001)] }).KeepingIslands(plan, () => places);
        Assert.Equal(places, mended.Layout.Held);
        Assert.Null(mended.Problem());
        var resized = (mended with { Bake = mended.Bake with { Size = 512 } }).KeepingIslands(mended, () => []);
        Assert.Equal(places, resized.Layout.Held);
        Assert.Empty((mended with { Layout = mended.Layout with { PaddingPixels = 4 } }).KeepingIslands(mended, () => places).Layout.Held);
        Assert.Empty(mended.LaidFor(2048).Layout.Held);
        Assert.Empty((plan with { Trays = Core.Pairs.TrayMode.One }).KeepingIslands(plan, () => places).Layout.Held);
        Assert.Equal("Islands laid anew", Assert.Single(PlanWords.Changes(mended, mended with { Layout = Anew })));
    }
}
