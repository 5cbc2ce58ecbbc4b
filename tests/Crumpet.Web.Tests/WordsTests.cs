using Crumpet.Core;
using Crumpet.Storage;
using Microsoft.AspNetCore.Http;
using Xunit;

namespace Crumpet.Web.Tests;

/// <summary>How numbers, names and states are written.</summary>
public sealed class WordsTests
{
    [Theory]
    [InlineData(0, "0 parts")]
    [InlineData(1, "1 part")]
    [InlineData(2, "2 parts")]
    [InlineData(1234567, "1\u2009234\u2009567 parts")]
    public void Things_are_counted_in_the_singular_and_the_plural(long count, string words) => Assert.Equal(words, Show.Many(count, "part"));

    [Theory]
    [InlineData(0, "0 B")]
    [InlineData(1023, "1023 B")]
    [InlineData(1536, "1.5 KiB")]
    [InlineData(16 << 20, "16.0 MiB")]
    public void Sizes_have_binary_units(long bytes, string words) => Assert.Equal(words, Show.Bytes(bytes));

    [Fact]
    public void Times_are_told_in_the_unit_that_fits()
    {
        Assert.Equal("59.9 s", Show.Seconds(59.9));
        Assert.Equal("2 min 5 s", Show.Seconds(125.4));
        Assert.Equal("just now", Show.Ago(DateTime.UtcNow.AddSeconds(-20)));
        Assert.Equal("3 min ago", Show.Ago(DateTime.UtcNow.AddMinutes(-3.5)));
        Assert.Equal("5 h ago", Show.Ago(DateTime.UtcNow.AddHours(-5.2)));
        Assert.Matches(@"^\d{4}-\d\d-\d\d$", Show.Ago(DateTime.UtcNow.AddDays(-3)));
    }

    [Fact]
    public void Every_state_and_severity_has_a_shape_and_a_word_of_its_own()
    {
        var discs = Enum.GetValues<StopState>().Select(s => Written(Show.Disc(s))).ToArray();
        Assert.Equal(discs.Length, discs.Select(d => d[d.IndexOf('>', StringComparison.Ordinal)..]).Distinct().Count());
        Assert.All(Enum.GetValues<StopState>().Zip(discs), d => Assert.Contains($"aria-label=\"{Show.Word(d.First)}\"", d.Second, StringComparison.Ordinal));
        var signs = Enum.GetValues<Severity>().Select(s => Written(Show.Sign(s))).ToArray();
        Assert.Equal(3, signs.Select(s => s[s.IndexOf('>', StringComparison.Ordinal)..]).Distinct().Count());
        Assert.Equal("", Written(Show.Sign(RunState.Done)));
        Assert.Contains("sign-stop", Written(Show.Sign(RunState.Failed)), StringComparison.Ordinal);
        Assert.Throws<ArgumentOutOfRangeException>(() => Show.Icon("no such drawing"));
    }

    [Theory]
    [InlineData("louvre_screen_low.obj", "Louvre screen")]
    [InlineData("gauge.HIGH.glb", "Gauge")]
    [InlineData("mast.obj", "Mast")]
    [InlineData("___.obj", "New asset")]
    public void An_asset_is_named_after_its_file_without_the_side(string file, string name) => Assert.Equal(name, Core.Intake.SharedName.Of([file]));

    [Fact]
    public void An_asset_of_many_files_is_named_after_what_they_share()
    {
        Assert.Equal("PX Dock", Core.Intake.SharedName.Of(["PX_Dock_Anchor_HP.obj", "px_dock_winch_LP.glb", "PX_Dock_LP.ply", "rust.png"]));
        Assert.Equal("Anchor", Core.Intake.SharedName.Of(["rust.png", "anchor_hi.obj", "winch_lo.obj"]));
        Assert.Equal("Wet bark", Core.Intake.SharedName.Of(["wet_bark_AO.jpg", "wet bark-albedo.png", "wetBark_normal.png", "extra.png"]));
    }

    [Fact]
    public void A_taken_name_gets_the_first_free_number_whatever_its_case()
    {
        Assert.Equal("Mast", Names.Free("Mast", []));
        Assert.Equal("Mast 3", Names.Free("Mast", ["MAST", "mast 2", "Mast 4"]));
    }

    [Theory]
    [InlineData(@"C:\work\..\a_low.obj", "C/work/a_low.obj")]
    [InlineData("../../etc/passwd", "etc/passwd")]
    [InlineData("textures//./wood.png", "textures/wood.png")]
    [InlineData("..", "unnamed")]
    public void Paths_of_uploads_stay_below_their_folder(string sent, string kept) => Assert.Equal(kept, IntakeService.Clean(sent));

    private static string Written(Microsoft.AspNetCore.Html.IHtmlContent content)
    {
        using var writer = new StringWriter();
        content.WriteTo(writer, System.Text.Encodings.Web.HtmlEncoder.Default);
        return writer.ToString();
    }
}
