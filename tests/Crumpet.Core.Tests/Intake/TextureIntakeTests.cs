using System.Text;
using Crumpet.Core.Imaging;
using Crumpet.Core.Intake;
using Crumpet.Core.Targets;
using Xunit;

namespace Crumpet.Core.Tests.Intake;

public sealed class TextureIntakeTests
{
    private const string Mesh = "mtllib a.mtl\nv 0 0 0\nv 1 0 0\nv 0 1 0\nvt 0 0\nvt 1 0\nvt 0 1\nvn 0 0 1\no lid_low\nusemtl paint\nf 1/1/1 2/2/1 3/3/1\no "
        + "lid_high\nf 1/1/1 2/2/1 3/3/1\n";

    /// <summary>Path in the material, file that arrived, code of what is found or none.</summary>
    [Theory]
    [InlineData("wood.png", "wood.png", false)]
    [InlineData("maps\\wood.png", "maps/wood.png", false)]
    [InlineData("./maps/../wood.png", "wood.png", false)]
    [InlineData("C:\\work\\wood.png", "wood.png", true)]
    [InlineData("/home/me/wood.png", "maps/wood.png", true)]
    [InlineData("Wood.PNG", "wood.png", true)]
    [InlineData("old/wood.png", "new/wood.png", true)]
    [InlineData("wood.tga", "wood.png", true)]
    public void Paths_are_followed_to_the_letter_and_otherwise_matched(string path, string file, bool isMissing)
    {
        var result = Run(path, (file, Picture(64, 64)));
        var finding = result.Findings.FirstOrDefault(f => f.Code == "texture-missing");
        Assert.Equal(isMissing, finding is not null);
        if (finding is null)
        {
            Assert.Equal(file, Assert.Single(result.Report.Links).File);
            return;
        }
        var mended = Run(path, [finding.Mends[0].Mend], (file, Picture(64, 64)));
        Assert.DoesNotContain(mended.Findings, f => f.Code == "texture-missing");
        Assert.Equal(file, Assert.Single(mended.Report.Links).File);
        Assert.Equal(["paint"], Assert.Single(mended.Report.Textures).UsedBy);
    }

    [Fact]
    public void A_texture_that_never_arrived_has_no_mend_and_is_asked_for()
    {
        var finding = Assert.Single(Run("D:/gone/wood.png").Findings, f => f.Code == "texture-missing");
        Assert.Empty(finding.Mends);
        Assert.Contains("drop wood.png", finding.Sentence, StringComparison.Ordinal);
    }

    [Theory]
    [InlineData(100, 64, false, 8192, "texture-not-power-of-two", 128, 64)]
    [InlineData(4097, 16, false, 2048, "texture-too-large", 2048, 8)]
    [InlineData(64, 16, true, 8192, "texture-not-square", 64, 64)]
    public void Sizes_the_target_does_not_take_are_mended(int width, int height, bool square, int limit, string code, int newWidth, int newHeight)
    {
        var limits = new TextureLimits(limit, square, PowerOfTwo: true);
        var finding = Assert.Single(Run("w.png", [], limits, ("w.png", Picture(width, height))).Findings,
            f => f.Code.StartsWith("texture", StringComparison.Ordinal));
        Assert.Equal(code, finding.Code);
        var mended = Run("w.png", [finding.Mends[0].Mend], limits, ("w.png", Picture(width, height)));
        Assert.DoesNotContain(mended.Findings, f => f.Code.StartsWith("texture", StringComparison.Ordinal));
        var picture = Assert.Single(mended.Pictures).Value;
        Assert.Equal((newWidth, newHeight), (picture.Width, picture.Height));
        Assert.Equal(mended.Report.Textures[0].MendedFile, Assert.Single(mended.Pictures).Key);
    }

    [Fact]
    public void Normal_maps_that_are_none_are_found_by_their_content()
    {
        byte[] bump = ImageFile.WritePng(new Bitmap8(32, 32, 1, [.. Enumerable.Range(0, 1024).Select(i => (byte)(i * 5))]));
        var grey = Assert.Single(Run("", ("wall_normal.png", bump)).Findings, f => f.Code == "normal-is-height");
        var made = Run("", [grey.Mends[0].Mend], ("wall_normal.png", bump));
        Assert.DoesNotContain(made.Findings, f => f.Code.StartsWith("normal", StringComparison.Ordinal));
        Assert.Equal((TextureKind.Normal, 3), (made.Report.Textures[0].Kind, made.Report.Textures[0].Channels));
        byte[] painted = ImageFile.WritePng(new Bitmap8(32, 32, 3, [.. Enumerable.Range(0, 1024).SelectMany(i => (byte[])[(byte)(110 + i % 30), 128, 230])]));
        var loose = Assert.Single(Run("", ("wall_normal.png", painted)).Findings, f => f.Code == "normal-not-unit");
        Assert.DoesNotContain(Run("", [loose.Mends[0].Mend], ("wall_normal.png", painted)).Findings, f => f.Code == "normal-not-unit");
    }

    [Fact]
    public void White_alpha_is_said_and_dropped()
    {
        byte[] white = ImageFile.WritePng(new Bitmap8(16, 16, 4, [.. Enumerable.Range(0, 1024).Select(i => (byte)(i % 4 == 3 ? 255 : i * 37))]));
        var result = Run("", ("paint_colour.png", white));
        Assert.Equal("RGB, alpha all white", result.Report.Textures[0].ChannelsUsed);
        var mended = Run("", [Assert.Single(result.Findings, f => f.Code == "alpha-unused").Mends[0].Mend], ("paint_colour.png", white));
        Assert.Equal(3, mended.Report.Textures[0].Channels);
        byte[] holed = ImageFile.WritePng(new Bitmap8(16, 16, 4, [.. Enumerable.Range(0, 1024).Select(i => (byte)(i == 515 ? 0 : i % 4 == 3 ? 255 : i * 37))]));
        Assert.DoesNotContain(Run("", ("paint_colour.png", holed)).Findings, f => f.Code == "alpha-unused");
    }

    [Theory]
    [InlineData("crate_BaseColor.png", TextureKind.BaseColour)]
    [InlineData("crate-normal.tga", TextureKind.Normal)]
    [InlineData("crateRoughness.png", TextureKind.Roughness)]
    [InlineData("crate_ao.png", TextureKind.Occlusion)]
    [InlineData("crate.metal.png", TextureKind.Metalness)]
    [InlineData("crate_height_16.tif", TextureKind.Height)]
    [InlineData("crate_ID.png", TextureKind.Id)]
    [InlineData("abnormality.png", TextureKind.Unknown)]
    [InlineData("crate.png", TextureKind.Unknown)]
    public void Names_tell_what_textures_are_by_whole_words(string name, TextureKind kind) => Assert.Equal(kind, TextureKinds.ByName(name));

    [Fact]
    public void A_broken_picture_is_a_finding_and_the_rest_is_read()
    {
        var result = Run("", ("a.png", "text"u8.ToArray()), ("b.png", Picture(8, 8)));
        Assert.Equal("a.png", Assert.Single(result.Findings, f => f.Code == "unreadable-file").Place);
        Assert.Equal("b.png", Assert.Single(result.Report.Textures).File);
    }

    [Fact]
    public void Files_of_other_kinds_are_passed_over_with_a_note() =>
        Assert.Equal(Severity.Note, Assert.Single(Run("", ("readme.txt", "hello"u8.ToArray())).Findings, f => f.Code == "file-not-read").Severity);

    private static byte[] Picture(int width, int height) =>
        ImageFile.WritePng(new Bitmap8(width, height, 3, [.. Enumerable.Range(0, width * height * 3).Select(i => (byte)(i * 31 % 251))]));

    private static IntakeResult Run(string path, params (string Name, byte[] Bytes)[] pictures) => Run(path, [], pictures);

    private static IntakeResult Run(string path, Mend[] mends, params (string Name, byte[] Bytes)[] pictures) =>
        Run(path, mends, new Target().Limits, pictures);

    private static IntakeResult Run(string path, Mend[] mends, TextureLimits limits, params (string Name, byte[] Bytes)[] pictures)
    {
        var files = pictures.Append(("a.obj", Encoding.UTF8.GetBytes(Mesh)))
            .Append(("a.mtl", Encoding.UTF8.GetBytes($"newmtl paint\n{(path.Length > 0 ? $"map_Kd {path}\n" : "")}"))).ToDictionary(f => f.Item1, f => f.Item2);
        var sources = files.Select(f => new SourceFile(f.Key, f.Key, f.Value.Length)).OrderBy(f => f.Name, StringComparer.Ordinal).ToArray();
        return IntakeStation.Run(new IntakeInput(sources, s => new MemoryStream(files[s.Name]), Sides.DefaultPattern) { Mends = mends, Limits = limits });
    }
}
