using Crumpet.Core.Baking;
using Crumpet.Core.Building;
using Crumpet.Core.Imaging;
using Crumpet.Core.Pairing;
using Xunit;

namespace Crumpet.Core.Tests.Building;

public sealed class PlanWordsTests
{
    [Fact]
    public void Decisions_about_parts_trays_and_cages_are_said()
    {
        var plan = new AssetPlan();
        var stroke = new BrushStroke(BrushKind.Cage, "hub", [0, 0, 0], 0.01f, -0.002f);
        var pairs = new PairSettings
        {
            TrayByHand = new Dictionary<string, int> { ["hub"] = 1, ["arm"] = 1 },
            Ties = [new PartTie("a", "b", false)],
            Parts = new Dictionary<string, PartSettings> { ["hub"] = new() { OutwardReachMetres = 0.014f, Sees = Occluders.Asset, Cage = CageKind.Fitted, Direction = RayDirection.Split } },
            Trays = new Dictionary<int, TraySettings> { [0] = new() { OthersOcclude = true } },
            Cage = CageKind.Fitted,
            Direction = RayDirection.Blended,
            Strokes = [stroke],
        };
        string[] said =
        [
            "Trays planned by contact", "arm, hub put on tray 2", "a and b kept apart", "Outward reach of hub set to 14 mm", "hub occluded by the whole asset", "Cage of hub fitted", "Rays of hub split", "Cages fitted", "Rays blended",
            "Cage of hub lowered by 2 mm with the brush", "Tray 1 lets others cast occlusion on it",
        ];
        Assert.Equal(said, PlanWords.Changes(plan with { Trays = TrayMode.One }, plan with { Pairs = pairs }));
        Assert.Equal(["Tray of arm, hub left to the plan"], PlanWords.Changes(plan with { Pairs = pairs }, plan with { Pairs = pairs with { TrayByHand = new Dictionary<string, int>() } }));
    }

    [Fact]
    public void A_change_is_said_with_its_number_and_unit()
    {
        var plan = new AssetPlan();
        Assert.Equal(["Outward reach set to 7.5 mm"], PlanWords.Changes(plan, plan with { Bake = plan.Bake with { OutwardReachMetres = 0.0075f } }));
        Assert.Equal(["All parts put on one tray", "Sheet size set to 512 px"], PlanWords.Changes(plan, plan with { Trays = TrayMode.One, Bake = plan.Bake with { Size = 512 } }));
        Assert.Equal(["Maps set to normal"], PlanWords.Changes(plan, plan with { Bake = plan.Bake with { Maps = [BakeMap.Normal] } }));
        var recipe = plan.Recipe with { Outputs = [.. plan.Recipe.Outputs.Select(o => o.Name == "normal" ? o with { Format = TextureFormat.Rgba8 } : o)] };
        Assert.Equal(["Format of normal set to RGBA8"], PlanWords.Changes(plan, plan with { Recipe = recipe }));
        Assert.Equal(["Output masks left out"], PlanWords.Changes(plan, plan with { Recipe = new([.. plan.Recipe.Outputs.Where(o => o.Name != "masks")]) }));
    }

    [Fact]
    public void Every_setting_of_a_bake_has_words_and_equal_plans_have_none()
    {
        var plan = new AssetPlan();
        Assert.Empty(PlanWords.Changes(plan, plan with { Bake = plan.Bake with { Maps = [.. plan.Bake.Maps] } }));
        var other = new BakeSettings
        {
            Maps = [BakeMap.Occlusion],
            Size = 64,
            Samples = 8,
            OutwardReachMetres = 1,
            InwardReachMetres = 1,
            Green = GreenDirection.Down,
            Bits = 16,
            Dither = false,
            PaddingPixels = 3,
            OcclusionRays = 5,
            Occluders = Occluders.Part,
            OcclusionRangeMetres = 1,
            OcclusionFalloffMetres = 1,
            SheetSizes = new Dictionary<string, int> { ["wood"] = 256 },
            Filter = SampleFilter.Box,
            Files = new Dictionary<BakeMap, MapFile> { [BakeMap.Height] = MapFile.Exr },
            CoverageAlpha = true,
            GroundOccludes = true,
            BackFacesOcclude = false,
            Denoise = true,
            ThicknessRays = 5,
            ThicknessRangeMetres = 1,
            CurvatureRadiusMetres = 1,
            CurvatureFullRadiusMetres = 1,
            HeightRangeMetres = 1,
            IdBy = IdSource.Shell,
            OpacityBy = OpacitySource.Misses,
            HighNormals = HighNormalUse.LeftOut,
            Draft = 2,
            Made = [new MadeMap("rock_height.png", MadeOf.Height, BakeMap.Normal)],
        };
        // All but the version.
        Assert.Equal(typeof(BakeSettings).GetProperties().Count(p => p.CanWrite) - 1, PlanWords.Changes(plan, plan with { Bake = other }).Count);
    }
}
