using System.IO.Compression;
using System.Text;
using Crumpet.Core.Intake;
using Xunit;

namespace Crumpet.Core.Tests.Intake;

public sealed class ZipContentsTests
{
    [Fact]
    public void Files_come_out_below_the_one_folder_they_lie_in_and_litter_does_not()
    {
        var files = Read(Zip(z =>
        {
            Add(z, "gauge/low.obj", "v 0 0 0");
            Add(z, "gauge/maps/a.png", "x");
            Add(z, "gauge/.DS_Store", "x");
            Add(z, "__MACOSX/gauge/low.obj", "x");
            z.CreateEntry("gauge/empty/");
        }));
        Assert.Equal(["low.obj=v 0 0 0", "maps/a.png=x"], files);
        Assert.Equal(["a/b.obj=1", "c.obj=2"], Read(Zip(z =>
        {
            Add(z, "a\\b.obj", "1");
            Add(z, "c.obj", "2");
        })));
    }

    [Theory]
    [InlineData("../outside.obj", "leads out")]
    [InlineData("a/../../outside.obj", "leads out")]
    [InlineData("/etc/passwd", "leads out")]
    [InlineData("C:\\work\\a.obj", "leads out")]
    [InlineData("..\\outside.obj", "leads out")]
    public void Paths_that_lead_out_are_refused_before_anything_is_taken(string path, string what) => Refused(what, Zip(z =>
    {
        Add(z, "good.obj", "v");
        Add(z, path, "v");
    }));

    [Fact]
    public void Links_are_refused() => Refused("symbolic link", Zip(z => Add(z, "link.obj", "/etc/passwd").ExternalAttributes = unchecked((int)0xa1ff0000)));

    [Fact]
    public void What_claims_a_thousandfold_is_refused() => Refused("claim to hold", Zip(z =>
    {
        using var stream = z.CreateEntry("zeros.obj", CompressionLevel.SmallestSize).Open();
        var zeros = new byte[1 << 20];
        for (int i = 0; i < 64; i++)
            stream.Write(zeros);
    }));

    [Fact]
    public void What_holds_more_than_it_claims_gives_no_more_than_that()
    {
        byte[] zip = Zip(z =>
        {
            using var stream = z.CreateEntry("a.obj", CompressionLevel.SmallestSize).Open();
            stream.Write(new byte[50_000]);
        }).ToArray();
        // Both records of the size say 10 bytes.
        for (int at = 0; (at = zip.AsSpan(at).IndexOf(BitConverter.GetBytes(50_000)) is var found && found >= 0 ? at + found : -1) >= 0; at += 4)
            BitConverter.TryWriteBytes(zip.AsSpan(at), 10);
        long came = 0;
        try
        {
            ZipContents.Read(new MemoryStream(zip), "kit.zip", (_, content) => came += content.Read(new byte[50_000]));
        }
        catch (SourceFileException e)
        {
            Assert.NotEmpty(e.WhatToDo);
        }
        Assert.InRange(came, 0, 10);
    }

    [Fact]
    public void Too_many_files_are_refused() => Refused("at most", Zip(z =>
    {
        for (int i = 0; i <= ZipContents.MostEntries; i++)
            z.CreateEntry($"{i}.obj");
    }));

    [Fact]
    public void What_is_no_zip_or_cut_is_refused()
    {
        Refused("cannot be read", new MemoryStream("hello"u8.ToArray()));
        byte[] whole = Zip(z => Add(z, "a.obj", "v 0 0 0")).ToArray();
        for (int length = 0; length < whole.Length; length += 7)
            Assert.Throws<SourceFileException>(() => Read(new MemoryStream(whole[..length])));
    }

    private static void Refused(string what, Stream zip)
    {
        int taken = 0;
        var e = Assert.Throws<SourceFileException>(() => ZipContents.Read(zip, "kit.zip", (_, _) => taken++));
        Assert.Contains(what, e.What, StringComparison.Ordinal);
        Assert.Equal(("kit.zip", 0), (e.File, taken));
    }

    private static List<string> Read(Stream zip)
    {
        var files = new List<string>();
        ZipContents.Read(zip, "kit.zip", (path, content) =>
        {
            using var reader = new StreamReader(content, Encoding.ASCII, false, 1024, leaveOpen: true);
            files.Add($"{path}={reader.ReadToEnd()}");
        });
        return files;
    }

    private static MemoryStream Zip(Action<ZipArchive> fill)
    {
        var stream = new MemoryStream();
        using (var zip = new ZipArchive(stream, ZipArchiveMode.Create, leaveOpen: true))
            fill(zip);
        stream.Position = 0;
        return stream;
    }

    private static ZipArchiveEntry Add(ZipArchive zip, string path, string text)
    {
        var entry = zip.CreateEntry(path);
        using var stream = entry.Open();
        stream.Write(Encoding.ASCII.GetBytes(text));
        return entry;
    }
}
