using System.Text.Json.Nodes;
using Crumpet.Core.Imaging;
using Xunit;

namespace Crumpet.Cli.Tests;

/// <summary>Pictures from anywhere, packed by a recipe from a file.</summary>
public sealed class PackTests : CommandTests
{
    [Fact]
    public void Photographs_of_any_size_and_format_become_every_picture_there_is()
    {
        Put("wall 北_colour.jpg", PictureFormat.Jpeg.Write(Picture(96, 64, 3), 8));
        Put("wall 北_roughness.tga", ImageFile.WriteTga(Picture(32, 32, 1)));
        Put("wall 北_ao.webp", PictureFormat.Webp.Write(Picture(96, 64, 3), 8));
        Put("bar_height.exr", PictureFormat.Exr.Write(new Bitmap32(16, 16, 1, [.. Enumerable.Range(0, 256).Select(i => i / 255f)]), 32));
        string outputs = string.Join(",", PictureFormat.Table.All.SelectMany(f => f.Bits.Select(bits => $$"""
            { "name": "{{f.Word}}{{bits}}", "meaning": "linear", "bits": {{bits}}, "picture": "{{f.Word}}", "size": "half", "file": "{map}-of-{asset}",
              "channels": [{ "from": ["roughness", "height"] }, { "from": ["ao"], "else": 1 }, { "from": ["colour"], "channel": "g", "else": 0.5 }] }
            """)));
        string recipe = Save("all.recipe.json", $$"""{ "version": 2, "name": "all", "outputs": [{{outputs}}] }""");
        var check = Run("recipe", "check", recipe, "--maps", At("maps"));
        Assert.Equal(1, check.Code);
        Assert.Contains("bar: png8 asks for ao, which is not there; 1 stands in.", check.Out, StringComparison.Ordinal);
        var run = Run("pack", "--maps", At("maps"), "--recipe", recipe, "--out", At("packed"), "--json");
        var made = JsonNode.Parse(run.Out)!["outputs"]!.AsArray();
        Assert.Equal(2 * PictureFormat.Table.All.Sum(f => f.Bits.Count), made.Count);
        foreach (var picture in made)
        {
            string file = (string)picture!["file"]!;
            var read = ImageFile.Read(File.ReadAllBytes(At($"packed/{file}")), file);
            Assert.Equal(((int)picture["width"]!, (int)picture["height"]!), (read.Width, read.Height));
            Assert.Equal((string)picture["asset"]! == "bar" ? (8, 8) : (48, 32), (read.Width, read.Height));
            Assert.Equal(3, read.Channels);
        }
        var wide = (Bitmap16)ImageFile.Read(File.ReadAllBytes(At("packed/png16-of-bar.png")), "a.png");
        Assert.Equal(32768, wide.Pixels[2]);
        // A size of the sheets is that of their longest side.
        Assert.Equal(1, Run("pack", "--maps", At("maps"), "--recipe", recipe, "--out", At("small"), "--size", "24").Code);
        var small = ImageFile.Read(File.ReadAllBytes(At("small/png8-of-wall 北.png")), "a.png");
        Assert.Equal((12, 8), (small.Width, small.Height));
    }

    [Fact]
    public void Outputs_that_would_have_one_file_and_sizes_that_are_none_are_refused()
    {
        Put("a_ao.png", ImageFile.WritePng(Picture(4, 4, 1)));
        string recipe = Save("r.json", """
            { "outputs": [ { "name": "x", "meaning": "linear", "file": "same", "channels": [{ "from": ["ao"] }] },
                           { "name": "y", "meaning": "linear", "file": "same", "channels": [{ "from": ["ao"] }] } ] }
            """);
        var run = Run("pack", "--maps", At("maps"), "--recipe", recipe, "--out", At("o"));
        Assert.Contains("x and y would have the same file", run.Error, StringComparison.Ordinal);
        Assert.Equal(3, Run("pack", "--maps", At("maps"), "--recipe", "default", "--out", At("o"), "--size", "0").Code);
        Assert.Equal(3, Run("recipe", "check", At("absent.json")).Code);
        Assert.Equal(0, Run("recipe", "check", "default").Code);
        Assert.False(Directory.Exists(At("o")));
    }

    [Fact]
    public void A_picture_that_cannot_be_read_leaves_no_part_of_a_set()
    {
        Put("a_ao.png", ImageFile.WritePng(Picture(4, 4, 1)));
        Put("b_ao.png", ImageFile.WritePng(Picture(4, 4, 1))[..60]);
        string recipe = Save("r.json", """{ "outputs": [ { "name": "x", "meaning": "linear", "channels": [{ "from": ["ao"] }] } ] }""");
        Save("o/kept.txt", "");
        Assert.Equal(3, Run("pack", "--maps", At("maps"), "--recipe", recipe, "--out", At("o")).Code);
        Assert.Equal(["kept.txt"], Directory.EnumerateFileSystemEntries(At("o")).Select(Path.GetFileName));
    }

    private void Put(string name, byte[] bytes) => File.WriteAllBytes(Save($"maps/{name}", ""), bytes);

    private static Bitmap8 Picture(int width, int height, int channels) =>
        new(width, height, channels, [.. Enumerable.Range(0, width * height * channels).Select(i => (byte)(i * 7 + i / width))]);
}
