using Crumpet.Core.Bake;
using Crumpet.Core.Building;
using Crumpet.Core.Imaging;
using Crumpet.Core.Intake;
using Crumpet.Core.Pack;
using Crumpet.Demo;
using Xunit;

namespace Crumpet.Core.Tests.Building;

/// <summary>Each ready arrangement, made of what each asset of the demo kit has.</summary>
public sealed class ArrangementTests
{
    [Theory]
    [InlineData(0)]
    [InlineData(1)]
    [InlineData(2)]
    public void Every_arrangement_is_packed_and_delivered_from_an_asset_of_the_demo_kit(int number)
    {
        var asset = DemoKit.Assets(isCoarse: true)[number];
        var store = new MemoryResultStore();
        var sources = asset.Files.Select(f => new SourceFile(f.FileName, store.Put(f.Bytes), f.Bytes.Length)).ToArray();
        PackFeed[] maps = [new("normal", FeedOrigin.Baked, 3), new("ao", FeedOrigin.Baked, 1)];
        var recipe = Arrangement.Table.All.Aggregate(Recipe.Default, (r, a) => r.Added(a.Outputs(maps)));
        var plan = asset.Plan with
        {
            Recipe = recipe,
            Bake = asset.Plan.Bake with { Size = 128, Samples = 1, OcclusionRays = 4, Maps = [BakeMap.Normal, BakeMap.Occlusion] },
        };
        AssetBuild Build() => new("demo", plan, sources, store, DemoKit.Rules);
        var arrived = Build().Run(Station.Intake, throughStops: true, 2, null, default).Result;
        plan = arrived.Findings.Select(f => f.Mends.FirstOrDefault(m => m.IsSafe)?.Mend).OfType<Mend>().Aggregate(plan, (p, mend) => p.With(mend));
        var build = Build();
        Assert.Equal(Station.Deliver, build.Run(Station.Deliver, throughStops: true, 2, null, default).Station);
        var packed = build.ResultOf(Station.Pack)!;
        var pictures = packed.As<PackReport>().Pictures.GroupBy(p => p.Sheet).ToArray();
        Assert.NotEmpty(pictures);
        foreach (var sheet in pictures)
        {
            Assert.Equal(recipe.Outputs.Select(o => o.Name), sheet.Select(p => p.Output));
            Bitmap8 Read(string output) => (Bitmap8)ImageFile.Read(store.Load(packed.File(sheet.Single(p => p.Output == output).File).Sha256), output);
            byte[] Of(Bitmap8 picture, int channel) => [.. picture.Pixels.Where((_, i) => i % picture.Channels == channel)];
            // The same map is the same wherever it is put.
            byte[] ao = Read("ao").Pixels, roughness = Of(Read("masks"), 1);
            Assert.Equal(ao, Of(Read("occlusion_roughness_metalness"), 0));
            Assert.Equal(ao, Of(Read("normal_occlusion_roughness"), 2));
            Assert.Equal(roughness, Of(Read("normal_roughness"), 3));
            Assert.Equal(roughness.Select(r => (byte)(255 - r)), Read("gloss").Pixels);
            Assert.Equal(Of(Read("colour"), 1), Of(Read("colour_opacity"), 1));
            Assert.Equal(Of(Read("normal_2"), 0), Of(Read("normal_specular"), 0));
        }
    }
}
