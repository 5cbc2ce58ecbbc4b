using System.Text.Json;
using Crumpet.Core.Bind;
using Crumpet.Core.Building;
using Crumpet.Core.Geometry;
using Crumpet.Core.Imaging;
using Crumpet.Core.Targets;
using Xunit;

namespace Crumpet.Core.Tests.Bind;

/// <summary>What is decided about materials and targets is kept as it was said, in words a history shows, and bounded wherever it comes from.</summary>
public sealed class MaterialPlanTests
{
    private static readonly MaterialPlan Said = new()
    {
        Model = "packed surface",
        Traits = MaterialTraits.Plain with { Alpha = AlphaMode.CutOut, Threshold = 0.25, Emission = new Tint(1, 0.5, 0), TurnDegrees = 30 },
        Opened = [MaterialTrait.ClearCoat],
        ByHand = new Dictionary<string, string> { ["normal"] = "detail", ["emission"] = "" },
    };

    [Fact]
    public void A_decision_about_a_material_reads_back_as_it_was()
    {
        var plan = new AssetPlan { Materials = new Dictionary<string, MaterialPlan> { ["stone"] = Said } };
        var back = JsonSerializer.Deserialize<AssetPlan>(JsonSerializer.Serialize(plan, BuildJson.Options), BuildJson.Options)!;
        Assert.Equal(Said, back.Materials["stone"]);
        Assert.Null(plan.Problem());
        // Each setting an asset says can be shown, whatever it holds.
        var own = PlanLayers.Document(plan);
        Assert.All(PlanSettings.All, s => Assert.NotNull(s.In(own)));
        Assert.Equal("stone", PlanSettings.Find("materials")!.In(own));
        Assert.NotNull(PlanSettings.Find("materials.stone.traits.emission")!.In(own));
    }

    [Fact]
    public void What_was_decided_is_told_in_words()
    {
        var before = new AssetPlan();
        var after = before.WithMaterial("stone", _ => Said);
        Assert.Equal(["Leave emission of stone empty", "Put detail into normal of stone", "Make stone a packed surface", "Switch clear coat of stone on",
            "What stone says of its surface changed"], PlanWords.Changes(before, after));
        Assert.Equal(before.Materials, after.WithMaterial("stone", _ => new MaterialPlan()).Materials);
    }

    [Fact]
    public void A_number_out_of_range_is_refused_with_its_bounds()
    {
        var plan = new AssetPlan().WithMaterial("stone", m => m with { Traits = MaterialTraits.Plain with { Threshold = 7 } });
        Assert.Contains("The threshold of opacity", plan.Problem(), StringComparison.Ordinal);
        Assert.Contains("it must be 0 to 1", plan.Problem(), StringComparison.Ordinal);
    }

    [Fact]
    public void A_target_reads_back_from_its_file_and_an_older_one_keeps_its_inputs()
    {
        Assert.All(ReadyTargets.All, t =>
        {
            Assert.Null(t.ProblemTogether());
            Assert.Equal(t, TargetFile.Read(TargetFile.Write(t), "t.target.json"));
        });
        var older = TargetFile.Read("""
            { "name": "glTF", "inputs": [ { "name": "tint", "map": "albedo", "meaning": "srgb", "mesh": "baseColour" },
              { "name": "extra", "map": "extra", "meaning": "linear", "mesh": "none" } ] }
            """u8.ToArray(), "old.target.json");
        var inputs = older.Model().Inputs;
        Assert.Equal([("tint", "albedo", true), ("extra", "extra", false)], inputs.Select(i => (i.Name, i.Map, i.Fills.Count > 0)));
    }

    public static TheoryData<Target, string> Odd => new()
    {
        { new Target { Up = UpAxis.Z }, "GLB holds Y up" },
        { new Target { UnitMetres = 0.01 }, "GLB holds units of 1 m" },
        { new Target { Embedded = null, Textures = null }, "neither inside meshes nor beside them" },
        { new Target { Embedded = TextureFile.Dds }, "DDS cannot lie inside GLB; choose PNG or JPEG" },
        { new Target { Embedded = TextureFile.Ktx2 }, "only where no textures lie beside it" },
        { new Target { Embedded = TextureFile.Ktx2, Textures = null, Green = GreenDirection.Down }, "take normals with green up" },
        { new Target { Mesh = MeshFormat.Usda, Embedded = null }, "Materials of USDA cannot refer to DDS" },
        { new Target { Mesh = MeshFormat.Usda, Embedded = null, Textures = TextureFile.Png, Handedness = Handedness.Left }, "right-handed" },
        { new Target { Formats = new TargetFormats { Normals = TextureFormat.Etc2 } }, "DDS cannot hold ETC2" },
        { new Target { MeshFolder = "../out" }, "'../out' is no folder of a package" },
        { new Target { LevelName = "{asset}" }, "lacks {level}" },
        { new Target { HullName = "{asset}/hulls" }, "holds a character that no file name may" },
        { new Target { HullName = "{asset}_cages" }, "give files one name" },
        { new Target { Models = [] }, "no material model" },
    };

    [Theory]
    [MemberData(nameof(Odd), DisableDiscoveryEnumeration = true)]
    public void A_target_that_cannot_be_says_why_and_what_can(Target target, string said) =>
        Assert.Contains(said, target.ProblemTogether(), StringComparison.Ordinal);

    [Fact]
    public void A_target_a_delivery_was_made_for_is_never_changed()
    {
        var first = new Target();
        var second = (first with { Green = GreenDirection.Down }).Numbered([first]);
        Assert.Equal(2, second.Version);
        // Before a delivery was made for it, it is the same version still.
        Assert.Equal(2, (second with { LargestTexture = 1024 }).Numbered([first]).Version);
        Assert.Equal(3, (second with { LargestTexture = 1024 }).Numbered([first, second]).Version);
        Assert.Equal(1, (first with { Version = 9 }).Numbered([first, second]).Version);
        Assert.Equal(1, (first with { Name = "another" }).Numbered([first, second]).Version);
    }
}
