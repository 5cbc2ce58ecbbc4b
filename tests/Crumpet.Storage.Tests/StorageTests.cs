using System.Text.Json;
using Crumpet.Core;
using Crumpet.Core.Building;
using Crumpet.Core.Jobs;
using Crumpet.Storage;
using Microsoft.EntityFrameworkCore;
using Xunit;

namespace Crumpet.Storage.Tests;

public sealed class StorageTests : IDisposable
{
    private readonly string folder = Directory.CreateTempSubdirectory("crumpet").FullName;

    public void Dispose() => Directory.Delete(folder, recursive: true);

    [Fact]
    public void Bytes_are_kept_under_their_hash_once()
    {
        var store = new FileStore(folder);
        string hash = store.Put("abc"u8.ToArray());
        Assert.Equal("ba7816bf8f01cfea414140de5dae2223b00361a396177a9cb410ff61f20015ad", hash);
        Assert.Equal(hash, store.Put("abc"u8.ToArray()));
        Assert.Equal("abc"u8.ToArray(), store.Load(hash));
        Assert.Single(Directory.GetFiles(folder, "*", SearchOption.AllDirectories));
    }

    [Fact]
    public void A_stream_is_kept_by_its_content_and_leaves_nothing_aside()
    {
        var store = new FileStore(folder);
        string hash = store.Put(new MemoryStream("abc"u8.ToArray()), out long bytes);
        Assert.Equal((3L, "abc"), (bytes, System.Text.Encoding.ASCII.GetString(store.Load(hash))));
        Assert.Equal(hash, store.Put(new MemoryStream("abc"u8.ToArray()), out _));
        Assert.Single(Directory.GetFiles(folder, "*", SearchOption.AllDirectories));
        using var opened = store.Open(hash);
        Assert.True(opened.CanSeek);
    }

    [Fact]
    public void A_result_is_found_again_only_while_its_files_are_there_and_it_is_whole()
    {
        var store = new FileStore(folder);
        string hash = store.Put("abc"u8.ToArray()), key = new('a', 64);
        var result = new JobResult(key, "Bake", JsonSerializer.SerializeToElement(new { rays = 3 }), [new StoredFile("a.png", hash, 3)],
            [new Finding(Severity.Warn, "c", "p", "s", 2)]);
        store.Save(result);
        Assert.Equal(JsonSerializer.Serialize(result, BuildJson.Options), JsonSerializer.Serialize(new FileStore(folder).Find(key), BuildJson.Options));
        string file = Directory.GetFiles(folder, key + ".json", SearchOption.AllDirectories)[0];
        string text = File.ReadAllText(file);
        File.WriteAllText(file, text[..20]);
        Assert.Null(store.Find(key));
        File.WriteAllText(file, text);
        File.Delete(store.PathOf(hash));
        Assert.Null(store.Find(key));
    }

    [Theory]
    [InlineData("../../etc/passwd")]
    [InlineData("")]
    [InlineData("ABCDEF")]
    public void Only_a_hash_becomes_a_path(string name) => Assert.Throws<ArgumentException>(() => new FileStore(folder).Load(name));

    [Fact]
    public void A_failed_write_leaves_the_old_file_and_nothing_beside_it()
    {
        string path = Path.Combine(folder, "x.bin");
        AtomicFile.Write(path, "old"u8);
        Directory.CreateDirectory(Path.Combine(folder, "taken"));
        Assert.ThrowsAny<Exception>(() => AtomicFile.Write(Path.Combine(folder, "taken"), "new"u8));
        Assert.Equal([path], Directory.GetFiles(folder));
        AtomicFile.Write(path, "new"u8);
        Assert.Equal("new", File.ReadAllText(path));
    }

    [Fact]
    public void The_database_is_made_migrated_and_in_step_with_the_model()
    {
        Assert.True(Database.Prepare(folder));
        Assert.False(Database.Prepare(folder));
        using var db = new CrumpetDb(Database.Options(folder));
        Assert.False(db.Database.HasPendingModelChanges());
        Assert.Empty(db.Database.GetPendingMigrations());
        Assert.Equal("wal", db.Database.SqlQueryRaw<string>("PRAGMA journal_mode").AsEnumerable().First());
    }

    [Fact]
    public void An_older_database_is_copied_before_it_is_changed()
    {
        Database.Prepare(folder);
        using (var db = new CrumpetDb(Database.Options(folder)))
        {
            db.Kits.Add(new Kit { Name = "mine" });
            db.SaveChanges();
            db.Database.ExecuteSqlRaw("DELETE FROM __EFMigrationsHistory");
        }
        // The tables are there already, so that bringing it up to date fails: the copy is what the artist is left with.
        Assert.ThrowsAny<Exception>(() => Database.Prepare(folder));
        Assert.Single(Directory.GetFiles(folder, "*.before-*"));
    }

    [Fact]
    public void Newer_files_take_the_place_of_older_ones_and_keep_them()
    {
        var asset = new Asset { Name = "a", PlanJson = "" };
        asset.SetPlan(new AssetPlan());
        Assert.True(asset.AddSource("low.obj", new string('1', 64), 1, DateTime.UtcNow));
        Assert.False(asset.AddSource("low.obj", new string('1', 64), 1, DateTime.UtcNow));
        Assert.True(asset.AddSource("low.obj", new string('2', 64), 1, DateTime.UtcNow));
        Assert.Equal([(1, false), (2, true)], asset.Sources.Select(s => (s.Version, s.IsCurrent)));
        Assert.Equal(JsonSerializer.Serialize(new AssetPlan(), BuildJson.Options), JsonSerializer.Serialize(asset.Plan(), BuildJson.Options));
    }
}
