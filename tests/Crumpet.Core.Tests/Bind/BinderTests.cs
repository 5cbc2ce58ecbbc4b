using Crumpet.Core.Bind;
using Crumpet.Core.Imaging;
using Crumpet.Core.Targets;
using Xunit;

namespace Crumpet.Core.Tests.Bind;

public sealed class BinderTests
{
    private static readonly BindTexture Colour = new("box_colour.dds", ColourMeaning.Srgb, TextureFormat.Bc7);
    private static readonly BindTexture Normal = new("box_normal.dds", ColourMeaning.Normal, TextureFormat.Bc5);
    private static readonly BindTexture Masks = new("box_masks.dds", ColourMeaning.Linear, TextureFormat.Bc7);

    [Fact]
    public void Files_fill_the_slots_their_names_say()
    {
        var slots = Binder.Bind("box", Binder.DefaultPattern, new Target().Inputs, [Masks, Normal, Colour]);
        Assert.Equal(["box_colour.dds", "box_normal.dds", "box_masks.dds"], slots.Select(s => s.File));
        Assert.Empty(BindFindings.Of(new BindReport([new SheetBinding("box", slots, [])])));
    }

    [Fact]
    public void An_empty_slot_says_whether_the_name_is_missing_miswritten_or_of_the_wrong_kind()
    {
        var slots = Binder.Bind("box", Binder.DefaultPattern, new Target().Inputs,
            [Colour with { File = "Box_colour.dds" }, Normal with { Meaning = ColourMeaning.Srgb }]);
        Assert.All(slots, s => Assert.Null(s.File));
        Assert.Contains("upper and lower case", BindFindings.Reason(slots[0]), StringComparison.Ordinal);
        Assert.Contains("flagged as srgb", BindFindings.Reason(slots[1]), StringComparison.Ordinal);
        Assert.Contains("no file is named box_masks", BindFindings.Reason(slots[2]), StringComparison.Ordinal);
        var findings = BindFindings.Of(new BindReport([new SheetBinding("box", slots, ["Box_colour.dds"])])).ToArray();
        Assert.Equal(3, findings.Count(f => f.Code == "slot-empty"));
        Assert.Equal("Box_colour.dds", Assert.Single(findings, f => f.Code == "texture-unbound").Place);
    }
}
