using System.Text;
using System.Text.Json;
using System.Text.Json.Nodes;
using Crumpet.Core.Bake;
using Crumpet.Core.Building;
using Crumpet.Core.Imaging;
using Crumpet.Core.Intake;
using Crumpet.Core.Pairs;
using Crumpet.Core.Targets;
using Xunit;

namespace Crumpet.Core.Tests.Building;

/// <summary>A kit as files: read back as written, upgraded, and refused with the place and the remedy.</summary>
public sealed class KitFolderTests
{
    private static readonly AssetPlan KitPlan = new()
    {
        Bake = new BakeSettings
        {
            Size = 1024,
            Occluders = Occluders.Asset,
            Files = new Dictionary<BakeMap, MapFile> { [BakeMap.Height] = MapFile.Exr }
        }
    };

    [Fact]
    public void A_kit_is_read_back_as_it_was_written_and_only_differences_are_in_it()
    {
        var own = KitPlan with
        {
            Bake = KitPlan.Bake with { Size = 512, Files = new Dictionary<BakeMap, MapFile>() },
            Mends = [new ScaleUnits(0.01)],
            Pairs = new PairSettings().With("cup", new PartSettings { Sees = Occluders.Part })
        };
        var kit = Kit(PlanLayers.Own(KitPlan, own));
        var files = kit.Documents().ToDictionary(d => d.Path, d => d.Bytes);
        Assert.Equal(["kit.json", "assets/wind_gauge/asset.json"], files.Keys);
        string settings = JsonNode.Parse(files["assets/wind_gauge/asset.json"])!["settings"]!.ToJsonString();
        Assert.DoesNotContain("occlusionRays", settings, StringComparison.Ordinal);
        var back = KitFolder.Read(files.GetValueOrDefault);
        Assert.Equal(Text(own), Text(back.PlanOf(back.Assets[0])));
        Assert.Equal(Text(KitPlan), Text(back.Plan));
        Assert.Equal((kit.Name, Side.High, "sub/high.glb"), (back.Name, back.Assets[0].Sources[1].Side, back.Assets[0].Sources[1].Path));
        Assert.Equal(files.Values, back.Documents().Select(d => d.Bytes));
    }

    [Fact]
    public void Any_plan_comes_back_from_what_it_differs_by_and_follows_the_kit_where_it_says_nothing()
    {
        var plain = new AssetPlan();
        foreach (var plan in (AssetPlan[])[plain, KitPlan, KitPlan with { NamePattern = "{side}_{part}" },
            plain with { Trays = TrayMode.One, Recipe = plain.Recipe with { Outputs = [.. plain.Recipe.Outputs.Take(1)] } }])
        {
            foreach (var kit in (AssetPlan[])[plain, KitPlan])
                Assert.Equal(Text(plan), Text(PlanLayers.Merge(kit, PlanLayers.Own(kit, plan))));
        }
        var own = PlanLayers.Own(plain, plain with { Bake = plain.Bake with { Samples = 4 } });
        Assert.Equal(["bake.samples"], PlanLayers.Paths(own));
        var followed = PlanLayers.Merge(KitPlan, own);
        Assert.Equal((1024, 4), (followed.Bake.Size, followed.Bake.Samples));
        Assert.Empty(PlanLayers.AsTheKitSays(own, "bake.samples"));
        Assert.Contains(PlanSettings.All, s => s is { Path: "bake.outwardReachMetres", Label: "Outward reach", Unit: "mm" });
        Assert.All(PlanSettings.All, s => Assert.True(s.Label.Length > 0 && (s.Choices is null || s.Choices.Count > 1)));
    }

    [Theory]
    [InlineData("kit.json", "\"nmae\": \"x\"", "kit.json, line 2: the key 'nmae' is not known. Perhaps 'name' is meant.")]
    [InlineData("kit.json", "\"settings\": { \"bake\": { \"sampels\": 4 } }", "the key 'sampels' is not known. Perhaps 'samples' is meant.")]
    [InlineData("assets/wind_gauge/asset.json", "\"settings\": { \"layout\": { \"zebra\": 4 } }",
        "assets/wind_gauge/asset.json, line 2: the key 'zebra' is not known. Known are")]
    [InlineData("assets/wind_gauge/asset.json", "\"settings\": { \"bake\": { \"samples\": 3 } }", "it must be 1, 2, 4 or 8")]
    [InlineData("assets/wind_gauge/asset.json", "\"sources\": [ { \"path\": \"../x.glb\" } ]", "leaves the asset's folder")]
    [InlineData("kit.json", "\"assets\": [ \"../x\" ]", "is no name of a folder")]
    [InlineData("kit.json", "\"assets\": [ \"gone\" ]", "there is no assets/gone/asset.json")]
    [InlineData("kit.json", "\"version\": 9", "it must be 1 to 3")]
    [InlineData("kit.json", "\"name\": \"x\", \"name\": \"y\"", "kit.json, line 2")]
    [InlineData("kit.json", "\"name\": \"\\ud800\"", "kit.json, line 2: it holds characters that are none. Save it as UTF-8.")]
    public void What_is_wrong_is_said_with_file_line_and_remedy(string file, string put, string said)
    {
        var files = Kit([]).Documents().ToDictionary(d => d.Path, d => Encoding.UTF8.GetString(d.Bytes));
        string key = put[..put.IndexOf(':', StringComparison.Ordinal)];
        var document = JsonNode.Parse(files[file])!.AsObject();
        document.Remove(key.Trim('"'));
        string rest = document.ToJsonString()[1..];
        files[file] = $"{{\n{put}, {rest}";
        var error = Assert.Throws<SourceFileException>(() => KitFolder.Read(p => files.TryGetValue(p, out string? text) ? Encoding.UTF8.GetBytes(text) : null));
        Assert.Contains(said, error.Message, StringComparison.Ordinal);
    }

    [Fact]
    public void A_kit_of_the_first_version_is_brought_up_and_a_folder_without_one_says_what_to_do()
    {
        byte[] old = Encoding.UTF8.GetBytes("""
            {
              "version": 1, "name": "old", "rules": { "largestTexture": 1024, "squareTextures": true, "expectedSizeMetres": 3 },
              "assets": [{ "name": "Crate", "folder": "crate", "sources": ["low.obj"], "plan": { "bake": { "size": 512, "green": "down" } } }]
            }
            """);
        var kit = KitFolder.Read(p => p == "kit.json" ? old : null);
        Assert.Equal(("old", "crate", 3.0), (kit.Name, kit.Assets[0].Folder, kit.Rules.ExpectedSizeMetres));
        var plan = kit.PlanOf(kit.Assets[0]);
        Assert.Equal((512, GreenDirection.Down, new TextureLimits(1024, true, true)), (plan.Bake.Size, plan.Target.Green, plan.Target.Limits));
        Assert.Contains("Give the folder that holds kit.json", Assert.Throws<SourceFileException>(() => KitFolder.Read(_ => null)).Message,
            StringComparison.Ordinal);
    }

    [Fact]
    public void A_kit_of_the_second_version_says_of_its_target_what_its_rules_and_bakes_said()
    {
        var files = new Dictionary<string, string>
        {
            ["kit.json"] = """
                { "version": 2, "name": "old", "assets": ["crate"], "rules": { "largestTexture": 512 },
                  "settings": { "bake": { "size": 256, "green": "down" } } }
                """,
            ["assets/crate/asset.json"] = """
                { "version": 2, "name": "Crate", "sources": [{ "path": "low.obj" }], "settings": { "bake": { "green": "up" } } }
                """,
        };
        var kit = KitFolder.Read(p => files.TryGetValue(p, out string? text) ? Encoding.UTF8.GetBytes(text) : null);
        Assert.Equal((256, GreenDirection.Down, 512), (kit.Plan.Bake.Size, kit.Plan.Target.Green, kit.Plan.Target.LargestTexture));
        Assert.Equal("""{"target":{"green":"up"}}""", kit.Assets[0].Own.ToJsonString());
        Assert.Equal(GreenDirection.Up, kit.PlanOf(kit.Assets[0]).Target.Green);
    }

    private static KitFolder Kit(JsonObject own) => new(
        "Marsh", new IntakeRules { ExpectedSizeMetres = 2, Mends = [new TurnUpright()] }, KitPlan,
        [new KitFolderAsset("Wind gauge", KitFolder.FolderOf("Wind gauge"), [new KitFolderSource("low.obj"), new KitFolderSource("sub/high.glb", Side.High)],
            own)]);

    private static string Text(AssetPlan plan) => JsonSerializer.Serialize(plan, BuildJson.Options);
}
