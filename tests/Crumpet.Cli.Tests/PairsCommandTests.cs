using System.Text.Json;
using Xunit;

namespace Crumpet.Cli.Tests;

/// <summary><c>crumpet pairs</c>, and bakes that use its trays and cages.</summary>
public sealed class PairsCommandTests : CommandTests
{
    // Two plates 5 mm apart, side by side, and one far off whose high side is named otherwise.
    private static string Plates(string side, float height, string odd) =>
        Plate($"a_{side}", 0, height, 0) + Plate($"b_{side}", 1.005f, height, 4) + Plate(odd, 3, height, 8);

    [Fact]
    public void Parts_fits_contacts_trays_and_suggestions_are_one_json_object()
    {
        string low = Save("p_low.obj", Plates("low", 0, "c_low")), high = Save("p_high.obj", Plates("high", 0.002f, "cc_high"));
        var pair = Run("pairs", "--low", low, "--high", high, "--json");
        // What is unpaired is a stop finding.
        Assert.Equal(1, pair.Code);
        using var json = JsonDocument.Parse(pair.Out);
        var root = json.RootElement;
        Assert.Equal(["c", "cc", "a", "b"], root.GetProperty("parts").EnumerateArray().Select(p => p.GetProperty("name").GetString()));
        var a = root.GetProperty("parts")[2];
        Assert.Equal(1, a.GetProperty("fit").GetProperty("share").GetDouble());
        Assert.Equal(0.002, a.GetProperty("fit").GetProperty("greatestMetres").GetDouble(), 5);
        var contact = Assert.Single(root.GetProperty("contacts").EnumerateArray());
        // The plates' rays go straight up and down, and so pass 5 mm beside each other.
        Assert.False(contact.GetProperty("touches").GetBoolean());
        Assert.Equal(0.005, contact.GetProperty("rayDistanceMetres").GetDouble(), 4);
        Assert.Equal(1, root.GetProperty("trays").GetArrayLength());
        Assert.Contains("2 parts on 1 tray", root.GetProperty("proof").GetProperty("said").GetString(), StringComparison.Ordinal);
        var suggestion = Assert.Single(root.GetProperty("suggestions").EnumerateArray());
        Assert.Equal(("cc_high", "c_high"), (suggestion.GetProperty("rename").GetString(), suggestion.GetProperty("newName").GetString()));
        Assert.True(suggestion.GetProperty("isClear").GetBoolean());
        Assert.Contains("low-without-high", pair.Out, StringComparison.Ordinal);
    }

    [Fact]
    public void A_pattern_of_ones_own_reads_names_and_one_that_cannot_work_is_refused()
    {
        string low = Save("p.obj", Plate("LOW.a", 0, 0, 0) + Plate("LOW.b", 2, 0, 4)),
            high = Save("q.obj", Plate("HIGH.a.x", 0, 0, 0) + Plate("HIGH.a.y", 0.1f, 0, 4) + Plate("HIGH.b", 2, 0, 8));
        string rules = Save("rules.json", """{"names":{"low":["LOW"],"high":["HIGH"]}}""");
        var pair = Run("pairs", "--low", low, "--high", high, "--pattern", "{side}.{part}{.detail?}", "--rules", rules);
        Assert.True(pair.Code == 0, pair.Out);
        Assert.Contains("a  LOW.a  HIGH.a.x+HIGH.a.y", pair.Out, StringComparison.Ordinal);
        var refused = Run("pairs", "--low", low, "--high", high, "--pattern", "{part}");
        Assert.Equal(2, refused.Code);
        Assert.Contains("lacks {side}", refused.Error, StringComparison.Ordinal);
    }

    [Fact]
    public void Cages_are_fitted_written_and_baked_from_and_wrong_ones_are_said()
    {
        string low = Save("a_low.obj", Plate("a_low", 0, 0, 0)), high = Save("a_high.obj", Plate("a_high", 0, 0.05f, 0));
        Assert.Contains("find no high surface", Run("bake", "--low", low, "--high", high, "--out", At("reach"), "--size", "256", "--maps", "normal",
            "--outward", "0.012", "--inward", "0.02").Out,
            StringComparison.Ordinal);
        var fit = Run("pairs", "--low", low, "--high", high, "--cage", "fit", "--cage-out", At("a_cage.obj"), "--json");
        using (var json = JsonDocument.Parse(fit.Out))
            Assert.Equal(0.0505, json.RootElement.GetProperty("parts")[0].GetProperty("cage").GetProperty("meanMetres").GetDouble(), 4);
        Assert.Contains("o a_cage", File.ReadAllText(At("a_cage.obj")), StringComparison.Ordinal);
        foreach (string cage in (string[])["fit", At("a_cage.obj")])
        {
            var bake = Run("bake", "--low", low, "--high", high, "--out", At("cage"), "--size", "32", "--maps", "normal", "--trays", "plan", "--cage", cage,
                "--json");
            Assert.Equal(0, bake.Code);
            Assert.DoesNotContain("find no high surface", bake.Out, StringComparison.Ordinal);
        }
        string other = Save("other.obj", Plate("a_cage", 0, 0.05f, 0).Replace("f 1/1 2/2 3/3 4/4", "f 1/1 2/2 3/3", StringComparison.Ordinal));
        Assert.Contains("has a cage of 1 triangles",
            Run("bake", "--low", low, "--high", high, "--out", At("cage"), "--size", "32", "--maps", "normal", "--cage", other).Out, StringComparison.Ordinal);
        Assert.Equal(2, Run("pairs", "--low", low, "--high", high, "--cage-out", At("cage.stl")).Code);
        Assert.Equal(3, Run("bake", "--low", low, "--high", high, "--out", At("cage"), "--cage", At("gone.obj")).Code);
    }

    private static string Plate(string name, float right, float height, int before)
    {
        var i = System.Globalization.CultureInfo.InvariantCulture;
        string corners = string.Concat(((float X, float Z)[])[(-0.5f, 0.5f), (0.5f, 0.5f), (0.5f, -0.5f), (-0.5f, -0.5f)] is var c
            ? c.Select(p => string.Create(i, $"v {p.X + right} {height} {p.Z}\nvt {0.1 + 0.08 * (p.X + 0.5) + right / 5} {0.1 + 0.08 * (p.Z + 0.5)}\n")) : []);
        return $"o {name}\n{corners}f {1 + before}/{1 + before} {2 + before}/{2 + before} {3 + before}/{3 + before} {4 + before}/{4 + before}\n";
    }
}
