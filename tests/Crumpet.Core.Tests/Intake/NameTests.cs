using Crumpet.Core.Checking;
using Crumpet.Core.Intake;
using FsCheck;
using FsCheck.Xunit;
using Xunit;

namespace Crumpet.Core.Tests.Intake;

public sealed class NameTests
{
    private static readonly NameRules ByPattern = new() { FindsWords = false };

    [Theory]
    // Any separator, any case, before, after or between; what the pattern reads it reads first.
    [InlineData("PX_Anchor_HP", "PX_Anchor", Side.High)]
    [InlineData("PX_Anchor_LP", "PX_Anchor", Side.Low)]
    [InlineData("anchor-lowpoly", "anchor", Side.Low)]
    [InlineData("Anchor.HighPoly", "Anchor", Side.High)]
    [InlineData("anchor hi", "anchor", Side.High)]
    [InlineData("lo.anchor", "anchor", Side.Low)]
    [InlineData("HP-anchor-02", "anchor-02", Side.High)]
    [InlineData("game anchor 2", "anchor 2", Side.Low)]
    [InlineData("Sculpt_Anchor", "Anchor", Side.High)]
    [InlineData("AnchorHP", "Anchor", Side.High)]
    [InlineData("Anchor01Low", "Anchor01", Side.Low)]
    [InlineData("set.hi.anchor", "set_anchor", Side.High)]
    [InlineData("anchor-cage", "anchor", Side.Cage)]
    [InlineData("anchor.LOD2", "anchor", Side.Lod)]
    [InlineData("Hull anchor", "anchor", Side.Hull)]
    [InlineData("high_chair_low", "high_chair", Side.Low)]
    [InlineData("якорь-HP", "якорь", Side.High)]
    [InlineData("錨 low", "錨", Side.Low)]
    [InlineData("anchor__lp", "anchor", Side.Low)]
    [InlineData("anchor - Low", "anchor", Side.Low)]
    public void Names_of_twenty_conventions_are_read_without_a_rule(string name, string part, Side side)
    {
        var names = NameReader.Create(Sides.DefaultPattern, new NameRules());
        var reading = names.Read(name)!;
        Assert.Equal((part, side), (reading.Part.Trim('_'), reading.Side));
        var trace = names.Trace(name);
        Assert.Equal((-1, name), (trace.BrokenAt, string.Concat(trace.Pieces.Select(p => name.Substring(p.Start, p.Length)))));
    }

    [Theory]
    [InlineData("GameBoard")]
    [InlineData("HiFi")]
    [InlineData("low")]
    [InlineData("_HP_")]
    [InlineData("slow")]
    [InlineData("ship")]
    [InlineData("")]
    public void Words_within_words_and_words_alone_say_nothing(string name) => Assert.Null(NameReader.Create(Sides.DefaultPattern, new NameRules()).Read(name));

    [Theory]
    [InlineData("anchor_HP.obj", Side.High, "anchor")]
    [InlineData("HP anchor.glb", Side.High, "anchor")]
    [InlineData("rock_low_final.ply", Side.Low, "rock_final")]
    [InlineData("anchorLP.obj", Side.Low, "anchor")]
    [InlineData("low.obj", Side.Low, "low")]
    [InlineData("anchor.obj", Side.Unknown, "anchor")]
    public void A_files_name_tells_side_and_part(string file, Side side, string part)
    {
        var names = NameReader.Create(Sides.DefaultPattern, new NameRules());
        Assert.Equal((side, part), (names.SideOfFile(file), names.PartOfFile(file)));
    }

    [Theory]
    [InlineData("{part}_{side}{_detail*}", "bracket_high", "bracket", "high", "")]
    [InlineData("{part}_{side}{_detail*}", "bracket_high_screw_02", "bracket", "high", "screw_02")]
    [InlineData("{part}_{side}{_detail?}", "bracket_high_screw", "bracket", "high", "screw")]
    [InlineData("{part}_{side}{_detail+}", "bracket_high_a_b", "bracket", "high", "a_b")]
    [InlineData("{side}{-detail?}-{part}", "low-bolt-bracket", "bracket", "low", "bolt")]
    [InlineData("{detail_?}{part}_{side}", "loose_bracket_low", "bracket", "low", "loose")]
    [InlineData("{part}_{side} | {side}.{part}", "high.lid", "lid", "high", "")]
    [InlineData("{side}.{part}{.detail?}", "high.a.b.x", "a.b", "high", "x")]
    [InlineData("{side}.{part}{.detail?}", "high.a", "a", "high", "")]
    [InlineData("{part}_{side}{_detail*}", "low_high_low", "low_high", "low", "")]
    public void Optional_and_repeated_pieces_are_read(string pattern, string name, string part, string side, string detail)
    {
        var reading = NameReader.Create(pattern, new NameRules()).Read(name)!;
        Assert.Equal((part, side, detail), (reading.Part, reading.Word, reading.Detail));
    }

    [Theory]
    [InlineData("{part}_{side}{_detail+}", "bracket_high")]
    [InlineData("{part}_{side}{_detail?}", "bracket_high_a_b")]
    [InlineData("{part}_{side}", "_high")]
    [InlineData("{part}_{side}", "brackethigh")]
    public void What_does_not_fit_is_not_read(string pattern, string name) => Assert.Null(NameReader.Create(pattern, ByPattern).Read(name));

    [Theory]
    [InlineData("slat_01_hgh", 9, "low, lo, lp")]
    [InlineData("slat_01_", 8, "low, lo, lp")]
    [InlineData("slat", 4, "_")]
    [InlineData("slat_01_high!", 12, "the end")]
    [InlineData("slat_01_high-x", 12, "the end")]
    public void The_character_that_breaks_a_name_is_told(string name, int at, string expected)
    {
        var trace = NameReader.Create("{part}_{side}", ByPattern).Trace(name);
        Assert.Equal(at, trace.BrokenAt);
        Assert.StartsWith(expected, trace.Expected, StringComparison.Ordinal);
        Assert.Empty(trace.Pieces);
    }

    [Fact]
    public void The_pieces_of_a_name_that_fits_cover_it_from_end_to_end()
    {
        var trace = NameReader.Create("{part}_{side}{_detail*}", new NameRules { IgnoredPrefixes = ["marsh:"] }).Trace("marsh:slat_01_high_screw_2");
        Assert.Equal([("", "marsh:"), ("part", "slat_01"), ("", "_"), ("side", "high"), ("", "_"), ("detail", "screw_2")],
            trace.Pieces.Select(p => (p.Field, "marsh:slat_01_high_screw_2".Substring(p.Start, p.Length))));
        Assert.Equal(-1, trace.BrokenAt);
    }

    [Fact]
    public void A_kit_has_its_own_words_case_rule_and_prefixes()
    {
        var names = NameReader.Create("{part}_{side}",
            new NameRules { Low = ["game", "lp"], High = ["sculpt"], IgnoresCase = true, IgnoredPrefixes = ["SM_"] });
        Assert.Equal(new NameReading("lid", Side.Low, "LP", ""), names.Read("SM_Lid_LP"));
        Assert.Equal(Side.High, names.Read("lid_sculpt")!.Side);
        Assert.Null(names.Read("lid_low"));
        Assert.Equal("lid_game", names.Write("lid", Side.Low));
        Assert.Equal(Side.High, names.SideOfFile("crate-sculpt.obj"));
        Assert.NotNull(FieldRules.Problem(new NameRules { Low = ["x"], High = ["X"] }));
        Assert.Null(FieldRules.Problem(new NameRules()));
    }

    [Property(MaxTest = 400)]
    public void Names_of_any_characters_are_read_back_as_written(NonEmptyString part, bool low, NonNull<string> detail)
    {
        var names = NameReader.Create("{part}_{side}{_detail*}", new NameRules());
        // What itself looks like a side makes a name ambiguous.
        if (part.Get.Length + detail.Get.Length > 200 || part.Get.Contains('_', StringComparison.Ordinal)
            || detail.Get.Split('_').Any(d => names.SideOf(d) != Side.Unknown))
            return;
        var side = low ? Side.Low : Side.High;
        Assert.Equal(new NameReading(part.Get, side, names.WordOf(side), detail.Get), names.Read(names.Write(part.Get, side, detail.Get)));
    }

    [Fact]
    public void Long_names_of_repeating_characters_are_read_in_no_time()
    {
        var names = NameReader.Create("{part}_{side}{_detail*}!", ByPattern);
        Assert.Null(names.Read(string.Concat(Enumerable.Repeat("_low", 120)) + "-"));
        Assert.Null(names.Read(new string('_', 100_000)));
    }

    [Theory]
    [InlineData(" lid_low ", NameOddity.Space, "lid_low")]
    [InlineData("lid\u200b_low", NameOddity.Space, "lid_low")]
    [InlineData("lіd_low", NameOddity.LookAlike, "lid_low")]
    [InlineData("lid＿low", NameOddity.LookAlike, "lid_low")]
    [InlineData("lid\u2013low", NameOddity.LookAlike, "lid-low")]
    [InlineData("lid_low.001", NameOddity.CopyEnding, "lid_low")]
    [InlineData("slat_01_low", NameOddity.None, "slat_01_low")]
    [InlineData("дверь_low", NameOddity.None, "дверь_low")]
    public void Spellings_that_nobody_sees_are_found_and_cleaned(string name, NameOddity oddity, string clean)
    {
        Assert.Equal(oddity, NameRepair.Look(name));
        Assert.Equal(clean, NameRepair.Clean(name));
    }
}
