using System.Diagnostics;
using System.Text.Json;
using Crumpet.Core.Imaging;
using Crumpet.Storage;
using Xunit;

namespace Crumpet.Cli.Tests;

/// <summary><c>crumpet deliver</c> brings a folder up to a kit, and <c>crumpet dock</c> judges what lies there.</summary>
public sealed class DeliverCommandTests : CommandTests
{
    private const int Side = 64;

    public DeliverCommandTests()
    {
        Save("kit/kit.json", """
            {"version":3,"name":"Marsh","assets":["trim","post"],"settings":{"bake":{"size":32},"layout":{"uvs":"keep","pack":false},
            "materials":{"wood":{"texturesOf":"Trim"}}}}
            """);
        Save("kit/assets/trim/asset.json",
            """{"version":3,"name":"Trim","sources":[{"path":"trim_albedo.png"},{"path":"trim_nrm.png"},{"path":"trim_orm.png"}]}""");
        Save("kit/assets/post/asset.json", """{"version":3,"name":"Post","sources":[{"path":"post_low.obj"},{"path":"post.mtl"}]}""");
        Save("kit/assets/post/post_low.obj",
            "mtllib post.mtl\no post_low\nv 0 0 0\nv 1 0 0\nv 0 1 0\nvt 0.1 0.1\nvt 0.9 0.1\nvt 0.1 0.9\nusemtl wood\nf 1/1 2/2 3/3\n");
        Save("kit/assets/post/post.mtl", "newmtl wood\nKd 1 1 1\n");
        Picture("albedo", (x, y, c) => 3 * x + c * y);
        Picture("nrm", (x, y, c) => c == 2 ? 255 : 128);
        Picture("orm", (x, y, c) => c == 0 ? 255 : 2 * x + y);
    }

    private void Picture(string map, Func<int, int, int, int> value) => File.WriteAllBytes(At($"kit/assets/trim/trim_{map}.png"), ImageFile.WritePng(
        new Bitmap8(Side, Side, 3, [.. Enumerable.Range(0, 3 * Side * Side).Select(i => (byte)value(i / 3 % Side, i / 3 / Side, i % 3))])));

    private string[] Deliver(params string[] more) => ["deliver", At("kit"), "--to", At("engine"), "--store", At("store"), .. more];

    private JsonElement Change(string asset, params string[] more)
    {
        var (_, output, error) = Run([.. Deliver(more), "--json"]);
        Assert.True(output.Length > 0, error);
        return JsonDocument.Parse(output).RootElement.GetProperty("assets").EnumerateArray().Single(a => a.GetProperty("name").GetString() == asset)
            .GetProperty("change");
    }

    private static string[] Paths(JsonElement change, string list) => [.. change.GetProperty(list).EnumerateArray().Select(p => p.GetString()!)];

    [Fact]
    public void A_folder_follows_the_kit_and_only_what_changed_is_written()
    {
        Assert.Equal(["manifest.json", "post.glb", "textures/trim_colour.dds", "textures/trim_masks.dds", "textures/trim_normal.dds"],
            Paths(Change("Post", "--look"), "written"));
        Assert.False(Directory.Exists(At("engine")));
        Assert.Equal(5, Paths(Change("Post", "--group", "props/marsh"), "written").Length);
        Assert.Empty(Paths(Change("Post", "--group", "props/marsh"), "written"));
        Picture("albedo", (x, y, c) => 255 - 3 * x);
        var change = Change("Post", "--group", "props/marsh");
        Assert.Equal(["manifest.json", "post.glb", "textures/trim_colour.dds"], Paths(change, "written"));
        Assert.Equal(["textures/trim_masks.dds", "textures/trim_normal.dds"], Paths(change, "same"));
        // What two assets share is one file's bytes in both.
        Assert.Equal(File.ReadAllBytes(At("engine/props/marsh/trim/textures/trim_colour.dds")),
            File.ReadAllBytes(At("engine/props/marsh/post/textures/trim_colour.dds")));
        Assert.Contains("written  post.usdz", Run([.. Deliver("--asset", "Post", "--group", "x"), "--target", "USD scene"]).Out, StringComparison.Ordinal);
    }

    [Fact]
    public void The_dock_judges_what_was_delivered_and_fails_where_it_is_not_taken()
    {
        Run(Deliver());
        var (code, output, _) = Run("dock", At("engine"), "--check", "--json");
        Assert.Equal(0, code);
        var deliveries = JsonDocument.Parse(output).RootElement.GetProperty("deliveries").EnumerateArray()
            .ToDictionary(d => d.GetProperty("asset").GetString()!);
        Assert.Equal(["post", "trim"], deliveries.Keys.Order());
        Assert.Equal(1, deliveries["post"].GetProperty("meshes")[0].GetProperty("triangles").GetInt32());
        Assert.Contains("No hulls came along", deliveries["post"].GetProperty("messages")[0].GetProperty("says").GetString(), StringComparison.Ordinal);
        Assert.Empty(deliveries["trim"].GetProperty("messages").EnumerateArray());
        File.Move(At("engine/post/textures/trim_normal.dds"), At("engine/post/textures/trim_Normal.dds"));
        var (wrong, said, _) = Run("dock", At("engine/post"), "--check");
        Assert.Equal(1, wrong);
        Assert.Contains("the file is called textures/trim_Normal.dds. Name it textures/trim_normal.dds, to the letter.", said, StringComparison.Ordinal);
        foreach (string target in (string[])["USD scene", "Loose files, Y up", "Loose files, Z up"])
        {
            Run([.. Deliver("--group", "more"), "--target", target]);
            var (taken, words, _) = Run("dock", At("engine/more"), "--check");
            Assert.True(taken == 0, $"{target}: {words}");
        }
        // What a mesh file asks for beside it and is not there is told.
        File.Delete(At("engine/more/post/textures/trim_colour.dds"));
        Assert.Contains("wood asks for ../textures/trim_colour.dds, which is not there", Run("dock", At("engine/more/post"), "--check").Out,
            StringComparison.Ordinal);
        Run("build", At("kit"), "--out", At("out"), "--store", At("store"));
        Assert.Equal(0, Run("dock", At("out/trim.zip"), "--check").Code);
    }

    [Theory]
    [InlineData("dock nowhere --check", "There is no folder and no zip nowhere")]
    [InlineData("dock .", "dock needs --check")]
    [InlineData("deliver kit --to x --group ../y", "--group is '../y', which is no folder below --to")]
    [InlineData("deliver kit", "Option '--to' is required")]
    public void What_cannot_be_is_said(string line, string said)
    {
        var run = Run(line.Split(' '));
        Assert.Equal(2, run.Code);
        Assert.Contains(said, run.Error, StringComparison.Ordinal);
    }

    [Fact]
    public void Ended_while_it_writes_it_leaves_the_old_or_the_new()
    {
        Run(Deliver());
        int ended = 0;
        for (int round = 0; round < 6; round++)
        {
            int shade = round;
            Picture("albedo", (x, y, c) => 3 * x + 20 * shade);
            Picture("nrm", (x, y, c) => c == 2 ? 255 : 128 + shade);
            // What is to be written is worked already.
            Run(Deliver("--look"));
            using var process = Process.Start(new ProcessStartInfo("dotnet", [InProcess.Program, .. Deliver()])
            { RedirectStandardOutput = true, RedirectStandardError = true })!;
            string aside = At($"engine/{DeliveryFolder.Aside}");
            while (!process.HasExited && !(Directory.Exists(aside) && Directory.EnumerateDirectories(aside).Any()))
                Thread.Yield();
            Thread.SpinWait(20_000 * round);
            ended += process.HasExited ? 0 : 1;
            process.Kill();
            process.WaitForExit();
            // Each manifest tells the bytes of every file beside it.
            Assert.Equal(0, Run("dock", At("engine"), "--check").Code);
        }
        Assert.True(ended > 0);
        Run(Deliver());
        Assert.Empty(Directory.EnumerateDirectories(At($"engine/{DeliveryFolder.Aside}")));
    }
}
