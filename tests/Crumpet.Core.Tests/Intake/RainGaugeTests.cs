using System.Numerics;
using Crumpet.Core.Building;
using Crumpet.Core.Geometry;
using Crumpet.Core.Intake;
using Crumpet.Core.Jobs;
using Crumpet.Core.Pairs;
using Crumpet.Core.Tests.Building;
using Crumpet.Demo;
using Xunit;

namespace Crumpet.Core.Tests.Intake;

/// <summary>The demo's rain gauge arrives wrong in seven ways; the anemometer arrives right.</summary>
public sealed class RainGaugeTests
{
    // With a sixty-fourth of the high side's triangles, and all of its faults.
    private static readonly DemoAsset Gauge = DemoKit.RainGaugeAsset(every: 4);

    [Theory]
    [InlineData("unit-suspect")]
    [InlineData("z-up")]
    [InlineData("several-low-materials")]
    [InlineData("name-prefix")]
    [InlineData("name-case")]
    [InlineData("texture-missing")]
    [InlineData("scale-negative")]
    public void Each_of_the_seven_ways_is_found_and_mended_with_one_press(string code)
    {
        var finding = Assert.Single(TakeIn(Gauge).Findings, f => f.Code == code);
        var offer = finding.Mends[0];
        Assert.True(offer.IsSafe);
        Assert.DoesNotContain(TakeIn(Gauge, offer.Mend).Findings, f => f.Code == code);
    }

    [Fact]
    public void Mending_all_that_is_safe_leaves_no_stop_and_stands_it_upright_in_metres()
    {
        var mends = TakeIn(Gauge).Findings.Select(f => f.Mends.FirstOrDefault(m => m.IsSafe)?.Mend).OfType<Mend>().ToArray();
        Assert.Equal(7, mends.Length);
        var store = new MemoryResultStore();
        var sources = Gauge.Files.Select(f => new SourceFile(f.FileName, store.Put(f.Bytes), f.Bytes.Length)).ToArray();
        var build = new AssetBuild("rain_gauge", Gauge.Plan with { Mends = mends }, sources, store, DemoKit.Rules);
        var (station, last) = build.Run(Station.Layout, throughStops: false, 2, null, default);
        Assert.Equal((Station.Layout, false), (station, last.IsBlocked));
        Assert.DoesNotContain(Station.UpTo(Station.Layout).SelectMany(s => build.ResultOf(s)!.Findings), f => f.Severity != Severity.Note);
        Assert.Equal(11, build.ResultOf(Station.Pairs)!.As<PairReport>().Paired.Count());
        // As if it had never been wrong: the same positions, to the micrometre.
        var right = RainGauge.RightLow().Meshes;
        var mended = TakeIn(Gauge, mends).Scene.Meshes.Where(m => m.Name.EndsWith("_low", StringComparison.Ordinal)).ToArray();
        Assert.Equal(right.Select(m => m.Name), mended.Select(m => m.Name));
        foreach (var (a, b) in right.Zip(mended))
        {
            Assert.All(Enumerable.Range(0, a.Corners.Length), c => Assert.True(Vector3.Distance(a.PositionAt(c), b.PositionAt(c)) < 1e-6f));
            Assert.All(Enumerable.Range(0, a.Corners.Length), c => Assert.True(Vector3.Distance(a.Normals![c], b.Normals![c]) < 1e-5f));
        }
    }

    [Fact]
    public void What_a_station_says_of_kept_facts_is_what_is_said_as_files_are_read()
    {
        var gauge = new SortedDictionary<string, byte[]>(Gauge.Files.ToDictionary(f => f.FileName, f => f.Bytes), StringComparer.Ordinal);
        int said = SayTheSame(gauge, Gauge.Plan, DemoKit.Rules);
        Assert.Equal(8, said);
        // Far, empty, doubled and nameless things, and mends that lead nowhere.
        for (int seed = 0; seed < 16; seed++)
            said += SayTheSame(OddAsset.Of(seed).Files, OddAsset.Of(seed).Plan, new IntakeRules { ExpectedSizeMetres = 0.5, ExpectsIdColours = true });
        Assert.True(said > 50, $"only {said} findings were compared");
    }

    private static int SayTheSame(IReadOnlyDictionary<string, byte[]> files, AssetPlan plan, IntakeRules rules)
    {
        var store = new MemoryResultStore();
        SourceFile[] sources = [.. files.Select(f => new SourceFile(f.Key, store.Put(f.Value), f.Value.Length))];
        var build = new AssetBuild("asset", plan, sources, store, rules);
        build.Run(Station.Intake, throughStops: true, 2, null, default);
        var atOnce = IntakeStation.Run(new IntakeInput(sources, f => new MemoryStream(files[f.Name]), plan.NamePattern)
        {
            Mends = plan.Mends,
            Rules = rules,
            Limits = plan.Target.Limits,
            Green = plan.Target.Green,
            NeedsNoHigh = plan.Bake.Made.Count > 0,
        });
        var kept = build.ResultOf(Station.Intake)!.Findings;
        Assert.Equal(Text(atOnce.Findings), Text(kept));
        return kept.Count;

        static string Text(IReadOnlyList<Finding> findings) => System.Text.Json.JsonSerializer.Serialize(findings, BuildJson.Options);
    }

    [Fact]
    public void The_anemometer_arrives_right_with_copies_that_share_texels()
    {
        var result = TakeIn(DemoKit.AnemometerAsset());
        Assert.Empty(result.Findings);
        var low = result.Scene.Meshes.Where(m => m.Name.EndsWith("_low", StringComparison.Ordinal)).ToDictionary(m => m.Name);
        Assert.Equal(low["cup_01_low"].Uvs!, low["cup_03_low"].Uvs!);
        Assert.True(result.Report.Triangles(Side.High) > 150_000);
        Assert.All(result.Report.Objects, o => Assert.Equal((1, 0), (o.Shells, o.BorderEdges)));
    }

    [Fact]
    public void A_rebuild_after_a_mend_reads_no_file_again_and_gives_the_same_bytes()
    {
        var store = new MemoryResultStore();
        var sources = Gauge.Files.Select(f => new SourceFile(f.FileName, store.Put(f.Bytes), f.Bytes.Length)).ToArray();
        var plan = Gauge.Plan with { Mends = [new ScaleUnits(0.01), new TurnUpright()] };
        string[] Files(IResultStore into, int threads)
        {
            var build = new AssetBuild("rain_gauge", plan, sources, into, DemoKit.Rules);
            return [.. build.Run(Station.Intake, throughStops: true, threads, null, default).Result.Files.Select(f => f.Sha256)];
        }
        new AssetBuild("rain_gauge", Gauge.Plan, sources, store, DemoKit.Rules).Run(Station.Intake, throughStops: true, 2, null, default);
        string[] remembered = Files(new Forgetful(store, sources), 1);
        var fresh = new MemoryResultStore();
        foreach (var (_, bytes) in Gauge.Files)
            fresh.Put(bytes);
        Assert.Equal(Files(fresh, 2), remembered);
    }

    private static IntakeResult TakeIn(DemoAsset asset, params Mend[] mends)
    {
        var bytes = asset.Files.ToDictionary(f => f.FileName, f => f.Bytes);
        var sources = bytes.Keys.Order(StringComparer.Ordinal).Select(name => new SourceFile(name, name, bytes[name].Length)).ToArray();
        return IntakeStation.Run(new IntakeInput(sources, s => new MemoryStream(bytes[s.Name]),
            Sides.DefaultPattern)
        { Mends = mends, Rules = DemoKit.Rules, Threads = 2 });
    }

    /// <summary>A store that no longer has the meshes' files, only what they were read as.</summary>
    private sealed class Forgetful(MemoryResultStore inner, SourceFile[] sources) : IResultStore
    {
        public JobResult? Find(string key) => inner.Find(key);

        public void Save(JobResult result) => inner.Save(result);

        public byte[]? FindNote(string name) => inner.FindNote(name);

        public void KeepNote(string name, byte[] bytes) => inner.KeepNote(name, bytes);

        public string Put(byte[] bytes) => inner.Put(bytes);

        public byte[] Load(string sha256) => inner.Load(sha256);

        public Stream Open(string sha256) => sources.Any(s => s.Sha256 == sha256) ? throw new InvalidOperationException("A source was read again.")
            : inner.Open(sha256);
    }
}
