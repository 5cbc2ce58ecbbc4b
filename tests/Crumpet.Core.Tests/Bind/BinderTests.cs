using Crumpet.Core.Bind;
using Crumpet.Core.Geometry;
using Crumpet.Core.Imaging;
using Crumpet.Core.Pack;
using Crumpet.Core.Targets;
using Xunit;

namespace Crumpet.Core.Tests.Bind;

/// <summary>Files fill inputs by their names, and an input that stays empty says why, which file was meant, and what fills it.</summary>
public sealed class BinderTests
{
    private static readonly Target Packed = new(), Single = ReadyTargets.Find("Loose files, Z up")!;
    private static readonly BindTexture Colour = new("box_colour.dds", ColourMeaning.Srgb, 3) { Known = "colour" };
    private static readonly BindTexture Normal = new("box_normal.dds", ColourMeaning.Normal, 3) { Known = "normal" };
    private static readonly BindTexture Masks = new("box_masks.dds", ColourMeaning.Linear, 3) { Known = "masks" };

    [Fact]
    public void Every_input_takes_the_file_named_for_it()
    {
        var report = Bind(Packed, [Masks, Normal, Colour]);
        Assert.Equal(["box_colour.dds", "box_normal.dds", "box_masks.dds", null], report.Materials[0].Inputs.Select(i => i.File));
        Assert.Empty(BindFindings.Of(report, Packed));
    }

    [Fact]
    public void What_a_mesh_file_reads_from_another_channel_stays_out_and_is_told()
    {
        BindTexture Grey(string map) => new($"box_{map}.png", ColourMeaning.Linear, 1) { Known = map };
        var single = new Target { Models = [ReadyTargets.SingleModel] };
        BindTexture[] files = [Colour, Normal, Grey("roughness"), Grey("metalness"), Grey("ao")];
        var told = BindFindings.Of(Bind(single, files), single).Where(f => f.Code == "slot-left-out").Select(f => f.Sentence).ToArray();
        // Occlusion is read from red, which is where it lies.
        Assert.Equal(2, told.Length);
        Assert.Contains("Roughness of box stays out of GLB, which reads it from green", told[0], StringComparison.Ordinal);
        Assert.Contains("Metalness of box stays out of GLB, which reads it from blue", told[1], StringComparison.Ordinal);
        Assert.DoesNotContain(BindFindings.Of(Bind(Single, files), Single), f => f.Code == "slot-left-out");
        Assert.DoesNotContain(BindFindings.Of(Bind(Packed, [Colour, Normal, Masks]), Packed), f => f.Code == "slot-left-out");
    }

    public static TheoryData<string, string, string, Type> Scenes => new()
    {
        { "no such file", "input-empty", "no file is named box_normal", typeof(AddOutputFor) },
        { "other capitals", "input-other-case", "Box_Normal.dds differs from box_normal in upper and lower case", typeof(RenameOutput) },
        { "another separator", "input-other-separator", "box-normal.dds differs from box_normal in what stands between its words", typeof(RenameOutput) },
        { "a letter off", "input-letter-off", "box_normel.dds differs from box_normal in 1 letter", typeof(RenameOutput) },
        { "two letters off", "input-letter-off", "box_nromal.dds differs from box_normal in 2 letters", typeof(RenameOutput) },
        { "wrong meaning", "input-other-meaning", "box_normal.dds is read as colour, and it takes normals", typeof(CallOutput) },
        { "channel missing", "input-channel-missing", "box_normal.dds has one channel, and it takes 2 channels", typeof(PutInto) },
        { "wrong size", "input-wrong-size", "box_normal.dds is 300 × 200 px, and Open glTF takes at most 8192 px, powers of two", typeof(PutInto) },
        { "two files", "input-several", "box_normal.png and box_normal.dds have its name", typeof(PutInto) },
    };

    [Theory]
    [MemberData(nameof(Scenes))]
    public void An_empty_input_says_why_and_its_mend_fills_it(string scene, string code, string said, Type mend)
    {
        BindTexture Named(string file) => Normal with { File = file, Known = "odd" };
        BindTexture[] files = scene switch
        {
            "no such file" => [],
            "other capitals" => [Named("Box_Normal.dds")],
            "another separator" => [Named("box-normal.dds")],
            "a letter off" => [Named("box_normel.dds")],
            "two letters off" => [Named("box_nromal.dds")],
            "wrong meaning" => [Normal with { Meaning = ColourMeaning.Srgb }],
            "channel missing" => [Normal with { Channels = 1 }],
            "wrong size" => [Normal with { Width = 300, Height = 200 }],
            _ => [Normal with { File = "box_normal.png" }, Normal],
        };
        var report = Bind(Packed, [Colour, Masks, .. files]);
        var finding = Assert.Single(BindFindings.Of(report, Packed), f => f.Severity == Severity.Warn);
        Assert.Equal((code, "normal"), (finding.Code, finding.Place));
        Assert.Contains(said, finding.Sentence, StringComparison.Ordinal);
        Assert.IsType(mend, finding.Mends[0].Mend);
        Assert.Empty(report.Unread);
        // Put in by hand it is filled, whatever its name, meaning or size.
        if (files.Length == 0)
            return;
        var put = finding.Mends.Select(m => m.Mend).OfType<PutInto>().First();
        var mended = Bind(Packed, [Colour, Masks, .. files], m => m with { ByHand = put.Applied(new MaterialPlan()).ByHand });
        Assert.Equal((files[0].File, BindReason.ByHand), (mended.Materials[0].Inputs[1].File, mended.Materials[0].Inputs[1].Reason));
    }

    [Fact]
    public void A_closed_input_says_what_opens_it_and_takes_its_file_when_it_is_open()
    {
        var glow = new BindTexture("box_emission.dds", ColourMeaning.Srgb, 3);
        var report = Bind(Packed, [Colour, Normal, Masks, glow]);
        var finding = Assert.Single(BindFindings.Of(report, Packed));
        Assert.Contains("it is closed; it opens with emission, and box_emission.dds waits for it", finding.Sentence, StringComparison.Ordinal);
        var open = Assert.IsType<OpenTrait>(Assert.Single(finding.Mends).Mend);
        var traits = open.Applied(new MaterialPlan()).Over(MaterialTraits.Plain);
        var opened = Bind(Packed, [Colour, Normal, Masks, glow], m => m with { Traits = traits });
        Assert.Equal("box_emission.dds", opened.Materials[0].Inputs[3].File);
        // A closed input that nothing was meant for is no fault.
        Assert.Empty(BindFindings.Of(Bind(Packed, [Colour, Normal, Masks]), Packed));
    }

    [Fact]
    public void An_input_of_another_model_says_which_model_has_it()
    {
        var metal = new BindTexture("box_metalness.dds", ColourMeaning.Linear, 1);
        var report = Bind(Single, [Colour, Normal, Masks, metal], m => m with { Model = ReadyTargets.PackedModel.Name });
        var finding = Assert.Single(BindFindings.Of(report, Single), f => f.Code == "input-other-model");
        Assert.Contains("box is a packed surface, which has no such input; box_metalness.dds needs a surface of single maps", finding.Sentence,
            StringComparison.Ordinal);
        var model = Assert.IsType<TakeModel>(finding.Mends[0].Mend).Applied(new MaterialPlan()).Model;
        var taken = Bind(Single, [Colour, Normal, Masks, metal], m => m with { Model = model });
        Assert.Equal("box_metalness.dds", taken.Materials[0].Inputs.Single(i => i.Input.Name == "metalness").File);
    }

    [Fact]
    public void A_file_nothing_reads_is_named_and_what_the_target_does_not_take_is_kept_out()
    {
        var usd = ReadyTargets.Find("USD scene")!;
        var thin = MaterialTraits.Plain with { Through = LightThrough.Thin, TwoSided = true };
        var report = Bind(usd, [Colour, Normal, Masks, new BindTexture("notes.png", ColourMeaning.Srgb, 3)], m => m with { Traits = thin });
        Assert.Equal(["notes.png"], report.Unread);
        Assert.Equal((true, LightThrough.None), (report.Materials[0].Traits.TwoSided, report.Materials[0].Traits.Through));
        Assert.Equal(["texture-unbound", "trait-left-out"], BindFindings.Of(report, usd).Select(f => f.Code).Order(StringComparer.Ordinal));
    }

    [Fact]
    public void Forty_textures_in_five_foreign_conventions_leave_nothing_but_what_is_missing()
    {
        // Colour, normals, roughness, metalness, occlusion, height, opacity, emission.
        var sets = new Dictionary<string, string[]>
        {
            ["hull"] = ["T_hull_BC", "T_hull_N", "T_hull_R", "T_hull_M", "T_hull_AO", "T_hull_H", "T_hull_O", "T_hull_E"],
            ["lamp"] = ["lamp-base-color", "lamp-normal", "lamp-roughness", "lamp-metallic", "lamp-ambient-occlusion", "lamp-height", "lamp-opacity",
                "lamp-emissive"],
            ["chain"] = ["chainAlbedo", "chainNormal", "chainRoughness", "chainMetalness", "chainAO", "chainDisplacement", "chainAlpha", "chainGlow"],
            ["mast"] = ["mast Diffuse", "mast Normals", "mast Rough", "mast Metal", "mast Occlusion", "mast Bump", "mast Mask", "mast Emission"],
            ["NET"] = ["NET_COLOR", "NET_NRM", "NET_ROUGHNESS", "NET_METALLIC", "NET_AO", "NET_DISP", "NET_CUTOUT", "NET_EMISSIVE"],
        };
        string[] missing = ["T_hull_R", "chainNormal"];
        ColourMeaning[] meanings = [ColourMeaning.Srgb, ColourMeaning.Normal, .. Enumerable.Repeat(ColourMeaning.Linear, 5), ColourMeaning.Srgb];
        var textures = sets.Values
            .SelectMany(s => s.Select((name, i) => new BindTexture(name + ".png", meanings[i], meanings[i] == ColourMeaning.Linear ? 1 : 3)))
            .Where(t => !missing.Contains(t.Stem)).ToArray();
        var traits = MaterialTraits.Plain with { Alpha = AlphaMode.CutOut, Emission = Tint.White };
        var report = Binder.Bind(BindRules.Of("{asset}_{map} | T_{asset}_{map} | {asset}-{map} | {asset} {map} | {asset}{map}", Single),
            [.. sets.Keys.Select(k => new BindMaterial(k, [k]) { Traits = traits })], textures);
        Assert.All(report.Materials, m => Assert.Equal(ReadyTargets.SingleModel.Name, m.Model));
        var empty = report.Materials.SelectMany(m => m.Inputs.Where(i => i.File is null).Select(i => (m.Material, i.Input.Name, i.Reason)));
        Assert.Equal([("hull", "roughness", BindReason.NoFile), ("chain", "normal", BindReason.NoFile)], empty);
        Assert.Empty(report.Unread);
        Assert.Equal(38, report.Materials.Sum(m => m.Inputs.Count(i => i.File is not null)));
        // Each file stands where its name says.
        Assert.All(report.Materials.SelectMany(m => m.Inputs.Where(i => i.File is not null).Select(i => (m, i))), p =>
            Assert.Equal(sets[p.m.Material][p.m.Inputs.ToList().IndexOf(p.i)] + ".png", p.i.File));
    }

    [Fact]
    public void To_leave_an_input_empty_is_never_done_unasked()
    {
        var inputs = ReadyTargets.PackedModel.Inputs.Select(i => i.Map == "normal" ? i with { Map = "zzz" } : i);
        var target = Packed with { Models = [ReadyTargets.PackedModel with { Inputs = [.. inputs] }] };
        var finding = Assert.Single(BindFindings.Of(Bind(target, [Colour, Masks]), target));
        Assert.Equal(["Leave normal of box empty"], finding.Mends.Select(m => m.Label));
        Assert.DoesNotContain(finding.Mends, m => m.IsSafe);
    }

    [Fact]
    public void Names_of_one_material_fill_no_other()
    {
        var report = Binder.Bind(BindRules.Of(Binder.DefaultPattern, Packed), [new BindMaterial("box", ["box"]), new BindMaterial("box_lid", ["box_lid"])],
            [Colour, Colour with { File = "box_lid_colour.dds" }]);
        Assert.Equal(["box_colour.dds", "box_lid_colour.dds"], report.Materials.Select(m => m.Inputs[0].File));
    }

    [Fact]
    public void A_pattern_without_the_map_is_refused() =>
        Assert.Contains("lacks {map}", Assert.Throws<FormatException>(() => Bind(Packed, [], pattern: "{asset}")).Message, StringComparison.Ordinal);

    private static BindReport Bind(Target target, IReadOnlyList<BindTexture> textures, Func<BindMaterial, BindMaterial>? change = null,
        string pattern = Binder.DefaultPattern)
    {
        var material = new BindMaterial("box", ["box"]);
        return Binder.Bind(BindRules.Of(pattern, target) with { Limits = target.Limits }, [change?.Invoke(material) ?? material], textures);
    }
}
