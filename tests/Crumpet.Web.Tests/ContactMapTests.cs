using Crumpet.Core.Intake;
using Crumpet.Core.Pairs;
using Crumpet.Web.Pages.Pairs;
using Xunit;

namespace Crumpet.Web.Tests;

/// <summary>Where the map of contacts draws parts, and how names are shown as they are read.</summary>
public sealed class ContactMapTests
{
    [Fact]
    public void Every_part_stands_on_its_trays_line_and_every_contact_joins_two_stops()
    {
        var random = new Random(2);
        PartRow[] rows = [new("lone", [0], [], -1), .. Enumerable.Range(0, 50).Select(i => new PartRow($"p{i}", [1], [2], i % 4))];
        Contact[] contacts = [.. Enumerable.Range(0, 80)
            .Select(_ => new Contact(1 + random.Next(50), 1 + random.Next(50), random.Next(2) * 0.01f, 0.003f, [0, 0, 0], [0, 0, 0.003f]))
            .Where(c => c.One != c.Two)];
        var map = ContactMap.Of(new PairReport(rows, 4) { Contacts = contacts });
        Assert.Equal(50, map.Stops.Count);
        Assert.All(map.Stops, s => Assert.InRange(s.X, 0, map.Width));
        foreach (var (tray, y, parts) in map.Trays)
        {
            var stops = map.Stops.Where(s => s.Row.Tray == tray).ToArray();
            Assert.All(stops, s => Assert.Equal(y, s.Y));
            Assert.Equal(stops.Length, parts.Count);
            Assert.Equal(stops.Length, stops.Select(s => s.X).Distinct().Count());
        }
        Assert.Equal(contacts.Count(c => c.Touches), map.Links.Count);
        Assert.All(map.Links, l => Assert.Equal(rows[l.Contact.One].Tray == rows[l.Contact.Two].Tray, l.IsBad));
        Assert.All(map.Links, l => Assert.EndsWith("3 mm apart", l.Words, StringComparison.Ordinal));
    }

    [Fact]
    public void Parts_in_contact_are_drawn_one_under_the_other()
    {
        PartRow[] rows = [.. Enumerable.Range(0, 20).Select(i => new PartRow($"p{i:00}", [0], [1], i / 10))];
        // Part k of the first tray touches part 9 - k of the second, by name just the other way round.
        Contact[] contacts = [.. Enumerable.Range(0, 10).Select(k => new Contact(k, 19 - k, 0, 0, [0, 0, 0], [0, 0, 0]))];
        var map = ContactMap.Of(new PairReport(rows, 2) { Contacts = contacts });
        var x = map.Stops.ToDictionary(s => s.Row.Name, s => s.X);
        Assert.All(contacts, c => Assert.Equal(x[rows[c.One].Name], x[rows[c.Two].Name], 6));
    }

    [Fact]
    public void A_name_is_shown_whole_with_its_pieces_or_its_broken_character_marked()
    {
        ObjectReport[] objects = [Row("lid_low"), Row("a<b>_hgh"), Row("spare_high") with { Side = Side.Aside }];
        var readings = NameReadings.Of("{part}_{side}", objects, new NameRules());
        Assert.Equal((1, 2), (readings.Read, readings.Names.Count));
        using var broken = new StringWriter();
        readings.Names[0].Html().WriteTo(broken, System.Text.Encodings.Web.HtmlEncoder.Default);
        Assert.Equal("a&lt;b&gt;_h<span class=\"piece piece-broken\">g</span>h", broken.ToString());
        using var read = new StringWriter();
        readings.Names[1].Html().WriteTo(read, System.Text.Encodings.Web.HtmlEncoder.Default);
        Assert.Equal("<span class=\"piece piece-part\">lid</span>_<span class=\"piece piece-side\">low</span>", read.ToString());
        // What goes by its file's name is read, unless the pattern alone is tried.
        ObjectReport[] mesh = [Row("mesh01") with { File = "lid_LP.ply" }];
        var byFile = NameReadings.Of("{part}_{side}", mesh, new NameRules());
        Assert.Equal((1, "low"), (byFile.Read, byFile.Names[0].Side));
        Assert.Equal(0, NameReadings.Of("{part}_{side}", mesh, new NameRules { FindsWords = false }).Read);
        Assert.EndsWith(".", NameReadings.Of("{part", objects, new NameRules()).Problem, StringComparison.Ordinal);
    }

    private static ObjectReport Row(string name) => new("f", name, name, Side.Low, 1, 1, 3, [], 1, true, false, [1, 1, 1]);
}
