using System.Text.Json;
using System.Text.Json.Nodes;
using Crumpet.Core;
using Crumpet.Core.Bake;
using Crumpet.Core.Building;
using Crumpet.Core.Imaging;
using Crumpet.Core.Imaging.Blocks;
using Crumpet.Core.Jobs;
using Crumpet.Storage;
using Xunit;

namespace Crumpet.Web.Tests;

/// <summary>Tests that change tables all tests read; they run while no other does.</summary>
[CollectionDefinition(nameof(ChangedTables), DisableParallelization = true)]
public sealed class ChangedTables;

/// <summary>A map, a format and a station that are nowhere but in this file work on pages and in commands as the others do.</summary>
[Collection(nameof(ChangedTables))]
public sealed class AddedTests : WebAppTests
{
    /// <summary>How far the surface looks up.</summary>
    private static readonly BakeMap Skyward = new()
    {
        Word = "skyward",
        Label = "skyward",
        Shows = "how far the surface looks up, grey; white is straight up",
        Values = MapValues.Share,
        Needs = MapNeeds.NormalTextures,
        Sample = s => new(0.5f + 0.5f * s.DetailedNormal.Y, 0, 0),
    };

    /// <summary>RGB with sixteen steps of alpha, in 8 bits a texel.</summary>
    private static readonly TextureFormat Bc2 = new()
    {
        Word = "bc2",
        Label = "BC2",
        Holds = "RGB and sixteen steps of alpha in 8 bits a texel",
        Channels = 4,
        UnitBytes = 16,
        Dxgi = 74,
        DxgiSrgb = 75,
        Vk = 135,
        VkSrgb = 136,
        Encoder = s => new Bc2Encoder(s),
        Decode = DecodeBc2,
    };

    private static readonly WeighJob Weigh = new();

    /// <summary>Adds up what all textures weigh.</summary>
    private static readonly Station Scales = new()
    {
        Word = "scales",
        Label = "Scales",
        Does = "Textures are weighed.",
        Kinds = [Weigh],
        After = [Station.Convert],
        Expand = graph => graph.Add(Scales!, Weigh, "", new WeighSettings(8),
            graph.SheetNodes.SelectMany(s => s.Textures).Select((t, i) => ($"texture/{i}", t["texture"]))) is not null,
        Assemble = r =>
        {
            var node = r.Graph.Nodes.Single(n => n.Kind == Weigh);
            long bits = node.Report<WeighReport>()!.Bits;
            return new StationContent(node.Report<WeighReport>()!, [StationResults.Named(node, "note", "weight.txt")],
                [new Finding(Severity.Note, "weighed", "textures", $"All textures weigh {bits} bits.")]);
        },
        Report = typeof(WeighReport),
    };

    private sealed record WeighSettings(int BitsAByte);

    private sealed record WeighReport(long Bits);

    private sealed class WeighJob() : JobKind<WeighSettings>("weigh", 1)
    {
        public override string Words => "loads to weigh";

        protected override JobOutput Work(WeighSettings settings, JobInputs inputs, JobContext context)
        {
            long bits = inputs.List("texture").Sum(t => (long)inputs.Bytes(t).Length) * settings.BitsAByte;
            return new JobOutput { Report = new WeighReport(bits) }.With("note", context.Write(bits));
        }
    }

    private sealed class Bc2Encoder(EncodeSettings settings) : BlockEncoder
    {
        private readonly Bc1Encoder colours = new(Bc1Use.FourOnly, settings.Effort, System.Numerics.Vector3.One);

        public override void Encode(ReadOnlySpan<System.Runtime.Intrinsics.Vector512<float>> texels, Span<byte> blocks)
        {
            colours.Encode(texels, blocks[8..], 16);
            for (int block = 0; block < Lanes.Count; block++)
                for (int i = 0; i < 16; i += 2)
                    blocks[16 * block + i / 2] = (byte)((int)(Lanes.Of(texels, 48 + i, block) / 17 + 0.5f)
                        | (int)(Lanes.Of(texels, 49 + i, block) / 17 + 0.5f) << 4);
        }
    }

    private static void DecodeBc2(ReadOnlySpan<byte> block, Span<byte> texels)
    {
        Bc1Decoder.Decode(block[8..], texels);
        for (int i = 0; i < 16; i++)
            texels[4 * i + 3] = (byte)((block[i / 2] >> (i % 2 * 4) & 15) * 17);
    }

    [Fact]
    public async Task A_new_map_format_and_station_are_on_the_pages_and_go_down_the_line()
    {
        using var map = BakeMap.Table.With(Skyward, before: BakeMap.Roughness);
        using var format = TextureFormat.Table.With(Bc2);
        using var station = Station.Table.With(Scales, before: Station.Bind);
        using var app = Start();
        using var client = app.CreateClient();
        string asset = await DropAsync(client, ("crate_low.obj", Low), ("crate_high.obj", High));
        string bake = await client.GetStringAsync($"{asset}/bake");
        Assert.Contains("value=\"skyward\"", bake, StringComparison.Ordinal);
        Assert.Contains("data-station=\"scales\"", bake, StringComparison.Ordinal);
        using (var form = new FormUrlEncodedContent(
            [.. SmallBake.Where(f => f.Key != "maps"), new("maps", "normal"), new("maps", "skyward"), new("files[skyward]", "Png16"),
            new("__RequestVerificationToken", TokenOf(bake))]))
            Assert.True((await client.PostAsync($"{asset}/bake?handler=Bake", form)).IsSuccessStatusCode);
        await UntilAsync(client, $"{asset}/bake", "crate_skyward.png");
        // A level plane looks straight up.
        var picture = ImageFile.Read(await client.GetByteArrayAsync($"{asset}/files/bake/crate_skyward.png"), "skyward.png");
        Assert.Equal((16, 1f), (picture.Bits, picture.Unit(32, 32, 0)));
        string convert = await client.GetStringAsync($"{asset}/convert");
        Assert.Contains("BC2", convert, StringComparison.Ordinal);
        await PostAsync(client, $"{asset}/convert", "Convert", new() { ["formats[colour]"] = "bc2", ["formats[normal]"] = "bc5", ["formats[masks]"] = "bc7" });
        await UntilAsync(client, $"{asset}/convert", "BC2 sRGB");
        var texture = DdsFile.Read(await client.GetByteArrayAsync($"{asset}/files/convert/crate_colour.dds"), "crate_colour.dds");
        Assert.Equal((Bc2, true), (texture.Format, texture.Srgb));
        Assert.InRange(BlockCodec.Decode(texture.Levels[0], 64, 64, Bc2).Pixels[0], 200, 208);
        await PostAsync(client, $"{asset}/scales", "Run", []);
        string scales = await UntilAsync(client, $"{asset}/scales", "All textures weigh");
        Assert.Contains("weight.txt", scales, StringComparison.Ordinal);
        await PostAsync(client, $"{asset}/deliver", "Run", []);
        await UntilAsync(client, $"{asset}/deliver", "Delivery 1");
        // Told in the history, and kept by word.
        Assert.Contains("skyward", await client.GetStringAsync($"{asset}/history"), StringComparison.Ordinal);
        using var db = new CrumpetDb(Database.Options(DataFolder));
        Assert.Contains("\"bc2\"", db.Assets.Single().PlanJson, StringComparison.Ordinal);
    }

    [Fact]
    public void Commands_take_them_too()
    {
        using var map = BakeMap.Table.With(Skyward);
        using var format = TextureFormat.Table.With(Bc2);
        using var station = Station.Table.With(Scales, before: Station.Bind);
        string low = Save("crate_low.obj", Low), high = Save("crate_high.obj", High);
        Assert.Contains("skyward", Command("bake", "--help"), StringComparison.Ordinal);
        Command("bake", "--low", low, "--high", high, "--maps", "normal,skyward", "--size", "64", "--out", Path.Combine(DataFolder, "maps"));
        string skyward = Assert.Single(Directory.GetFiles(Path.Combine(DataFolder, "maps"), "*_skyward.png"));
        Command("convert", skyward, "--format", "bc2", "--colour", "linear", "--out", Path.Combine(DataFolder, "skyward.dds"));
        Assert.Contains("BC2", Command("decode", Path.Combine(DataFolder, "skyward.dds"), "--out", Path.Combine(DataFolder, "back.png")),
            StringComparison.Ordinal);
        string kit = Path.Combine(DataFolder, "kit");
        Directory.CreateDirectory(Path.Combine(kit, "assets", "crate"));
        File.Copy(low, Path.Combine(kit, "assets/crate/crate_low.obj"));
        File.Copy(high, Path.Combine(kit, "assets/crate/crate_high.obj"));
        File.WriteAllText(Path.Combine(kit, "kit.json"), """
            { "version": 2, "name": "Crates", "assets": ["crate"], "settings": { "bake": { "size": 64, "maps": ["normal", "skyward"] } } }
            """);
        File.WriteAllText(Path.Combine(kit, "assets/crate/asset.json"), """
            { "version": 2, "name": "crate", "sources": [{ "path": "crate_low.obj" }, { "path": "crate_high.obj" }] }
            """);
        var told = JsonNode.Parse(Command("build", kit, "--out", Path.Combine(DataFolder, "out"), "--json"))!;
        Assert.Contains("weigh", told["jobs"]!["kinds"]!.AsArray().Select(k => (string)k!["kind"]!));
    }

    private string Save(string name, string text)
    {
        string path = Path.Combine(DataFolder, name);
        File.WriteAllText(path, text);
        return path;
    }

    /// <summary>Runs a command in this process, where the tables are changed.</summary>
    private static string Command(params string[] arguments)
    {
        var (code, text, said) = Cli.Tests.InProcess.Run(arguments);
        Assert.True(code == 0, said);
        return text;
    }
}
