using Crumpet.Core.Bake;
using Crumpet.Core.Building;
using Crumpet.Core.Geometry;
using Crumpet.Core.Intake;
using Crumpet.Core.Layout;
using Xunit;

namespace Crumpet.Core.Tests.Building;

/// <summary>What was laid stays laid, at whatever size it is baked.</summary>
public sealed class LaidSizeTests
{
    [Fact]
    public void Another_bake_size_moves_no_island_and_laying_out_anew_is_a_decision_of_its_own()
    {
        var laid = new AssetPlan { Bake = new BakeSettings { Size = 1024 } };
        var smaller = (laid with { Bake = laid.Bake with { Size = 256 } }).KeepingIslands(laid);
        Assert.Equal((256, 1024), (smaller.Bake.Size, smaller.LaidSize));
        // Changed again it stays where it was laid first.
        var larger = (smaller with { Bake = smaller.Bake with { Size = 4096 } }).KeepingIslands(smaller);
        Assert.Equal(1024, larger.LaidSize);
        Assert.Contains(PlanWords.Changes(laid, smaller), w => w.Contains("Islands laid for 1024 px", StringComparison.Ordinal));
        Assert.Equal(4096, PlanMends.With(larger, new LayOutFor(4096)).LaidSize);
        // Whatever else is decided says nothing of the size.
        Assert.Null((laid with { Trays = Core.Pairs.TrayMode.One }).KeepingIslands(laid).Layout.SizePixels);
    }

    [Fact]
    public void The_layout_is_the_same_bytes_and_its_padding_is_told_at_the_size_that_is_baked()
    {
        var plan = new AssetPlan { Bake = new BakeSettings { Size = 128, Samples = 1, Maps = [BakeMap.Normal] }, Layout = new LayoutSettings { Pack = true } };
        var store = new MemoryResultStore();
        SourceFile[] files = [Source("a_low.obj", Shapes.Cube("a_low")), Source("a_high.obj", Shapes.Cube("a_high"))];
        var before = Laid(plan);
        var after = Laid((plan with { Bake = plan.Bake with { Size = 32 } }).KeepingIslands(plan));
        Assert.Equal(before.File(StationResults.IslandsName).Sha256, after.File(StationResults.IslandsName).Sha256);
        Assert.DoesNotContain(before.Findings, f => f.Code == "laid-for-another-size");
        var told = Assert.Single(after.Findings, f => f.Code == "laid-for-another-size");
        var report = before.As<LayoutReport>();
        Assert.Contains(FormattableString.Invariant($"as near as {report.PaddingPixels / 4:0.0} px"), told.Sentence, StringComparison.Ordinal);
        Assert.Equal(new LayOutFor(32), Assert.Single(told.Mends).Mend);
        // Said or not, the same size is the same job.
        Assert.Equal(before.Key, Laid(plan with { Layout = plan.Layout with { SizePixels = 128 } }).Key);

        StationResult Laid(AssetPlan decided)
        {
            var build = new AssetBuild("a", decided, files, store);
            Assert.Equal(Station.Layout, build.Run(Station.Layout, throughStops: true, 1, null, default).Station);
            return build.ResultOf(Station.Layout)!;
        }

        SourceFile Source(string name, Mesh mesh)
        {
            using var stream = new MemoryStream();
            ObjWriter.Write(new Scene("", [mesh], [Material.Plain], []), stream, null);
            byte[] bytes = stream.ToArray();
            return new SourceFile(name, store.Put(bytes), bytes.Length);
        }
    }
}
