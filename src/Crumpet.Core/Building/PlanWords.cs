using System.Globalization;
using Crumpet.Core.Baking;
using Crumpet.Core.Channels;
using Crumpet.Core.Imaging;
using Crumpet.Core.Pairing;

namespace Crumpet.Core.Building;

/// <summary>Says in words how two plans differ: what a history is made of.</summary>
public static class PlanWords
{
    private const int MostMends = 3;

    /// <summary>One phrase a difference, such as "Outward reach set to 12 mm"; nothing for equal plans.</summary>
    public static IReadOnlyList<string> Changes(AssetPlan before, AssetPlan after)
    {
        var said = new List<string>();
        Say(before.NamePattern, after.NamePattern, v => $"Names read as {v}");
        Mends(before.Mends, after.Mends, said);
        Say(before.Trays, after.Trays, v => v switch { TrayMode.One => "All parts put on one tray", TrayMode.Parts => "Each part put on its own tray", _ => "Trays planned by contact" });
        PairWords.Changes(before.Pairs, after.Pairs, said);
        LayoutWords.Changes(before.Layout, after.Layout, said);
        BakeSettings from = before.Bake, to = after.Bake;
        Say(string.Join(", ", from.Maps.Select(Name)), string.Join(", ", to.Maps.Select(Name)), v => v.Length > 0 ? $"Maps set to {v}" : "No map chosen");
        Say(from.Size, to.Size, v => $"Sheet size set to {v} px");
        Say(from.Samples, to.Samples, v => $"Samples a texel set to {v} × {v}");
        Say(from.OutwardReachMetres, to.OutwardReachMetres, v => $"Outward reach set to {Millimetres(v)}");
        Say(from.InwardReachMetres, to.InwardReachMetres, v => $"Inward reach set to {Millimetres(v)}");
        Say(from.Green, to.Green, v => $"Green turned {v.ToString().ToLowerInvariant()}");
        Say(from.Bits, to.Bits, v => $"Bits a channel set to {v}");
        Say(from.Dither, to.Dither, v => v ? "Dithering turned on" : "Dithering turned off");
        Say(from.PaddingPixels, to.PaddingPixels, v => $"Padding set to {v} px");
        Say(from.OcclusionRays, to.OcclusionRays, v => $"Occlusion rays set to {v}");
        Say(from.Occluders, to.Occluders, v => $"Occluded by {(v == Occluders.Asset ? "the whole asset" : v == Occluders.Tray ? "the tray" : "the part alone")}");
        Say(from.OcclusionRangeMetres, to.OcclusionRangeMetres, v => v > 0 ? $"Occlusion range set to {Millimetres(v)}" : "Occlusion range set to no limit");
        Say(from.OcclusionFalloffMetres, to.OcclusionFalloffMetres, v => $"Occlusion falloff set to {Millimetres(v)}");
        Outputs(before.Recipe, after.Recipe, said);
        Say(before.BindPattern, after.BindPattern, v => $"Outputs named {v}");
        return said;

        void Say<T>(T was, T now, Func<T, string> words)
        {
            if (!EqualityComparer<T>.Default.Equals(was, now))
                said.Add(words(now));
        }
    }

    private static void Mends(IReadOnlyList<Mend> before, IReadOnlyList<Mend> after, List<string> said)
    {
        // Whether a mend is on is told apart from what it is.
        var was = before.Select(m => BuildJson.OfMend(m with { IsOn = true })).ToList();
        var now = after.Select(m => BuildJson.OfMend(m with { IsOn = true })).ToList();
        int added = 0;
        for (int i = 0; i < after.Count; i++)
        {
            int old = was.IndexOf(now[i]);
            if (old < 0 && ++added <= MostMends)
                said.Add(after[i].Words());
            else if (old >= 0 && before[old].IsOn != after[i].IsOn)
                said.Add($"Mend '{after[i].Words()}' switched {(after[i].IsOn ? "on" : "off")}");
        }
        if (added > MostMends)
            said.Add($"{added - MostMends} more mends");
        for (int i = 0; i < before.Count; i++)
        {
            if (!now.Contains(was[i]))
                said.Add($"Mend '{before[i].Words()}' taken away");
        }
        if (said.Count == 0 && !was.SequenceEqual(now))
            said.Add("Mends put in another order");
    }

    private static void Outputs(Recipe before, Recipe after, List<string> said)
    {
        foreach (var now in after.Outputs)
        {
            var was = before.Outputs.FirstOrDefault(o => o.Name == now.Name);
            if (was is null)
                said.Add($"Output {now.Name} added");
            else if (was.Format != now.Format)
                said.Add($"Format of {now.Name} set to {now.Format.Label()}");
            if (was is not null && (was.Meaning != now.Meaning || !was.Channels.SequenceEqual(now.Channels)))
                said.Add($"Channels of {now.Name} changed");
        }
        said.AddRange(before.Outputs.Where(o => after.Outputs.All(n => n.Name != o.Name)).Select(o => $"Output {o.Name} left out"));
    }

    private static string Name(BakeMap map) => map.ToString().ToLowerInvariant();

    private static string Millimetres(float metres) => (metres * 1000).ToString("0.###", CultureInfo.InvariantCulture) + " mm";
}
