using System.IO.Compression;
using System.Security.Cryptography;
using System.Text;
using System.Text.Json;
using Crumpet.Core;
using Crumpet.Core.Deliver;
using Xunit;

namespace Crumpet.Storage.Tests;

/// <summary>A folder goes from one delivery to the next at once, writes what changed alone, and never takes what is somebody else's.</summary>
public sealed class DeliveryFolderTests : IDisposable
{
    private const string Asset = "props/post";
    private readonly string root = Directory.CreateTempSubdirectory("crumpet-deliver-").FullName;

    private static readonly Dictionary<string, string> First = new() { ["post.glb"] = "mesh", ["textures/a.dds"] = "alpha", ["textures/b.dds"] = "beta" };
    private static readonly Dictionary<string, string> Second = new() { ["post.glb"] = "mesh", ["textures/a.dds"] = "other", ["hulls/c.glb"] = "hull" };

    public void Dispose() => Directory.Delete(root, recursive: true);

    private string At(string path) => Path.Combine(root, Asset, path);

    private static string Hash(string text) => System.Convert.ToHexStringLower(SHA256.HashData(Encoding.UTF8.GetBytes(text)));

    private static byte[] Package(Dictionary<string, string> files)
    {
        var manifest = new Manifest(2, "post", "t", 1, "y", "right", "m", "up", [],
            [.. files.Select(f => new ManifestFile(f.Key, Hash(f.Value), f.Value.Length, "x", null, null, null, null, []))]);
        using var stream = new MemoryStream();
        using (var zip = new ZipArchive(stream, ZipArchiveMode.Create))
        {
            foreach (var (path, text) in files.Append(new("manifest.json", JsonSerializer.Serialize(manifest, DeliveryPackage.ManifestJson))))
            {
                using var to = zip.CreateEntry(path).Open();
                to.Write(Encoding.UTF8.GetBytes(text));
            }
        }
        return stream.ToArray();
    }

    private Dictionary<string, string> Found() => !Directory.Exists(At("")) ? []
        : Directory.EnumerateFiles(At(""), "*", SearchOption.AllDirectories).Where(f => Path.GetFileName(f) != "manifest.json")
            .ToDictionary(f => Path.GetRelativePath(At(""), f), File.ReadAllText);

    private static bool AreSame(Dictionary<string, string> one, Dictionary<string, string> two) =>
        one.Count == two.Count && one.All(p => two.TryGetValue(p.Key, out string? text) && text == p.Value);

    [Fact]
    public void Only_what_changed_is_written_and_what_is_gone_is_removed()
    {
        var folder = new DeliveryFolder(root);
        var change = folder.Write(Asset, Package(First));
        Assert.Equal(["manifest.json", "post.glb", "textures/a.dds", "textures/b.dds"], change.Written);
        var before = DateTime.UtcNow.AddDays(-1);
        foreach (string path in First.Keys)
            File.SetLastWriteTimeUtc(At(path), before);
        Assert.Equivalent(folder.Look(Asset, Package(Second)), change = folder.Write(Asset, Package(Second)));
        Assert.Equal(["hulls/c.glb", "manifest.json", "textures/a.dds"], change.Written);
        Assert.Equal(["post.glb"], change.Same);
        Assert.Equal(["textures/b.dds"], change.Removed);
        Assert.Empty(change.Kept);
        Assert.True(AreSame(Second, Found()));
        Assert.Equal(before, File.GetLastWriteTimeUtc(At("post.glb")));
        Assert.Empty(folder.Write(Asset, Package(Second)).Written);
        Assert.Empty(Directory.EnumerateDirectories(Path.Combine(root, DeliveryFolder.Aside)));
    }

    [Fact]
    public void What_is_not_ours_or_was_changed_since_is_left_alone()
    {
        var folder = new DeliveryFolder(root);
        folder.Write(Asset, Package(First));
        File.WriteAllText(At("textures/a.dds.import"), "the engine's own");
        File.WriteAllText(At("textures/b.dds"), "painted over");
        Directory.CreateDirectory(At("notes/empty"));
        File.CreateSymbolicLink(At("link.txt"), "/nowhere");
        Directory.CreateSymbolicLink(At("loop"), At(""));
        var change = folder.Write(Asset, Package(Second));
        Assert.Equal(["link.txt", "loop", "notes/empty", "textures/a.dds.import", "textures/b.dds"], change.Kept);
        Assert.Equal(("the engine's own", "painted over"), (File.ReadAllText(At("textures/a.dds.import")), File.ReadAllText(At("textures/b.dds"))));
        Assert.Equal("/nowhere", new FileInfo(At("link.txt")).LinkTarget);
        Assert.True(Directory.Exists(At("notes/empty")));
        // What a delivery has is the delivery's: an edit of it is written over.
        File.WriteAllText(At("post.glb"), "edited");
        Assert.Equal(["post.glb"], folder.Write(Asset, Package(Second)).Written);
    }

    [Fact]
    public void Whoever_is_ended_at_any_step_leaves_the_old_or_the_new()
    {
        var steps = new List<string>();
        new DeliveryFolder(root) { Step = steps.Add }.Write(Asset, Package(First));
        new DeliveryFolder(root) { Step = steps.Add }.Write(Asset, Package(Second));
        Assert.Contains("exchange", steps);
        var (old, next) = (First, Second);
        for (int end = 0; end < steps.Count; end++)
        {
            new DeliveryFolder(root).Write(Asset, Package(old));
            int left = end;
            var ended = new DeliveryFolder(root) { Step = _ => { if (left-- == 0) throw new EndedException(); } };
            try
            {
                ended.Write(Asset, Package(next));
            }
            catch (EndedException)
            {
                // As if the process had been ended there.
            }
            Assert.True(AreSame(old, Found()) || AreSame(next, Found()), $"a mixture after step {end}");
            // The next one finds what was left, and goes on.
            new DeliveryFolder(root).Write(Asset, Package(next));
            Assert.True(AreSame(next, Found()));
            (old, next) = (next, old);
        }
    }

    [Fact]
    public void Paths_that_leave_the_folder_and_a_second_writer_are_refused()
    {
        var folder = new DeliveryFolder(root);
        foreach (string path in (string[])["../x", "/etc/x", "a//b", ".crumpet/x", "a\\b"])
        {
            Assert.Throws<SourceFileException>(() => folder.Write(Asset, Package(new() { [path] = "x" })));
            Assert.Throws<ArgumentException>(() => folder.Write(path, Package(First)));
        }
        Assert.Throws<SourceFileException>(() => folder.Write(Asset, [1, 2, 3]));
        using var other = FolderLock.Take(Path.Combine(root, DeliveryFolder.Aside), "another", out _);
        Assert.Contains("being written by another", Assert.Throws<IOException>(() => folder.Write(Asset, Package(First))).Message, StringComparison.Ordinal);
    }

    private sealed class EndedException : Exception;
}
