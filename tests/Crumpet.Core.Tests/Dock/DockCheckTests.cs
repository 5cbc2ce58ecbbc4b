using System.Security.Cryptography;
using System.Text;
using System.Text.Json;
using Crumpet.Core.Convert;
using Crumpet.Core.Dock;
using Crumpet.Core.Geometry;
using Crumpet.Core.Imaging;
using Crumpet.Core.Intake;
using Xunit;

namespace Crumpet.Core.Tests.Dock;

/// <summary>The dock takes a delivery that keeps its convention, and says of each that does not what to change.</summary>
public sealed class DockCheckTests
{
    private const int Side = 32;
    private static readonly Bitmap8 Hill = new(Side, Side, 1,
        [.. Enumerable.Range(0, Side * Side).Select(i => (byte)(128 + 90 * Math.Sin(i % Side * 0.4) * Math.Cos(i / Side * 0.3)))]);

    private static byte[] Blocks(TextureFormat format, ColourMeaning meaning, Bitmap? picture = null, MipFilter mips = MipFilter.Kaiser) => DdsFile.Write(
        TextureConverter.Convert(picture ?? new Bitmap8(Side, Side, 3), new ConvertSettings(format, meaning, mips) { Effort = Effort.Draft }, 1));

    private static byte[] Normals(bool up) => Blocks(TextureFormat.Bc5, ColourMeaning.Normal, HeightToNormal.Convert(Hill, 4, 3, true, up));

    private static byte[] Glb(string name, bool hasUvs = true)
    {
        using var stream = new MemoryStream();
        var cube = Shapes.Cube(name);
        GltfWriter.WriteBinary(new SceneDocument([new SceneObject(hasUvs ? cube : cube with { UvSets = [] })], [], []), stream);
        return stream.ToArray();
    }

    private static Dictionary<string, byte[]> Sound() => new()
    {
        ["post.glb"] = Glb("post_low"),
        ["post_lod1.glb"] = Glb("post_lod1"),
        ["post_hulls.glb"] = Glb("post_hull"),
        ["textures/post_colour.dds"] = Blocks(TextureFormat.Bc7, ColourMeaning.Srgb),
        ["textures/post_normal.dds"] = Normals(true),
        ["textures/post_masks.dds"] = Blocks(TextureFormat.Bc7, ColourMeaning.Linear),
    };

    private static string FlagOf(string path) => path.Contains("colour", StringComparison.OrdinalIgnoreCase) ? "srgb"
        : path.Contains("normal", StringComparison.Ordinal) ? "normal" : "linear";

    private static DockVerdict Judge(Dictionary<string, byte[]> files, string asset = "post", string green = "up",
        Func<string, string>? flag = null, Action<Dictionary<string, byte[]>>? after = null)
    {
        var manifest = new
        {
            version = 2,
            asset,
            green,
            files = files.Select(f => new
            {
                path = f.Key,
                sha256 = System.Convert.ToHexStringLower(SHA256.HashData(f.Value)),
                colour = f.Key.EndsWith(".dds", StringComparison.Ordinal) ? (flag ?? FlagOf)(f.Key) : null,
            }),
        };
        var all = new Dictionary<string, byte[]>(files) { ["manifest.json"] = JsonSerializer.SerializeToUtf8Bytes(manifest) };
        after?.Invoke(all);
        return new DockCheck(all).Judge();
    }

    [Fact]
    public void A_delivery_that_keeps_the_convention_is_taken_without_a_word()
    {
        var verdict = Judge(Sound());
        Assert.Empty(verdict.Messages);
        Assert.True(verdict.IsTaken);
        Assert.Equal(["asset", "hulls", "lod"], verdict.Meshes.Select(m => m.Role).Order());
        Assert.All(verdict.Meshes, m => Assert.Equal(12, m.Triangles));
        Assert.Equal(["colour", "masks", "normal"], verdict.Textures.Select(t => t.Input).Order());
        Assert.All(verdict.Textures, t => Assert.Equal((Side, Side, 6), (t.Width, t.Height, t.Levels)));
    }

    public static TheoryData<string, DockLevel, string> Faults => new()
    {
        { "capitals", DockLevel.Error, "post_Colour is not written as names are here. Name it post_colour." },
        { "unknown word", DockLevel.Warning, "No input takes post_shine: its last word is shine." },
        { "wrong flag", DockLevel.Error, "textures/post_masks.dds is flagged srgb, and masks is read as linear." },
        { "file flag", DockLevel.Error, "The file textures/post_colour.dds says plain numbers, and colour is read as srgb." },
        { "green", DockLevel.Error, "Green of textures/post_normal.dds runs down, and the manifest says up: hollows look raised." },
        { "odd size", DockLevel.Error, "textures/post_colour.dds is 24 × 16; sides are powers of two here." },
        { "no levels", DockLevel.Warning, "textures/post_colour.dds has 1 of 6 levels; it will shimmer far away." },
        { "few channels", DockLevel.Error, "textures/post_colour.dds has 1 channel, and colour needs 3." },
        { "no hulls", DockLevel.Warning, "No hulls came along; things bump into a box. Deliver post_hulls." },
        { "gap in levels", DockLevel.Error, "post_lod1 is missing; levels count from 1 without a gap." },
        { "mesh name", DockLevel.Error, "pole is neither post nor one of its levels, hulls or cages." },
        { "no mesh of the name", DockLevel.Error, "The delivery has meshes and none is post." },
        { "no UVs", DockLevel.Error, "post_low has no UVs; textures cannot lie on it." },
        { "missing input", DockLevel.Warning, "Material post has no normal. Deliver post_normal." },
        { "other bytes", DockLevel.Error, "post.glb has other bytes than the manifest says." },
        { "missing file", DockLevel.Error, "post.glb is listed and not there. Deliver it again." },
        { "other case on disk", DockLevel.Error, "post.glb is listed, and the file is called Post.glb. Name it post.glb, to the letter." },
        { "not listed", DockLevel.Note, "notes.txt is not of the delivery." },
        { "no manifest", DockLevel.Error, "The delivery has no manifest.json." },
        { "torn manifest", DockLevel.Error, "manifest.json cannot be read." },
        { "torn texture", DockLevel.Error, "textures/post_colour.dds cannot be read" },
        { "asset name", DockLevel.Error, "The asset's name Old Post is not written as names are here. Name it old_post." },
    };

    [Theory]
    [MemberData(nameof(Faults))]
    public void Each_fault_is_told_with_what_to_change(string fault, DockLevel level, string said)
    {
        const string Colour = "textures/post_colour.dds";
        var files = Sound();
        Action<Dictionary<string, byte[]>>? after = null;
        switch (fault)
        {
            case "capitals": Move(Colour, "textures/post_Colour.dds"); break;
            case "unknown word": files["textures/post_shine.dds"] = Blocks(TextureFormat.Bc7, ColourMeaning.Linear); break;
            case "file flag": files[Colour] = Blocks(TextureFormat.Bc7, ColourMeaning.Linear); break;
            case "green": files["textures/post_normal.dds"] = Normals(false); break;
            case "odd size": files[Colour] = Blocks(TextureFormat.Bc7, ColourMeaning.Srgb, new Bitmap8(24, 16, 3)); break;
            case "no levels": files[Colour] = Blocks(TextureFormat.Bc7, ColourMeaning.Srgb, null, MipFilter.None); break;
            case "few channels": files[Colour] = Blocks(TextureFormat.Bc4, ColourMeaning.Linear); break;
            case "no hulls": files.Remove("post_hulls.glb"); break;
            case "gap in levels": Move("post_lod1.glb", "post_lod2.glb"); break;
            case "mesh name": files["pole.glb"] = Glb("pole"); break;
            case "no mesh of the name": files.Remove("post.glb"); break;
            case "no UVs": files["post.glb"] = Glb("post_low", hasUvs: false); break;
            case "missing input": files.Remove("textures/post_normal.dds"); break;
            case "other bytes": after = all => all["post.glb"] = Glb("edited"); break;
            case "missing file": after = all => all.Remove("post.glb"); break;
            case "other case on disk": after = all => { all["Post.glb"] = all["post.glb"]; all.Remove("post.glb"); }; break;
            case "not listed": after = all => all["notes.txt"] = "mine"u8.ToArray(); break;
            case "no manifest": after = all => all.Remove("manifest.json"); break;
            case "torn manifest": after = all => all["manifest.json"] = all["manifest.json"][..40]; break;
            case "torn texture": files[Colour] = files[Colour][..200]; break;
            default: break;
        }
        var verdict = Judge(files, fault == "asset name" ? "Old Post" : "post", "up",
            fault == "wrong flag" ? p => p.Contains("masks", StringComparison.Ordinal) ? "srgb" : FlagOf(p) : null, after);
        Assert.Contains(verdict.Messages, m => m.Level == level && $"{m.Says} {m.Change}".Contains(said, StringComparison.Ordinal));
        Assert.Equal(verdict.IsTaken, level != DockLevel.Error);
        Assert.Equal(verdict.Messages.OrderBy(m => m.Level), verdict.Messages);

        void Move(string from, string to)
        {
            files[to] = files[from];
            files.Remove(from);
        }
    }

    [Theory]
    [InlineData(true)]
    [InlineData(false)]
    public void Green_is_told_by_the_slopes_themselves_whatever_holds_them(bool isUp)
    {
        var normals = HeightToNormal.Convert(Hill, 4, 3, true, isUp);
        string green = isUp ? "up" : "down";
        var pictures = new Dictionary<string, byte[]>
        {
            ["post_normal.png"] = ImageFile.WritePng(normals),
            ["post_colour.png"] = ImageFile.WritePng(new Bitmap8(Side, Side, 3)),
            ["post_masks.png"] = ImageFile.WritePng(new Bitmap8(Side, Side, 3)),
        };
        Assert.Empty(Judge(pictures, green: green).Messages);
        Assert.Contains(Judge(pictures, green: isUp ? "down" : "up").Messages, m => m.Says.Contains($"runs {green}", StringComparison.Ordinal));
        // Flat maps tell nothing, and nothing is said.
        pictures["post_normal.png"] = ImageFile.WritePng(new Bitmap8(Side, Side, 3,
            [.. Enumerable.Range(0, 3 * Side * Side).Select(i => (byte)(i % 3 == 2 ? 255 : 128))]));
        Assert.Empty(Judge(pictures, green: green).Messages);
    }

    [Fact]
    public void What_is_broken_at_any_byte_is_told_and_nothing_is_thrown()
    {
        var sound = Sound();
        foreach (string path in sound.Keys)
        {
            for (int cut = 0; cut < sound[path].Length; cut += 1 + sound[path].Length / 23)
            {
                var files = Sound();
                files[path] = files[path][..cut];
                Assert.False(Judge(files).IsTaken);
            }
        }
        Assert.False(new DockCheck(new Dictionary<string, byte[]>()).Judge().IsTaken);
        Assert.False(new DockCheck(new Dictionary<string, byte[]> { ["manifest.json"] = Encoding.UTF8.GetBytes("[1]") }).Judge().IsTaken);
    }
}
