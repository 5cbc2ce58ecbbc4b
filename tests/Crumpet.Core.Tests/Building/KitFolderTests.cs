using System.Text;
using System.Text.Json;
using System.Text.Json.Nodes;
using Crumpet.Core.Bake;
using Crumpet.Core.Building;
using Crumpet.Core.Imaging;
using Crumpet.Core.Intake;
using Crumpet.Core.Pack;
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

    [Fact]
    public void An_asset_overrides_single_outputs_and_follows_its_recipe_in_all_others()
    {
        var three = Recipe.Default with { Name = "three v1.2" };
        var two = new Recipe([.. Recipe.Default.Outputs.Take(2)]) { Name = "two" };
        var kit = new AssetPlan { Recipe = three, Recipes = [two] };
        foreach (var recipe in (Recipe[])[three, two])
        {
            var changed = recipe.Outputs[1] with { Name = "normal.x", Bits = 16 };
            var plan = kit with { Recipe = recipe.With("colour", recipe.Outputs[0] with { Size = "half" }).Without("normal").Added([changed]) };
            var own = PlanLayers.Own(kit, plan);
            Assert.Equal(Text(plan), Text(PlanLayers.Merge(kit, own)));
            string[] paths = [.. PlanLayers.Paths(own).Where(p => p != "recipe.name")];
            Assert.Equal(["recipe.outputs.colour", "recipe.outputs.normal", "recipe.outputs.normal.x"], paths.Order());
            Assert.All(paths, p => Assert.Equal(typeof(RecipeOutput), PlanSettings.Find(p)!.Type));
            Assert.Equal("colour; PNG, 8 bit, half", PlanSettings.Find("recipe.outputs.colour")!.In(PlanLayers.Document(plan)));
            // What the recipe says later of the others holds; what is its own stays.
            Recipe Later(Recipe r) => r with { Outputs = [.. r.Outputs.Select(o => o with { Dither = true }), recipe.Outputs[0] with { Name = "more" }] };
            var now = PlanLayers.Merge(kit with { Recipe = Later(three), Recipes = [Later(two)] }, own).Recipe;
            Assert.Equal(recipe.Name, now.Name);
            Assert.Equal(recipe.Outputs.Skip(2).Select(o => o.Name).Prepend("colour").Concat(["more", "normal.x"]), now.Outputs.Select(o => o.Name));
            Assert.False(now.Outputs[0].Dither);
            Assert.All(now.Outputs.Skip(1).SkipLast(2), o => Assert.True(o.Dither));
            // One press gives an output back, another makes it the recipe's for all that follow it.
            Assert.Equal(recipe.Outputs[0], PlanLayers.Merge(kit, PlanLayers.AsTheKitSays(own, "recipe.outputs.colour")).Recipe.Outputs[0]);
            var given = PlanLayers.ForKit(kit, "recipe.outputs.colour", plan);
            Assert.Equal("half", given.Following(recipe.Name).Recipe.Outputs[0].Size);
            Assert.Equal(1, new[] { given.Recipe, given.Recipes[0] }.Count(r => r.Outputs[0].Size == "half"));
        }
        // The name of a recipe brings all of it: as the kit's usual one, which then stays beside it, and back.
        var usual = PlanLayers.ForKit(kit, "recipe.name", kit with { Recipe = two });
        Assert.Equal((two, "three v1.2"), (usual.Recipe, usual.Recipes.Single().Name));
        Assert.Empty(PlanLayers.Own(usual, usual with { Recipe = two }));
        Assert.Equal(Text(usual with { Recipe = three }), Text(PlanLayers.Merge(usual, PlanLayers.Own(usual, usual with { Recipe = three }))));
        Assert.Equal(three, PlanLayers.AsKit(kit with { Recipe = two }, "recipe.name", kit).Recipe);
        // A recipe nobody keeps any more leaves its name, and what differed.
        var lost = PlanLayers.Merge(kit with { Recipes = [] }, PlanLayers.Own(kit, kit with { Recipe = two }));
        Assert.Equal("two", lost.Recipe.Name);
    }

    [Fact]
    public void Single_outputs_of_an_asset_are_read_from_its_folder_with_the_kits_recipes()
    {
        var kitPlan = KitPlan with { Recipes = [Recipe.Default with { Name = "two", Outputs = [.. Recipe.Default.Outputs.Take(2)] }] };
        var plan = kitPlan with { Recipe = kitPlan.Recipes[0].With("normal", Recipe.Default.Outputs[1] with { Bits = 16 }) };
        var kit = Kit(PlanLayers.Own(kitPlan, plan)) with { Plan = kitPlan };
        var files = kit.Documents().ToDictionary(d => d.Path, d => d.Bytes);
        var back = KitFolder.Read(files.GetValueOrDefault);
        Assert.Equal(Text(plan), Text(back.PlanOf(back.Assets[0])));
        string asset = Encoding.UTF8.GetString(files["assets/wind_gauge/asset.json"]);
        Assert.DoesNotContain("colour", asset, StringComparison.Ordinal);
        files["assets/wind_gauge/asset.json"] = Encoding.UTF8.GetBytes(asset.Replace("\"bits\": 16", "\"bits\": 15", StringComparison.Ordinal));
        Assert.Contains("must be 8, 16 or 32", Assert.Throws<SourceFileException>(() => KitFolder.Read(files.GetValueOrDefault)).Message,
            StringComparison.Ordinal);
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
