using Crumpet.Core.Checking;
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

    [Theory]
    [InlineData(10)]
    [InlineData(49_999)]
    [InlineData(50_001)]
    [InlineData(70_000)]
    public void What_holds_more_or_less_than_it_claims_is_refused_by_itself(int claimed)
    {
        byte[] zip = WithZeros();
        // Both records of the size say so.
        Replace(zip, 50_000, claimed);
        var refused = new List<string>();
        Assert.Equal(["b.obj=v 1 2 3"], Read(new MemoryStream(zip), refused));
        Assert.Contains("a.obj", Assert.Single(refused), StringComparison.Ordinal);
    }

    [Fact]
    public void What_does_not_give_its_checksum_is_refused_by_itself()
    {
        byte[] zip = WithZeros();
        uint sum;
        using (var archive = new ZipArchive(new MemoryStream(zip)))
            sum = archive.GetEntry("a.obj")!.Crc32;
        Replace(zip, unchecked((int)sum), unchecked((int)(sum ^ 1)));
        var refused = new List<string>();
        Assert.Equal(["b.obj=v 1 2 3"], Read(new MemoryStream(zip), refused));
        Assert.Contains("checksum", Assert.Single(refused), StringComparison.Ordinal);
    }

    [Fact]
    public void Entries_that_lie_over_each_other_are_refused()
    {
        // The directory names the one file many times.
        byte[] plain = Zip(z => Add(z, "a.obj", new string('v', 5000))).ToArray();
        int directory = plain.AsSpan().IndexOf("PK\u0001\u0002"u8), end = plain.AsSpan().IndexOf("PK\u0005\u0006"u8), length = end - directory;
        const int Times = 400;
        byte[] zip = [.. plain[..directory], .. Enumerable.Repeat(plain[directory..end], Times).SelectMany(e => e), .. plain[end..]];
        int tail = zip.Length - (plain.Length - end);
        BitConverter.TryWriteBytes(zip.AsSpan(tail + 8), (ushort)Times);
        BitConverter.TryWriteBytes(zip.AsSpan(tail + 10), (ushort)Times);
        BitConverter.TryWriteBytes(zip.AsSpan(tail + 12), length * Times);
        byte[] stored = zip;
        // As much as the entries of a real one claim together.
        for (int at = directory; at < tail; at += length)
            BitConverter.TryWriteBytes(stored.AsSpan(at + 20), 4000);
        Refused("lie over each other", new MemoryStream(stored));
    }

    [Fact]
    public void The_checksum_is_that_of_the_standard()
    {
        // Source: the check value of CRC-32/ISO-HDLC.
        var sum = default(Crc32);
        sum.Add("1234"u8);
        sum.Add("56789"u8);
        Assert.Equal(0xcbf43926, sum.Value);
        var random = new Random(1);
        var bytes = new byte[5000];
        random.NextBytes(bytes);
        using var zip = new ZipArchive(Zip(z => { using var s = z.CreateEntry("x").Open(); s.Write(bytes); }));
        var whole = default(Crc32);
        for (int at = 0; at < bytes.Length; at += 37)
            whole.Add(bytes.AsSpan(at, Math.Min(37, bytes.Length - at)));
        Assert.Equal(zip.Entries[0].Crc32, whole.Value);
    }

    private static byte[] WithZeros() => Zip(z =>
    {
        using (var stream = z.CreateEntry("a.obj", CompressionLevel.SmallestSize).Open())
            stream.Write(new byte[50_000]);
        Add(z, "b.obj", "v 1 2 3");
    }).ToArray();

    private static void Replace(byte[] zip, int value, int with)
    {
        for (int at = 0; (at = zip.AsSpan(at).IndexOf(BitConverter.GetBytes(value)) is var found && found >= 0 ? at + found : -1) >= 0; at += 4)
            BitConverter.TryWriteBytes(zip.AsSpan(at), with);
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
        var e = Assert.Throws<SourceFileException>(() => ZipContents.Read(zip, "kit.zip", (_, _) => taken++, _ => { }));
        Assert.Contains(what, e.What, StringComparison.Ordinal);
        Assert.Equal(("kit.zip", 0), (e.File, taken));
    }

    private static List<string> Read(Stream zip, List<string>? refused = null)
    {
        var files = new List<string>();
        ZipContents.Read(zip, "kit.zip", (path, content) =>
        {
            using var reader = new StreamReader(content, Encoding.ASCII, false, 1024, leaveOpen: true);
            files.Add($"{path}={reader.ReadToEnd()}");
        }, e => refused?.Add(e.Message));
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
