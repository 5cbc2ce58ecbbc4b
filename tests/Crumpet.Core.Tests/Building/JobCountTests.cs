using System.Numerics;
using System.Text.Json;
using Crumpet.Core.Bake;
using Crumpet.Core.Building;
using Crumpet.Core.Geometry;
using Crumpet.Core.Imaging;
using Crumpet.Core.Intake;
using Crumpet.Core.Jobs;
using Crumpet.Core.Layout;
using Crumpet.Core.Pack;
using Crumpet.Core.Pairs;
using Crumpet.Core.Targets;
using Xunit;

namespace Crumpet.Core.Tests.Building;

/// <summary>What each change works again: no more than what depends on it.</summary>
public sealed class JobCountTests
{
    private static readonly AssetPlan Plan = new()
    {
        Bake = new BakeSettings
        {
            Size = 64,
            Samples = 1,
            OcclusionRays = 4,
            OutwardReachMetres = 0.2f,
            InwardReachMetres = 0.2f,
            Maps = [BakeMap.Normal, BakeMap.Occlusion, BakeMap.Position]
        },
    };

    [Fact]
    public void A_format_compresses_one_texture_and_a_name_only_binds_and_packages()
    {
        var asset = Balls();
        asset.Run(Plan);
        Assert.Equal(["texture masks of stone", "package"],
            Worked(asset, With(Plan, o => o.Name == "masks" ? o with { Format = TextureFormat.Rgba8 } : o)));
        Assert.Equal(["bind", "package"], Worked(asset, Plan with { BindPattern = "T_{asset}_{map}" }));
        asset.Name = "renamed";
        Assert.Equal(["bind", "package"], Worked(asset, Plan));
    }

    [Fact]
    public void A_channel_packs_one_output_and_nothing_is_compressed_where_it_comes_out_equal()
    {
        var asset = Balls();
        asset.Run(Plan);
        var inverted = With(Plan, o => o.Name == "masks" ? o with { Channels = [o.Channels[0] with { Invert = true }, .. o.Channels.Skip(1)] } : o);
        Assert.Equal(["output masks of stone", "choices masks of stone", "texture masks of stone", "package"], Worked(asset, inverted));
        // Another value for a map that is there changes no texel.
        var fallback = With(Plan, o => o.Name == "masks" ? o with { Channels = [o.Channels[0] with { Else = 0.25 }, .. o.Channels.Skip(1)] } : o);
        Assert.Equal(["output masks of stone"], Worked(asset, fallback));
    }

    [Fact]
    public void What_only_changes_how_a_map_is_written_casts_no_ray()
    {
        var asset = Balls();
        asset.Run(Plan);
        Assert.Equal(
            ["sheet map normal of stone", "output normal of stone", "choices normal of stone", "texture normal of stone", "package"],
            Worked(asset, Plan with { Target = Plan.Target with { Green = GreenDirection.Down } }));
        // Nothing that is packed asks for where things are.
        Assert.Equal(["sheet map position of stone"],
            Worked(asset, Plan with { Bake = Plan.Bake with { Files = new Dictionary<BakeMap, MapFile> { [BakeMap.Position] = MapFile.Exr } } }));
    }

    [Fact]
    public void A_switch_turned_there_and_back_works_nothing_and_neither_does_the_same_again()
    {
        var asset = Balls();
        asset.Run(Plan);
        foreach (var other in (AssetPlan[])
        [
            Plan with { Trays = TrayMode.One }, Plan with { Layout = new LayoutSettings { Pack = true, PaddingPixels = 2 } },
                Plan with { Bake = Plan.Bake with { Samples = 2 } },
            Plan with { Mends = [new ScaleUnits(2)] },
        ])
        {
            asset.Run(other);
            Assert.Empty(asset.Run(Plan));
        }
    }

    [Fact]
    public void A_setting_of_a_part_reaches_that_part_and_a_mend_that_changes_nothing_stops_at_intake()
    {
        var asset = Balls();
        asset.Run(Plan);
        var wider = asset.Run(Plan with { Pairs = new PairSettings().With("b", new PartSettings { OutwardReachMetres = 0.25f }) });
        Assert.All(wider.Where(w => w.Kind is "rays" or "fit"), w => Assert.Equal("b", w.Label));
        Assert.All(wider.Where(w => w.Kind == "piece"), w => Assert.Contains("of b on", w.Label, StringComparison.Ordinal));
        Assert.DoesNotContain(wider, w => w.Kind is "layout" or "take in" or "read");
        Assert.Equal(["take in"], Worked(asset, Plan with { Mends = [new ScaleUnits(1) { File = "gone.glb" }] }));
    }

    [Fact]
    public void What_textures_are_judged_by_takes_nothing_in_again()
    {
        var asset = Balls();
        asset.Run(Plan);
        Assert.Equal(["package"], Worked(asset, Plan with { Target = Plan.Target with { LargestTexture = 512 } }));
    }

    [Fact]
    public void Another_target_bakes_nothing_anew()
    {
        var asset = Balls();
        asset.Run(Plan);
        // Axes, unit and files follow at the very end; textures where they are stored otherwise.
        Assert.Equal(["package"], Worked(asset, Plan with { Target = Plan.Target with { Embedded = TextureFile.Jpeg } }));
        foreach (var target in ReadyTargets.All.Skip(1))
        {
            string[] worked = [.. Worked(asset, Plan with { Target = target }).Select(w => w.Split(' ')[0]).Distinct()];
            Assert.DoesNotContain(worked, w => w is "piece" or "rays" or "layout" or "faults" or "read");
            Assert.Contains("package", worked);
        }
    }

    [Fact]
    public void A_better_sentence_works_nothing()
    {
        var asset = Balls();
        asset.Run(Plan with { Trays = TrayMode.One });
        // No job keeps a sentence: stations say theirs of what their jobs measured.
        Assert.All(asset.Store.Results.Where(r => r.Job is not null), r => Assert.Empty(r.Findings));
        // What stations said is of no use to another program than the one that said it.
        foreach (var result in asset.Store.Results.ToArray())
            asset.Store.Save(result with
            {
                Findings = [.. result.Findings.Select(f => f with { Sentence = "Put better." })],
                Summary = result.Summary.Clone()
            });
        Assert.Empty(asset.Run(Plan with { Trays = TrayMode.One }));
    }

    [Fact]
    public void Why_a_job_is_worked_names_the_setting_or_the_input_that_changed()
    {
        var asset = Balls();
        Assert.All(asset.Build(Plan).Forecast(Station.Deliver).Jobs.Where(j => j.IsSure), j => Assert.Equal("it is new", j.Why));
        asset.Run(Plan);
        var told = asset.Build(Plan with { Bake = Plan.Bake with { PaddingPixels = 3 } }).Forecast(Station.Deliver);
        Assert.Equal(["padding pixels 16 → 3"], told.Jobs.Where(j => j.IsSure).Select(j => j.Why).Distinct());
        // Two outputs are packed of maps; two textures are made of them and weighed.
        Assert.Equal((3, 3, 3 + 2 + 2 + 2 + 1), (told.Sure, told.Jobs.Count(j => j.Kind == "sheet map"), told.AtMost));
        Assert.Contains("waits for sheet map", told.Jobs.First(j => !j.IsSure).Why, StringComparison.Ordinal);
        Assert.StartsWith("3 to 10 of ", told.InWords(), StringComparison.Ordinal);
        asset.Replace(Ball("a_low", 12, 0), Ball("a_high", 40, 0), Ball("b_low", 12, 3), Ball("b_high", 48, 3));
        Assert.Equal("file changed", Assert.Single(asset.Build(Plan).Forecast(Station.Deliver).Jobs, j => j.IsSure).Why);
    }

    [Fact]
    public void A_job_that_was_read_back_has_the_same_key()
    {
        var asset = Balls();
        asset.Run(Plan);
        foreach (var result in asset.Store.Results.Where(r => r.Job is not null))
            Assert.Equal(result.Key, JsonSerializer.Deserialize<Job>(JsonSerializer.Serialize(result.Job, BuildJson.Options), BuildJson.Options)!.Key);
    }

    [Fact]
    public void Every_setting_of_a_kind_is_part_of_its_key()
    {
        var asset = Balls();
        asset.Run(Plan);
        foreach (var node in asset.Build(Plan).Graph(Station.Deliver).Nodes.DistinctBy(n => n.Kind.Name))
        {
            using var json = JsonDocument.Parse(node.Job!.Settings);
            // What is null is left out on purpose; all else a kind can read is written.
            var written = json.RootElement.EnumerateObject().Select(p => p.Name).ToHashSet(StringComparer.OrdinalIgnoreCase);
            foreach (var property in node.Kind.Settings.GetProperties()
                .Where(p => p.CanWrite && p.GetIndexParameters().Length == 0 && p.GetValue(node.Settings) is not null))
                Assert.Contains(property.Name, written);
        }
    }

    [Fact]
    public void A_job_that_fails_is_named_and_what_does_not_need_it_is_worked()
    {
        var asset = Balls();
        asset.Run(Plan, Station.Bake);
        var faulty = new PictureFormat
        {
            Word = "faulty",
            Label = "Faulty",
            Ending = ".faulty",
            Bits = [8],
            Channels = [3],
            Writer = (_, _, _) => throw new ArgumentException("it cannot be written")
        };
        using var added = PictureFormat.Table.With(faulty);
        var broken = With(Plan, o => o.Name == "normal" ? o with { Picture = faulty } : o);
        var build = asset.Build(broken);
        var failed = Assert.Throws<JobFailedException>(() => build.Run(Station.Pack, true, 2, null, default));
        Assert.StartsWith("output normal of stone: ", failed.Message, StringComparison.Ordinal);
        Assert.Equal(["output colour of stone", "output masks of stone"], build.Worked.Select(w => $"{w.Kind} {w.Label}").Order());
    }

    private static JobAsset Balls() => new("balls", Ball("a_low", 12, 0), Ball("a_high", 48, 0), Ball("b_low", 12, 3), Ball("b_high", 48, 3));

    private static Mesh Ball(string name, int around, float x)
    {
        var ball = Shapes.Sphere(name, around, around / 2);
        // Each on its own half of the tile.
        return ball with
        {
            Positions = Array.ConvertAll(ball.Positions, p => p + new Vector3(x, 0, 0)),
            UvSets = [.. ball.UvSets.Select(set => Array.ConvertAll(set, uv => new Vector2(0.5f * uv.X + (x > 0 ? 0.5f : 0), uv.Y)))],
        };
    }

    private static AssetPlan With(AssetPlan plan, Func<RecipeOutput, RecipeOutput> change) =>
        plan with { Recipe = plan.Recipe with { Outputs = [.. plan.Recipe.Outputs.Select(change)] } };

    private static string[] Worked(JobAsset asset, AssetPlan plan) => [.. asset.Run(plan).Select(w => w.Label.Length > 0 ? $"{w.Kind} {w.Label}" : w.Kind)];
}
