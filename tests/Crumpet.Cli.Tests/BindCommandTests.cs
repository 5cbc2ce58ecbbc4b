using System.Text.Json;
using Crumpet.Core.Building;
using Crumpet.Core.Imaging;
using Crumpet.Core.Targets;
using Xunit;

namespace Crumpet.Cli.Tests;

/// <summary><c>crumpet bind</c> says what fills each input and why not; <c>crumpet target</c> prints targets that can be changed and used.</summary>
public sealed class BindCommandTests : CommandTests
{
    private const string Loose = "Loose files, Z up";

    public BindCommandTests()
    {
        Save("buoy_low.obj", "mtllib buoy.mtl\no buoy_low\nv 0 0 0\nv 1 0 0\nv 0 1 0\nvt 0 0\nvt 1 0\nvt 0 1\nusemtl hull\nf 1/1 2/2 3/3\n");
        Save("buoy.mtl", "newmtl hull\nKd 1 1 1\nd 0.5\n");
        Picture("T_hull_BC", 3, (x, y) => (byte)(37 * x + y));
        Picture("T_hull_N", 3, (x, y) => (byte)128);
        Picture("T_hull_R", 1, (x, y) => (byte)x);
        Picture("T_hull_O", 1, (x, y) => (byte)y);
    }

    [Fact]
    public void Rows_have_reasons_and_an_input_that_is_needed_and_empty_fails()
    {
        var (code, output, _) = Run("bind", "--mesh", At("buoy_low.obj"), "--textures", At("tex"), "--target", Loose, "--pattern", "T_{material}_{map}",
            "--json");
        var material = JsonDocument.Parse(output).RootElement.GetProperty("materials")[0];
        var inputs = material.GetProperty("inputs").EnumerateArray().ToDictionary(i => i.GetProperty("name").GetString()!);
        Assert.Equal(("hull", "surface of single maps"), (material.GetProperty("material").GetString(), material.GetProperty("model").GetString()));
        // The library says half seen through, so opacity is open.
        Assert.Equal(["T_hull_BC.png", "T_hull_R.png", "T_hull_O.png"],
            new[] { "base colour", "roughness", "opacity" }.Select(n => inputs[n].GetProperty("file").GetString()));
        Assert.Equal(("noFile", "T_hull_metalness"),
            (inputs["metalness"].GetProperty("reason").GetString(), inputs["metalness"].GetProperty("wanted").GetString()));
        Assert.Equal(0, code);

        File.Move(At("tex/T_hull_R.png"), At("tex/T-hull-R.png"));
        var (wrong, said, _) = Run("bind", "--mesh", At("buoy_low.obj"), "--textures", At("tex"), "--target", Loose, "--pattern", "T_{material}_{map}");
        Assert.Equal(1, wrong);
        Assert.Contains("hull  roughness  empty  T-hull-R.png differs from T_hull_roughness in what stands between its words", said, StringComparison.Ordinal);
    }

    [Fact]
    public void A_ready_target_is_printed_changed_and_used()
    {
        var (code, output, _) = Run("target", Loose);
        Assert.Equal(0, code);
        Assert.Equal(ReadyTargets.Find(Loose), TargetFile.Read(System.Text.Encoding.UTF8.GetBytes(output), "x.target.json"));
        Save("own.target.json", output.Replace("\"map\": \"roughness\"", "\"map\": \"shine\"", StringComparison.Ordinal));
        File.Move(At("tex/T_hull_R.png"), At("tex/T_hull_shine.png"));
        var (_, said, _) = Run("bind", "--mesh", At("buoy_low.obj"), "--textures", At("tex"), "--target", At("own.target.json"),
            "--pattern", "T_{material}_{map}");
        Assert.Contains("hull  roughness  T_hull_shine.png  its name is the input's, to the letter", said, StringComparison.Ordinal);
    }

    [Theory]
    [InlineData("--target", "Open gltf", "Perhaps 'Open glTF' is meant", 2)]
    [InlineData("--pattern", "{material}", "lacks {map}", 2)]
    [InlineData("--model", "wood", "Open glTF has packed surface", 2)]
    [InlineData("--mesh", "gone.obj", "there is no file", 3)]
    [InlineData("--textures", "gone", "there is no such folder", 2)]
    public void What_cannot_be_is_said(string option, string value, string said, int code)
    {
        var options = new Dictionary<string, string> { ["--mesh"] = At("buoy_low.obj"), ["--textures"] = At("tex"), [option] = value };
        var (exit, _, error) = Run(["bind", .. options.SelectMany(o => new[] { o.Key, o.Value })]);
        Assert.Equal(code, exit);
        Assert.Contains(said, error, StringComparison.Ordinal);
    }

    private void Picture(string name, int channels, Func<int, int, byte> value)
    {
        Directory.CreateDirectory(At("tex"));
        byte[] pixels = [.. Enumerable.Range(0, 64 * 64).SelectMany(i => Enumerable.Range(0, channels)
            .Select(c => channels == 3 && name.EndsWith("_N", StringComparison.Ordinal) && c == 2 ? (byte)255 : value(i % 64, i / 64 + 3 * c)))];
        File.WriteAllBytes(At($"tex/{name}.png"), ImageFile.WritePng(new Bitmap8(64, 64, channels, pixels)));
    }
}
