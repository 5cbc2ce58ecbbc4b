using System.IO.Compression;
using System.Net;
using System.Text.Json;
using System.Text.RegularExpressions;
using Crumpet.Core.Imaging;
using Xunit;

namespace Crumpet.Web.Tests;

/// <summary>Tiles over HTTP, as the map viewer asks for them.</summary>
public sealed partial class PictureTests(SharedApp shared) : SharedAppTests(shared)
{
    [Fact]
    public async Task Tiles_hold_the_very_texels_of_the_baked_file_and_may_be_kept_for_ever()
    {
        var (asset, address) = await BakedAsync(Client, new(SmallBake) { ["size"] = "512", ["bits"] = "16" });
        using var info = JsonDocument.Parse(await InfoAsync(Client, $"{address}/0"));
        Assert.Equal((3, 16, 256), (info.RootElement.GetProperty("channels").GetInt32(), info.RootElement.GetProperty("bits").GetInt32(),
            info.RootElement.GetProperty("tileSide").GetInt32()));
        Assert.Equal([512, 256], info.RootElement.GetProperty("levels").EnumerateArray().Select(l => l.GetProperty("width").GetInt32()));
        var answer = await AnsweredAsync(Client, $"{address}/0/0/1/1");
        Assert.Contains("immutable", answer.Headers.CacheControl!.ToString(), StringComparison.Ordinal);
        Assert.Equal("gzip", answer.Content.Headers.ContentEncoding.Single());
        using var zip = new GZipStream(await answer.Content.ReadAsStreamAsync(), CompressionMode.Decompress);
        using var raw = new MemoryStream();
        await zip.CopyToAsync(raw);
        var whole = (Bitmap16)ImageFile.Read(await Client.GetByteArrayAsync($"{asset}/files/bake/crate_normal.png"), "n.png");
        for (int y = 0; y < 256; y++)
            for (int i = 0; i < 256 * 3; i++)
                Assert.Equal(whole.Pixels[(y + 256) * 512 * 3 + 256 * 3 + i], BitConverter.ToUInt16(raw.GetBuffer(), 2 * (y * 768 + i)));
    }

    [Fact]
    public async Task What_is_no_picture_no_tile_or_no_hash_is_refused()
    {
        var (asset, address) = await BakedAsync(Client, new(SmallBake));
        foreach (string path in (string[])[$"{address}/0/0/1/0", $"{address}/0/7/0/0", $"/pictures/{new string('0', 64)}/linear/0",
            "/pictures/..%2f..%2fcrumpet.db/linear/0", address.Replace("normal", "sideways", StringComparison.Ordinal) + "/0"])
            Assert.Equal(HttpStatusCode.NotFound, (await AnsweredAsync(Client, path)).StatusCode);
        var wrong = await AnsweredAsync(Client, $"{address}/15");
        Assert.Equal(HttpStatusCode.UnprocessableEntity, wrong.StatusCode);
        Assert.Contains("look at one of them", (await wrong.Content.ReadAsStringAsync()).ToLowerInvariant(), StringComparison.Ordinal);
        // Filtered as a texture's levels are, by a filter there is.
        Assert.Equal(HttpStatusCode.OK, (await AnsweredAsync(Client, $"{address}-kaiser/2")).StatusCode);
        Assert.Equal(HttpStatusCode.NotFound, (await AnsweredAsync(Client, $"{address}-none/2")).StatusCode);
        Assert.Equal(HttpStatusCode.NotFound, (await AnsweredAsync(Client, $"{address}-7/2")).StatusCode);
        foreach (string path in (string[])["/textures/00/blocks/0", $"/textures/{new string('0', 64)}/blocks/0",
            $"/textures/{new string('0', 64)}/of/{new string('0', 64)}/normal/kaiser/levels", "/textures/a/of/b/normal/kaiser/errors/0/stored"])
            Assert.Equal(HttpStatusCode.NotFound, (await Client.GetAsync(path)).StatusCode);
        string page = WebUtility.HtmlDecode(await Client.GetStringAsync($"{asset}/bake"));
        string start = Preview().Match(page).Groups[1].Value;
        string file = Directory.GetFiles(Path.Combine(Shared.DataFolder, "store", "blobs"), start + "*", SearchOption.AllDirectories).Single();
        var text = await AnsweredAsync(Client, $"/pictures/{Path.GetFileName(file)}/linear/0");
        Assert.Equal(HttpStatusCode.UnprocessableEntity, text.StatusCode);
        Assert.Contains("not a picture", await text.Content.ReadAsStringAsync(), StringComparison.Ordinal);
    }

    [Fact]
    public async Task A_map_does_not_differ_from_itself_and_a_texture_a_little_from_its_picture()
    {
        string address = (await BakedAsync(Client, new(SmallBake))).Address;
        string against = address["/pictures".Length..];
        using var same = JsonDocument.Parse(await InfoAsync(Client, $"{address}/0/against{against}/0"));
        Assert.Equal(JsonValueKind.Null, same.RootElement.GetProperty("psnr").ValueKind);
        Assert.Equal(0, same.RootElement.GetProperty("differentTexels").GetInt32());
    }

    [Fact]
    public async Task Damaged_tiles_are_cut_anew()
    {
        string address;
        using (var app = Start())
        {
            using var client = app.CreateClient();
            address = (await BakedAsync(client, new(SmallBake))).Address;
            await InfoAsync(client, $"{address}/0");
        }
        string tiles = Directory.GetFiles(Path.Combine(DataFolder, "tiles")).Single();
        await File.WriteAllBytesAsync(tiles, (await File.ReadAllBytesAsync(tiles))[..^9]);
        using var again = Start();
        using var later = again.CreateClient();
        Assert.Equal(HttpStatusCode.UnprocessableEntity, (await AnsweredAsync(later, $"{address}/0")).StatusCode);
        Assert.Contains("statistics", await InfoAsync(later, $"{address}/0"), StringComparison.Ordinal);
    }

    [Fact]
    public async Task The_stages_light_is_served()
    {
        byte[] light = await Client.GetByteArrayAsync("/light");
        Assert.Equal("CSL1"u8.ToArray(), light[..4]);
    }

    /// <summary>What is answered once a picture is cut.</summary>
    private static async Task<HttpResponseMessage> AnsweredAsync(HttpClient client, string address)
    {
        while (true)
        {
            var answer = await client.GetAsync(address);
            if (answer.StatusCode != HttpStatusCode.Accepted)
                return answer;
        }
    }

    /// <summary>Facts of a picture that can be cut.</summary>
    private static async Task<string> InfoAsync(HttpClient client, string address)
    {
        var answer = await AnsweredAsync(client, address);
        Assert.Equal(HttpStatusCode.OK, answer.StatusCode);
        return await answer.Content.ReadAsStringAsync();
    }

    /// <summary>Bakes a crate. @returns addresses of the asset and of its normal map</summary>
    private async Task<(string Asset, string Address)> BakedAsync(HttpClient client, Dictionary<string, string> settings)
    {
        string asset = await DropAsync(client, ("crate_low.obj", Low), ("crate_high.obj", High));
        await UntilAsync(client, $"{asset}/layout", "laid.obj");
        await PostAsync(client, $"{asset}/bake", "Bake", settings);
        string page = await UntilAsync(client, $"{asset}/bake", "/pictures/");
        return (asset, Picture().Match(page).Value);
    }

    [GeneratedRegex("/pictures/[0-9a-f]{64}/normal")]
    private static partial Regex Picture();

    [GeneratedRegex("low\\.preview\\?v=([0-9a-f]{12})")]
    private static partial Regex Preview();
}
