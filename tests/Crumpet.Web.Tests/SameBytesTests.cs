using System.Diagnostics;
using System.IO.Compression;
using System.Text.Json.Nodes;
using Crumpet.Demo;
using Crumpet.Storage;
using Microsoft.EntityFrameworkCore;
using Xunit;

namespace Crumpet.Web.Tests;

/// <summary>The same kit gives the same packages in the web application and in the command, on one thread and on two.</summary>
public sealed class SameBytesTests : WebAppTests
{
    private const string Settings = """{"bake":{"size":128,"samples":1,"occlusionRays":4},"layout":{"rotation":"quarter"},"target":{"largestTexture":4096}}""";

    [Fact]
    public async Task Three_demo_assets_and_an_atlas_come_out_alike_everywhere()
    {
        using var app = Start();
        using var client = app.CreateClient();
        WriteDemo(Path.Combine(DataFolder, "kits", "demo"));
        await PostAsync(client, "/kits", "Open", new() { ["folder"] = "demo" });
        await UntilAsync(client, "/assets/3/intake", "Mend all");
        await PostAsync(client, "/assets/3/intake", "MendSafe", []);
        // Parts of equal names on one sheet.
        Kit = "/kits/1";
        await DropAsync(client, ("crate_low.obj", Low), ("crate_high.obj", High));
        await DropAsync(client, ("lid_low.obj", Low.Replace("0.5", "0.25", StringComparison.Ordinal)),
            ("lid_high.obj", High.Replace("0.5", "0.25", StringComparison.Ordinal)));
        await PostAsync(client, "/kits/1", "Join", new() { ["members[0]"] = "4", ["members[1]"] = "5" });
        await PostAsync(client, "/kits/1", "BuildAll", []);
        for (int asset = 1; asset <= 6; asset++)
            await UntilAsync(client, $"/assets/{asset}/deliver", "Delivery 1 is current");
        Dictionary<string, string> delivered;
        await using (var db = new CrumpetDb(Database.Options(DataFolder)))
            delivered = await db.Deliveries.Join(db.Assets, d => d.AssetId, a => a.Id, (d, a) => new { a.Name, d.Sha256 })
                .ToDictionaryAsync(d => d.Name, d => d.Sha256);
        Assert.Equal(6, delivered.Values.Distinct().Count());
        string kit = Path.Combine(DataFolder, "saved");
        await using (var zip = await client.GetStreamAsync("/kits/1/folder.zip"))
            await ZipFile.ExtractToDirectoryAsync(zip, kit);
        // The web application works with all threads there are.
        var told = JsonNode.Parse(await BuildAsync(kit, threads: 1))!;
        Assert.Equal(delivered, told["assets"]!.AsArray().ToDictionary(a => (string)a!["name"]!, a => (string)a!["files"]![0]!["sha256"]!));
    }

    private static void WriteDemo(string folder)
    {
        var assets = DemoKit.Assets(isCoarse: true);
        foreach (var (asset, kept) in assets.Zip(DemoKit.Kit(assets).Assets))
        {
            Directory.CreateDirectory(Path.Combine(folder, kept.Folder));
            foreach (var (name, bytes) in asset.Files)
                File.WriteAllBytes(Path.Combine(folder, kept.Folder, name), bytes);
        }
        foreach (var (path, bytes) in DemoKit.Kit(assets).Documents())
            File.WriteAllBytes(Path.Combine(folder, path), bytes);
        string file = Path.Combine(folder, "kit.json");
        var kit = JsonNode.Parse(File.ReadAllText(file))!;
        kit["settings"] = JsonNode.Parse(Settings);
        File.WriteAllText(file, kit.ToJsonString());
    }

    private async Task<string> BuildAsync(string kit, int threads)
    {
        string[] arguments = [Path.Combine(AppContext.BaseDirectory, "crumpet.dll"), "build", kit, "--out", Path.Combine(DataFolder, $"out{threads}"),
            "--threads", $"{threads}", "--json"];
        using var command = Process.Start(new ProcessStartInfo("dotnet", arguments) { RedirectStandardOutput = true, RedirectStandardError = true })!;
        var errors = command.StandardError.ReadToEndAsync();
        string text = await command.StandardOutput.ReadToEndAsync();
        await command.WaitForExitAsync();
        Assert.True(command.ExitCode == 0, await errors);
        return text;
    }
}
