using System.Text.RegularExpressions;
using Crumpet.Core.Bake;
using Crumpet.Core.Building;
using Crumpet.Core.Imaging;
using Crumpet.Core.Targets;
using Xunit;

namespace Crumpet.Core.Tests;

/// <summary>Documents list what tables hold, and lead where they say.</summary>
public sealed partial class DocumentTests
{
    [Fact]
    public void Documents_list_all_maps_formats_stations_and_targets()
    {
        string bake = Text("docs/bake.md"), convert = Text("docs/convert.md"), pack = Text("docs/pack.md"),
            bind = Text("docs/bind.md"), readme = Text("README.md");
        Assert.All(BakeMap.Table.All, m => Assert.Contains($"`{m.Name}`", bake, StringComparison.Ordinal));
        Assert.All(TextureFormat.Table.All, f => Assert.Contains(f.Label, convert, StringComparison.Ordinal));
        Assert.All(TextureFormat.Table.All, f => Assert.Contains(f.Word, pack, StringComparison.Ordinal));
        Assert.All(Station.Table.All, s => Assert.Matches($@"\| \[?{Regex.Escape(s.Label)}[\] ]", readme));
        Assert.All(ReadyTargets.All, t => Assert.Contains($"`{t.Name}`", bind, StringComparison.Ordinal));
    }

    [Fact]
    public void Links_between_documents_lead_to_files()
    {
        string root = ArchitectureTests.Root;
        string[] documents = [Path.Combine(root, "README.md"), .. Directory.GetFiles(Path.Combine(root, "docs"), "*.md", SearchOption.AllDirectories)];
        var links = documents.SelectMany(d => Link().Matches(File.ReadAllText(d)).Select(m => (From: d, To: m.Groups[1].Value))).ToArray();
        Assert.True(links.Length > 50);
        Assert.All(links, l => Assert.True(Path.Exists(Path.Combine(Path.GetDirectoryName(l.From)!, l.To)), $"{l.From} leads to {l.To}, which is not there."));
    }

    private static string Text(string path) => File.ReadAllText(Path.Combine(ArchitectureTests.Root, path));

    [GeneratedRegex(@"\]\(([^)#:]+)(?:#[^)]*)?\)")]
    private static partial Regex Link();
}
