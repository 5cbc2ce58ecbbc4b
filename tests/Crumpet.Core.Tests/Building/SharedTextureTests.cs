using System.IO.Compression;
using System.Text.Json;
using Crumpet.Core.Bind;
using Crumpet.Core.Building;
using Crumpet.Core.Geometry;
using Crumpet.Core.Imaging;
using Crumpet.Core.Intake;
using Crumpet.Core.Jobs;
using Xunit;

namespace Crumpet.Core.Tests.Building;

/// <summary>Textures that several assets of a kit take are made once, bound once, and leave with each under one name.</summary>
public sealed class SharedTextureTests
{
    private const int Side = 16;
    private readonly MemoryResultStore store = new();

    private SourceFile Source(string name, byte[] bytes) => new(name, store.Put(bytes), bytes.Length);

    private SourceFile Picture(string name, int channels, Func<int, int> value) => Source(name, ImageFile.WritePng(
        new Bitmap8(Side, Side, channels, [.. Enumerable.Range(0, Side * Side * channels).Select(i => (byte)value(i))])));

    private SourceFile[] Trim() =>
        [Picture("trim_BaseColor.png", 3, i => i), Picture("trim_Normal.png", 3, i => i % 3 == 2 ? 255 : 128), Picture("trim_orm.png", 3, i => 40 + i)];

    private SourceFile Mesh(string name, string material)
    {
        using var stream = new MemoryStream();
        GltfWriter.WriteBinary(new SceneDocument([new SceneObject(Shapes.Cube(name) with { TriangleMaterials = new int[12] })],
            [new SceneMaterial(Material.Plain with { Name = material }, [])], []), stream);
        return Source($"{name}.glb", stream.ToArray());
    }

    private static AssetPlan Small => new() { Bake = new AssetPlan().Bake with { Size = 64, Samples = 1 } };

    private static AssetPlan Taking(string material, string asset) => Small.WithMaterial(material, new TakeTexturesOf(material, asset).Applied);

    private AssetBuild Build(string name, AssetPlan plan, SourceFile[] files, params (string Name, AssetPlan Plan, SourceFile[] Files)[] shared) => new(
        name, plan, files, store, null,
        [.. shared.Select(s => new SharedAsset(s.Name, AssetBuild.InputOf(AssetBuild.FileNameOf(s.Name), s.Plan, s.Files, new IntakeRules())))]);

    private static StationResult Deliver(AssetBuild build)
    {
        var (station, result) = build.Run(Station.Deliver, throughStops: false, 1, null, default);
        Assert.Equal(Station.Deliver, station);
        return result;
    }

    private Dictionary<string, string> Entries(StationResult delivery)
    {
        using var zip = new ZipArchive(new MemoryStream(store.Load(delivery.Files[0].Sha256)));
        return zip.Entries.ToDictionary(e => e.FullName, e =>
        {
            using var from = e.Open();
            using var to = new MemoryStream();
            from.CopyTo(to);
            return System.Convert.ToHexString(System.Security.Cryptography.SHA256.HashData(to.ToArray()));
        });
    }

    [Fact]
    public void Textures_of_another_asset_are_worked_once_and_leave_with_each_that_takes_them()
    {
        var trim = ("Marsh trim", Small, Trim());
        var post = Build("post", Taking("trim", "Marsh trim"), [Mesh("post_low", "trim")], trim);
        var rail = Build("rail", Taking("trim", "Marsh trim"), [Mesh("rail_low", "trim")], trim);
        var first = Entries(Deliver(post));
        var second = Entries(Deliver(rail));
        // Only what is about the mesh was worked for the second.
        Assert.DoesNotContain(rail.Worked, w => w.Kind is "output" or "texture" or "look");
        string[] textures = ["textures/marsh_trim_colour.dds", "textures/marsh_trim_masks.dds", "textures/marsh_trim_normal.dds"];
        Assert.Equal(textures, first.Keys.Where(k => k.StartsWith("textures/", StringComparison.Ordinal)).Order());
        Assert.All(textures, t => Assert.Equal(first[t], second[t]));
        // And the asset by itself gives the same bytes.
        var alone = Entries(Deliver(new AssetBuild("marsh_trim", Small, Trim(), store)));
        Assert.All(textures, t => Assert.Equal(alone[t], first[t]));
        var bound = post.ResultOf(Station.Bind)!.As<BindReport>();
        Assert.Equal("Marsh trim", bound.Materials[0].TexturesOf);
        Assert.Equal(["marsh_trim_colour.dds", "marsh_trim_normal.dds", "marsh_trim_masks.dds"],
            bound.Materials[0].Inputs.Where(i => i.File is not null).Select(i => i.File));
        Assert.DoesNotContain(post.ResultOf(Station.Bind)!.Findings, f => f.Severity != Severity.Note);
        Assert.Empty(post.ResultOf(Station.Pack)!.Findings);
    }

    [Fact]
    public void What_the_other_asset_binds_by_hand_holds_for_all_and_another_version_of_it_reaches_only_binding()
    {
        var plan = Small.WithMaterial("marsh_trim", new PutInto("marsh_trim", "normal", "masks").Applied);
        var post = Build("post", Taking("trim", "Marsh trim"), [Mesh("post_low", "trim")], ("Marsh trim", plan, Trim()));
        Deliver(post);
        Assert.Equal("marsh_trim_masks.dds", post.ResultOf(Station.Bind)!.As<BindReport>().Materials[0].Inputs.Single(i => i.Input.Name == "normal").File);
        SourceFile[] other = [Picture("trim_BaseColor.png", 3, i => 255 - (i % 200)), .. Trim()[1..]];
        var later = Build("post", Taking("trim", "Marsh trim"), [Mesh("post_low", "trim")], ("Marsh trim", plan, other));
        Assert.NotNull(later.ResultOf(Station.Convert));
        Assert.Null(later.ResultOf(Station.Bind));
        Deliver(later);
        Assert.Equal(["output", "texture"], later.Worked.Select(w => w.Kind).Where(k => k is "output" or "texture").Order());
        Assert.All(later.Worked, w => Assert.True(w.Station.Number >= Station.Bind.Number));
    }

    [Fact]
    public void An_asset_that_is_not_there_is_told_with_what_mends_it()
    {
        var post = Build("post", Taking("trim", "Sea trim"), [Mesh("post_low", "trim")]);
        Deliver(post);
        var finding = Assert.Single(post.ResultOf(Station.Bind)!.Findings, f => f.Code == "shared-textures-missing");
        Assert.Contains("Sea trim", finding.Sentence, StringComparison.Ordinal);
        var mended = Taking("trim", "Sea trim").With(finding.Mends[0].Mend);
        Assert.Null(mended.Materials.GetValueOrDefault("trim")?.TexturesOf);
        // An asset is not another to itself, whoever says so for the whole kit.
        var self = new AssetBuild("sea_trim", Taking("sea_trim", "Sea trim"), Trim(), store);
        Deliver(self);
        Assert.Equal(3, self.ResultOf(Station.Bind)!.As<BindReport>().Materials[0].Inputs.Count(i => i.File is not null));
    }

    [Fact]
    public void What_a_material_takes_is_kept_in_files_and_told_in_words()
    {
        var plan = Taking("trim", "Marsh trim");
        var back = JsonSerializer.Deserialize<AssetPlan>(JsonSerializer.Serialize(plan, BuildJson.Options), BuildJson.Options)!;
        Assert.Equal(plan.Materials["trim"], back.Materials["trim"]);
        Assert.Contains("Let trim take the textures of Marsh trim", PlanWords.Changes(Small, plan));
        Assert.Equal(["Marsh trim"], plan.SharedBy("post"));
        Assert.Empty(plan.SharedBy("Marsh trim"));
    }
}
