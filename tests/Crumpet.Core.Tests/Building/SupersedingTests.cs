using Crumpet.Core.Bake;
using Crumpet.Core.Building;
using Crumpet.Core.Geometry;
using Crumpet.Core.Intake;
using Crumpet.Core.Layout;
using Xunit;

namespace Crumpet.Core.Tests.Building;

/// <summary>A build that is at work on what nobody wants any more is told from one whose work goes on counting.</summary>
public sealed class SupersedingTests
{
    private readonly MemoryResultStore store = new();

    private AssetBuild Build(AssetPlan plan, params SourceFile[] files) => new("a", plan, files, store);

    private SourceFile Source(string name, Mesh mesh)
    {
        using var stream = new MemoryStream();
        ObjWriter.Write(new Scene("", [mesh], [Material.Plain], []), stream, null);
        return new SourceFile(name, store.Put(stream.ToArray()), stream.Length);
    }

    [Theory]
    [InlineData(false)]
    [InlineData(true)]
    public async Task Work_counts_on_while_a_later_decision_asks_for_the_same_job(bool inBake)
    {
        var plan = new AssetPlan { Bake = new BakeSettings { Size = 64, Samples = 1, Maps = [BakeMap.Normal] }, Layout = new LayoutSettings { Pack = true } };
        SourceFile low = Source("a_low.obj", Shapes.Cube("a_low")), high = Source("a_high.obj", Shapes.Cube("a_high"));
        var at = inBake ? Station.Bake : Station.Layout;
        var earlier = Build(plan, low, high);
        using var held = new ManualResetEventSlim();
        using var go = new ManualResetEventSlim();
        using var cancel = new CancellationTokenSource();
        // The build waits in the middle of a job until all was asked.
        var run = Task.Run(() => earlier.Run(at, true, 1, new Held(p =>
        {
            if (p.Station == at && earlier.AtWork.Any(j => j.Station == at) && (!inBake || p.Doing == "casting rays"))
            {
                held.Set();
                go.Wait();
            }
        }), cancel.Token));
        held.Wait();
        Assert.False(Pointless(plan, low, high));
        Assert.False(Pointless(plan with { Trays = Core.Pairs.TrayMode.One }, low, high));
        // A map more, but the one that is cast is wanted.
        Assert.False(Pointless(plan with { Bake = plan.Bake with { Maps = [BakeMap.Normal, BakeMap.Height] } }, low, high));
        Assert.True(Pointless(plan with { Layout = plan.Layout with { PaddingPixels = 3 } }, low, high));
        Assert.True(Pointless(plan with { Mends = [new ScaleUnits(2)] }, low, high));
        // Another high side is nothing to the layout, and everything to the bake.
        var other = Source("a_high.obj", Shapes.Sphere("a_high", 12, 6));
        Assert.Equal(inBake, Pointless(plan, low, other));
        Assert.Equal(inBake, Pointless((plan with { Bake = plan.Bake with { Size = 32 } }).KeepingIslands(plan), low, high));
        go.Set();
        await run;
        Assert.Empty(earlier.AtWork);
        Assert.False(Pointless(plan with { Mends = [new ScaleUnits(2)] }, low, high));

        bool Pointless(AssetPlan decided, params SourceFile[] files) => Superseding.IsPointless(earlier, Build(decided, files), default);
    }

    private sealed class Held(Action<BuildProgress> at) : IProgress<BuildProgress>
    {
        public void Report(BuildProgress value) => at(value);
    }
}
